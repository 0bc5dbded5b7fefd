"""What packages are called at the bench: inch sizes, how they mount, pins and bodies in words; nothing is computed."""

from __future__ import annotations

import re
from functools import lru_cache

from vane_step.core.patterns.leaded import LEADED
from vane_step.core.patterns.packages import CHIPS
from vane_step.core.patterns.plan_table import PLANS
from vane_step.core.patterns.ready import READY

_LEADED_FAMILIES = ("dip", "sip", "to", "radial", "axial", "header")
THROUGH = "through hole tht leaded"
SURFACE = "surface mount smd smt"


@lru_cache(maxsize=2048)
def through_hole_name(name: str) -> bool:
    """Tell by its name whether a package's leads go through the board."""
    if name in READY:
        return READY[name].split()[0] in _LEADED_FAMILIES
    if name in PLANS:
        return re.search(r":[\d.]+x", PLANS[name].pads) is None
    return any(re.fullmatch(pattern, name) for pattern, _, _ in LEADED)


@lru_cache(maxsize=2048)
def nicknames(name: str) -> str:
    """Give the words a package is known by: ``0805 smd`` of ``CHIP-2012M``, ``5mm`` of ``LEDR-P254-D5``."""
    if not name:
        return ""
    words = [name.replace("-", " "), name.replace("-", ""), THROUGH if through_hole_name(name) else SURFACE]
    if chip := re.fullmatch(r"(?:CHIP|LED)-(\w+M)", name):
        words.append(f"{CHIPS[chip[1]][4]} {chip[1][:-1]} chip")
    if match := re.match(r"(?:DIP|SIP)-(\d+)", name):
        words.append(f"{match[1]}pin {match[1]} pin dil")
    if match := re.match(r"(?:SOIC|TSSOP|SSOP|MSOP|TQFP|QFN|SON|PLCC)-(\d+)", name):
        words.append(f"{match[1]}pin {match[1]} pin so{match[1]}")
    if name.startswith("TQFP"):
        words.append("qfp")
    if match := re.fullmatch(r"[A-Z]+-P\d+-D(\d+)", name):
        words.append(f"{match[1]}mm radial")
    if name.startswith(("AXIAL", "DIODE", "DO-")):
        words.append("axial")
    if match := re.fullmatch(r"[A-Z0-9]+-([12]x\d+)", name):
        words.append(match[1])
    if name.startswith("TO-252"):
        words.append("dpak")
    if name.startswith("TO-263"):
        words.append("d2pak")
    return " ".join(words).lower()
