"""Tracks laid by hand: the way under the pointer, and laying what was drawn; the view itself is in ``board.js``."""

from __future__ import annotations

from threading import Lock
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.board.tracks.reroute import needless
from vane_step.core.derive import alone
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper
from vane_step.core.design.model import Design, Layer, Track, Via
from vane_step.core.errors import EditRefused, InputError, StaleEdit
from vane_step.core.memo import MEMO
from vane_step.core.quantity import nm
from vane_step.core.route.guide import Guide, Spot
from vane_step.store.designs import Kept
from vane_step.web.pages.changes import answer
from vane_step.web.render import store_of

router = APIRouter()
READ = ("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes")
# Grids hang on all of these; one hand asks at a time.
_one_at_a_time = Lock()

Mm = Annotated[float, Field(ge=-2000, le=2000, allow_inf_nan=False)]
PointMm = tuple[Mm, Mm]


class WayAsked(BaseModel):
    """From where to where on one layer, past which point, and which copper to leave out; lengths in millimetres."""

    model_config = ConfigDict(extra="forbid")
    version: int
    net: str = Field(max_length=64)
    layer: Layer
    start: PointMm
    goal: PointMm
    through: PointMm | None = None
    width: float = Field(gt=0, le=100)
    without: tuple[str, ...] = Field(default=(), max_length=200)


class Run(BaseModel):
    """Straight pieces of one width on one layer, in millimetres."""

    model_config = ConfigDict(extra="forbid")
    layer: Layer
    width: float = Field(gt=0, le=100)
    points: tuple[PointMm, ...] = Field(min_length=2, max_length=2000)


class Laid(BaseModel):
    """A way drawn by hand, and the copper it takes the place of."""

    model_config = ConfigDict(extra="forbid")
    version: int
    net: str = Field(max_length=64)
    runs: tuple[Run, ...] = Field(min_length=1, max_length=200)
    vias: tuple[PointMm, ...] = Field(default=(), max_length=200)
    without: tuple[str, ...] = Field(default=(), max_length=200)


def _kept(request: Request, id: str, version: int) -> Kept:
    kept = store_of(request).get(id)
    if kept.version != version:
        raise StaleEdit(
            "The design was changed elsewhere meanwhile; nothing was done.",
            where=id,
            value=f"version {version}",
            allowed=f"version {kept.version}",
            next_step="Look at what changed and do it again.",
        )
    return kept


@router.post("/d/{id}/way")
def way(request: Request, id: str, asked: WayAsked) -> dict[str, Any]:
    """Give the shortest legal way on one layer, as runs of points; ``runs`` is null when there is none.

    ``grid`` is the origin and pitch of the grid ways run on: who draws on it meets them exactly.
    """
    kept = _kept(request, id, asked.version)
    with _one_at_a_time, alone:
        guide = _guide(kept, asked)
        lattice = guide.problem.lattice
        spots = [Spot(asked.layer, *p) for p in (asked.start, asked.through or asked.goal, asked.goal)]
        found = guide.past(spots[0], spots[1], spots[2]) if asked.through else guide.way(spots[0], spots[2])
    told: dict[str, Any] = {"runs": None, "grid": [lattice.x0, lattice.y0, lattice.pitch]}
    if found is None:
        return told
    legs = found.tracks
    runs = [{"layer": t.layer, "width": t.width_nm / 1e6, "points": [_mm(p) for p in t.points]} for t in legs]
    return {**told, "runs": runs}


def _mm(point: tuple[int, int]) -> tuple[float, float]:
    return point[0] / 1e6, point[1] / 1e6


def _guide(kept: Kept, asked: WayAsked) -> Guide:
    held = tuple(kept.design.digest(s) for s in READ)
    key = ("guide", held, asked.net, asked.width, asked.without)
    known: Guide | None = MEMO.get(key)
    if known is None:
        design = _at_width(kept.design, asked.net, nm(asked.width))
        known = MEMO.put(key, Guide(design, asked.net, asked.without), like="guide")
    return known


def _at_width(design: Design, name: str, width_nm: int) -> Design:
    rule = design.rule_of(name)
    if name not in design.nets or width_nm == rule.width_nm:
        return design
    other = rule.model_copy(update={"width_nm": width_nm})
    return design.replaced(nets={**design.nets, name: design.nets[name].model_copy(update={"rule": other})})


@router.post("/d/{id}/lay")
def lay(request: Request, id: str, laid: Laid) -> dict[str, Any]:
    """Lay a way drawn by hand; what it replaces is removed in the same change."""
    kept = _kept(request, id, laid.version)
    design = kept.design
    for name in laid.without:
        item = design.tracks.get(name) or design.vias.get(name)
        if item is None or item.net != laid.net:
            raise InputError(
                f"{name} is no track or via of {laid.net}.",
                where="lay",
                value=name,
                next_step="Choose what is there now.",
            )
        if item.locked:
            raise EditRefused(f"{name} is locked in place.", where=name, next_step="Unlock it first.")
    names = Names(design)
    # A track that is bent stays the same track.
    stays = [k for k in laid.without if k in design.tracks][:1]
    tracks = tuple(
        Track(id=name, net=laid.net, layer=r.layer, width_nm=nm(r.width), points=_points(r.points))
        for r in _merged(laid.runs)
        for name in (stays.pop() if stays else names.next("T"),)
    )
    rules = design.board.rules
    size: dict[Literal["pad_nm", "drill_nm"], int] = {
        "pad_nm": rules.via_pad_nm,
        "drill_nm": rules.via_drill_nm,
    }
    vias = tuple(Via(id=names.next("V"), net=laid.net, x_nm=nm(x), y_nm=nm(y), **size) for x, y in laid.vias)
    edit = LayCopper(lift=laid.without, tracks=tracks, vias=vias)
    old = needless(design, edit)
    edit = edit.model_copy(update={"lift": (*laid.without, *(k for k in old if k not in laid.without))})
    label = f"bend {laid.net}" if laid.without else f"draw {laid.net} by hand"
    if old and not laid.without:
        label += " in place of its old way"
    return answer(request, store_of(request).edit(id, edit, label, laid.version), label)


def _points(points: tuple[PointMm, ...]) -> tuple[tuple[int, int], ...]:
    at = [(nm(x), nm(y)) for x, y in points]
    return tuple(p for k, p in enumerate(at) if k == 0 or p != at[k - 1])


def _merged(runs: tuple[Run, ...]) -> list[Run]:
    """Join runs that go on from each other on one layer at one width; runs of one point only are dropped."""
    found: list[Run] = []
    for run in runs:
        if len(_points(run.points)) < 2:
            continue
        last = found[-1] if found else None
        if last and (last.layer, last.width, last.points[-1]) == (run.layer, run.width, run.points[0]):
            found[-1] = last.model_copy(update={"points": (*last.points, *run.points[1:])})
        else:
            found.append(run)
    if not found:
        raise InputError(
            "The way has no length.", where="lay", next_step="Draw it from one place to another."
        )
    return found
