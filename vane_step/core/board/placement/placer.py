"""Places for parts: for those that wait, and for all anew; what makes a place good is set up in ``cost_model``."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from shapely.strtree import STRtree

from vane_step.core.board.analysis.score import Score, score
from vane_step.core.board.geometry.shapes import courtyards
from vane_step.core.board.placement.bodies import Body, Member, is_through
from vane_step.core.board.placement.cost_model import CROWDED, HAIR_MM, floor, moves
from vane_step.core.board.placement.floor import Floor, empty_floor
from vane_step.core.board.placement.ground import CELL_MM
from vane_step.core.board.placement.groups import groups
from vane_step.core.board.placement.plugged import plugged, plugging
from vane_step.core.board.placement.room import areas, no_room, too_long
from vane_step.core.design.edits import LayCopper, PlaceParts, Together, apply
from vane_step.core.design.model import Design, PartPlace, split_pin
from vane_step.core.errors import EditRefused

# Moves tried for each body, and in all; of these a share once nothing overlaps any more.
MOVES_EACH, MOVES_MOST = 14_000, 4_200_000
LAST_SHARE = 0.3
# Of the room between bodies, what is still asked for then.
LAST_ROOM = 0.4
# Moves in all for parts that wait, where nobody asked for several proposals.
QUICK_MOVES = 1_000_000
# Steps for moving bodies apart: some in any case, and some for each.
STEPS, STEPS_EACH = 4_000, 400
# From so many places anywhere bodies are moved apart when it does not do from where they are drawn to.
ANEW = 3
# What moving a body from where its links draw it costs, in mm² of overlap for a mm and each mm of link it is worth.
PULL = 0.2
# Temperature at which what lies well is tidied, in mm of link; and the lattice of what lies close, in mm.
WARM_MM, FINE_MM = 2.0, 0.05
# Rectangles of many sizes never fill more of a board than this share.
FULL = 0.95
# Overlaps of courtyards below it, in mm², are rounding.
ROUNDING_MM2 = 1e-4


@dataclass(frozen=True)
class Arrangement:
    """A proposal: the edit that makes it, what it is worth, and whether it began from the places there were."""

    edit: Together
    score: Score
    seed: int
    tidied: bool


def propose(
    design: Design,
    count: int = 3,
    *,
    seed: int = 1,
    effort: float = 1.0,
    tidy: bool | None = None,
    progress: Callable[[int, int], bool] | None = None,
) -> list[Arrangement]:
    """Arrange all parts that are not locked anew, several times, best first.

    Parameters
    ----------
    count : int
        How many arrangements to make; each has a seed of its own, counted from ``seed``.
    effort : float
        Moves tried, as a share of the usual.
    tidy : bool, optional
        Begin from the places there are (``True``) or from anywhere (``False``). Left out, the first begins from the
        places there are when no part waits, the others from anywhere.
    progress : callable, optional
        Hears how many are done of how many; returning ``False`` ends with what there is.

    Returns
    -------
    list of Arrangement
        Nothing in them overlaps, lies off the board or in the free zone of a hole. Their edits lift unlocked copper of
        nets whose parts moved. The same seed gives the same arrangements.

    Raises
    ------
    EditRefused
        When nothing may move, or the parts find no room, with what is missing.
    """
    movable = {r for r, p in design.parts.items() if moves(design, p)}
    if not movable:
        raise EditRefused(
            "No part may move.", where="board", next_step="Unlock a part, or add parts in the circuit."
        )
    placed = all(p.place for p in design.parts.values())
    if tidy and not placed:
        raise EditRefused("Parts without a place cannot be tidied.", where="board", next_step="Type: arrange")
    found = []
    refused: EditRefused | None = None
    most = int(min(MOVES_MOST, MOVES_EACH * len(movable)) * effort)
    # What is placed already is tidied part by part; what begins anywhere has its groups laid once for all.
    as_one = [] if tidy else groups(design, movable - plugging(design, movable), _laid_alone)
    for k in range(count):
        begin_here = placed and k == 0 if tidy is None else tidy
        try:
            warm, some = (WARM_MM, []) if begin_here else (0.0, as_one)
            places = _round_rows(design, movable, seed + k, most, warm, some)
            found.append(_arrangement(design, places, seed + k, begin_here))
        except EditRefused as error:
            # Another seed may well find room.
            refused = error
        if progress and not progress(k + 1, count):
            break
    if refused and not found:
        raise refused
    return sorted(found, key=lambda a: a.score.worth)


def arrange(design: Design, *, seed: int = 1) -> PlaceParts:
    """Propose places for all parts that have none; what has a place stays.

    Raises
    ------
    EditRefused
        When every part has a place, or the parts find no room, with what is missing.
    """
    waiting = {r for r, p in design.parts.items() if p.place is None}
    if not waiting:
        raise EditRefused(
            "Every part has a place already.",
            where="board",
            next_step="Type: arrange all, to place them anew, or take some off first: place R1 off",
        )
    most = min(QUICK_MOVES, MOVES_EACH * len(waiting))
    as_one = groups(design, waiting - plugging(design, waiting), _laid_alone)
    return PlaceParts(places=dict(_round_rows(design, waiting, seed, most, 0.0, as_one)))


def _round_rows(
    design: Design, movable: set[str], seed: int, most: int, warm: float, as_one: list[Body]
) -> dict[str, PartPlace]:
    """Give places for some parts; rows that plug in somewhere first, nearest to where all would like them to be."""
    if not plugging(design, movable):
        return _settled(design, movable, seed, most, warm, as_one)
    try:
        wished = _settled(design, movable, seed, most, warm, as_one)
    except EditRefused:
        wished = {}
    places = plugged(design, movable, wished)
    rest = movable - set(places)
    if places and rest:
        design = apply(design, PlaceParts(places=dict(places)))[0]
    return {**places, **(_settled(design, rest, seed, most, warm, as_one) if rest else {})}


def _arrangement(design: Design, places: dict[str, PartPlace], seed: int, tidy: bool) -> Arrangement:
    moved = {r for r, p in places.items() if p != design.parts[r].place}
    nets = {n.name for n in design.nets.values() if any(split_pin(p)[0] in moved for p in n.pins)}
    sections = (design.tracks, design.vias, design.jumpers)
    lift = tuple(
        k for s in sections for k, i in s.items() if i.net in nets and not getattr(i, "locked", False)
    )
    edits = (PlaceParts(places=dict(places)), *((LayCopper(lift=lift),) if lift else ()))
    edit = Together(edits=edits)
    return Arrangement(edit, score(apply(design, edit)[0]), seed, tidy)


def _settled(
    design: Design, movable: set[str], seed: int, most: int, warm: float, as_one: list[Body]
) -> dict[str, PartPlace]:
    """Give places for some parts: drawn to where they belong, moved apart, and tidied where nothing overlaps.

    What is alike is laid as one where it finds room so. Tries with the room between parts the board has to spare, then
    without, then with the other side.
    """
    if refused := too_long(design, movable):
        raise refused
    last: Floor | None = None
    ways = [(some, *way) for some in ((as_one, []) if as_one else ([],)) for way in _ways(design, movable)]
    # What nothing could pack is tried once, for what it tells.
    for some, both_sides, room in [w for w in ways if _may_fit(design, movable, w[1])] or ways[-1:]:
        ground = floor(design, movable, groups=some, both_sides=both_sides, room=room)
        places = _tried(design, ground, seed, most, warm)
        if places is not None:
            return places
        last = ground
    assert last is not None
    raise no_room(design, movable, last, fits)


def _may_fit(design: Design, movable: set[str], both_sides: bool) -> bool:
    have, want = areas(design, movable, both=both_sides)
    return want <= FULL * have


def _laid_alone(design: Design, movable: set[str]) -> dict[str, PartPlace] | None:
    """Lay the parts of a group close together on a board of their own, or give ``None`` when it is too small."""
    ground = floor(design, movable, room=0.0)
    return _tried(design, ground, 1, MOVES_EACH * len(movable), 0.0)


def _tried(design: Design, ground: Floor, seed: int, most: int, warm: float) -> dict[str, PartPlace] | None:
    """Draw bodies to where they belong, move them apart, and tidy them where nothing overlaps any more."""
    _anneal(ground, seed, most, warm)
    if not _move_apart(ground, seed):
        return None
    ground.lattice = FINE_MM
    # Now bypass parts may slip in where others left just enough.
    ground.want_room(np.maximum(ground.rooms * LAST_ROOM, HAIR_MM / 2))
    _anneal(ground, seed, int(most * LAST_SHARE), WARM_MM, strict=True)
    places = {r: p for i in ground.free for r, p in ground.places(int(i)).items()}
    crowded = _crowded(apply(design, PlaceParts(places=dict(places)))[0], set(places))
    return None if crowded else places


def _ways(design: Design, movable: set[str]) -> Iterator[tuple[bool, float]]:
    """Give what is tried, one after the other: whether parts may change sides, and the share of room asked for."""
    have, want = areas(design, movable, both=False)
    crowded = want > CROWDED * have
    two = design.board.copper_layers > 1 and design.brief.parts_on == "either"
    if not (crowded and two):
        yield False, 1.0
        yield False, 0.0
    if two:
        yield True, 1.0
        yield True, 0.0


def fits(design: Design, movable: set[str]) -> bool:
    """Tell whether parts can be moved apart on a board at all, wherever their links would want them."""
    both = design.board.copper_layers > 1 and design.brief.parts_on == "either"
    ground = floor(design, movable, both_sides=both, room=0.0)
    return _move_apart(ground, 1)


def _anneal(ground: Floor, seed: int, moves: int, warm: float, strict: bool = False) -> None:
    # Here, since loading the compiler takes half a second that most commands have no use for.
    from vane_step.core.board.placement.anneal import anneal

    pins = ground.pins
    on: list[list[int]] = [[] for _ in ground.bodies]
    for k, (_, members) in enumerate(pins.nets):
        for body in {pins.part[p] for p in members}:
            on[body].append(k)
    shy: list[list[tuple[int, float, float]]] = [[] for _ in ground.bodies]
    for a, b, price, reach in ground.shy:
        shy[a].append((b, price, reach))
        shy[b].append((a, price, reach))
    shuns = [x for some in shy for x in some]
    anneal(
        ground.x,
        ground.y,
        ground.state,
        ground.free,
        ground.boxes,
        ground.bits,
        ground.mouth,
        ground.choices,
        ground.standing,
        ground.at_edge,
        ground.bound,
        ground.edges,
        np.cumsum([0, *map(len, on)]),
        np.array([k for nets in on for k in nets], dtype=np.int64),
        np.cumsum([0, *(len(m) for _, m in pins.nets)]),
        np.array([p for _, members in pins.nets for p in members], dtype=np.int64),
        np.array([price for price, _ in pins.nets], dtype=np.float64),
        np.array(pins.part, dtype=np.int64),
        np.array(pins.dx, dtype=np.float64).reshape(len(pins.part), -1),
        np.array(pins.dy, dtype=np.float64).reshape(len(pins.part), -1),
        ground.barred,
        ground.table_of,
        CELL_MM,
        ground.frame,
        ground.lattice,
        moves,
        seed,
        warm,
        strict,
        np.cumsum([0, *map(len, shy)]),
        np.array([x[0] for x in shuns], dtype=np.int64),
        np.array([x[1] for x in shuns], dtype=np.float64),
        np.array([x[2] for x in shuns], dtype=np.float64),
    )


def _move_apart(ground: Floor, seed: int) -> bool:
    """Move bodies apart from where they are, and from anywhere when that does not do; tells whether it did.

    When it did not, they lie where they overlap least.
    """
    from vane_step.core.board.placement.packing import pack

    steps = STEPS + STEPS_EACH * len(ground.free)
    chance = np.random.default_rng(seed)
    best: tuple[float, np.ndarray, np.ndarray, np.ndarray] | None = None
    pull = np.zeros(len(ground.bodies))
    for price, members in ground.pins.nets:
        pull[[ground.pins.part[p] for p in members]] += PULL * price
    for turn in range(1 + ANEW):
        if turn:
            pull = np.zeros(len(ground.bodies))
            low, high = ground.frame[:2], ground.frame[2:]
            anywhere = ground.free[~ground.bound[ground.free]]
            spots = chance.uniform(low, high, (len(anywhere), 2))
            ground.x[anywhere], ground.y[anywhere] = spots[:, 0], spots[:, 1]
        left = pack(
            ground.x,
            ground.y,
            ground.state,
            ground.free,
            ground.boxes,
            ground.bits,
            ground.mouth,
            ground.choices,
            ground.at_edge,
            ground.edges,
            pull,
            ground.barred,
            ground.table_of,
            CELL_MM,
            ground.frame,
            steps,
            seed + turn,
        )
        if left == 0:
            return True
        if best is None or left < best[0]:
            best = (left, ground.x.copy(), ground.y.copy(), ground.state.copy())
    assert best is not None
    _, ground.x[:], ground.y[:], ground.state[:] = best
    return False


def _crowded(design: Design, movable: set[str]) -> list[str]:
    """List parts whose courtyards overlap others of their side, by the shapes themselves."""
    yards = courtyards(design)
    refs = list(yards)
    bits = [
        3
        if is_through(design.packages[(part := design.parts[r]).package])
        else 1
        if part.place and part.place.side == "front"
        else 2
        for r in refs
    ]
    shapes = np.array([yards[r] for r in refs], dtype=object)
    a, b = STRtree(shapes).query(shapes, predicate="intersects")
    return sorted(
        {
            refs[i]
            for i, j in zip(a, b, strict=True)
            if i != j
            and refs[i] in movable
            and bits[i] & bits[j]
            and shapes[i].intersection(shapes[j]).area > ROUNDING_MM2
        }
    )


def warm_up() -> None:
    """Compile or load the annealing by arranging two parts, so that nobody waits for it later."""
    ground = empty_floor(
        [Body((Member(r),), (0,)) for r in ("A", "B")],
        2,
        frame=np.array([0.0, 0.0, 10.0, 10.0]),
        edges=np.zeros((0, 4)),
        barred=np.zeros((1, 42, 42)),
        table_of=np.zeros((2, 2), dtype=np.int64),
        lattice=0.5,
        usable_mm2=100.0,
    )
    ground.boxes[:, :, :2], ground.boxes[:, :, 2:] = -1.0, 1.0
    pins = [ground.pins.add(body, [(0.5, 0.0)] * 8) for body in (0, 1)]
    ground.pins.nets.append((1.0, pins))
    _anneal(ground, 1, 400, 0.0)
    _move_apart(ground, 1)
