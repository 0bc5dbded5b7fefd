"""A board to fit where another one fits: outline, holes and connector places read from the other board's files."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.geometry import place_point
from vane_step.core.design.edits import PlaceParts, RemoveItem, SetCutouts, SetItem, SetOutline, Together
from vane_step.core.design.model import Cutout, Design, MountingHole, Part, PartPlace, natural
from vane_step.core.errors import InputError
from vane_step.core.fab.reader import ReadDrill, ReadLayer, UnreadableFile, read_drill, read_gerber
from vane_step.core.quantity import nm

if TYPE_CHECKING:
    from scipy.spatial import KDTree

# How far the holes of the other board may be off those of a part's package.
FIT_MM = 0.06
# How much narrower or wider, as a share of those of the package: a via is no hole of a part.
WIDTHS = (0.7, 1.6)
MAX_BYTES, MAX_FILES = 50_000_000, 60
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
    left_out: list[str] = field(default_factory=list)


def other_board(design: Design, files: Mapping[str, bytes]) -> OtherBoard:
    """Read the outline, the bare holes and the places of connectors from another board's files.

    Parameters
    ----------
    files : mapping of str to bytes
        Gerber files (the outline by its file function *Profile*, or the only one) and XNC drill files, loose or
        zipped; others are left out.

    Returns
    -------
    OtherBoard
        Its edit sets the outline with its lower left corner at the origin, replaces the mounting holes, and places
        unlocked parts of two drilled pads or more whose pads meet plated holes of the other board.

    Raises
    ------
    InputError
        When there is no outline in the files, or one cannot be read.
    """
    layers, drills, left_out = _read(_unpacked(files))
    ring = _outline(layers)
    x0, y0, x1, y1 = ring.bounds
    edits: list[SetOutline | SetCutouts | SetItem | RemoveItem | PlaceParts] = [
        SetOutline(outline=tuple((nm(x - x0), nm(y - y0)) for x, y in list(ring.exterior.coords)[:-1])),
        SetCutouts(
            cutouts=tuple(
                Cutout(id=f"CUT{k}", points=tuple((nm(x - x0), nm(y - y0)) for x, y in list(hole.coords)[:-1]))
                for k, hole in enumerate(ring.interiors, 1)
            )
        ),
    ]
    edits += [RemoveItem(id=name) for name in design.holes]
    bare = [h for d in drills if not d.plated for h in d.holes]
    for k, (x, y, size) in enumerate(sorted(bare), 1):
        hole = MountingHole(
            id=f"H{k}", x_nm=nm(x - x0), y_nm=nm(y - y0), drill_nm=nm(size), keepout_nm=nm(size * HEAD)
        )  # fmt: skip
        edits.append(SetItem(hole=hole))
    plated = np.array([(x - x0, y - y0, wide) for d in drills if d.plated for x, y, wide in d.holes]).reshape(-1, 3)
    places = _fitting(design, plated)
    if places:
        edits.append(PlaceParts(places=dict(places)))
    found = {ref: (p.x_nm / 1e6, p.y_nm / 1e6) for ref, p in places.items()}
    return OtherBoard(Together(edits=tuple(edits)), x1 - x0, y1 - y0, len(bare), found, left_out)


def _unpacked(files: Mapping[str, bytes]) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    for name, data in files.items():
        if not name.lower().endswith(".zip"):
            found[name] = data
            continue
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                for info in archive.infolist():
                    if info.file_size > MAX_BYTES or len(found) >= MAX_FILES:
                        raise InputError("The archive is too large.", where=name, allowed=f"{MAX_FILES} files")
                    if not info.is_dir():
                        found[info.filename] = archive.read(info)
        except zipfile.BadZipFile as error:
            raise InputError("That is no zip archive.", where=name, next_step="Pack the files anew.") from error
    return found


def _read(files: dict[str, bytes]) -> tuple[list[ReadLayer], list[ReadDrill], list[str]]:
    layers, drills, left_out = [], [], []
    for name, data in files.items():
        text = data.decode("utf-8", errors="replace")
        try:
            if text.lstrip().startswith("M48"):
                drills.append(read_drill(text, name))
            elif "%FS" in text[:4000]:
                # Copper is of no use here, and takes long to read.
                if "FileFunction" not in text or "FileFunction,Profile" in text:
                    layers.append(read_gerber(text, name))
            else:
                left_out.append(name)
        except UnreadableFile as error:
            raise InputError(
                f"It cannot be read: {error}.", where=name,
                next_step="Export it anew as Gerber X2 or XNC.",
            ) from error
    return layers, drills, left_out


def _outline(layers: list[ReadLayer]) -> Polygon:
    marked = [x for x in layers if x.function and x.function[0] == "Profile"] or layers
    if len(marked) != 1:
        raise InputError(
            "There is no outline in the files.", where="outline", value=f"{len(marked)} Gerber files",
            allowed="one Gerber file with the function Profile", next_step="Take the file with the board's profile.",
        )  # fmt: skip
    lines = shapely.linestrings([line for line in marked[0].lines if line[0] != line[1]]) if marked[0].lines else []
    rings = [p for p in shapely.polygonize(lines).geoms if p.area > 1.0] if len(lines) else []
    if not rings:
        raise InputError(
            "Its outline is not closed.", where=marked[0].name,
            next_step="Export the board's profile as closed lines.",
        )
    largest = max((Polygon(p.exterior) for p in rings), key=lambda p: p.area)
    inner = [Polygon(p.exterior) for p in rings]
    cutouts = [p for p in inner if p.area < largest.area and largest.contains(p)]
    return shapely.geometry.polygon.orient(Polygon(largest.exterior, [p.exterior for p in cutouts]))


def _fitting(design: Design, plated: np.ndarray) -> dict[str, PartPlace]:
    """Place parts whose drilled pads all meet holes of the other board; most pads first, every hole once."""
    # Here, since most commands have no use for what it takes a quarter of a second to load.
    from scipy.spatial import KDTree

    places: dict[str, PartPlace] = {}
    used: set[int] = set()
    tree = KDTree(plated[:, :2]) if len(plated) else None
    parts = [p for p in design.parts.values() if not (p.place and p.place.locked)]
    for part in sorted(parts, key=lambda p: (-len(_drilled(design, p)), natural(p.ref))):
        drilled = _drilled(design, part)
        if tree is None or len(drilled) < 2 or len(drilled) < len(design.packages[part.package].pads):
            continue
        for turn in (0, 90, 180, 270):
            flat = PartPlace(x_nm=0, y_nm=0, turn_deg=turn)
            at = [(*place_point(flat, x, y), wide) for x, y, wide in drilled]
            pads = np.array(at) / 1e6
            found = _meets(tree, plated, pads, used)
            if found is not None:
                spot, holes = found
                places[part.ref] = PartPlace(x_nm=nm(float(spot[0])), y_nm=nm(float(spot[1])), turn_deg=turn)
                used |= holes
                break
    return places


def _drilled(design: Design, part: Part) -> list[tuple[int, int, int]]:
    """Give x, y and width of the holes of a part's package, in nanometres."""
    return [(p.x_nm, p.y_nm, p.drill_nm) for p in design.packages[part.package].pads if p.layers == "through"]


def _meets(tree: KDTree, plated: np.ndarray, pads: np.ndarray, used: set[int]) -> tuple[np.ndarray, set[int]] | None:
    """Find where a pattern of pads meets holes not used yet, as wide; nothing of the same row may go on at its ends.

    Pads and holes are rows of x, y and width in millimetres.
    """
    for k in range(len(plated)):
        if k in used:
            continue
        spot = (plated[k] - pads[0])[:2]
        distance, at = tree.query(pads[:, :2] + spot)
        holes = {int(i) for i in at}
        if (distance > FIT_MM).any() or len(holes) < len(pads) or holes & used:
            continue
        wide = plated[at, 2] / pads[:, 2]
        if (wide < WIDTHS[0]).any() or (wide > WIDTHS[1]).any():
            continue
        step = (pads[1] - pads[0])[:2]
        beyond = tree.query([plated[k, :2] - step, plated[k, :2] + step * len(pads)])[0]
        if (beyond > FIT_MM).all():
            return spot, holes
    return None
