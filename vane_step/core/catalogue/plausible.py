"""Checks parts of the catalogue, shipped and own: pins against pads, ratings that are there, figures that can be.

The limits are those of parts people can buy: a body of a size bears so much heat, holds so much energy, and its leads
carry so much current. A part outside them is a slip in its table, not a better part.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Final

from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.tree import Category
from vane_step.core.design.model import Package
from vane_step.core.errors import VaneStepError
from vane_step.core.parts.part import pin_numbers
from vane_step.core.patterns.packages import package

# What every part of a kind must be rated for.
RATINGS: Final[dict[str, tuple[str, ...]]] = {
    "resistor": ("r_ohm", "power_w", "vmax_v"),
    "capacitor": ("c_f", "vmax_v"),
    "polar-capacitor": ("c_f", "vmax_v"),
    "inductor": ("l_h", "isat_a", "dcr_ohm"),
    "led": ("vf_v", "if_a"),
    "crystal": ("freq_hz", "cl_f", "esr_ohm"),
    "thermistor": ("r_ohm",),
    "fuse": ("i_a", "vmax_v"),
    "switch": ("i_a", "vmax_v"),
    "sounder": ("vmax_v", "i_a"),
}
# Heat a resistor's surface gives off, W/mm²; chips also give it to the board.
HEAT_W_MM2, CHIP_HEAT_W_MM2 = 0.012, 0.08
# Energy a body holds, J/mm³: electrolytic, ceramic, film, double-layer; coils.
ENERGY_J_MM3: Final = {"polar-capacitor": 2e-3, "capacitor": 2e-3, "inductor": 1.2e-6}
FILM_J_MM3, DOUBLE_LAYER_J_MM3 = 2e-4, 5e-2
# Current through the leads of connectors, switches, relays and fuses, A/mm².
LEAD_A_MM2 = 45.0
CONTACT_BRANCHES: Final = ("Connectors", "Relays, fuses, sound", "Switches and knobs")
# Pin orders that hands know, by package: what its pins are called.
ORDERS: Final[dict[str, tuple[tuple[str, ...], ...]]] = {
    **dict.fromkeys(
        ("TO-220-3", "TO-252-3", "TO-247-3", "TO-263-3"),
        (
            ("G", "D", "S"),
            ("B", "C", "E"),
            ("G", "C", "E"),
            ("IN", "GND", "OUT"),
            ("GND", "IN", "OUT"),
            ("ADJ", "OUT", "IN"),
            ("A1", "K", "A2"),
            ("MT1", "MT2", "G"),
            ("K", "A", "G"),
            ("IN", "VS", "OUT"),
        ),
    ),
    "SOT-223": (("G", "D", "S", "D2"), ("GND", "OUT", "IN", "OUT2"), ("ADJ", "OUT", "IN", "OUT2")),
}
AXIAL_ONE_AMP_LEAD_NM = 1_000_000


def faults(parts: Iterable[CataloguePart], categories: Mapping[str, Category]) -> list[str]:
    """List what cannot be right, a sentence each, naming the part; empty when all is well."""
    found: list[str] = []
    for part in parts:
        found += (f"{part.number}: {text}" for text in part_faults(part, categories.get(part.category)))
    return found


def part_faults(
    part: CataloguePart, category: Category | None, packages: Mapping[str, Package] | None = None
) -> Iterator[str]:
    """Tell what of one part cannot be right; ``packages`` are one's own."""
    yield from _ratings(part, category)
    yield from _ranges(part)
    if not part.package:
        if category is None or not category.loose:
            yield "it has no package, and its category is not one of loose parts"
        return
    try:
        pack = (packages or {}).get(part.package) or package(part.package)
    except VaneStepError as error:
        yield error.line()
        return
    yield from _pins(part, pack)
    yield from _body(part, pack)
    if category is not None and category.branch in CONTACT_BRANCHES:
        yield from _leads(part, pack)


def _ratings(part: CataloguePart, category: Category | None) -> Iterator[str]:
    for key in RATINGS.get(part.kind, ()):
        if key not in part.params:
            yield f"it is not rated: {key} is missing"
    if part.kind == "diode" and not {"vr_v", "vz_v"} & part.params.keys():
        yield "it is not rated: vr_v or vz_v is missing"
    if category is not None and category.figures and category.figures[0] not in part.params:
        yield f"parts of {category.name} are told apart by {category.figures[0]}, which is missing"
    roles = {p.role for p in part.pins}
    fed = {"supply_min_v", "supply_max_v"} <= part.params.keys() or {
        "vin_min_v",
        "vin_max_v",
    } <= part.params.keys()
    if "supply-in" in roles and not fed:
        yield "it is fed, and the range of its supply is missing"
    if "supply-in" in roles and not roles & {"ground", "passive", "supply-out", "output"}:
        yield "it is fed and has no ground"


def _ranges(part: CataloguePart) -> Iterator[str]:
    for key, value in part.params.items():
        if not math.isfinite(value):
            yield f"{key} is no number"
        if "_min_" in key and value > part.params.get(key.replace("_min_", "_max_"), value):
            yield f"{key} is above its greatest value"
        if value < 0 and key not in ("vout_v", "vin_min_v", "vin_max_v"):
            yield f"{key} is below 0"
    out, low = part.params.get("vout_v"), part.params.get("vin_min_v")
    if "dropout_v" in part.params and out is not None and low is not None and 0 < low < out:
        yield f"it gives {out:g} V from {low:g} V, and is no converter"


def _pins(part: CataloguePart, pack: Package) -> Iterator[str]:
    pads = pin_numbers(pack)
    numbers = [p.number for p in part.pins]
    if len(set(numbers)) != len(numbers):
        yield "a pin comes twice"
    if numbers and set(numbers) != set(pads):
        lacks, extra = sorted(set(pads) - set(numbers)), sorted(set(numbers) - set(pads))
        yield f"its pins are not those of {pack.name}: lacks {', '.join(lacks)}, has {', '.join(extra)} besides"
    names = tuple(p.name for p in part.pins)
    known = ORDERS.get(part.package)
    if known and names and names not in known and set(names) in (set(order) for order in known):
        yield f"its pins lie {' '.join(names)}, which no {part.package} does"
    axial = part.kind == "diode" and len(pads) == 2 and part.package.startswith(("DO-", "DIODE", "AXIAL"))
    if (
        axial
        and part.params.get("if_a", 0) >= 1
        and min(p.drill_nm for p in pack.pads) < AXIAL_ONE_AMP_LEAD_NM
    ):
        yield "an axial diode of 1 A has leads of 0.8 mm"


def _body(part: CataloguePart, pack: Package) -> Iterator[str]:
    long, wide, high = pack.body_nm[0] / 1e6, pack.body_nm[1] / 1e6, pack.height_nm / 1e6
    params = part.params
    chip = part.package.startswith("CHIP")
    if part.kind == "resistor" and "power_w" in params:
        surface = 2 * (long * wide + wide * high + long * high)
        most = surface * (CHIP_HEAT_W_MM2 if chip else HEAT_W_MM2)
        if params["power_w"] > most:
            yield f"{params['power_w']:g} W is more than a body of {long:g} x {wide:g} mm gives off"
    energy = 0.0
    if "c_f" in params and "vmax_v" in params:
        energy = params["c_f"] * params["vmax_v"] ** 2 / 2
    elif "l_h" in params and "isat_a" in params:
        energy = params["l_h"] * params["isat_a"] ** 2 / 2
    limit = ENERGY_J_MM3.get(part.kind)
    if part.package.startswith("FILM"):
        limit = FILM_J_MM3
    if part.category == "supercapacitor":
        limit = DOUBLE_LAYER_J_MM3
    if limit and energy > limit * long * wide * high:
        yield f"{energy * 1e3:.3g} mJ is more than a body of {long:g} x {wide:g} x {high:g} mm holds"


def _leads(part: CataloguePart, pack: Package) -> Iterator[str]:
    """Tell when the leads of the thickest pin are too thin for the current of a contact."""
    amps = part.params.get("i_a", 0.0)
    area: dict[str, float] = {}
    for pad in pack.pads:
        if pad.drill_nm and not pad.bare_hole:
            lead_mm = pad.drill_nm / 1e6 - 0.2
            area[pad.number] = area.get(pad.number, 0.0) + math.pi / 4 * lead_mm**2
    if area and amps > LEAD_A_MM2 * max(area.values()):
        yield f"{amps:g} A is more than leads of {max(area.values()):.2f} mm² carry"
