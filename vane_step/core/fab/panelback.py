"""Reads the files of a panel back as copies of a board's files, which were read back already by ``readback``.

A panel is its board repeated, and so are its layers: each object of the board's file, carried to the place of a copy,
has to be there in the same order, and nothing else may be. What joins and parts a copy's copper is then what it was.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.design.model import Design
from vane_step.core.fab.panel import Copy
from vane_step.core.fab.readback import ReadBack, compare_drills, compare_outline, compare_points
from vane_step.core.fab.reader import ReadObject, read_drill, read_gerber, read_netlist, read_objects
from vane_step.core.finding import Finding, tell

# Coordinates of both files are whole nanometres.
APART_MM = 1e-6
AREA_MM2 = 1e-6
Objects = tuple[list[ReadObject], dict[int, BaseGeometry]]


class Made(Protocol):
    """Files of a board and what reading them back gave."""

    @property
    def name(self) -> str:
        """What the names of its files begin with."""

    @property
    def files(self) -> dict[str, str]:
        """Texts by name."""

    @property
    def read(self) -> ReadBack:
        """What reading them back gave."""


@dataclass(frozen=True)
class Repeated:
    """A board, the copies of it on a panel, and what the panel has beside them as a design of its own."""

    board: Design
    frame: Design
    copies: tuple[Copy, ...]


def read_back_panel(repeated: Repeated, once: Made, whole: Design, files: Mapping[str, str]) -> ReadBack:
    """Read the files of a panel and compare them with those of its board, and with the panel as a design.

    Parameters
    ----------
    repeated : Repeated
        The board and its copies.
    once : Made
        The board's own files, read back; what differs there differs here.
    whole : Design
        The panel as a design, for outline, holes and test netlist.
    files : mapping
        The panel's files.

    Raises
    ------
    UnreadableFile
        For a command that is not understood, with file and command.
    """
    found: list[Finding] = list(once.read.differences)
    readings: dict[str, float | int] = {**once.read.readings, "copies": len(repeated.copies)}
    base = next(n for n in files if n.endswith("-profile.gbr")).removesuffix("-profile.gbr")
    profile = {
        n: read_gerber(files[n], n, imaged=False) for n in files if n.endswith(("-profile.gbr", "-score.gbr"))
    }
    for name, text in once.files.items():
        suffix = name.removeprefix(once.name)
        # Where parts and holes lie is drawn of a board and not again of its panel.
        drawn = suffix in ("-profile.gbr", "-drillmap.gbr") or "-components-" in suffix
        if name.endswith(".gbr") and not drawn:
            there = base + suffix
            if there not in files:
                found.append(tell("layers", f"The panel lacks {there}", sense="at most"))
                continue
            found += _compare_layer(
                repeated, read_objects(text, name), read_objects(files[there], there), there
            )
    drills = {n: read_drill(t, n) for n, t in files.items() if n.endswith(".xnc")}
    points = [p for n, t in files.items() if n.endswith(".ipc") for p in read_netlist(t, n)]
    found += compare_outline(whole, profile, readings)
    found += compare_drills(whole, drills, readings)
    found += compare_points(whole, points, readings)
    return ReadBack(tuple(found), readings, profile, drills)


def _compare_layer(repeated: Repeated, once: Objects, all_of_it: Objects, name: str) -> Iterator[Finding]:
    mine, theirs = once[0], all_of_it[0]
    beside = len(theirs) - len(mine) * len(repeated.copies)
    holes = [(h.x_nm / 1e6, h.y_nm / 1e6) for h in repeated.frame.holes.values()] if "-mask-" in name else []
    if beside != len(holes) or not _are_bores(theirs[: len(holes)], holes):
        text = f"{name} has {len(theirs)} objects, {len(repeated.copies)} boards have {len(mine)} each"
        yield tell("panel-objects", text, len(theirs), len(mine) * len(repeated.copies) + len(holes))
        return
    reach: list[tuple[float, float, float, float]] = []
    for k, copy in enumerate(repeated.copies):
        here = theirs[len(holes) + k * len(mine) : len(holes) + (k + 1) * len(mine)]
        if not _alike(copy, (mine, once[1]), (here, all_of_it[1])):
            yield tell(
                "panel-copy",
                f"In {name} board {copy.number} differs from the board by itself",
                sense="at most",
            )
        if here:
            reach.append(_extent(here, all_of_it[1]))
    if "-copper-" in name and len(reach) > 1:
        boxes = shapely.box(*np.array(reach).T)
        first, second = STRtree(boxes).query(boxes, predicate="intersects")
        for a, b in zip(first[first < second], second[first < second], strict=True):
            yield tell(
                "panel-overlap",
                f"In {name} the copper of boards {a + 1} and {b + 1} overlaps",
                sense="at most",
            )


def _are_bores(objects: list[ReadObject], holes: list[tuple[float, float]]) -> bool:
    return all(o.dark and o.kind == "flash" for o in objects) and all(
        max(abs(o.points[0][0] - x), abs(o.points[0][1] - y)) <= APART_MM
        for o, (x, y) in zip(objects, holes, strict=True)
    )


def _alike(copy: Copy, once: Objects, here: Objects) -> bool:
    """Tell whether some objects are those of the board at a copy's place, with the same shapes turned as it is."""
    mine, theirs = once[0], here[0]
    if [(o.dark, o.kind, len(o.points)) for o in mine] != [(o.dark, o.kind, len(o.points)) for o in theirs]:
        return False
    if not mine:
        return True
    if np.abs(_carried(copy, _points(mine)) - _points(theirs)).max() > APART_MM * 1.5:
        return False
    shapes = {(a.aperture, b.aperture) for a, b in zip(mine, theirs, strict=True) if a.kind != "region"}
    return all(
        affinity.rotate(once[1][a], copy.turn_deg, origin=(0, 0)).symmetric_difference(here[1][b]).area
        < AREA_MM2
        for a, b in shapes
    )


def _points(objects: list[ReadObject]) -> np.ndarray:
    return np.array([p for o in objects for p in o.points])


def _carried(copy: Copy, points: np.ndarray) -> np.ndarray:
    """Carry points (n x 2, mm) to a copy's place: the same rule as its writer's, worked out apart from it."""
    x0, y0, _, y1 = copy.bounds
    x, y = points[:, 0] - x0, points[:, 1] - y0
    if copy.turned:
        x, y = (y1 - y0) - y, x
    return np.column_stack([x + copy.x, y + copy.y])


def _extent(
    objects: list[ReadObject], shapes: Mapping[int, BaseGeometry]
) -> tuple[float, float, float, float]:
    grown = {k: float(np.abs(s.bounds).max()) for k, s in shapes.items() if not s.is_empty}
    reach = np.repeat(
        [0.0 if o.kind == "region" else grown.get(o.aperture, 0.0) for o in objects],
        [len(o.points) for o in objects],
    )
    points = _points(objects)
    low, high = (points - reach[:, None]).min(axis=0), (points + reach[:, None]).max(axis=0)
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])
