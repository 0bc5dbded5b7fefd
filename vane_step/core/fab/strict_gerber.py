"""Holds one Gerber file against its standard, command by command; what the words may be is in ``standard_words``."""

from __future__ import annotations

import re

from vane_step.core.fab.standard_words import APERTURES, NAME, OBJECTS, OLD, Breach, Grade, file_value

_OPERATION = re.compile(r"(?:X([+-]?\d+))?(?:Y([+-]?\d+))?(?:I([+-]?\d+))?(?:J([+-]?\d+))?D0([123])")


class _Gerber:
    """The state of a file as its commands come."""

    def __init__(self, name: str) -> None:
        self.name, self.line = name, 1
        self.found: list[Breach] = []
        self.file: dict[str, str] = {}
        self.apertures: dict[str, str] = {}
        self.macros: set[str] = set()
        self.function = ""
        self.objects: set[str] = set()
        self.current = ""
        self.format = self.unit = self.ended = self.polar = False
        self.mode = ""
        self.region: list[tuple[str, str]] | None = None
        self.started = False
        self.x = self.y = "0"

    def say(self, message: str, rule: str, grade: Grade = "error") -> None:
        """Take a breach down."""
        self.found.append(Breach(self.name, self.line, grade, message, rule))


def check_gerber(name: str, text: str) -> tuple[list[Breach], dict[str, str]]:
    """Check a Gerber file; gives its breaches, and what it says of itself."""
    state = _Gerber(name)
    at = 0
    for match in re.finditer(r"%[^%]*%|[^%*\r\n]+\*|[^\s%*][^%*]*", text):
        state.line += text.count("\n", at, match.start())
        at = match.start()
        command = match[0].replace("\r", "").replace("\n", "")
        if state.ended:
            state.say("Something follows the end of the file", "4.13: M02 is the last command")
            break
        if command.startswith("%"):
            _extended(state, command, text, at)
        elif command.endswith("*"):
            _word(state, command[:-1])
        else:
            state.say(f"{command[:30]!r} has no end", "3.5.2: a command ends with *")
    state.line = text.count("\n") + 1
    if not state.ended:
        state.say("The file has no end", "4.13: M02 ends a file")
    _heads(state)
    return state.found, state.file


def _heads(state: _Gerber) -> None:
    """Hold what a file says of itself against what it must say (5.6)."""
    told = state.file
    state.line = 1
    for key, rule in (("FileFunction", "5.6.3"), ("Part", "5.6.2"), ("FilePolarity", "5.6.4")):
        if key not in told:
            state.say(f"It does not say its .{key}", f"{rule}: every file of a board says it")
    for key, rule in (
        ("SameCoordinates", "5.6.5"),
        ("CreationDate", "5.6.6"),
        ("GenerationSoftware", "5.6.7"),
        ("ProjectId", "5.6.8"),
        ("MD5", "5.6.9"),
    ):
        if key not in told:
            state.say(f"It does not say its .{key}", f"{rule}: advised", "warning")
    function = told.get("FileFunction", "")
    negative = told.get("FilePolarity") == "Negative"
    if function.startswith(("Copper", "Profile", "Legend", "Paste", "Component")) and negative:
        state.say(f"{function.split(',')[0]} is negative", "5.6.4: this function is positive", "warning")
    if function.startswith("Soldermask") and told.get("FilePolarity") == "Positive":
        state.say("The mask is positive: it shows mask where it shows openings", "5.6.4", "warning")


def _extended(state: _Gerber, command: str, text: str, at: int) -> None:
    body = command.strip("%")
    if not body.endswith("*"):
        state.say(f"{command[:30]!r} has no *", "3.5.3: an extended command ends with *%")
        return
    code, fields = body[:2], body[2:-1]
    if code == "FS":
        if not re.fullmatch(r"LAX[1-6][56]Y[1-6][56]", fields):
            state.say(f"Format {fields} is not allowed", "4.2.2: LA, up to 6 digits before, 5 or 6 behind")
        elif fields[3:5] != fields[6:8]:
            state.say("X and Y have different formats", "4.2.2")
        if state.format or state.started:
            state.say("FS comes twice or late", "4.2: once, before any coordinate")
        state.format = True
    elif code == "MO":
        if fields not in ("MM", "IN"):
            state.say(f"Unit {fields} is unknown", "4.2.1: MM or IN")
        state.unit = True
    elif code == "AD":
        _aperture(state, fields)
    elif code == "AM":
        state.macros.add(fields.partition("*")[0])
    elif code == "LP":
        state.polar = True
        if fields not in ("D", "C"):
            state.say(f"LP{fields}", "4.9.2: D or C")
    elif code in ("LM", "LR", "LS", "AB", "SR"):
        state.started = state.started or code == "SR"
    elif code in ("TF", "TA", "TO", "TD"):
        _attribute(state, code, fields, text, at)
    elif re.fullmatch(OLD, body[:-1]):
        state.say(f"{body[:12]} is deprecated", "8: not to be written any more", "warning")
    else:
        state.say(f"{command[:30]!r} is no command", "4.1")


def _aperture(state: _Gerber, fields: str) -> None:
    match = re.fullmatch(rf"D(\d+)({NAME})(?:,([^*]*))?", fields)
    if match is None:
        state.say(f"AD{fields[:30]} defines nothing", "4.3")
        return
    number, kind, sizes = match[1], match[2], match[3]
    if int(number) < 10:
        state.say(f"D{number} is reserved", "4.3: apertures are numbered from 10")
    if number in state.apertures:
        state.say(f"D{number} is defined twice", "4.3")
    values = [float(v) for v in sizes.split("X")] if sizes and re.fullmatch(r"[-+.\dX]+", sizes) else []
    counts = {"C": (1, 2), "R": (2, 3), "O": (2, 3), "P": (2, 4)}
    if kind in counts:
        low, high = counts[kind]
        if not low <= len(values) <= high:
            state.say(f"Aperture D{number} has {len(values)} sizes", f"4.4: {kind} takes {low} to {high}")
        elif kind != "C" and min(values[:1] if kind == "P" else values[:2]) <= 0:
            state.say(f"Aperture D{number} has no size", "4.4: above zero")
        elif kind == "P" and not (3 <= values[1] <= 12 and values[1] == int(values[1])):
            state.say(f"Aperture D{number} has {values[1]:g} corners", "4.4.5: 3 to 12")
    elif kind not in state.macros:
        state.say(f"Macro {kind} is not defined before it is used", "4.5")
    state.apertures[number] = state.function


def _attribute(state: _Gerber, code: str, fields: str, text: str, at: int) -> None:
    dotted = fields.startswith(".")
    key, _, value = fields.lstrip(".").partition(",")
    if code == "TD":
        if fields and key != "AperFunction" and key not in state.objects:
            state.say(f"{key} is not set", "5.5: only what is set can be dropped", "warning")
        if not fields or key == "AperFunction":
            state.function = ""
        if not fields:
            state.objects.clear()
        else:
            state.objects.discard(key)
        return
    if not dotted:
        # A name without its dot is one's own, which standard names are not.
        if key in OBJECTS or key in ("FileFunction", "Part", "AperFunction", "MD5"):
            state.say(f"{key} has no dot", "5.2: names of the standard begin with one")
        return
    if code == "TF":
        if state.started and key != "MD5":
            state.say(f".{key} comes late", "5.2: file attributes come before any object", "warning")
        if key in state.file:
            state.say(f".{key} is said twice", "5.2: a file attribute cannot be changed")
        state.file[key] = value
        # Only the seal is made of what stands before it.
        wrong = file_value(key, value, text[:at] if key == "MD5" else "")
        if wrong:
            state.say(f".{key} {value[:50]!r}: {wrong}", "5.6")
    elif code == "TA":
        if key == "AperFunction" and not any(re.fullmatch(p, value) for p in APERTURES):
            state.say(f"Aperture function {value!r} is unknown", "5.6.10")
        state.function = value if key == "AperFunction" else state.function
    else:
        state.objects.add(key)
        if key not in OBJECTS:
            state.say(f"Object attribute .{key} is unknown", "5.6.13 to 5.6.16")
        elif not re.fullmatch(OBJECTS[key], value):
            state.say(f".{key} {value[:40]!r} is not of its form", "5.6.13 to 5.6.16")


def _word(state: _Gerber, word: str) -> None:
    if word[0] in "XYIJ":
        _operation(state, word)
    elif word.startswith("G04"):
        pass
    elif word == "M02":
        state.ended = True
        if state.region is not None:
            state.say("The file ends within a region", "4.10")
    elif word in ("G01", "G02", "G03"):
        state.mode = word
    elif word == "G75":
        pass
    elif word == "G36":
        state.region = []
    elif word == "G37":
        _close(state)
        state.region = None
    elif re.fullmatch(r"D\d{2,}", word):
        state.current = word[1:]
        if state.current not in state.apertures:
            state.say(f"{word} is not defined", "4.6")
    elif re.fullmatch(OLD, word):
        state.say(f"{word} is deprecated", "8: not to be written any more", "warning")
    else:
        _operation(state, word)


def _operation(state: _Gerber, word: str) -> None:
    match = _OPERATION.fullmatch(word)
    if match is None:
        old = re.fullmatch(r"(G0?[123])?(X[+-]?\d+)?(Y[+-]?\d+)?(I[+-]?\d+)?(J[+-]?\d+)?(D0?[123])?", word)
        if old and word:
            state.say(f"{word[:24]!r} is an old way to write an operation", "8.2", "warning")
        else:
            state.say(f"{word[:30]!r} is no command", "4.1")
        return
    if not state.format or not state.unit:
        state.say("A coordinate comes before format and unit", "4.2")
        state.format = state.unit = True
    state.started = True
    state.x, state.y = match[1] or state.x, match[2] or state.y
    if state.region is not None:
        if match[5] == "3":
            state.say("A flash within a region", "4.10")
        elif match[5] == "2":
            _close(state)
            state.region = [(state.x, state.y)]
        else:
            state.region.append((state.x, state.y))
        return
    if match[5] != "2" and not state.current:
        state.say("Something is drawn before an aperture is chosen", "4.8")
    if match[5] == "1" and not state.mode:
        state.say("A line before its mode", "4.7: G01 comes first", "warning")
        state.mode = "G01"


def _close(state: _Gerber) -> None:
    ring = state.region or []
    if ring and ring[0] != ring[-1]:
        state.say("A contour of a region is open", "4.10.3: it ends where it begins")
    elif ring and len(ring) < 3:
        state.say("A contour of a region has no area", "4.10.3")
