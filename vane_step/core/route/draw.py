"""Turns the paths of a routing run into tracks, vias and jumpers of the design; no way is chosen here."""

from __future__ import annotations

from itertools import groupby

import numpy as np
from shapely.geometry import Point

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper
from vane_step.core.design.model import Design, Jumper, PointNm, Track, Via
from vane_step.core.quantity import nm
from vane_step.core.route.path import Path, Routed
from vane_step.core.route.problem import Lattice, NetJob, Problem


def draw(problem: Problem, routed: list[Routed], design: Design) -> LayCopper:
    """Turn paths into copper with ids the design does not use yet."""
    names = Names(design)
    lat, rules = problem.lattice, design.board.rules
    tracks: list[Track] = []
    vias: list[Via] = []
    jumpers: list[Jumper] = []
    centres = _centres(lat, design)
    for net in routed:
        job = net.job
        for path in net.paths:
            tracks += _tracks(path, lat, job, names, centres.get(job.name, {}))
            for x, y in dict.fromkeys(_points(path.vias, lat)) if not len(path.wires) else ():
                pad, drill = rules.via_pad_nm, rules.via_drill_nm
                vias.append(Via(id=names.next("V"), net=job.name, x_nm=x, y_nm=y, pad_nm=pad, drill_nm=drill))
            for a, b in zip(_points(path.wires[:, :2], lat), _points(path.wires[:, 2:], lat), strict=True):
                sizes = rules.jumper
                assert sizes is not None
                jumper = Jumper(
                    id=names.next("W"),
                    net=job.name,
                    a=a,
                    b=b,
                    pad_nm=sizes.pad_nm,
                    drill_nm=sizes.drill_nm,
                    wire_nm=sizes.wire_nm,
                )
                jumpers.append(jumper)
    return LayCopper(tracks=tuple(tracks), vias=tuple(vias), jumpers=tuple(jumpers))


def _points(xy: np.ndarray, lat: Lattice) -> list[PointNm]:
    x = np.rint((lat.x0 + xy[:, 0] * lat.pitch) * 1e6).astype(np.int64)
    y = np.rint((lat.y0 + xy[:, 1] * lat.pitch) * 1e6).astype(np.int64)
    return list(zip(x.tolist(), y.tolist(), strict=True))


def _tracks(
    path: Path, lat: Lattice, job: NetJob, names: Names, centres: dict[PointNm, PointNm]
) -> list[Track]:
    """Join straight pieces of one layer and width to tracks, and carry their ends to the middle of round pads."""
    tracks: list[Track] = []
    if not len(path.lines):
        return tracks
    starts, ends = _points(path.lines[:, 1:3], lat), _points(path.lines[:, 3:5], lat)
    # A via or a wire between two pieces breaks the run even where the layer comes back.
    breaks = np.cumsum([0, *(a != b for a, b in zip(starts[1:], ends[:-1], strict=True))])
    kind = zip(path.lines[:, 0].tolist(), path.lines[:, 5].tolist(), breaks.tolist(), strict=True)
    for (layer, thin, _), run in groupby(zip(kind, starts, ends, strict=True), key=lambda piece: piece[0]):
        pieces = list(run)
        points = [pieces[0][1]]
        points += [end for _, _, end in pieces if end != points[-1]]
        if len(points) < 2:
            continue
        if centres.get(points[0], points[0]) != points[0]:
            points.insert(0, centres[points[0]])
        if centres.get(points[-1], points[-1]) != points[-1]:
            points.append(centres[points[-1]])
        width = nm(job.neck_mm if thin else job.width_mm)
        layer_name = lat.layers[int(layer)]
        tracks.append(
            Track(id=names.next("T"), net=job.name, layer=layer_name, width_nm=width, points=tuple(points))
        )
    return tracks


def _centres(lat: Lattice, design: Design) -> dict[str, dict[PointNm, PointNm]]:
    """Map, for every net, the grid point next to each round pad to its middle: a track ends in the middle."""
    found: dict[str, dict[PointNm, PointNm]] = {}
    for item in connectivity(design).items:
        if item.kind == "pad" and item.net and isinstance(item.spine, Point):
            i, j = round((item.x_mm - lat.x0) / lat.pitch), round((item.y_mm - lat.y0) / lat.pitch)
            grid = _points(np.array([[i, j]]), lat)[0]
            found.setdefault(item.net, {})[grid] = (nm(item.x_mm), nm(item.y_mm))
    return found
