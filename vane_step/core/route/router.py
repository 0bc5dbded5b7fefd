"""Routing the open links of a design into copper; the answer is an edit, judged by the exact rule check."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Point

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.drc.check import copper_findings
from vane_step.core.board.geometry.lettering import in_copper
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.tracks.reroute import widened
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design, Pour, Track
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm
from vane_step.core.route import kernel
from vane_step.core.route.by_flow import with_flow_widths
from vane_step.core.route.by_link import as_usual, light_pins, without_light
from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.draw import draw
from vane_step.core.route.grid import build
from vane_step.core.route.negotiate import Blocked, negotiate
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import Routed
from vane_step.core.route.problem import MAX_CELLS, Problem, choose_lattice, is_coarse
from vane_step.core.route.rip_up import Progress
from vane_step.core.route.shut_in import obstacle
from vane_step.core.route.straighten import without_stairs
from vane_step.core.route.stubs import stubs, used

MAX_REPAIRS = 4
# Of so many nets it is worked out what shuts them in; a message names three.
MOST_REASONS = 6
# A breach lies between two pieces, at most a gap away from each.
NEAR_MM = 1.0


@dataclass(frozen=True)
class RouteResult:
    """What routing gave: the edit that lays it, and its figures."""

    edit: LayCopper
    links_wanted: int
    links_made: int
    rounds: int
    repairs: int
    blocked: tuple[Blocked, ...] = ()

    @property
    def why(self) -> str:
        """Say what is in the way of links that stayed open, and what would free them; empty when none did."""
        said = []
        for b in self.blocked:
            if b.by:
                few = ", ".join(b.by[:4]) + (" …" if len(b.by) > 4 else "")
                said.append(
                    f"{b.net} would have to cross {few}: unroute or move them, or give it another layer"
                )
            elif b.reason:
                said.append(b.reason)
            else:
                said.append(f"{b.net} found no way in the rounds there were: route again, or move a part")
        return "; ".join(said[:3])


def route(
    design: Design, *, nets: set[str] | None = None, fresh: bool = False, progress: Progress | None = None
) -> RouteResult:
    """Route the open links of a design.

    Parameters
    ----------
    design : Design
        Existing copper is kept and used; nets of which no current was said are as wide as what flows in them asks,
        where there is room; pins that take little of a net's current get usual tracks; pours are filled
        round the tracks afterwards. Pads of a net with a plane are
        led to it by the nearest via.
    nets : set of str, optional
        Only these nets.
    fresh : bool
        Lift all unlocked copper (of ``nets``) first.
    progress : callable, optional
        See :func:`negotiate`.

    Returns
    -------
    RouteResult
        Its edit lays only copper that passes the exact rule check: what does not is routed again with wider
        gaps, and in the end left open. Deterministic.

    Raises
    ------
    EditRefused
        When the board is too large for the grid.
    """
    flowing = with_flow_widths(design, nets)
    if flowing is not design:
        found = _wide(flowing, nets, fresh, progress)
        # Where there is no room for all that flows, what is laid is told where it is too narrow.
        if not found.blocked and found.links_made == found.links_wanted:
            return found
    return _wide(design, nets, fresh, progress)


def _wide(design: Design, nets: set[str] | None, fresh: bool, progress: Progress | None) -> RouteResult:
    """Route the open links of a design by the widths of its nets, pins that take little by usual tracks."""
    if light := light_pins(design, nets):
        found = _by_link(design, light, nets, fresh, progress)
        if found is not None:
            return found
    return _route(design, nets, fresh, progress)


def _by_link(
    design: Design,
    light: dict[str, tuple[str, ...]],
    nets: set[str] | None,
    fresh: bool,
    progress: Progress | None,
) -> RouteResult | None:
    """Route all but the pins that take little of a net's current, then those with usual tracks.

    None where that leaves a link open or anything too narrow: then all of a net is as wide as its rule wants.
    """
    first = _route(without_light(design, light), nets, fresh, progress)
    if first.blocked or first.links_made < first.links_wanted:
        return None
    heavy = apply(design, first.edit)[0]
    second = _route(as_usual(heavy, light), set(light), False, None)
    if second.blocked or second.links_made < second.links_wanted:
        return None
    edit = first.edit.model_copy(
        update={
            "tracks": (*first.edit.tracks, *second.edit.tracks),
            "vias": (*first.edit.vias, *second.edit.vias),
            "jumpers": (*first.edit.jumpers, *second.edit.jumpers),
        }
    )
    told = {f.place.net for f in copper_findings(apply(design, edit)[0]) if f.level == "stop"}
    if told & light.keys():
        return None
    return RouteResult(
        edit,
        first.links_wanted + second.links_wanted,
        first.links_made + second.links_made,
        first.rounds + second.rounds,
        first.repairs + second.repairs,
    )


def _route(design: Design, nets: set[str] | None, fresh: bool, progress: Progress | None) -> RouteResult:
    """Route the open links of a design, every net as wide as its rule wants."""
    lattice = choose_lattice(design)
    if lattice.plane * len(lattice.layers) > MAX_CELLS:
        raise EditRefused(
            "The board is too large to route in one piece.",
            where="board",
            value=f"{lattice.w} x {lattice.h}",
            allowed=f"{MAX_CELLS} grid nodes",
        )
    lift = _lifted(design, nets) if fresh else ()
    bare = apply(design, LayCopper(lift=lift))[0].replaced(pours={}, texts=in_copper(design))
    planes = tuple(p for p in design.pours.values() if p.plane)
    poured = {p.id: p for p in design.pours.values() if planes}
    wanted = _open(bare.replaced(pours=poured), nets)
    if not wanted:
        return RouteResult(LayCopper(lift=lift), 0, 0, 0, 0, ())
    problem = build(bare, nets, planes)
    before = bare
    if pieces := _allowed_stubs(bare, stubs(bare, problem)):
        bare = apply(bare, LayCopper(tracks=pieces))[0]
        problem = build(bare, nets, planes)
    routed, rounds, blocked = negotiate(problem, progress)
    laid = draw(problem, routed, bare)
    laid, repairs = _repair(bare, laid, nets, planes)
    if any(r.failed for r in routed) and is_coarse(bare):
        laid = _more(bare, laid, nets, planes, fine=True)
    if any(r.failed for r in routed) and any(z.kind == "quiet" for z in design.board.zones):
        # The check tells of links across quiet zones, which is better than no link.
        laid = _more(bare, laid, nets, planes, quiet=False)
    laid = _necks_widened(bare, laid)
    if pieces:
        out = used(apply(bare, laid)[0], pieces)
        bare, laid = before, laid.model_copy(update={"tracks": (*out, *laid.tracks)})
    after = apply(bare, laid)[0]
    left = _open(after.replaced(pours=poured), nets)
    edit = laid.model_copy(update={"lift": lift})
    told = _reasons(bare, after, poured, nets, blocked) if left else ()
    return RouteResult(edit, wanted, wanted - left, rounds, repairs, told)


def _reasons(
    bare: Design, after: Design, poured: dict[str, Pour], nets: set[str] | None, known: Sequence[Blocked]
) -> tuple[Blocked, ...]:
    """Tell of every net with open links what is in its way: tracks it would have to cross, or what shuts it in."""
    links = Counter(
        k.net for k in connectivity(after.replaced(pours=poured)).open_links if nets is None or k.net in nets
    )
    crossed = {b.net: b.by for b in known}
    planes = tuple(p for p in poured.values() if p.plane)
    problems: list[tuple[Design, Problem]] = []
    told = []
    for k, (net, count) in enumerate(sorted(links.items())):
        reason = ""
        if not crossed.get(net) and k < MOST_REASONS:
            problems = problems or [(d, build(d, set(links), planes)) for d in (bare, after)]
            reason = next((said for d, p in problems if (said := obstacle(d, p, net))), "")
        told.append(Blocked(net, count, crossed.get(net, ()), reason))
    return tuple(told)


def _allowed_stubs(bare: Design, pieces: tuple[Track, ...]) -> tuple[Track, ...]:
    """Leave out the stubs of nets that the exact check objects to because of them."""
    if not pieces:
        return ()
    bad = _breaching(apply(bare, LayCopper(tracks=pieces))[0]) - _breaching(bare)
    return tuple(p for p in pieces if p.net not in bad)


def _more(
    bare: Design,
    laid: LayCopper,
    nets: set[str] | None,
    planes: Sequence[Pour],
    quiet: bool = True,
    fine: bool = False,
) -> LayCopper:
    """Lay links that stayed open beside what is laid, on another lattice or by other rules; see :func:`build`."""
    base = apply(bare, laid)[0]
    problem = build(base, nets, planes, quiet, fine)
    more, _ = _repair(base, draw(problem, negotiate(problem)[0], base), nets, planes)
    return LayCopper(
        tracks=(*laid.tracks, *more.tracks),
        vias=(*laid.vias, *more.vias),
        jumpers=(*laid.jumpers, *more.jumpers),
    )


def _necks_widened(bare: Design, laid: LayCopper) -> LayCopper:
    """Make tracks that came out as necks as wide as their rule wants, as far as each piece has room."""
    for net in dict.fromkeys(t.net for t in laid.tracks if t.width_nm < bare.rule_of(t.net).width_nm):
        wanted = bare.rule_of(net).width_nm
        mine = {t.id for t in laid.tracks if t.net == net and t.width_nm < wanted}
        edit, _ = widened(apply(bare, laid)[0], net, dict.fromkeys(bare.board.layers, wanted), mine)
        kept = (t for t in laid.tracks if t.id not in edit.lift)
        laid = laid.model_copy(update={"tracks": (*kept, *edit.tracks)})
    return laid


def _open(design: Design, nets: set[str] | None) -> int:
    return sum(1 for k in connectivity(design).open_links if nets is None or k.net in nets)


def _lifted(design: Design, nets: set[str] | None) -> tuple[str, ...]:
    found = [
        key
        for section in (design.tracks, design.vias, design.jumpers)
        for key, item in section.items()
        if not getattr(item, "locked", False) and (nets is None or item.net in nets)
    ]
    return tuple(found)


def _repair(
    bare: Design, laid: LayCopper, nets: set[str] | None, planes: Sequence[Pour]
) -> tuple[LayCopper, int]:
    """Lift what the exact check objects to and route it again with wider gaps; at last leave the piece open."""
    clean = _breaching(bare)
    for attempt in range(MAX_REPAIRS):
        design = apply(bare, laid)[0]
        bad = _breaching(design) - clean
        if not bad:
            return laid, attempt
        if attempt == MAX_REPAIRS - 1:
            return _without_breaches(bare, laid, clean), MAX_REPAIRS
        keep = {
            "tracks": tuple(t for t in laid.tracks if t.net not in bad),
            "vias": tuple(v for v in laid.vias if v.net not in bad),
            "jumpers": tuple(w for w in laid.jumpers if w.net not in bad),
        }
        laid = LayCopper(**keep)
        base = apply(bare, laid)[0]
        problem = build(_wider(base, bad, 0.012 * (attempt + 1)), bad if nets is None else bad & nets, planes)
        again = draw(problem, negotiate(problem)[0], base)
        laid = LayCopper(
            tracks=(*laid.tracks, *again.tracks),
            vias=(*laid.vias, *again.vias),
            jumpers=(*laid.jumpers, *again.jumpers),
        )
    raise AssertionError("the last attempt returns")


def _without_breaches(bare: Design, laid: LayCopper, clean: set[str]) -> LayCopper:
    """Lift the pieces that breach a rule, and only those, until nothing does; taking copper away breaks no rule."""
    while True:
        design = apply(bare, laid)[0]
        spots = [
            (f.place.net, Point(f.place.x_nm / 1e6, f.place.y_nm / 1e6))
            for f in copper_findings(design)
            if f.level == "stop"
            and f.place.x_nm is not None
            and f.place.y_nm is not None
            and f.place.net not in clean
        ]
        mine = {i.id for i in laid.tracks} | {i.id for i in laid.vias} | {i.id for i in laid.jumpers}
        guilty = {
            i.id
            for i in copper_items(design)
            if i.id in mine
            and any(i.net == net and i.spine.distance(at) - i.radius_mm < NEAR_MM for net, at in spots)
        }
        if not guilty:
            # A breach told far from its piece, such as a hole's keep-out: then the whole net gives way.
            bad = _breaching(design) - clean
            guilty = {i.id for i in copper_items(design) if i.id in mine and i.net in bad}
        if not guilty:
            return laid
        laid = LayCopper(
            tracks=tuple(t for t in laid.tracks if t.id not in guilty),
            vias=tuple(v for v in laid.vias if v.id not in guilty),
            jumpers=tuple(j for j in laid.jumpers if j.id not in guilty),
        )


def _wider(design: Design, nets: set[str], extra_mm: float) -> Design:
    changed = dict(design.nets)
    for name in nets:
        rule = design.rule_of(name)
        wide = rule.model_copy(update={"clearance_nm": rule.clearance_nm + nm(extra_mm)})
        changed[name] = design.nets[name].model_copy(update={"rule": wide})
    return design.replaced(nets=changed)


def _breaching(design: Design) -> set[str]:
    return {f.place.net for f in copper_findings(design) if f.level == "stop" and f.place.net}


def warm_up() -> None:
    """Compile or load the router's kernels by routing a tiny board, so that nobody waits for it later."""
    line = np.arange(4, dtype=np.int64)
    without_stairs(line, np.zeros((8, 2), dtype=np.int16), np.zeros(8, dtype=np.bool_), 1, 4, -1, -1)
    from vane_step.core.board.geometry.shapes import rectangle
    from vane_step.core.design.model import Board, Net, Part, PartPlace, Pin, RuleSet
    from vane_step.core.patterns.packages import package

    rules = RuleSet(
        name="warm",
        min_width_nm=200_000,
        min_clearance_nm=200_000,
        min_ring_nm=100_000,
        min_drill_nm=300_000,
        edge_clearance_nm=300_000,
        hole_to_hole_nm=250_000,
        hole_to_copper_nm=250_000,
        via_pad_nm=600_000,
        via_drill_nm=300_000,
    )
    chip = package("CHIP-2012M")
    pins = (Pin(number="1"), Pin(number="2"))
    parts = {
        f"R{i}": Part(
            ref=f"R{i}", package=chip.name, pins=pins, place=PartPlace(x_nm=nm(3.0 + 4 * i), y_nm=nm(4))
        )
        for i in (1, 2)
    }
    nets = {"A": Net(name="A", pins=("R1.1", "R2.2")), "B": Net(name="B", pins=("R1.2", "R2.1"))}
    board = Board(outline=rectangle(15, 8), copper_layers=2, rules=rules)
    tiny = Design(name="warm-up", parts=parts, nets=nets, packages={chip.name: chip}, board=board)
    route(tiny)
    # What only long searches come to.
    run = ConnectionSearch(Occupancy(build(tiny, None, ())))
    run.looks = run.looks[1:]
    run.route_net(Routed(run.problem.jobs[0]))
    xs, ys = np.zeros((2, 2)).T
    kernel.disc(run.neck_zone, 0, xs, ys, 0.0, 4, 4)
    kernel.bar(run.via_barred, np.zeros((1, 2)), 0.0, 0, 4, 4)
    few, ends = np.zeros(1), np.ones((1, 3), dtype=np.int64)
    kernel.merge(
        run.occupancy.mark, run.occupancy.next_tag(3), few.astype(np.int32), few.astype(np.uint16), ends
    )
