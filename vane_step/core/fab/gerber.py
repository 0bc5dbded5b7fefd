"""Writes Gerber X2 layers (Ucamco specification 2024.05); what is right is decided elsewhere."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable
from typing import Any, Protocol

from shapely.geometry import LinearRing, Polygon

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.lettering import copper_lines, in_copper, layer_of, line_mm
from vane_step.core.board.geometry.paste_windows import openings
from vane_step.core.board.geometry.shapes import outline, pad_layers, place_point
from vane_step.core.board.silkscreen.legend import legend
from vane_step.core.design.model import Design, PadSpec, Part, PartPlace, PointNm, Side, pin_name
from vane_step.core.fab.heading import Heading, field
from vane_step.core.quantity import nm


class Copies(Protocol):
    """How one copy of a board lies on a panel: where its points go, how it is turned, and what its names become."""

    @property
    def turn_deg(self) -> int:
        """Anticlockwise."""

    def point(self, p: PointNm) -> PointNm:
        """Carry a point, in nanometres."""

    def named(self, name: str) -> str:
        """Give a name its copy's."""


class GerberFile:
    """Collects one layer's apertures and objects; coordinates are whole nanometres (format 4.6, millimetres)."""

    def __init__(self, function: str, polarity: str, head: Heading) -> None:
        self._head = [
            *(f"%TF.{line}*%" for line in head.attributes(function)),
            f"%TF.FilePolarity,{polarity}*%",
            "%FSLAX46Y46*%",
            "%MOMM*%",
        ]
        # What was asked for, in order; it is put into commands when the text is wanted.
        self._asked: list[tuple[Any, ...]] = []

    def aperture(self, width: int, function: str = "") -> None:
        """Select a round aperture; ``function`` is its .AperFunction."""
        self.pad_aperture(width, width, "round", 0.0, function)

    def pad_aperture(self, width: int, height: int, shape: str, turn: float, function: str) -> None:
        """Select the aperture of a pad turned by any angle."""
        self._asked.append(("aperture", width, height, shape, turn, function))

    def attributes(self, *lines: str) -> None:
        """Set the object attributes of what follows (``N,net``, ``P,U1,3``), dropping those before."""
        self._asked.append(("attributes", lines))

    def flash(self, x: int, y: int) -> None:
        """Flash the current aperture."""
        self._asked.append(("flash", [(x, y)]))

    def line(self, points: Iterable[PointNm]) -> None:
        """Draw with the current aperture through points."""
        self._asked.append(("line", list(points)))

    def region(self, ring: Iterable[PointNm]) -> None:
        """Fill a closed ring."""
        self._asked.append(("region", list(ring)))

    def polarity(self, dark: bool) -> None:
        """Switch between adding and removing."""
        self._asked.append(("polarity", dark))

    def repeat(self, board: GerberFile, copy: Copies) -> None:
        """Add all of a board's layer as one copy on a panel."""
        for what, *how in board._asked:
            if what == "aperture":
                width, height, shape, turn, function = how
                self._asked.append((what, width, height, shape, turn + copy.turn_deg, function))
            elif what == "attributes":
                self._asked.append((what, tuple(_of_copy(line, copy) for line in how[0])))
            elif what == "polarity":
                self._asked.append((what, *how))
            else:
                self._asked.append((what, [copy.point(p) for p in how[0]]))

    def text(self) -> str:
        """Give the finished file."""
        out = _Commands()
        for what, *how in self._asked:
            if what == "aperture":
                out.aperture(*how)
            elif what == "attributes":
                out.attributes(how[0])
            elif what == "polarity":
                out.body.append("%LPD*%" if how[0] else "%LPC*%")
            elif what == "flash":
                out.body += [f"X{x}Y{y}D03*" for x, y in how[0]]
            else:
                drawn = [f"X{x}Y{y}D0{1 if i else 2}*" for i, (x, y) in enumerate(how[0])]
                out.body += ["G36*", *drawn, "G37*"] if what == "region" else drawn
        lines = [*self._head, *out.macros.values(), *out.defined, *out.body]
        # Over all that comes before, ends of lines left out (5.6.9).
        seal = hashlib.md5("".join(lines).encode(), usedforsecurity=False).hexdigest()
        return "\n".join([*lines, f"%TF.MD5,{seal}*%", "M02*"]) + "\n"


def _of_copy(attribute: str, copy: Copies) -> str:
    """Give an object attribute the names of a copy: a net or a part is the first value of each."""
    key, name, *more = attribute.split(",")
    if key not in ("N", "P", "C"):
        return attribute
    return ",".join((key, copy.named(name) if name else "", *more))


class _Commands:
    """The commands of a file as they come: apertures are numbered by first use, nothing is said twice."""

    def __init__(self) -> None:
        self.macros: dict[str, str] = {}
        self.defined: list[str] = []
        self.body: list[str] = ["G01*", "%LPD*%"]
        self._numbers: dict[tuple[str, str], int] = {}
        self._current: int | None = None
        self._objects: tuple[str, ...] = ()

    def aperture(self, width: int, height: int, shape: str, turn: float, function: str) -> None:
        """Select an aperture, defining it when it is new; angles other than quarters need a macro."""
        drawn = self._drawn(width, height, shape, turn)
        key = (drawn, function)
        if key not in self._numbers:
            number = self._numbers[key] = 10 + len(self._numbers)
            if function:
                self.defined.append(f"%TA.AperFunction,{function}*%")
            self.defined.append(f"%ADD{number}{drawn}*%")
            if function:
                self.defined.append("%TD.AperFunction*%")
        if self._current != self._numbers[key]:
            self._current = self._numbers[key]
            self.body.append(f"D{self._current}*")

    def _drawn(self, width: int, height: int, shape: str, turn: float) -> str:
        quarter = round(turn / 90) * 90
        if shape == "diamond":
            return f"P,{_mm(width)}X4X0.0"
        if shape == "round" and width == height:
            return f"C,{_mm(width)}"
        if abs(turn - quarter) < 1e-9:
            w, h = (width, height) if quarter % 180 == 0 else (height, width)
            return f"{'R' if shape == 'rect' else 'O'},{_mm(w)}X{_mm(h)}"
        if shape == "rect":
            self.macros["TURNEDRECT"] = "%AMTURNEDRECT*21,1,$1,$2,0,0,$3*%"
            return f"TURNEDRECT,{_mm(width)}X{_mm(height)}X{turn % 360:.6f}"
        r = min(width, height)
        a = math.radians(turn if width >= height else turn + 90)
        d = (max(width, height) - r) / 2
        x, y = round(d * math.cos(a)), round(d * math.sin(a))
        self.macros["CAPSULE"] = "%AMCAPSULE*20,1,$1,$2,$3,$4,$5,0*1,1,$1,$2,$3*1,1,$1,$4,$5*%"
        return f"CAPSULE,{_mm(r)}X{_mm(-x)}X{_mm(-y)}X{_mm(x)}X{_mm(y)}"

    def attributes(self, lines: tuple[str, ...]) -> None:
        """Set the object attributes, unless they are what they were."""
        if lines == self._objects:
            return
        if self._objects:
            self.body.append("%TD*%")
        self.body += [f"%TO.{line}*%" for line in lines]
        self._objects = lines


def _mm(value_nm: int) -> str:
    return f"{value_nm / 1e6:.6f}".rstrip("0").rstrip(".")


def _pad_turn(place: PartPlace) -> float:
    """Give the angle at which a pad's width lies; mirroring a part leaves a rectangle or capsule as it is."""
    return place.turn_deg % 360


def _pads_on(design: Design, layer: str) -> Iterable[tuple[Part, PartPlace, PadSpec, tuple[int, int]]]:
    for part in design.parts.values():
        if part.place is None:
            continue
        for pad in design.packages[part.package].pads:
            if not pad.bare_hole and layer in pad_layers(pad, part.place, ("front", "in1", "in2", "back")):
                x, y = place_point(part.place, pad.x_nm, pad.y_nm)
                yield part, part.place, pad, (round(x), round(y))


def copper(design: Design, layer: str, head: Heading) -> GerberFile:
    """Write a copper layer: pours first, then tracks, pads and vias, with their net and pin attributes."""
    layers = design.board.layers
    number = layers.index(layer) + 1
    side = {"front": "Top", "back": "Bot"}.get(layer, "Inr")
    out = GerberFile(f"Copper,L{number},{side}", "Positive", head)
    _regions(
        out,
        [(pour.net, piece) for pour in pour_pieces(design) if pour.layer == layer for piece in pour.pieces],
    )
    for track in design.tracks.values():
        if track.layer == layer:
            out.attributes(f"N,{field(track.net)}")
            out.aperture(track.width_nm, "Conductor")
            out.line(track.points)
    for part, place, pad, (x, y) in _pads_on(design, layer):
        net = design.net_of(pin_name(part.ref, pad.number))
        out.attributes(f"P,{field(part.ref)},{field(pad.number)}", f"N,{field(net) if net else ''}")
        function = "ComponentPad" if pad.drill_nm else "SMDPad,CuDef"
        if pad.mask_nm and not pad.paste:
            function = "FiducialPad,Global"
        out.pad_aperture(pad.width_nm, pad.height_nm, pad.shape, _pad_turn(place), function)
        out.flash(x, y)
    for via in design.vias.values():
        out.attributes(f"N,{field(via.net)}")
        out.aperture(via.pad_nm, "ViaPad")
        out.flash(via.x_nm, via.y_nm)
    for jumper in design.jumpers.values():
        out.attributes(f"N,{field(jumper.net)}")
        out.aperture(jumper.pad_nm, "ComponentPad")
        for x, y in (jumper.a, jumper.b):
            out.flash(x, y)
    for text in in_copper(design).values():
        if layer_of(text) == layer:
            width = line_mm(text, design.board.rules)
            out.attributes("N,")
            out.aperture(nm(width), "NonConductor")
            for line in copper_lines(text, width):
                out.line([(nm(x), nm(y)) for x, y in line])
    return out


def _regions(out: GerberFile, pieces: Iterable[tuple[str, Polygon]]) -> None:
    """Fill polygons with holes, each of a net: rings from the largest to the smallest, dark outside and clear inside.

    What lies in a ring is smaller than it, so that a pour within the hole of another, at any depth, is drawn after the
    hole was cleared. The pieces of a layer share no area.
    """
    rings = [
        (Polygon(ring).area, ring, net, k == 0) for net, p in pieces for k, ring in enumerate(_rings_of(p))
    ]
    dark = True
    for _, ring, net, wanted in sorted(rings, key=lambda r: (-r[0], r[3])):
        if wanted != dark:
            out.polarity(wanted)
            dark = wanted
        out.attributes(f"N,{field(net)}" if wanted else "N,")
        out.region([(nm(x), nm(y)) for x, y in ring.coords])
    if not dark:
        out.polarity(True)


def _rings_of(piece: Polygon) -> list[LinearRing]:
    return [piece.exterior, *piece.interiors]


def mask(design: Design, side: Side, head: Heading) -> GerberFile:
    """Write the openings of the solder mask: pads and jumper holes grown by the margin; vias stay covered."""
    out = GerberFile(f"Soldermask,{'Top' if side == 'front' else 'Bot'}", "Negative", head)
    margin = 2 * design.board.rules.mask_margin_nm
    for _part, place, pad, (x, y) in _pads_on(design, side):
        wide, tall = (pad.mask_nm or side + margin for side in (pad.width_nm, pad.height_nm))
        out.pad_aperture(wide, tall, pad.shape, _pad_turn(place), "Material")
        out.flash(x, y)
    for part in design.parts.values():
        for pad in design.packages[part.package].pads if part.place else ():
            if pad.bare_hole and part.place:
                at = place_point(part.place, pad.x_nm, pad.y_nm)
                dx, dy = pad.slot_half_nm
                wide, tall = (pad.drill_nm + 2 * round(v) + margin for v in (dx, dy))
                out.pad_aperture(wide, tall, "round", _pad_turn(part.place), "Material")
                out.flash(round(at[0]), round(at[1]))
    for hole in design.holes.values():
        out.aperture(hole.drill_nm + margin, "Material")
        out.flash(hole.x_nm, hole.y_nm)
    for jumper in design.jumpers.values():
        out.aperture(jumper.pad_nm + margin, "Material")
        for x, y in (jumper.a, jumper.b):
            out.flash(x, y)
    return out


def paste(design: Design, side: Side, head: Heading) -> GerberFile:
    """Write the stencil openings: the surface pads of a side at full size, thermal pads as panes."""
    out = GerberFile(f"Paste,{'Top' if side == 'front' else 'Bot'}", "Positive", head)
    for part, place, pad, (x, y) in _pads_on(design, side):
        if not pad.drill_nm and pad.paste:
            out.attributes(f"P,{field(part.ref)},{field(pad.number)}")
            pack = design.packages[part.package]
            for dx, dy, wide, tall in openings(pack, pad):
                out.pad_aperture(wide, tall, pad.shape, _pad_turn(place), "Material")
                at = place_point(place, pad.x_nm + dx, pad.y_nm + dy) if (dx, dy) != (0, 0) else (x, y)
                out.flash(round(at[0]), round(at[1]))
    return out


def printed_legend(design: Design, side: Side, head: Heading) -> GerberFile:
    """Write the legend of a side."""
    out = GerberFile(f"Legend,{'Top' if side == 'front' else 'Bot'}", "Positive", head)
    for line in legend(design):
        if line.side == side:
            out.attributes(*((f"C,{field(line.owner)}",) if line.kind == "outline" else ()))
            out.aperture(nm(line.width_mm), "Other,legend")
            out.line((nm(x), nm(y)) for x, y in line.points)
    return out


def profile(design: Design, head: Heading) -> GerberFile:
    """Write the outline and each cut-out as one closed line; arcs come as chords of at most 32 to the quarter."""
    out = GerberFile("Profile,NP", "Positive", head)
    out.aperture(50_000, "Profile")
    for ring in (outline(design).exterior, *outline(design).interiors):
        out.line((nm(x), nm(y)) for x, y in ring.coords)
    return out


def score_lines(design: Design, head: Heading) -> GerberFile:
    """Write the lines a panel is scored along, on both sides."""
    out = GerberFile("Vcut", "Positive", head)
    out.aperture(100_000, "Profile")
    for line in design.board.scores:
        out.line(line)
    return out
