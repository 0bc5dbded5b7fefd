"""Holds files for a board house against their standards, whoever wrote them: every breach by file, line and rule.

Gerber layer format 2024.05 with X2 and X3 attributes, XNC, the Gerber job file. Nothing here is shared with the
writers, and no image is made: whether the copper is right is found by reading back.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal

Grade = Literal["error", "warning"]


@dataclass(frozen=True)
class Breach:
    """What a file does that its standard does not allow, or advises against."""

    file: str
    line: int
    grade: Grade
    message: str
    rule: str


_SIDE = "(Top|Bot)"
# File functions (5.6.3), with what the polarity may be.
FUNCTIONS: Final[tuple[str, ...]] = (
    rf"Copper,L\d+,({_SIDE}|Inr)(,(Plane|Signal|Mixed|Hatched))?",
    r"(Plated|NonPlated),\d+,\d+,(PTH|Blind|Buried|NPTH)(,(Drill|Rout|Mixed))?",
    r"Profile,(P|NP)",
    rf"Soldermask,{_SIDE}(,\d+)?",
    rf"Legend,{_SIDE}(,\d+)?",
    rf"Component,L\d+,{_SIDE}",
    rf"(Paste|Glue),{_SIDE}",
    rf"(Carbonmask|Goldmask|Heatsinkmask|Peelablemask|Silvermask|Tinmask),{_SIDE}(,\d+)?",
    rf"(Depthrout|Vcut),?({_SIDE})?",
    r"(Viafill|Vcut)",
    r"Pads,(Top|Bot)",
    r"(Drillmap|FabricationDrawing|Vcutmap|OtherDrawing,.+|Other,.+|ArrayDrawing)",
    rf"AssemblyDrawing,{_SIDE}",
)
PARTS: Final = r"(Single|Array|FabricationPanel|Coupon|Other,.+)"
# Functions of apertures (5.6.10).
APERTURES: Final[tuple[str, ...]] = (
    r"(ViaDrill(,(Ia|Ib|IIa|IIb|IIIa|IIIb|IVa|IVb|V|VI|VII))?|BackDrill|ComponentDrill(,PressFit)?)",
    r"(MechanicalDrill(,(Tooling|BreakOut|Other))?|CastellatedDrill|OtherDrill,.+|Slot|CutOut|Cavity)",
    r"(ComponentPad|SMDPad,(CuDef|SMDef)|BGAPad,(CuDef|SMDef)|ConnectorPad|HeatsinkPad|ViaPad|TestPad)",
    r"(CastellatedPad|FiducialPad,(Local|Global|Panel)|ThermalReliefPad|WasherPad|AntiPad|OtherPad,.+)",
    r"(Conductor|EtchedComponent|NonConductor|CopperBalancing|Border|OtherCopper,.+|Profile|NonMaterial)",
    r"(Material|Other,.+|ComponentMain|ComponentPin|ComponentOutline,(Body|Lead2Lead|Footprint|Courtyard))",
)
DRILLING: Final = APERTURES[0] + "|" + APERTURES[1]
OBJECTS: Final[dict[str, str]] = {
    "N": r"[^,]*",
    "P": r"[^,]+,[^,]+(,[^,]*)?",
    "C": r"[^,]+",
    "CRot": r"-?\d+(\.\d+)?",
    "CMfr": r"[^,]+",
    "CMPN": r"[^,]+",
    "CPkg": r".+",
    "CMnt": r"(TH|SMD|Pressfit|Other)",
    "CFtp": r"[^,]+",
    "CPgN": r"[^,]+",
    "CPgD": r"[^,]+",
    "CHgt": r"\d+(\.\d+)?",
    "CLbN": r"[^,]+",
    "CLbD": r"[^,]+",
    "CSup": r".+",
    "CVal": r"[^,]+",
}
STAMP: Final = r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(Z|[+-]\d\d:\d\d)"
GUID: Final = r"[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[1-5][0-9a-fA-F]{3}-[89abAB][0-9a-fA-F]{3}-[0-9a-fA-F]{12}"
NAME: Final = r"[._a-zA-Z$][._a-zA-Z0-9$]{0,126}"
# What a reader may not find any more (8): marked, for a reader may still take it.
OLD: Final = r"(G54|G55|G70|G71|G74|G90|G91|M00|M01|IP.*|AS.*|IR.*|MI.*|OF.*|SF.*|IN.*|LN.*)"
MOST_LINES: Final = 40


def check_files(files: Mapping[str, str]) -> list[Breach]:
    """Check all files of a release: each by itself, and whether they belong together.

    Parameters
    ----------
    files
        Texts by name; what is neither Gerber, drill nor job file is passed over.

    Returns
    -------
    list of Breach
        In the order of the files, at most :data:`MOST_LINES` of each.
    """
    found: list[Breach] = []
    told: dict[str, dict[str, str]] = {}
    for name, text in files.items():
        read = _kind(name, text)
        if read is not None:
            own, told[name] = read(name, text)
            found += own[:MOST_LINES]
    found += _together(told)
    for name, text in files.items():
        if name.endswith(".gbrjob"):
            found += list(_job(name, text, told))[:MOST_LINES]
    return found


def _kind(name: str, text: str) -> Callable[[str, str], tuple[list[Breach], dict[str, str]]] | None:
    head = text[:4000]
    if re.search(r"%FS|%MO(MM|IN)|^G04", head, re.M):
        return _gerber
    if re.match(r"\s*M48", head):
        return _xnc
    return None


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


def _gerber(name: str, text: str) -> tuple[list[Breach], dict[str, str]]:
    state = _Gerber(name)
    at = 0
    for match in re.finditer(r"%[^%]*%|[^%*\r\n]+\*|[^\s%*][^%*]*", text):
        state.line += text.count("\n", at, match.start())
        at = match.start()
        command = re.sub(r"[\r\n]", "", match[0])
        if state.ended:
            state.say("Something follows the end of the file", "4.13: M02 is the last command")
            break
        if command.startswith("%"):
            _extended(state, command, text[: match.start()])
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


def _extended(state: _Gerber, command: str, before: str) -> None:
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
        _attribute(state, code, fields, before)
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


def _attribute(state: _Gerber, code: str, fields: str, before: str) -> None:
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
        wrong = _file_value(key, value, before)
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


def _file_value(key: str, value: str, before: str) -> str:
    """Give what is wrong with a file attribute's value; nothing where it is right."""
    if key == "FileFunction":
        return "" if any(re.fullmatch(p, value) for p in FUNCTIONS) else "unknown function"
    if key == "Part":
        return "" if re.fullmatch(PARTS, value) else "unknown"
    if key == "FilePolarity":
        return "" if value in ("Positive", "Negative") else "Positive or Negative"
    if key == "CreationDate":
        return "" if re.fullmatch(STAMP, value) else "ISO 8601 with its time zone"
    if key == "ProjectId":
        guid = value.split(",")[1] if value.count(",") == 2 else ""
        return "" if re.fullmatch(GUID, guid) else "name, an RFC 4122 identity, revision"
    if key == "GenerationSoftware":
        return "" if value.count(",") in (1, 2) else "vendor, application, version"
    if key == "SameCoordinates":
        return ""
    if key == "MD5":
        seal = hashlib.md5(re.sub(r"[\r\n]", "", before).encode(), usedforsecurity=False).hexdigest()
        return "" if value.lower() == seal else f"the file's is {seal}"
    return "unknown to the standard"


def _word(state: _Gerber, word: str) -> None:
    if word.startswith("G04"):
        return
    if word == "M02":
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
    match = re.fullmatch(r"(?:X([+-]?\d+))?(?:Y([+-]?\d+))?(?:I([+-]?\d+))?(?:J([+-]?\d+))?D0([123])", word)
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


def _xnc(name: str, text: str) -> tuple[list[Breach], dict[str, str]]:
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
                wrong = _file_value(key, value, "")
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


def _together(told: Mapping[str, Mapping[str, str]]) -> Iterator[Breach]:
    """Hold the files against each other: layers numbered without a gap, one profile, one project, one system."""
    functions = {n: t.get("FileFunction", "").split(",") for n, t in told.items()}
    copper = {n: f for n, f in functions.items() if f[0] == "Copper" and len(f) > 2}
    numbers = sorted(int(f[1][1:]) for f in copper.values() if f[1][1:].isdigit())
    if copper:
        if numbers != list(range(1, len(numbers) + 1)):
            yield Breach(
                min(copper), 1, "error", f"Copper layers are numbered {numbers}", "5.6.3: 1 to their count"
            )
        for name, f in copper.items():
            wanted = {1: "Top", len(numbers): "Bot"}.get(int(f[1][1:]) if f[1][1:].isdigit() else 0, "Inr")
            if len(numbers) > 1 and f[2] != wanted:
                yield Breach(name, 1, "error", f"{f[1]} is said to be {f[2]}, not {wanted}", "5.6.3")
        for name, f in functions.items():
            if f[0] in ("Plated", "NonPlated") and f[1:3] and f[2].isdigit() and int(f[2]) > len(numbers):
                yield Breach(name, 1, "error", f"It bores to layer {f[2]} of {len(numbers)}", "5.6.3")
        if sum(f[0] == "Profile" for f in functions.values()) != 1:
            yield Breach(
                min(copper), 1, "error", "There is not exactly one profile", "6.5: it bounds the board"
            )
    for key in ("ProjectId", "SameCoordinates"):
        values = {t[key] for t in told.values() if key in t}
        if len(values) > 1:
            yield Breach(min(told), 1, "error", f"Files differ in their .{key}", "5.6.5, 5.6.8")


def _job(name: str, text: str, told: Mapping[str, Mapping[str, str]]) -> Iterator[Breach]:
    """Check a Gerber job file, and that it tells every file there is as that tells itself."""

    def breach(message: str, grade: Grade = "error") -> Breach:
        return Breach(name, 1, grade, message, "Gerber job file specification")

    try:
        data: Any = json.loads(text)
    except ValueError:
        yield breach("It is no JSON")
        return
    specs = data.get("GeneralSpecs", {}) if isinstance(data, dict) else {}
    if not isinstance(data, dict) or not isinstance(specs, dict):
        yield breach("It has not the parts of a job file")
        return
    for part in ("Header", "GeneralSpecs", "FilesAttributes"):
        if part not in data:
            yield breach(f"{part} is missing")
    if not re.fullmatch(STAMP, str(data.get("Header", {}).get("CreationDate", ""))):
        yield breach("Its date is not ISO 8601 with a time zone")
    if not re.fullmatch(GUID, str(specs.get("ProjectId", {}).get("GUID", ""))):
        yield breach("Its project has no RFC 4122 identity")
    size = specs.get("Size", {})
    if not all(isinstance(size.get(k), int | float) and size[k] > 0 for k in "XY"):
        yield breach("The board's size is missing")
    for key in ("LayerNumber", "BoardThickness"):
        if not isinstance(specs.get(key), int | float) or specs[key] <= 0:
            yield breach(f"{key} is missing")
    listed = {f.get("Path", ""): f for f in data.get("FilesAttributes", []) if isinstance(f, dict)}
    for path, entry in listed.items():
        if path not in told:
            yield breach(f"{path} is listed and not there")
        elif entry.get("FileFunction") != told[path].get("FileFunction"):
            yield breach(f"{path} is listed as {entry.get('FileFunction')}, it says another function")
    for path in told:
        if path not in listed:
            yield breach(f"{path} is not listed")
    stack = data.get("MaterialStackup")
    if not stack:
        yield breach("The stack of materials is missing", "warning")
        return
    layers = sum(1 for s in stack if s.get("Type") == "Copper")
    if layers != specs.get("LayerNumber"):
        yield breach(f"The stack has {layers} copper layers of {specs.get('LayerNumber')}")
    thick = sum(s.get("Thickness", 0) for s in stack if s.get("Type") in ("Copper", "Dielectric"))
    if isinstance(specs.get("BoardThickness"), int | float) and abs(thick - specs["BoardThickness"]) > 0.05:
        yield breach(
            f"The stack is {thick:.3f} mm thick, the board {specs['BoardThickness']:g} mm", "warning"
        )
