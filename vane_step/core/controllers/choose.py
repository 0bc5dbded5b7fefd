"""Choosing a controller: every one of the catalogue against a demand, with the assignment that proves it fits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.controllers.assign import Assignment, assign, offers
from vane_step.core.controllers.demand import Demand, Signal
from vane_step.core.design.edits import AddPart, Join, PartPins, SetPart, SetPin, Single, Together, part_of
from vane_step.core.design.model import Brief, Design, Part, Pin, PinRole, PinUse, pin_name
from vane_step.core.errors import InputError
from vane_step.core.patterns.packages import package
from vane_step.core.patterns.skills import skill_misfits

# Functions that are wired for one purpose only, whatever the net is called.
ONE_PURPOSE = ("XTAL", "DBG", "USB")


@dataclass(frozen=True)
class Candidate:
    """A controller against a demand: what it lacks beside pins, and its assignment."""

    part: CataloguePart
    assignment: Assignment
    lacks: tuple[str, ...]
    price: float | None = None
    stock: int | None = None

    @property
    def feasible(self) -> bool:
        """Whether it meets everything."""
        return self.assignment.feasible and not self.lacks


def candidates(
    catalogue: Catalogue,
    demand: Demand,
    brief: Brief,
    prices: Mapping[str, tuple[float | None, int | None]] | None = None,
) -> list[Candidate]:
    """Judge every controller of the catalogue; those that meet the demand first, then by price, then by what is spare.

    Parameters
    ----------
    prices : mapping, optional
        Price at the wanted quantity and stock by number, as far as a supplier told them.
    """
    found = []
    for part in catalogue.parts.values():
        if part.category != "controller":
            continue
        price, stock = (prices or {}).get(part.number, (None, None))
        lacks = [*_lacks(part, demand), *skill_misfits(package(part.package), brief)]
        if demand.price is not None and price is not None and price > demand.price:
            lacks.append(f"costs {price:.2f}, at most {demand.price:g}")
        assignment = _solved(part.pins, demand.signals)
        found.append(Candidate(part, assignment, tuple(lacks), price, stock))
    return sorted(
        found,
        key=lambda c: (
            not c.feasible,
            len(c.assignment.missing) + len(c.lacks),
            c.price if c.price is not None else 1e9,
            len(c.assignment.spare),
            c.part.number,
        ),
    )


@lru_cache(maxsize=256)
def _solved(
    pins: tuple[Pin, ...],
    signals: tuple[Signal, ...],
    locked: tuple[PinUse, ...] = (),
    cost: tuple[tuple[tuple[str, str], float], ...] = (),
    now: tuple[tuple[str, str], ...] = (),
) -> Assignment:
    """Assign, remembering what was solved: it is asked again at every key and every look at the page."""
    return assign(pins, signals, locked, dict(cost), dict(now))


def _lacks(part: CataloguePart, demand: Demand) -> list[str]:
    have = part.params
    wants = (("flash_b", demand.flash_b, "program memory", "B"), ("ram_b", demand.ram_b, "data memory", "B"))
    lacks = [
        f"{title} {have.get(key, 0):.0f} {unit}, at least {need:.0f}"
        for key, need, title, unit in wants
        if have.get(key, 0) < need
    ]
    if have.get("clock_hz", 0) < demand.clock_hz:
        lacks.append(f"clock {have.get('clock_hz', 0) / 1e6:g} MHz, at least {demand.clock_hz / 1e6:g}")
    if demand.supply_v:
        low, high = have.get("supply_min_v", 0.0), have.get("supply_max_v", 0.0)
        if demand.supply_v[0] < low or demand.supply_v[1] > high:
            lacks.append(
                f"supply {low:g} to {high:g} V, wanted {demand.supply_v[0]:g} to {demand.supply_v[1]:g}"
            )
    if demand.package and demand.package.lower() not in part.package.lower():
        lacks.append(f"package {part.package}, wanted {demand.package}")
    return lacks


def solve_for(
    design: Design, ref: str, demand: Demand, cost: Mapping[tuple[str, str], float] | None = None
) -> Assignment:
    """Assign the pins of a part of the design, keeping its locked uses.

    Without a cost as little as possible moves; with one, such as the way to each pin on the board, the cost decides.
    """
    part = part_of(design, ref)
    if not any(p.functions for p in part.pins):
        raise InputError(
            f"The pins of {ref} say no functions.",
            where=ref,
            next_step="Choose the controller from the catalogue.",
        )
    now = {} if cost else {u.demand: u.pin for u in part.uses}
    taken = _taken(design, part, {s.name for s in demand.signals})
    free = tuple(p for p in part.pins if p.number not in taken)
    locked = tuple(u for u in part.uses if u.locked)
    wired = _wired(part, demand.signals, taken)
    wanted = tuple(s for s in demand.signals if s not in dict(wired))
    return replace(
        _solved(free, wanted, locked, tuple((cost or {}).items()), tuple(now.items())), wired=wired
    )


def _wired(part: Part, signals: tuple[Signal, ...], taken: set[str]) -> tuple[tuple[Signal, str], ...]:
    """Give the signals of crystal, debug lines and USB whose pins were connected by hand, all of a group."""
    found: dict[Signal, str] = {}
    for signal in signals:
        if signal.function.partition(".")[0] in ONE_PURPOSE:
            pin = next(
                (p.number for p in part.pins if p.number in taken and offers(p, signal.function)), None
            )
            if pin is not None and pin not in found.values():
                found[signal] = pin
    whole = {s.group for s in found} - {s.group for s in signals if s not in found}
    return tuple((s, pin) for s, pin in found.items() if s.group in whole)


def _taken(design: Design, part: Part, names: set[str]) -> set[str]:
    """Give the pins that are on nets which no demand names: supplies, and what was connected by hand."""
    used = {u.pin for u in part.uses}
    taken = set()
    for pin in part.pins:
        net = design.net_of(pin_name(part.ref, pin.number))
        if net is not None and net not in names and pin.number not in used:
            taken.add(pin.number)
    return taken


def apply_assignment(design: Design, ref: str, solved: Assignment) -> Together:
    """Make the edit that puts an assignment into the circuit: each demand's net gets its pin, old pins leave.

    Raises
    ------
    InputError
        When nothing is assigned.
    """
    part = part_of(design, ref)
    if not solved.uses and solved.wired:
        names = ", ".join(f"{s.name} on pin {pin}" for s, pin in solved.wired)
        raise InputError("All that firmware needs is wired already.", where=ref, value=names)
    if not solved.uses:
        raise InputError(
            "There is nothing to assign.", where=ref, next_step="Say in the brief what firmware needs."
        )
    locked = {u.demand for u in part.uses if u.locked}
    uses = tuple(u.model_copy(update={"locked": u.demand in locked}) for u in solved.uses)
    wanted = {pin_name(ref, u.pin): u.demand for u in uses}
    edits: list[Single] = [SetPart(ref=ref, uses=uses)]
    leaving = tuple(
        name
        for u in part.uses
        if (name := pin_name(ref, u.pin)) not in wanted and design.net_of(name) == u.demand
    )
    if leaving:
        edits.append(PartPins(pins=leaving))
    edits += [Join(pins=(pin,), net=net) for pin, net in wanted.items() if design.net_of(pin) != net]
    roles = {u.pin: role_of_function(u.function) for u in uses}
    for pin in part.pins:
        role = roles.get(pin.number, "io" if pin.number in {u.pin for u in part.uses} else pin.role)
        if role != pin.role:
            edits.append(SetPin(pin=pin_name(ref, pin.number), role=role))
    return Together(edits=tuple(edits))


def role_of_function(function: str) -> PinRole:
    """Tell what a pin does electrically while it serves a function, as the review reads it."""
    head, _, leg = function.partition(".")
    if head.startswith("I2C"):
        return "open-drain"
    if leg in ("TX", "CK", "MOSI", "OUT") or head.startswith(("PWM", "DAC")):
        return "output"
    if leg in ("RX", "MISO", "IN") or head.startswith(("ADC", "INT", "CLKIN")):
        return "input"
    return "io"


def lock_pin(design: Design, ref: str, number: str, locked: bool) -> SetPart:
    """Keep what a controller pin is used for through later assignments, or let it go.

    Raises
    ------
    InputError
        When the pin is not assigned.
    """
    part = part_of(design, ref)
    if number not in {u.pin for u in part.uses}:
        raise InputError(
            f"{ref}.{number} is not assigned.", where=f"{ref}.{number}", next_step=f"Type: assign {ref}"
        )
    uses = tuple(u.model_copy(update={"locked": locked}) if u.pin == number else u for u in part.uses)
    return SetPart(ref=ref, uses=uses)


def add_from(catalogue: Catalogue, design: Design, ref: str, number: str, value: str = "") -> AddPart:
    """Make the edit that adds a part of the catalogue, with its package as the maker of the board needs it."""
    found = catalogue.get(number)
    part = found.part(ref)
    if value:
        part = Part.model_validate({**part.model_dump(), "value": value})
    pack = design.packages.get(found.package) or catalogue.package_of(
        found.package, design.board.rules.etched
    )
    return AddPart(part=part, package=pack)


def pin_table(pins: tuple[Pin, ...], uses: tuple[PinUse, ...]) -> list[tuple[Pin, PinUse | None]]:
    """Give every pin with its use, in the order of the package."""
    by = {u.pin: u for u in uses}
    return [(p, by.get(p.number)) for p in pins]
