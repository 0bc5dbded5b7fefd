"""Files for a board read as one: its layers by what they are, holes, outline, nets followed through copper."""

from __future__ import annotations

import re
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
import shapely
from scipy.spatial import cKDTree
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.errors import InputError
from vane_step.core.fab.archive import unpacked
from vane_step.core.fab.copper_groups import CopperGroups, polygons
from vane_step.core.fab.read_drill import FORMS
from vane_step.core.fab.read_types import DrillFormat, ReadDrill, ReadLayer, ReadPoint, UnreadableFile
from vane_step.core.fab.reader import read_drill, read_gerber, read_netlist
from vane_step.core.inspect.roles import BACK, DRILLS, FRONT, MEET_MM, Role, guessed, role_of, says_unplated

AT_ONCE: Final = 2


@dataclass
class FileLayer:
    """A file that shows something: its name, what it is, and what was read."""

    name: str
    role: Role
    read: ReadLayer


@dataclass
class FileHoles:
    """A file of holes: its name, whether they are plated and why that is thought, and what was read."""

    name: str
    plated: bool
    why: str
    read: ReadDrill


@dataclass
class BoardFiles:
    """A board as files show it.

    Parameters
    ----------
    layers
        From the front to the back, what is no copper around it; outline last.
    drills
        Files of holes.
    outline
        The board's area, cut-outs taken off; empty where no file tells it.
    refused
        Files that could not be read, and why.
    nets
        By piece of copper (layer's name, number of its polygon) the number of what it hangs together with.
    names
        By that number the name of the net, where files say it.
    """

    layers: list[FileLayer]
    drills: list[FileHoles]
    outline: BaseGeometry
    refused: dict[str, str]
    left_out: list[str]
    nets: dict[tuple[str, int], int] = field(default_factory=dict)
    names: dict[int, str] = field(default_factory=dict)

    def copper(self) -> list[FileLayer]:
        """Give the copper layers from the front to the back."""
        return [x for x in self.layers if x.role.kind == "copper"]

    def of(self, kind: str, side: str = "") -> FileLayer | None:
        """Give the layer of a kind and side."""
        return next((x for x in self.layers if x.role.kind == kind and x.role.side == side), None)

    def holes(self) -> list[tuple[float, float, float, bool]]:
        """Give place, size and plating of every hole."""
        return [(*hole, d.plated) for d in self.drills for hole in d.read.holes]

    def bores(self) -> list[tuple[float, float, float, bool]]:
        """Give the same of every hole and of both ends of every slot."""
        return [(*bore, d.plated) for d in self.drills for bore in d.read.bores]


def read_board(files: Mapping[str, bytes], said: Mapping[str, str] | None = None) -> BoardFiles:
    """Read files for a board, loose or zipped, by whomever they were made.

    Parameters
    ----------
    said
        What a person says some of them are, by name (see :func:`role_of`); ``drill plated`` and ``drill unplated`` for
        holes.

    Raises
    ------
    InputError
        When nothing of it can be read, an archive is none or too large, or what is said is no kind of file.
    """
    said = dict(said or {})
    texts = {
        name: data.decode("utf-8", "replace") if b"\0" not in data[:4000] else ""
        for name, data in sorted(unpacked(files).items())
    }
    # Uniting shapes leaves the interpreter free: two files at a time take little more than one.
    with ThreadPoolExecutor(AT_ONCE) as pool:
        read = dict(zip(texts, pool.map(_read, texts.values(), texts), strict=True))
    layers = {n: x for n, x in read.items() if isinstance(x, ReadLayer)}
    drills = {n: x for n, x in read.items() if isinstance(x, ReadDrill)}
    points = [p for x in read.values() if isinstance(x, list) for p in x]
    refused = {n: x for n, x in read.items() if isinstance(x, str)}
    left_out = [n for n, x in read.items() if x is None]
    strange = sorted(said.keys() - texts.keys())
    if strange:
        raise InputError(
            f"There is no file {strange[0]} among these.", where=strange[0], allowed=", ".join(texts)[:300]
        )
    if not layers and not drills:
        raise InputError(
            "None of these files can be read." if refused else "There is no file of a board among these.",
            where=next(iter(refused), next(iter(files), "files")),
            allowed="Gerber (RS-274-X, X2, X3), drill files (XNC and older), IPC-D-356A, loose or in a zip",
            next_step=next(iter(refused.values()), "Send the files a board manufacturer would get."),
        )
    roles = guessed(layers, drills) | {n: role_of(t) for n, t in said.items() if n in layers}
    pads = [(f.x, f.y) for n, x in layers.items() if roles[n].kind == "copper" for f in x.flashes]
    drills = {n: d if d.sure else _best_form(texts[n], n, d, pads, layers) for n, d in drills.items()}
    outline = _outline([layers[n] for n, r in roles.items() if r.kind == "outline"])
    held = [FileLayer(n, roles[n], x) for n, x in layers.items()]
    held.sort(key=lambda x: _rank(x.role))
    holes = [_holes(n, d, pads, said.get(n, "")) for n, d in drills.items()]
    board = BoardFiles(held, holes, outline, refused, left_out)
    _follow(board, points)
    return board


def _read(text: str, name: str) -> ReadLayer | ReadDrill | list[ReadPoint] | str | None:
    """Read one file: what it holds, why it cannot be read, or nothing where it is no file of a board."""
    kind = kind_of(text)
    try:
        if kind == "gerber":
            return read_gerber(text, name, imaged="FileFunction,Component" not in text[:4000])
        if kind == "drill":
            return read_drill(text, name)
        return read_netlist(text, name) if kind == "netlist" else None
    except UnreadableFile as error:
        return str(error)


def kind_of(text: str) -> str:
    """Tell what language a file is in: gerber, drill, netlist, or none of them."""
    head = text[:20_000]
    if re.search(r"^(M48|;.*\n)*\s*M48", head) or re.search(r"^(METRIC|INCH)\b", head, re.MULTILINE):
        return "drill"
    if re.search(r"%(FS|MO|ADD|AM|TF|LP)", head) or re.search(
        r"^(G0?4.*|G54.*|D\d\d|(G0?1)?X-?\d+Y-?\d+D0?[123])\*", head, re.M
    ):
        return "gerber"
    if re.search(r"^T\d+C[\d.]+", head, re.MULTILINE) and "%" in head:
        return "drill"
    if re.search(r"^(317|327)", head, re.MULTILINE):
        return "netlist"
    return ""


def _rank(role: Role) -> tuple[int, int]:
    order = ("legend", "paste", "mask", "copper", "components", "outline", "other")
    kind = order.index(role.kind) if role.kind in order else len(order)
    if role.side == BACK:
        return 2, -kind
    inner = re.fullmatch(r"in(\d+)", role.side)
    if inner:
        return 1, int(inner[1])
    return (0, kind) if role.side == FRONT else (3, kind)


def _holes(name: str, read: ReadDrill, pads: list[tuple[float, float]], said: str) -> FileHoles:
    if said in DRILLS:
        return FileHoles(name, said == "drill plated", "a person said so", read)
    if read.says:
        return FileHoles(name, read.plated, "the file says so", read)
    if says_unplated(name):
        return FileHoles(name, False, "by its name", read)
    share = _on_pads([(x, y) for x, y, _ in read.bores], pads)
    return FileHoles(name, share > 0.5, f"{share:.0%} of its holes are in pads", read)


def _on_pads(spots: list[tuple[float, float]], pads: list[tuple[float, float]]) -> float:
    if not spots or not pads:
        return 0.0
    apart, _ = cKDTree(pads).query(spots)
    return float((apart < 0.05).mean())


def _best_form(
    text: str, name: str, usual: ReadDrill, pads: list[tuple[float, float]], layers: Mapping[str, ReadLayer]
) -> ReadDrill:
    """Read numbers that do not say how they are meant the way that lays most holes in pads, then within the layers."""
    bounds = [x.image.bounds for x in layers.values() if not x.image.is_empty]
    if usual.form is None or not bounds:
        return usual
    low, high = np.min([b[:2] for b in bounds], axis=0), np.max([b[2:] for b in bounds], axis=0)
    best = (-1.0, -1.0, usual)
    for unit in (usual.form.unit, "inch" if usual.form.unit == "mm" else "mm"):
        for whole, decimals in FORMS[unit]:
            for left_out in (usual.form.left_out, "leading", "trailing"):
                try:
                    read = read_drill(text, name, DrillFormat(unit, whole, decimals, left_out))
                except UnreadableFile:
                    continue
                spots = [(x, y) for x, y, _ in read.bores]
                inside = (
                    ((np.array(spots) >= low) & (np.array(spots) <= high)).all(axis=1).mean()
                    if spots
                    else 0.0
                )
                rank = _on_pads(spots, pads), float(inside)
                if rank > best[:2]:
                    best = (*rank, read)
    return replace(best[2], sure=False)


def _outline(read: list[ReadLayer]) -> BaseGeometry:
    """Give the board's area by the lines of its outline, or by what its file fills; rings within are cut out."""
    rings: list[Polygon] = []
    for layer in read:
        lines = [LineString(line) for line in layer.lines if line[0] != line[1]]
        if lines:
            exact = shapely.get_parts(shapely.polygonize([shapely.union_all(lines)])).tolist()
            # Ends that miss each other by a trace are brought together.
            snapped = shapely.set_precision(np.array(lines, dtype=object), MEET_MM)
            rings += exact or shapely.get_parts(shapely.polygonize([shapely.union_all(snapped)])).tolist()
        else:
            rings += [Polygon(p.exterior) for p in polygons(layer.filled)]
    if not rings:
        return Polygon()
    outer = max((Polygon(r.exterior) for r in rings), key=lambda r: float(r.area))
    within = [Polygon(r) for r in max(rings, key=lambda r: float(Polygon(r.exterior).area)).interiors]
    return outer.difference(shapely.union_all(within)) if within else outer


def _follow(board: BoardFiles, points: list[ReadPoint]) -> None:
    """Join the copper of all layers through plated holes, and name what hangs together where files name it."""
    copper = board.copper()
    groups = CopperGroups([x.read for x in copper])
    for x, y, _, plated in board.bores():
        if plated:
            groups.join([n for k in range(len(copper)) if (n := groups.at(k, x, y)) is not None])
    for k, layer in enumerate(copper):
        for number in range(len(groups.pieces[k])):
            board.nets[layer.name, number] = groups.find(int(groups.offset[k]) + number)
        for flash in layer.read.flashes:
            net = (flash.attributes.get(".N") or flash.attributes.get("N") or ("",))[0]
            node = groups.at(k, flash.x, flash.y) if net and net != "N/C" else None
            if node is not None:
                board.names.setdefault(groups.find(node), net)
    for p in points:
        for k in range(len(copper)) if p.access == 0 else [min(p.access, len(copper)) - 1]:
            node = groups.at(k, p.x, p.y) if 0 <= k < len(copper) else None
            if node is not None and p.net != "N/C":
                board.names.setdefault(groups.find(node), p.net)
