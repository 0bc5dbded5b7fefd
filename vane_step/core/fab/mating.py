"""Where connectors of a design meet those of another board: by name, by nets and pin-1 ends, or asked; no file is read.

Two headers alike, and a row of holes that does not tell its ends, fit in more than one way, and the wrong one puts a
supply on a signal. So a place is taken only where nothing else fits, or where names in the files decide; the rest is
asked.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from vane_step.core.board.geometry.shapes import place_point
from vane_step.core.circuit.bypass import is_connector
from vane_step.core.design.model import Design, Package, Part, PartPlace, Side, natural, pin_name, role_of_net
from vane_step.core.quantity import nm

# How far pads and holes of the other board may be off those of a part's package.
FIT_MM: Final = 0.06
# How much narrower or wider a hole may be, as a share of that of the package: a via is no hole of a part.
WIDTHS: Final = (0.7, 1.6)
# What is soldered in and plugged to nothing.
NEVER: Final = ("resistor", "capacitor", "polar-capacitor", "diode", "inductor", "crystal", "fuse", "led")
MOST_OFFERS: Final = 12


@dataclass(frozen=True)
class Pad:
    """A pad of the other board: its place in millimetres, the sides it has copper on, and its net."""

    x: float
    y: float
    sides: frozenset[Side]
    net: str = ""


@dataclass
class Component:
    """A part of the other board, as its files name it: its pads by number."""

    name: str
    pads: dict[str, list[Pad]] = field(default_factory=dict)


@dataclass(frozen=True)
class Spot:
    """A pad or plated hole of the other board, with what its files call it: `J1.2` and a net, or nothing."""

    x: float
    y: float
    pin: str = ""
    net: str = ""


@dataclass(frozen=True)
class Meeting:
    """A pin over a spot of the other board; ``clash`` where only one of the two is that supply or ground."""

    pin: str
    net: str
    spot: Spot
    clash: bool


@dataclass(frozen=True)
class Offer:
    """A place at which a part would fit, the component it would meet, and how many of its nets would agree."""

    place: PartPlace
    of: str = ""
    agree: int = 0
    clash: int = 0
    spots: frozenset[tuple[int, int]] = frozenset()

    def about(self) -> str:
        """Tell what it would meet."""
        where = f"{self.of} of the other board" if self.of else "holes without a name"
        agrees = f", {self.agree} nets agree" if self.agree else ""
        clashes = f", {self.clash} supplies or grounds do not" if self.clash else ""
        return f"on the {self.place.side}, {where}{agrees}{clashes}"

    def says(self) -> str:
        """Tell the place in words."""
        at = f"at {self.place.x_nm / 1e6:.2f}, {self.place.y_nm / 1e6:.2f} mm, {self.place.turn_deg:g}°"
        return f"{at} {self.about()}"


@dataclass(frozen=True)
class Mating:
    """What was decided, and by what; and what is to be asked, with all that fits."""

    places: dict[str, PartPlace]
    why: dict[str, str]
    asked: dict[str, tuple[Offer, ...]]


def plugs(design: Design) -> list[Part]:
    """List the unlocked parts that may meet another board: connectors by name, and what stands in two holes or more."""
    found = []
    for part in design.parts.values():
        drilled = sum(1 for p in design.packages[part.package].pads if p.drill_nm and not p.bare_hole)
        locked = part.place is not None and part.place.locked
        if part.kind not in NEVER and (_plugged(design, part) or drilled >= 2) and not locked:
            found.append(part)
    return sorted(found, key=lambda p: (-len(design.packages[p.package].pads), natural(p.ref)))


def _plugged(design: Design, part: Part) -> bool:
    return is_connector(design, part) or part.ref.startswith("CN")


def mate(design: Design, components: Mapping[str, Component], holes: np.ndarray) -> Mating:
    """Decide where the connectors of a design go on another board.

    Parameters
    ----------
    components : mapping
        Parts of the other board by name, where its files have them.
    holes : ndarray, shape (n, 3)
        Its plated holes: x, y and width in millimetres.

    Notes
    -----
    A part of the same name, whose pads all meet it number by number, goes there. Of the others, one goes where it fits
    in one way only and nothing else would; then, where nets are named on both boards, one whose nets agree better there
    than anywhere else, with none that clash. All others are asked.
    """
    places: dict[str, PartPlace] = {}
    why: dict[str, str] = {}
    taken: set[tuple[int, int]] = set()
    waiting: list[Part] = []
    for part in plugs(design):
        alike = components.get(part.ref)
        offers = _on_component(design, part, alike) if alike else []
        # A chip of the same name is the same chip only where its nets say so.
        if len(offers) == 1 and not offers[0].clash and (_plugged(design, part) or offers[0].agree >= 2):
            places[part.ref], why[part.ref] = offers[0].place, "the same name and pins"
            taken |= offers[0].spots
        else:
            waiting.append(part)
    offers_of = {part.ref: _offers(design, part, components, holes, taken) for part in waiting}
    settled = True
    while settled:
        settled = False
        for ref in [r for r in offers_of if offers_of[r]]:
            offers_of[ref] = [o for o in offers_of[ref] if not o.spots & taken]
            rivals = {s for r, some in offers_of.items() if r != ref for o in some for s in o.spots}
            choice = _decided(offers_of[ref], rivals)
            if choice is not None:
                places[ref], why[ref] = choice[0].place, choice[1]
                taken |= choice[0].spots
                del offers_of[ref]
                settled = True
    asked = {ref: tuple(some[:MOST_OFFERS]) for ref, some in offers_of.items() if some}
    return Mating(places, why, asked)


def _decided(offers: list[Offer], rivals: set[tuple[int, int]]) -> tuple[Offer, str] | None:
    if len(offers) == 1 and not offers[0].clash and not offers[0].spots & rivals:
        return offers[0], "it fits nowhere else"
    ranked = sorted(offers, key=lambda o: (-o.agree, o.clash))
    alone = len(ranked) == 1 or (len(ranked) > 1 and ranked[1].agree < ranked[0].agree)
    return (ranked[0], "its nets agree") if alone and ranked[0].agree >= 2 and not ranked[0].clash else None


def _offers(
    design: Design,
    part: Part,
    components: Mapping[str, Component],
    holes: np.ndarray,
    taken: set[tuple[int, int]],
) -> list[Offer]:
    found = [o for c in components.values() for o in _on_component(design, part, c)]
    named = {s for o in found for s in o.spots}
    # Holes that no name claims; a component that is named there and does not fit holds its holes.
    held = {_spot(p.x, p.y) for c in components.values() for pads in c.pads.values() for p in pads}
    free = np.array([h for h in holes if _spot(h[0], h[1]) not in held | named]).reshape(-1, 3)
    found += _on_holes(design, part, free)
    return [o for o in found if not o.spots & taken]


def spots(components: Mapping[str, Component], holes: np.ndarray) -> tuple[Spot, ...]:
    """List what the other board offers to meet: the pads its files name, and the plated holes that no name claims."""
    named = {
        _spot(p.x, p.y): Spot(p.x, p.y, pin_name(c.name, number), p.net)
        for c in components.values()
        for number, pads in c.pads.items()
        for p in pads
    }
    bare = {_spot(x, y): Spot(x, y) for x, y, _ in holes.tolist() if _spot(x, y) not in named}
    return (*named.values(), *bare.values())


def meetings(design: Design, ref: str, over: Iterable[Spot]) -> list[Meeting]:
    """Tell which pins of a placed part lie over which spots of the other board, in the order of its pads."""
    part = design.parts[ref]
    if part.place is None:
        return []
    there = list(over)
    found = []
    for pad in design.packages[part.package].pads:
        x, y = (v / 1e6 for v in place_point(part.place, pad.x_nm, pad.y_nm))
        spot = next((s for s in there if max(abs(s.x - x), abs(s.y - y)) <= FIT_MM), None)
        if spot is not None and not pad.bare_hole:
            net = design.net_of(pin_name(ref, pad.number)) or ""
            found.append(
                Meeting(pad.number, net, spot, bool(spot.net) and _clashes(design, net, {spot.net.lower()}))
            )
    return found


def _clashes(design: Design, net: str, theirs: set[str]) -> bool:
    """Tell whether nets of other names meet, one of them a supply or ground."""
    roles = {design.nets[net].role if net else "signal", *map(role_of_net, (net, *theirs))}
    return net.lower() not in theirs and bool(roles & {"supply", "ground"})


def _spot(x: float, y: float) -> tuple[int, int]:
    return round(x * 20), round(y * 20)


def _solid(package: Package) -> list[tuple[str, int, int]]:
    return [(p.number, p.x_nm, p.y_nm) for p in package.pads if not p.bare_hole]


def _on_component(design: Design, part: Part, component: Component) -> list[Offer]:
    """Give the ways in which all pads of a part meet those of a component, number by number."""
    package = design.packages[part.package]
    pads = _solid(package)
    numbers = {number for number, _, _ in pads}
    if len(pads) < 2 or numbers != component.pads.keys():
        return []
    anchor = pads[0]
    partner = max(pads[1:], key=lambda p: math.dist(p[1:], anchor[1:]))
    surface = any(p.layers != "through" for p in package.pads if not p.bare_hole)
    offers: dict[tuple[int, int, float, str], Offer] = {}
    sides: tuple[Side, ...] = ("front", "back")
    for side in sides:
        for a in component.pads[anchor[0]]:
            for b in component.pads[partner[0]]:
                place = _rigid(anchor[1:], partner[1:], (a.x, a.y), (b.x, b.y), side)
                if place is None:
                    continue
                spots = _meets(design, part, place, component, surface)
                if spots is not None:
                    agree, clash = _nets(design, part, component)
                    key = (place.x_nm // 10_000, place.y_nm // 10_000, place.turn_deg, side)
                    offers[key] = Offer(place, component.name, agree, clash, spots)
    # Of a row in holes the same pads can be met from either side; the front is meant unless surface pads tell.
    front = [o for o in offers.values() if o.place.side == "front"]
    return front if front and not surface else list(offers.values())


def _rigid(
    one: tuple[int, int],
    two: tuple[int, int],
    at_one: tuple[float, float],
    at_two: tuple[float, float],
    side: Side,
) -> PartPlace | None:
    """Find the place that carries two points of a package to two of the board; ``None`` where they are not as far."""
    mirror = -1 if side == "back" else 1
    have = (mirror * (two[0] - one[0]) / 1e6, (two[1] - one[1]) / 1e6)
    want = (at_two[0] - at_one[0], at_two[1] - at_one[1])
    if abs(math.hypot(*have) - math.hypot(*want)) > FIT_MM or math.hypot(*have) < 0.1:
        return None
    turn = math.degrees(math.atan2(want[1], want[0]) - math.atan2(have[1], have[0])) % 360
    quarter = round(turn / 90) * 90
    turn = float(quarter % 360) if abs(turn - quarter) < 0.5 else round(turn, 2)
    flat = PartPlace(x_nm=0, y_nm=0, turn_deg=turn % 360, side=side)
    x, y = place_point(flat, *one)
    return flat.model_copy(update={"x_nm": nm(at_one[0]) - round(x), "y_nm": nm(at_one[1]) - round(y)})


def _meets(
    design: Design, part: Part, place: PartPlace, component: Component, surface: bool
) -> frozenset[tuple[int, int]] | None:
    """Give the spots of a component's pads that a placed part meets, all of them; ``None`` where one is missed."""
    spots = set()
    for pad in design.packages[part.package].pads:
        if pad.bare_hole:
            continue
        x, y = (v / 1e6 for v in place_point(place, pad.x_nm, pad.y_nm))
        near = [p for p in component.pads[pad.number] if max(abs(p.x - x), abs(p.y - y)) <= FIT_MM]
        if surface and pad.layers != "through":
            on: Side = place.side if pad.layers != "back" else ("back" if place.side == "front" else "front")
            near = [p for p in near if on in p.sides]
        if not near:
            return None
        spots.add(_spot(near[0].x, near[0].y))
    return frozenset(spots)


def _nets(design: Design, part: Part, component: Component) -> tuple[int, int]:
    """Count the pins whose nets have the same name on both boards, and those where a supply or ground is another."""
    agree = clash = 0
    for number, pads in component.pads.items():
        name = design.net_of(pin_name(part.ref, number))
        theirs = {p.net.lower() for p in pads if p.net}
        if name is None or not theirs:
            continue
        agree += name.lower() in theirs
        clash += _clashes(design, name, theirs)
    return agree, clash


def _on_holes(design: Design, part: Part, holes: np.ndarray) -> list[Offer]:
    """Give the ways in which all pads of a part meet holes that no name claims, in quarter turns."""
    from scipy.spatial import KDTree  # It takes a quarter of a second to load, and few need it.

    pads = [p for p in design.packages[part.package].pads if not p.bare_hole]
    if len(pads) < 2 or not len(holes) or any(p.layers != "through" for p in pads):
        return []
    tree = KDTree(holes[:, :2])
    widths = np.array([p.drill_nm / 1e6 for p in pads])
    found = []
    for turn in (0, 90, 180, 270):
        flat = PartPlace(x_nm=0, y_nm=0, turn_deg=turn)
        shape = np.array([place_point(flat, p.x_nm, p.y_nm) for p in pads]) / 1e6
        for x, y, _ in holes.tolist():
            shift = np.array([x, y]) - shape[0]
            apart, at = tree.query(shape + shift)
            share = holes[at, 2] / widths
            if (apart > FIT_MM).any() or len(set(at.tolist())) < len(pads):
                continue
            if (share < WIDTHS[0]).any() or (share > WIDTHS[1]).any() or _goes_on(tree, shape + shift):
                continue
            place = PartPlace(x_nm=nm(float(shift[0])), y_nm=nm(float(shift[1])), turn_deg=turn)
            found.append(Offer(place, spots=frozenset(_spot(*holes[k, :2]) for k in at.tolist())))
    return found


def _goes_on(tree: object, points: np.ndarray) -> bool:
    """Tell whether a row of holes goes on at its ends: then it is of another length."""
    step = points[1] - points[0]
    ends: Iterable[np.ndarray] = (points[0] - step, points[-1] + step)
    distances = tree.query(np.array(list(ends)))[0]  # type: ignore[attr-defined]
    return bool((distances <= FIT_MM).any())
