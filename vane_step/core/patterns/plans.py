"""Land patterns written down pad by pad: reads a line of such a plan; the lines that ship are in ``plan_table``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import InputError
from vane_step.core.patterns.landpattern import finish_package
from vane_step.core.quantity import nm

RING_MM, KITCHEN_RING_MM = 0.6, 1.0
_BODY = re.compile(r"(?P<w>[\d.]+)x(?P<h>[\d.]+)(?:@(?P<x>-?[\d.]+),(?P<y>-?[\d.]+))?")
_PAD = re.compile(
    r"(?P<number>[A-Z]*\d*)(?:\.\.(?P<last>\d+)(?:/(?P<skip>\d+))?)?@(?P<x>-?[\d.]+),(?P<y>-?[\d.]+)"
    r"(?:\+(?P<dx>-?[\d.]+),(?P<dy>-?[\d.]+))?(?::(?P<how>\S+))?"
)
_LAND = re.compile(r"(?P<w>[\d.]+)x(?P<h>[\d.]+)(?P<kind>[bs]?)")


@dataclass(frozen=True)
class Plan:
    """One pattern as its line has it; lengths in millimetres, y upwards, seen from the front."""

    name: str
    title: str
    body: tuple[float, float]
    centre: tuple[float, float]
    height: float
    lead: float
    pads: str
    flags: frozenset[str] = frozenset()

    @property
    def mouth(self) -> tuple[str, float]:
        """The side that belongs to the board's edge, empty without one, and how far it stands over it."""
        said = next((f.removeprefix("mouth=") for f in self.flags if f.startswith("mouth=")), "")
        side, _, over = said.partition("+")
        return side, float(over or 0)


def read_plan(line: str) -> Plan:
    """Read a plan: ``NAME | title | body WxH[@x,y] | height | lead | pads | flags``, in millimetres.

    Pads are ``NUMBER@x,y`` with a hole for the plan's lead, ``NUMBER@x,y:1.2`` with a hole for another lead,
    ``NUMBER@x,y:2.4x0.8s`` with a slot for a flat lead so wide along x and y, ``@x,y:o3.2`` a bare hole,
    ``NUMBER@x,y:1.5x2`` a land on the front and ``:1.5x2b`` one on the back; ``1..8@x,y+dx,dy`` is a run of them,
    ``1..15/2@…`` one of every second number. A number that comes again is one pin with several lands, which the part
    joins inside. Flags are ``polar``, ``round`` and ``mouth=bottom`` or ``mouth=bottom+4``: the side that belongs to
    the board's edge, and how far it stands over it.

    Raises
    ------
    InputError
        Naming what cannot be read.
    """
    fields = [f.strip() for f in line.split("|")]
    body = _BODY.fullmatch(fields[2]) if len(fields) in (6, 7) else None
    if body is None:
        raise InputError(
            "This is no plan.", where=line[:40], allowed="NAME | title | WxH[@x,y] | height | lead | pads"
        )
    return Plan(
        fields[0],
        fields[1],
        (float(body["w"]), float(body["h"])),
        (float(body["x"] or 0), float(body["y"] or 0)),
        float(fields[3]),
        float(fields[4]),
        fields[5],
        frozenset(fields[6].split()) if len(fields) == 7 else frozenset(),
    )


def from_plan(plan: Plan, kitchen: bool = False) -> Package:
    """Make the pattern of a plan: hole = lead + 0.20 mm, pad = hole + 0.6 mm, for hand drilling + 1.0 mm.

    The package's origin is the middle of the body, wherever the plan counts from.

    Raises
    ------
    InputError
        Naming the pad that cannot be read.
    """
    pads: list[PadSpec] = []
    for text in plan.pads.split():
        match = _PAD.fullmatch(text)
        if match is None:
            raise InputError(
                f"{text!r} is no pad.", where=plan.name, value=text, allowed="1@0,2.5 or 1..4@0,0+2.5,0"
            )
        pads += _run(plan, match, kitchen, len(pads))
    drawing = {"body across": (plan.body[0], plan.body[0]), "body along": (plan.body[1], plan.body[1])}
    steps = [abs(a.x_nm - b.x_nm) + abs(a.y_nm - b.y_nm) for a, b in pairwise(pads) if not b.bare_hole]
    if least := min(steps, default=0):
        drawing["e pitch"] = (least / 1e6, least / 1e6)
    if any(p.drill_nm and not p.bare_hole for p in pads):
        drawing["b lead"] = (plan.lead, plan.lead)
    source = "pad by pad from a drawing"
    if drawing.get("b lead"):
        source += "; ring for hand drilling" if kitchen else "; lead + 0.20 mm hole"
    return finish_package(
        plan.name,
        pads,
        plan.body,
        plan.height,
        title=plan.title,
        polarised="polar" in plan.flags,
        source=source,
        round_body="round" in plan.flags,
        drawing=drawing,
        mouth=plan.mouth,
    )


def _run(plan: Plan, match: re.Match[str], kitchen: bool, before: int) -> list[PadSpec]:
    """Make the pads of one word of a plan."""
    letters = match["number"].rstrip("0123456789")
    first = match["number"].removeprefix(letters)
    numbers = [match["number"]]
    if match["last"]:
        numbers = [
            f"{letters}{n}" for n in range(int(first), int(match["last"]) + 1, int(match["skip"] or 1))
        ]
    found = []
    for k, number in enumerate(numbers):
        x = float(match["x"]) + k * float(match["dx"] or 0) - plan.centre[0]
        y = float(match["y"]) + k * float(match["dy"] or 0) - plan.centre[1]
        found.append(_pad(plan, number or f"H{before + k + 1}", x, y, match["how"] or "", kitchen))
    return found


def _pad(plan: Plan, number: str, x: float, y: float, how: str, kitchen: bool) -> PadSpec:
    land = _LAND.fullmatch(how)
    if land and land["kind"] == "s":
        return _slot(number, x, y, (float(land["w"]), float(land["h"])), kitchen)
    if land:
        return PadSpec(
            number=number,
            x_nm=nm(x),
            y_nm=nm(y),
            width_nm=nm(float(land["w"])),
            height_nm=nm(float(land["h"])),
            layers="back" if land["kind"] == "b" else "front",
        )
    if how.startswith("o"):
        hole = wide = nm(float(how[1:]))
    else:
        hole = nm(round((float(how or plan.lead) + 0.20) / 0.05 + 1e-9) * 0.05)
        wide = hole + nm(KITCHEN_RING_MM if kitchen else RING_MM)
    square = number == "1" and how == ""
    return PadSpec(
        number=number,
        x_nm=nm(x),
        y_nm=nm(y),
        width_nm=wide,
        height_nm=wide,
        shape="rect" if square else "round",
        layers="through",
        drill_nm=hole,
    )


def _slot(number: str, x: float, y: float, lead: tuple[float, float], kitchen: bool) -> PadSpec:
    """Make a pad with a slot for a flat lead: as much room and ring as a round one has."""
    wide, tall = (nm(round((v + 0.20) / 0.05 + 1e-9) * 0.05) for v in lead)
    ring = nm(KITCHEN_RING_MM if kitchen else RING_MM)
    return PadSpec(
        number=number,
        x_nm=nm(x),
        y_nm=nm(y),
        width_nm=wide + ring,
        height_nm=tall + ring,
        shape="round",
        layers="through",
        drill_nm=min(wide, tall),
        slot_nm=max(wide, tall),
    )
