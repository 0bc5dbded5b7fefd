"""A board to fit where another one fits: outline, holes and connector places read from the other board's files."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import count

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.design.edits import PlaceParts, RemoveItem, SetCutouts, SetItem, SetOutline, Together
from vane_step.core.design.model import Cutout, Design, MountingHole, Side
from vane_step.core.errors import InputError
from vane_step.core.fab.archive import unpacked
from vane_step.core.fab.mating import Component, Offer, Pad, Spot, mate, spots
from vane_step.core.fab.reader import (
    ReadDrill,
    ReadLayer,
    ReadPoint,
    UnreadableFile,
    read_drill,
    read_gerber,
    read_netlist,
)
from vane_step.core.quantity import nm

# What a screw's head needs round the middle of its hole, as a share of the hole.
HEAD = 1.0


@dataclass
class OtherBoard:
    """What another board's files say: the edit that takes it over, and what was found."""

    edit: Together
    width_mm: float
    height_mm: float
    holes: int
    placed: dict[str, tuple[float, float]] = field(default_factory=dict)
    why: dict[str, str] = field(default_factory=dict)
    asked: dict[str, tuple[Offer, ...]] = field(default_factory=dict)
    left_out: list[str] = field(default_factory=list)
    spots: tuple[Spot, ...] = ()


def other_board(design: Design, files: Mapping[str, bytes]) -> OtherBoard:
    """Read the outline, the bare holes and the places of connectors from another board's files.

    Parameters
    ----------
    files : mapping of str to bytes
        Gerber files (the outline by its file function *Profile*, or the only one; pads by their attributes in copper),
        XNC drill files and an IPC-D-356A netlist, loose or zipped; others are left out.

    Returns
    -------
    OtherBoard
        Its edit sets the outline with its lower left corner at the origin, replaces the mounting holes, and places and
        locks the connectors of which it is certain where they go; the others are asked, see ``mating``.

    Raises
    ------
    InputError
        When there is no outline in the files, or one cannot be read.
    """
    layers, drills, points, left_out = _read(unpacked(files))
    ring = _outline([x for x in layers if not _is_copper(x)])
    x0, y0, x1, y1 = ring.bounds
    edits: list[SetOutline | SetCutouts | SetItem | RemoveItem | PlaceParts] = [
        SetOutline(outline=tuple((nm(x - x0), nm(y - y0)) for x, y in list(ring.exterior.coords)[:-1])),
        SetCutouts(
            cutouts=tuple(
                Cutout(
                    id=f"CUT{k}", points=tuple((nm(x - x0), nm(y - y0)) for x, y in list(hole.coords)[:-1])
                )
                for k, hole in enumerate(ring.interiors, 1)
            )
        ),
    ]
    edits += [RemoveItem(id=name) for name in design.holes]
    bare = [h for d in drills if not d.plated for h in d.holes]
    names = (name for k in count(1) if (name := f"H{k}") not in design.parts)
    for name, (x, y, size) in zip(names, sorted(bare), strict=False):
        hole = MountingHole(
            id=name, x_nm=nm(x - x0), y_nm=nm(y - y0), drill_nm=nm(size), keepout_nm=nm(size * HEAD)
        )
        edits.append(SetItem(hole=hole))
    plated = np.array([(x - x0, y - y0, wide) for d in drills if d.plated for x, y, wide in d.holes]).reshape(
        -1, 3
    )
    components = _components(layers, points, plated, (x0, y0))
    met = mate(design, components, plated)
    if met.places:
        edits.append(
            PlaceParts(places={r: p.model_copy(update={"locked": True}) for r, p in met.places.items()})
        )
    found = {ref: (p.x_nm / 1e6, p.y_nm / 1e6) for ref, p in met.places.items()}
    return OtherBoard(
        Together(edits=tuple(edits)),
        x1 - x0,
        y1 - y0,
        len(bare),
        found,
        met.why,
        met.asked,
        left_out,
        spots(components, plated),
    )


def _is_copper(layer: ReadLayer) -> bool:
    return bool(layer.function) and layer.function[0] == "Copper"


def _components(
    layers: list[ReadLayer], points: list[ReadPoint], plated: np.ndarray, origin: tuple[float, float]
) -> dict[str, Component]:
    """Gather the parts that the files name, with their pads: from attributes in copper, else from the test netlist."""
    seen: dict[tuple[str, str, float, float], tuple[set[Side], str]] = {}
    for layer in layers:
        side = {"Top": "front", "Bot": "back"}.get(layer.function[2] if len(layer.function) > 2 else "")
        for flash in layer.flashes if _is_copper(layer) and side else ():
            pin = flash.attributes.get(".P") or flash.attributes.get("P")
            if pin is None or len(pin) < 2:
                continue
            net = (flash.attributes.get(".N") or flash.attributes.get("N") or ("",))[0]
            key = pin[0], pin[1], round(flash.x - origin[0], 4), round(flash.y - origin[1], 4)
            sides, _ = seen.setdefault(key, (set(), net))
            sides.add("front" if side == "front" else "back")
    if not seen:
        for point in points:
            on: set[Side] = (
                {"front", "back"} if point.access == 0 else {"front"} if point.access == 1 else {"back"}
            )
            key = point.ref, point.pin, round(point.x - origin[0], 4), round(point.y - origin[1], 4)
            if point.pin:
                seen[key] = on, "" if point.net == "N/C" else point.net
    found: dict[str, Component] = {}
    drilled = {(round(x, 1), round(y, 1)) for x, y, _ in plated.tolist()}
    for (ref, number, x, y), (sides, net) in seen.items():
        both = (round(x, 1), round(y, 1)) in drilled
        reach: frozenset[Side] = frozenset({"front", "back"}) if both else frozenset(sides)
        found.setdefault(ref, Component(ref)).pads.setdefault(number, []).append(Pad(x, y, reach, net))
    return found


def _read(files: dict[str, bytes]) -> tuple[list[ReadLayer], list[ReadDrill], list[ReadPoint], list[str]]:
    layers: list[ReadLayer] = []
    drills: list[ReadDrill] = []
    points: list[ReadPoint] = []
    left_out: list[str] = []
    for name, data in files.items():
        text = data.decode("utf-8", errors="replace")
        try:
            if text.lstrip().startswith("M48"):
                drills.append(read_drill(text, name))
            elif "%FS" in text[:4000]:
                # Of copper its pads are of use, and its image takes long to make.
                if "FileFunction" not in text or re.search("FileFunction,(Profile|Copper)", text):
                    layers.append(read_gerber(text, name, imaged=False))
            elif re.search(r"(?m)^(317|327)", text) and "UNITS CUST 1" in text:
                points += read_netlist(text, name)
            else:
                left_out.append(name)
        except UnreadableFile as error:
            raise InputError(
                f"It cannot be read: {error}.",
                where=name,
                next_step="Export it anew as Gerber X2 or XNC.",
            ) from error
    return layers, drills, points, left_out


def _outline(layers: list[ReadLayer]) -> Polygon:
    marked = [x for x in layers if x.function and x.function[0] == "Profile"] or layers
    if len(marked) != 1:
        raise InputError(
            "There is no outline in the files.",
            where="outline",
            value=f"{len(marked)} Gerber files",
            allowed="one Gerber file with the function Profile",
            next_step="Choose the file with the board's profile.",
        )
    lines = (
        shapely.linestrings([line for line in marked[0].lines if line[0] != line[1]])
        if marked[0].lines
        else []
    )
    rings = [p for p in shapely.polygonize(lines).geoms if p.area > 1.0] if len(lines) else []
    if not rings:
        raise InputError(
            "Its outline is not closed.",
            where=marked[0].name,
            next_step="Export the board's profile as closed lines.",
        )
    largest = max((Polygon(p.exterior) for p in rings), key=lambda p: p.area)
    inner = [Polygon(p.exterior) for p in rings]
    cutouts = [p for p in inner if p.area < largest.area and largest.contains(p)]
    return shapely.geometry.polygon.orient(Polygon(largest.exterior, [p.exterior for p in cutouts]))
