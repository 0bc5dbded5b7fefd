"""How warm parts get by their own heat: thermal resistances from the catalogue, by rating or by package."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.design.model import Part

# A resistor at its rated power in 70 °C is as warm as it may be, 155 °C (usual derating of film resistors).
RATED_AT_C, FILM_C = 70.0, 155.0
# Packages that are only the plug or the terminal of what hangs on a cable.
ELSEWHERE: Final = ("PLUG-", "TERM-", "PTERM-")
# Thermal resistances of packages soldered to little copper where the catalogue tells none (rule of thumb), by package.
THETA: Final[tuple[tuple[str, float], ...]] = (
    (r"SOT-23", 250.0),
    (r"SC-70|SOT-323", 350.0),
    (r"SOT-89", 120.0),
    (r"SOT-223", 70.0),
    (r"TO-252|TO-263", 50.0),
    (r"TO-220|TO-126", 62.0),
    (r"TO-92", 200.0),
    (r"SOIC-8|MSOP|SSOP|TSSOP", 150.0),
    (r"SOIC", 90.0),
    (r"DIP", 100.0),
    (r"QFN|SON", 50.0),
    (r"SMA", 80.0),
    (r"SMB", 70.0),
    (r"SMC", 55.0),
    (r"SOD-123", 200.0),
    (r"SOD-323|SOD-523", 350.0),
    (r"DO-41|DO-15", 75.0),
    (r"DO-35", 300.0),
)


# Packages with a face for a heat sink: from junction to that face where the catalogue does not tell (rule of thumb),
# and from there into the sink through paste or a pad.
CASE: Final[tuple[tuple[str, float], ...]] = (
    (r"TO-220|TO-247|TO-3P", 2.0),
    (r"TO-252|TO-263", 3.0),
    (r"TO-126", 5.0),
)
PASTE_K_W: Final = 0.7
# Better ones than this need a fan.
LEAST_SINK_K_W: Final = 1.0


def case_of(part: Part) -> float | None:
    """Give the thermal resistance from a part's junction to the face a heat sink lies on; none without such a face."""
    usual = next((k for pattern, k in CASE if re.match(pattern, part.package)), None)
    return part.params.get("theta_jc_k_per_w", usual)


def sink_for(part: Part, watts: float, rise_k: float) -> float | None:
    """Give the greatest thermal resistance of a heat sink that keeps a part's junction within a rise; none where no
    sink does, or the part has no face for one."""
    case = case_of(part)
    if case is None or watts <= 0:
        return None
    left = rise_k / watts - case - PASTE_K_W
    return left if left >= LEAST_SINK_K_W else None


def theta_of(part: Part) -> tuple[float, str] | None:
    """Give a part's thermal resistance from junction to surroundings, and where it comes from."""
    sink, case = part.params.get("sink_k_per_w"), case_of(part)
    if sink is not None and case is not None:
        return case + PASTE_K_W + sink, f"{case:g} to its case, {PASTE_K_W:g} of paste, {sink:g} of its sink"
    said = part.params.get("theta_ja_k_per_w")
    if said is not None:
        return said, "the catalogue"
    found = next((k for pattern, k in THETA if re.search(pattern, part.package)), None)
    return (found, f"{part.package} on little copper (rule of thumb)") if found is not None else None


def own_k_w(part: Part) -> float | None:
    """Give how much warmer a part gets for a watt in it, on little copper; none where nothing tells."""
    power = part.params.get("power_w")
    if part.kind in ("resistor", "fuse") and power:
        return (FILM_C - RATED_AT_C) / power
    known = theta_of(part)
    return known[0] if known is not None else None


def lies_elsewhere(part: Part) -> bool:
    """Whether what a part turns into heat is not on the board: fans, lamps and heaters at the end of a plug's cable."""
    return part.package.startswith(ELSEWHERE)
