"""Words of the standards that files for a board house are written in: functions, attributes; no file is read here.

Gerber layer format 2024.05 with X2 and X3 attributes, XNC, the Gerber job file.
"""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from typing import Final, Literal

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


def file_value(key: str, value: str, before: str) -> str:
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
