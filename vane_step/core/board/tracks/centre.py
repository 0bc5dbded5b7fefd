"""Tracks slid to the middle of the room they lie in, without getting longer; finding ways is the router's."""

from __future__ import annotations

import numpy as np
import shapely

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.drc.joints import joint_findings
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.copper_table import TOUCH_MM, board_columns
from vane_step.core.board.geometry.diff_pairs import sense_twins
from vane_step.core.board.geometry.room import room_mm
from vane_step.core.board.geometry.shapes import LAYER_BIT
from vane_step.core.design.boardedits import LayCopper
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design, PointNm, Track
from vane_step.core.errors import EditRefused

# Room beyond the gaps that is worth moving for, and the least gain worth it, in mm.
ENOUGH_MM, GAIN_MM = 0.5, 0.02
# How far a piece slides at most (nm), places tried on its way and again round the best, and what its neighbours keep of
# their length (nm).
FAR_NM, PLACES, LEFT_NM = 1_500_000, 33, 200_000
# Pieces that share a neighbour slide one after the other.
PASSES = 3


def centred(design: Design, nets: set[str] | None = None) -> LayCopper:
    """Slide the pieces of tracks that run between two parallel ones to where they have most room on both sides.

    Such a piece keeps its direction and the track its length and corners, wherever along its neighbours it lies. Ends,
    places where other copper of the net meets the track, and kept tracks stay; every gap is kept or gets wider. Of all
    nets, sense pairs are left out.

    Raises
    ------
    EditRefused
        When no piece would gain room.
    """
    # Pours give way to tracks, so they are left out of what is asked.
    after = design.replaced(pours={})
    # Pairs are to lie beside each other, not apart in the middle.
    paired = {net for pair in sense_twins(design) for net in pair}
    for net in sorted({t.net for t in design.tracks.values()} - paired if nets is None else nets):
        for turn in range(PASSES):
            mine = [t for t in after.tracks.values() if t.net == net]
            moved = [slid for t in mine if (slid := _slid(after, t, turn)) is not None]
            if moved:
                then = apply(after, LayCopper(lift=tuple(t.id for t in moved), tracks=tuple(moved)))[0]
                if len(connectivity(then).open_links) <= len(connectivity(after).open_links):
                    after = then
    # Where a slid piece comes to graze another of its net, the net stays as it was.
    known = {f.key() for f in joint_findings(Layout(design.replaced(pours={})))}
    grazing = {f.place.net for f in joint_findings(Layout(after)) if f.key() not in known}
    back = {t.id: t for t in design.tracks.values() if t.net in grazing}
    after = after.replaced(tracks={**after.tracks, **back})
    changed = tuple(t for t in after.tracks.values() if t is not design.tracks[t.id])
    if not changed:
        raise EditRefused(
            "No track has more room to one side than to the other.", where="board", next_step="Route first."
        )
    return LayCopper(lift=tuple(t.id for t in changed), tracks=changed)


def _slid(design: Design, track: Track, turn: int) -> Track | None:
    """Give a track with every third piece, from the ``turn``-th on, slid where that gains room; None when none is."""
    # A neck has to stay by its pad.
    if (
        track.locked
        or track.step
        or len(track.points) < 4
        or track.width_nm < design.rule_of(track.net).width_nm
    ):
        return None
    points = list(track.points)
    for k in range(1 + turn, len(points) - 2, PASSES):
        found = _best(design, track, points[k - 1 : k + 3])
        if found is not None:
            moved = [*points[:k], *found, *points[k + 2 :]]
            if _touched(design, track, points) <= _touched(design, track, moved):
                points = moved
    return track.model_copy(update={"points": tuple(points)}) if tuple(points) != track.points else None


def _best(design: Design, track: Track, four: list[PointNm]) -> tuple[PointNm, PointNm] | None:
    """Give the roomiest place of the middle one of three pieces; None where it is, or the others differ in heading."""
    at = np.array(four, dtype=np.int64)
    before, after = at[1] - at[0], at[3] - at[2]
    if before[0] * after[1] != before[1] * after[0] or (before * after).sum() <= 0:
        return None
    # Steps of whole nanometres along the neighbours: straight, or as many in x as in y.
    unit = np.sign(before)
    if (unit != 0).all() and abs(before[0]) != abs(before[1]):
        return None
    back, ahead = (min(FAR_NM, max(0, int(np.abs(v).max()) - LEFT_NM)) for v in (before, after))
    if back + ahead == 0:
        return None
    shifts = np.append(0, np.linspace(-back, ahead, PLACES).astype(np.int64))
    room = _room(design, track, at, shifts * unit[:, None], shifts)
    here, step = float(room[0]), (back + ahead) // (PLACES - 1)
    if here < -TOUCH_MM:
        return None
    # It does not leap over what is in its way.
    shut = shifts[room < -TOUCH_MM]
    low, high = shut[shut < 0].max(initial=-back - 1), shut[shut > 0].min(initial=ahead + 1)
    room[(shifts <= low) | (shifts >= high)] = -1.0
    best = shifts[room >= room.max() - 1e-9]
    top = int(best[np.abs(best).argmin()])
    fine = np.append(
        top, np.linspace(max(-back, top - step), min(ahead, top + step), PLACES).astype(np.int64)
    )
    room = _room(design, track, at, fine * unit[:, None], fine)
    if float(room.max()) < max(here, 0.0) + GAIN_MM:
        return None
    good = fine[room >= room.max() - 1e-9]
    (ax, ay), (bx, by) = (at[1:3] + int(good[np.abs(good).argmin()]) * unit).tolist()
    return (ax, ay), (bx, by)


def _room(design: Design, track: Track, at: np.ndarray, by: np.ndarray, shifts: np.ndarray) -> np.ndarray:
    """Give the room beyond its gaps the middle piece has in each of some places, -1 where it may not lie.

    ``by`` is how far both its ends move in x and y (2 x places, nm), with the sign of ``shifts``.
    """
    middle = (at[None, 1:3] + by.T[:, None, :]) / 1e6
    half = track.width_nm / 2e6
    room = room_mm(design, track.net, track.layer, shapely.linestrings(middle), half + ENOUGH_MM) - half
    # One neighbour gets longer, over ground that has to be free; which one the sign tells.
    ahead = shifts[:, None] > 0
    ground = np.stack(
        [np.where(ahead, at[1], at[2]) / 1e6, np.where(ahead, middle[:, 0], middle[:, 1])], axis=1
    )
    room[room_mm(design, track.net, track.layer, shapely.linestrings(ground), half) < half - TOUCH_MM] = -1.0
    return room


def _touched(design: Design, track: Track, points: list[PointNm]) -> set[int]:
    """Name the other copper of its net that a track touches where it runs along some points."""
    of = board_columns(design)
    line = shapely.linestrings(np.array(points, dtype=np.float64) / 1e6)
    half = track.width_nm / 2e6
    some = of.near_box(shapely.bounds(line), half)
    some = some[(of.net[some] == of.nets[track.net]) & (of.layers[some] & 1 << LAYER_BIT[track.layer] > 0)]
    near = some[shapely.distance(line, of.spines[some]) <= of.radius[some] + half + TOUCH_MM]
    return {int(k) for k in near if of.items[k].id != track.id}
