"""Holds one XNC drill file against its format, line by line."""

from __future__ import annotations

import re

from vane_step.core.fab.standard_words import DRILLING, Breach, Grade, file_value


def check_xnc(name: str, text: str) -> tuple[list[Breach], dict[str, str]]:
    """Check an XNC drill file: metric or inch, decimal coordinates, tools with their function."""
    found: list[Breach] = []
    told: dict[str, str] = {}
    tools: dict[str, bool] = {}
    function, body, ended, unit, chosen = "", False, False, False, ""

    def say(line: int, message: str, grade: Grade = "error") -> None:
        found.append(Breach(name, line, grade, message, "XNC format specification"))

    for k, raw in enumerate(text.splitlines(), 1):
        word = raw.strip()
        if match := re.fullmatch(r"; ?#@! (TF|TA|TO|TD)\.?(\w*),?(.*)", word):
            code, key, value = match.groups()
            if code == "TF":
                told[key] = value
                wrong = file_value(key, value, "")
                if wrong and key != "MD5":
                    say(k, f".{key} {value[:50]!r}: {wrong}")
            elif code == "TA":
                function = value
                if key == "AperFunction" and not re.fullmatch(DRILLING, value):
                    say(k, f"Hole function {value!r} is unknown")
            elif code == "TD":
                function = ""
        elif word.startswith(";") or not word:
            continue
        elif ended:
            say(k, "Something follows M30")
        elif word in ("METRIC", "INCH"):
            unit = True
        elif word == "%":
            body = True
        elif word == "M30":
            ended = True
        elif match := re.fullmatch(r"T(\d+)C(\d*\.\d+|\d+)", word):
            if match[1] in tools:
                say(k, f"Tool {match[1]} is defined twice")
            if float(match[2]) <= 0:
                say(k, f"Tool {match[1]} has no diameter")
            if not function:
                say(k, f"Tool {match[1]} says no function of its holes", "warning")
            tools[match[1]] = bool(function)
        elif match := re.fullmatch(r"T0*(\d*)", word):
            chosen = match[1]
            if chosen and chosen not in {t.lstrip("0") for t in tools}:
                say(k, f"Tool {chosen} is not defined")
        elif re.fullmatch(r"(G0[0-3])?(X[+-]?\d*\.?\d+)?(Y[+-]?\d*\.?\d+)?(A\d*\.?\d+)?|M15|M16|G85.*", word):
            if not body or (not chosen and not word.startswith(("M", "G00"))):
                say(k, "A hole before the header's end or without a tool")
            if re.search(r"[XY][+-]?\d+(?![\d.])", word):
                say(k, "A coordinate without a decimal point", "warning")
        elif word not in ("M48", "G90", "G05"):
            say(k, f"{word[:30]!r} is no word of XNC")
    if not unit:
        say(1, "The unit is missing")
    if not ended:
        say(text.count("\n") + 1, "M30 is missing")
    for key in ("FileFunction", "Part"):
        if key not in told:
            say(1, f"It does not say its .{key}")
    for key in ("SameCoordinates", "ProjectId", "CreationDate", "GenerationSoftware"):
        if key not in told:
            say(1, f"It does not say its .{key}", "warning")
    return found, told
