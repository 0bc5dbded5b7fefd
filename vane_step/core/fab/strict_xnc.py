"""Holds one XNC drill file against its format, line by line."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.fab.standard_words import DRILLING, Breach, Grade, file_value

_ATTRIBUTE: Final = re.compile(r"; ?#@! (TF|TA|TO|TD)\.?(\w*),?(.*)")
_TOOL: Final = re.compile(r"T(\d+)C(\d*\.\d+|\d+)")
_CHOSEN: Final = re.compile(r"T0*(\d*)")
_MOVE: Final = re.compile(
    r"(G0[0-3])?(X[+-]?\d*\.?\d+)?(Y[+-]?\d*\.?\d+)?(A\d*\.?\d+)?|M15|M16|G85.*|"
    r"X[^G]*G85X.*"
)


class _Xnc:
    """The state of a file as its lines come."""

    def __init__(self, name: str) -> None:
        self.name, self.line = name, 1
        self.found: list[Breach] = []
        self.told: dict[str, str] = {}
        self.tools: set[str] = set()
        self.function = self.chosen = ""
        self.body = self.ended = self.unit = False

    def say(self, message: str, grade: Grade = "error") -> None:
        """Take a breach down."""
        self.found.append(Breach(self.name, self.line, grade, message, "XNC format specification"))


def check_xnc(name: str, text: str) -> tuple[list[Breach], dict[str, str]]:
    """Check an XNC file: unit, decimal coordinates, tools with their function; gives what it says of itself beside."""
    state = _Xnc(name)
    for state.line, raw in enumerate(text.splitlines(), 1):
        word = raw.strip()
        if match := _ATTRIBUTE.fullmatch(word):
            _attribute(state, *match.groups())
        elif word and not word.startswith(";"):
            _word(state, word)
    if not state.ended:
        state.say("M30 is missing")
    state.line = 1
    if not state.unit:
        state.say("The unit is missing")
    for key, grade in (
        ("FileFunction", "error"),
        ("Part", "error"),
        ("SameCoordinates", "warning"),
        ("ProjectId", "warning"),
        ("CreationDate", "warning"),
        ("GenerationSoftware", "warning"),
    ):
        if key not in state.told:
            state.say(f"It does not say its .{key}", grade)  # type: ignore[arg-type]
    return state.found, state.told


def _attribute(state: _Xnc, code: str, key: str, value: str) -> None:
    if code == "TF":
        state.told[key] = value
        wrong = file_value(key, value, "")
        if wrong and key != "MD5":
            state.say(f".{key} {value[:50]!r}: {wrong}")
    elif code == "TA":
        state.function = value
        if key == "AperFunction" and not re.fullmatch(DRILLING, value):
            state.say(f"Hole function {value!r} is unknown")
    elif code == "TD":
        state.function = ""


def _word(state: _Xnc, word: str) -> None:
    if state.ended:
        state.say("Something follows M30")
    elif word in ("METRIC", "INCH"):
        state.unit = True
    elif word == "%":
        state.body = True
    elif word == "M30":
        state.ended = True
    elif match := _TOOL.fullmatch(word):
        number = match[1].lstrip("0")
        if number in state.tools:
            state.say(f"Tool {match[1]} is defined twice")
        if float(match[2]) <= 0:
            state.say(f"Tool {match[1]} has no diameter")
        if not state.function:
            state.say(f"Tool {match[1]} says no function of its holes", "warning")
        state.tools.add(number)
    elif match := _CHOSEN.fullmatch(word):
        state.chosen = match[1]
        if state.chosen and state.chosen not in state.tools:
            state.say(f"Tool {state.chosen} is not defined")
    elif _MOVE.fullmatch(word):
        if not state.body or (not state.chosen and not word.startswith(("M", "G00"))):
            state.say("A hole before the header's end or without a tool")
        if re.search(r"[XY][+-]?\d+(?![\d.])", word):
            state.say("A coordinate without a decimal point", "warning")
    elif word not in ("M48", "G90", "G05"):
        state.say(f"{word[:30]!r} is no word of XNC")
