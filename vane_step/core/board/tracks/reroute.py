"""What a track laid by hand does to its net: the old way it makes needless, and widths there is room for."""

from __future__ import annotations

from collections import deque
from collections.abc import Container, Mapping

import numpy as np
import shapely

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.geometry.copper_table import TOUCH_MM, touching_pairs
from vane_step.core.board.geometry.room import room_mm
from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.design.edits import LayCopper, apply, net_of
from vane_step.core.design.model import Design, Layer, Track

STEP_NM = 10_000


def needless(design: Design, laid: LayCopper) -> tuple[str, ...]:
    """List the old, unlocked copper that a newly laid way makes needless: the old way between its two ends.

    The old way is the shortest through tracks and vias alone; it ends where it meets a pad. It is given whole when all
    pads of the net stay joined as they were without it, else only those pieces they can do without.
    """
    if not laid.tracks:
        return ()
    net = laid.tracks[0].net
    after = apply(design, laid)[0]
    fresh = {t.id for t in laid.tracks} | {v.id for v in laid.vias}
    items = tuple(i for i in copper_items(after) if i.net == net)
    near: dict[str, set[str]] = {}
    of, first, second, _ = touching_pairs(after)
    mine = of.net[first] == of.nets[net]
    for a, b in zip(first[mine].tolist(), second[mine].tolist(), strict=True):
        one, two = of.items[a].id, of.items[b].id
        if one != two:
            near.setdefault(one, set()).add(two)
            near.setdefault(two, set()).add(one)
    ends = _ends(laid, items, fresh)
    kinds = {i.id: i.kind for i in items}
    old = _way(near, kinds, ends, fresh)
    loose = {k for k in old if not getattr(after.tracks.get(k) or after.vias.get(k), "locked", False)}
    if not loose:
        return ()
    before = _joined(after, net)
    if _joined(apply(after, LayCopper(lift=tuple(sorted(loose))))[0], net) == before:
        return tuple(sorted(loose))
    gone: list[str] = []
    for name in sorted(loose):
        if _joined(apply(after, LayCopper(lift=(*gone, name)))[0], net) == before:
            gone.append(name)
    return tuple(gone)


def _ends(laid: LayCopper, items: tuple[CopperItem, ...], fresh: set[str]) -> set[str]:
    """Give the old copper in which the two ends of a laid way lie: a pad where there is one."""
    spots = [p for t in laid.tracks for p in (t.points[0], t.points[-1])]
    inner = {(v.x_nm, v.y_nm) for v in laid.vias}
    found: set[str] = set()
    for x, y in {p for p in spots if spots.count(p) == 1 and p not in inner}:
        at = shapely.Point(x / 1e6, y / 1e6)
        here = [i for i in items if i.id not in fresh and i.spine.distance(at) <= i.radius_mm + TOUCH_MM]
        found |= {i.id for i in [j for j in here if j.kind == "pad"] or here}
    return found


def _way(near: dict[str, set[str]], kinds: dict[str, str], ends: set[str], fresh: set[str]) -> set[str]:
    """Give the tracks and vias on the shortest way between two of the ends that passes no pad and no new copper."""
    best: list[str] = []
    for start in sorted(ends):
        came: dict[str, str] = {start: ""}
        queue = deque([start])
        while queue:
            here = queue.popleft()
            if here != start and here in ends:
                way = [here]
                while came[way[-1]]:
                    way.append(came[way[-1]])
                inner = way[1:-1]
                if inner and (not best or len(inner) < len(best)):
                    best = inner
                break
            if here != start and kinds[here] == "pad":
                continue
            for there in sorted(near.get(here, ())):
                if there not in came and there not in fresh:
                    came[there] = here
                    queue.append(there)
    return set(best)


def _joined(design: Design, net: str) -> list[tuple[str, int]]:
    joined = connectivity(design)
    labels: dict[int, int] = {}
    return [
        (i.id, labels.setdefault(label, len(labels)))
        for i, label in zip(joined.items, joined.labels.tolist(), strict=True)
        if i.net == net and i.kind == "pad"
    ]


def widened(
    design: Design, net: str, wanted_nm: Mapping[Layer, int], only: Container[str] | None = None
) -> tuple[LayCopper, int]:
    """Make the tracks of a net as wide as wanted on each layer, piece by piece as far as there is room.

    ``only`` names the tracks that are to be widened, all when it is left out.

    Returns
    -------
    tuple of LayCopper and int
        The edit, and the least width in nanometres that is left. Locked tracks stay as they are. Widths are whole
        hundredths of a millimetre, rounded down, so that nothing comes too near.
    """
    net_of(design, net)
    mine = [t for t in design.tracks.values() if t.net == net and (only is None or t.id in only)]
    pieces: dict[str, list[CopperItem]] = {t.id: [] for t in mine}
    for item in copper_items(design):
        if item.kind == "track" and item.id in pieces:
            pieces[item.id].append(item)
    lift, laid = [], []
    least = min([max(wanted_nm.values()), *(t.width_nm for t in mine if t.locked)])
    for track in mine:
        if track.locked:
            continue
        lines = np.array([p.spine for p in pieces[track.id]], dtype=object)
        room = room_mm(design, net, track.layer, lines, wanted_nm[track.layer] / 2e6)
        fits = (np.floor(2e6 * room / STEP_NM + 1e-6) * STEP_NM).astype(np.int64)
        widths = [max(track.width_nm, min(wanted_nm[track.layer], int(w))) for w in fits]
        least = min([least, *widths])
        if max(widths) > track.width_nm:
            lift.append(track.id)
            laid += _parts(design, track, widths)
    return LayCopper(lift=tuple(lift), tracks=tuple(laid)), least


def _parts(design: Design, track: Track, widths: list[int]) -> list[Track]:
    """Cut a track where its width changes; the first part keeps its id."""
    parts: list[Track] = []
    start = 0
    for k in range(1, len(widths) + 1):
        if k == len(widths) or widths[k] != widths[start]:
            name, count = track.id, 1
            while parts and (name in design.tracks or name == parts[-1].id):
                count += 1
                name = f"{track.id}-{len(parts)}{'' if count == 2 else f'-{count}'}"
            points = track.points[start : k + 1]
            parts.append(track.model_copy(update={"id": name, "width_nm": widths[start], "points": points}))
            start = k
    return parts
