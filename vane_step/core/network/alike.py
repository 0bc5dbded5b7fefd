"""Which switches, jumpers and sources can change places without the circuit being another; nothing is solved here."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from vane_step.core.circuit.variants import fitted
from vane_step.core.design.model import Design, Part, Pin, pin_name
from vane_step.core.design.operation import Load, Source
from vane_step.core.network.contacts import row_ways
from vane_step.core.network.digital import DRIVEN, bears_more, is_controller
from vane_step.core.network.outside import all_sources

# From so many alike on there are fewer states to solve than positions there can be.
FEWEST = 4
# Kinds of two pins that do the same either way round.
EITHER_WAY = ("resistor", "jumper", "switch")


@dataclass(frozen=True)
class _Graph:
    """Things of a circuit, what is known of each, what joins them: ``near`` lists the place and the other end."""

    told: tuple[str, ...]
    near: tuple[tuple[tuple[str, int], ...], ...]
    axes: Mapping[str, int]


def alike_axes(design: Design, names: Sequence[str]) -> list[list[int]]:
    """Group things that can be one way or another by whether they may change places.

    Two may when the circuit looks the same with one of them set one way and the other another way as with both
    exchanged, every other one kept apart. The looks are compared by colour refinement (Weisfeiler and Leman 1968):
    what that cannot tell apart has the same equations cell by cell, hence the same operating point. Exchanges of two
    compose, so that all of a group may be permuted at will.

    Parameters
    ----------
    names
        Of the axes: references, ``REF.WAY`` of rows of switches, ``source NAME``.

    Returns
    -------
    list of list of int
        Groups of at least :data:`FEWEST` places in ``names``; others are in none.
    """
    if len(names) < FEWEST:
        return []
    graph = _graph(design)
    known = [k for k, name in enumerate(names) if name in graph.axes]
    colours = _refined(graph, {})
    by_colour: dict[int, list[int]] = {}
    for k in known:
        by_colour.setdefault(colours[graph.axes[names[k]]], []).append(k)
    groups: list[list[int]] = []
    apart = [graph.axes[names[k]] for k in known]
    for some in (s for s in by_colour.values() if len(s) >= FEWEST):
        found: list[list[int]] = []
        for k in some:
            thing = graph.axes[names[k]]
            at = next((g for g in found if _exchanged(graph, apart, graph.axes[names[g[0]]], thing)), None)
            if at is not None:
                at.append(k)
            else:
                found.append([k])
        groups += [g for g in found if len(g) >= FEWEST]
    return groups


def rows_by_symmetry(
    values: Sequence[Sequence[str]], groups: Sequence[Sequence[int]]
) -> Iterator[tuple[str, ...]]:
    """Give rows of values such that every other row is one of them with alike axes exchanged.

    Of each group all choices of how many are set which way are taken, each turned round the group, so that every one
    of it is met in every position beside every number of the others: what a single part reads at its worst is then
    among the rows, not only among their exchanges.
    """
    grouped = {k for group in groups for k in group}
    free = [k for k in range(len(values)) if k not in grouped]
    parts: list[list[dict[int, str]]] = [[{k: v} for v in values[k]] for k in free]
    for group in groups:
        ways: dict[tuple[str, ...], None] = {}
        for chosen in itertools.combinations_with_replacement(values[group[0]], len(group)):
            for turn in range(len(group)):
                ways.setdefault((*chosen[turn:], *chosen[:turn]))
        parts.append([dict(zip(group, way, strict=True)) for way in ways])
    for choice in itertools.product(*parts):
        row = {k: v for part in choice for k, v in part.items()}
        yield tuple(row[k] for k in range(len(values)))


def count_by_symmetry(values: Sequence[Sequence[str]], groups: Sequence[Sequence[int]], most: int) -> int:
    """Count those rows, or give one more than ``most`` where there are more."""
    return sum(1 for _ in itertools.islice(rows_by_symmetry(values, groups), most + 1))


def _graph(design: Design) -> _Graph:
    put = _Put([], [])
    axes: dict[str, int] = {}
    nets = {n.name: put.thing(("net", n.role, n.volts)) for n in design.nets.values()}
    have = [fitted(design, variant) for variant in ("", *design.variants)]
    levels: dict[str, list[str]] = {}
    for drive in design.drives.values():
        levels.setdefault(drive.pin, []).append(f"{drive.mode} {drive.level}")
    for part in design.parts.values():
        ways = row_ways(part)
        what = (part.kind, part.value, part.package, part.catalogue, sorted(part.params.items()), part.choice)
        whole = (what, [h[part.ref] for h in have])
        axes[part.ref] = here = put.thing(whole)
        axes |= {f"{part.ref}.{way}": put.thing(("way", whole)) for way in ways}
        for pin in part.pins:
            net = design.net_of(pin_name(part.ref, pin.number))
            way = pin.name.upper()[1:]
            if net is None:
                continue
            if way in ways:
                put.tie(axes[f"{part.ref}.{way}"], nets[net], "")
            else:
                said = sorted(levels.get(pin_name(part.ref, pin.number), []))
                put.tie(here, nets[net], f"{_place(part, pin)} {said}")
    for name, source in all_sources(design).items():
        axes[f"source {name}"] = put.outside(design, nets, source)
    for load in design.loads.values():
        put.outside(design, nets, load)
    for point, said in levels.items():
        if point in nets:
            put.tie(put.thing(sorted(said)), nets[point], "drives")
    return _Graph(tuple(put.told), tuple(tuple(n) for n in put.near), axes)


@dataclass(frozen=True)
class _Put:
    """A graph being written."""

    told: list[str]
    near: list[list[tuple[str, int]]]

    def thing(self, what: object) -> int:
        """Put a thing in with all that is known of it."""
        self.told.append(repr(what))
        self.near.append([])
        return len(self.told) - 1

    def tie(self, thing: int, net: int, place: str) -> None:
        """Join a thing to a net at one of its places."""
        self.near[thing].append((place, net))
        self.near[net].append((place, thing))

    def outside(self, design: Design, nets: Mapping[str, int], one: Source | Load) -> int:
        """Put a source or load in, whatever it is called."""
        here = self.thing(one.model_copy(update={"id": "-", "plus": "-", "minus": "-"}))
        for end, point in (("plus", one.plus), ("minus", one.minus)):
            net = point if point in nets else design.net_of(point)
            if net is not None:
                self.tie(here, nets[net], end)
        return here


def _place(part: Part, pin: Pin) -> str:
    """Tell a pin from the others of its part: by all its model goes by."""
    if part.kind in EITHER_WAY and len(part.pins) == 2:
        return ""
    if is_controller(part) and pin.role in DRIVEN:
        return repr((pin.role, pin.reset, pin.loader, bears_more(pin)))
    return pin.number


def _refined(graph: _Graph, marks: Mapping[int, str]) -> list[int]:
    """Colour things by what they are, then again and again by the colours around them, until no more are told apart."""
    colours = [hash((told, marks.get(k))) for k, told in enumerate(graph.told)]
    while True:
        finer = [
            hash((colours[k], tuple(sorted((place, colours[j]) for place, j in near))))
            for k, near in enumerate(graph.near)
        ]
        if len(set(finer)) == len(set(colours)):
            return finer
        colours = finer


def _exchanged(graph: _Graph, apart: Sequence[int], one: int, other: int) -> bool:
    """Whether exchanging two leaves the circuit as it is, each of the others kept apart."""
    marks = {thing: f"axis {k}" for k, thing in enumerate(apart) if thing not in (one, other)}
    before = _refined(graph, marks | {one: "one", other: "other"})
    return sorted(before) == sorted(_refined(graph, marks | {one: "other", other: "one"}))
