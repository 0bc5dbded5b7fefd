"""Reads Gerber X2, XNC and IPC-D-356A back into shapes; it shares no code with their writers or the design.

It knows the whole of what such files may hold that matters for an image: step and repeat, blocks and arcs are
reported as unreadable rather than passed over. Shapes are shapely geometry in millimetres.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from itertools import groupby

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

SEGMENTS = 32


class UnreadableFile(ValueError):
    """A file that cannot be read; the message names file and line."""


@dataclass
class ReadFlash:
    """A flashed object: its place, aperture and attributes."""

    x: float
    y: float
    aperture: int
    attributes: dict[str, tuple[str, ...]]


@dataclass(frozen=True)
class ReadObject:
    """A drawn object: whether it adds or removes, what it is, its aperture, and its points in millimetres."""

    dark: bool
    kind: str
    aperture: int
    points: tuple[tuple[float, float], ...]


@dataclass
class ReadLayer:
    """What a Gerber file shows; of its image what was filled as regions, and what was flashed."""

    name: str
    function: tuple[str, ...] = ()
    polarity: str = ""
    image: BaseGeometry = field(default_factory=Polygon)
    filled: BaseGeometry = field(default_factory=Polygon)
    flashed: BaseGeometry = field(default_factory=Polygon)
    flashes: list[ReadFlash] = field(default_factory=list)
    lines: list[tuple[tuple[float, float], tuple[float, float]]] = field(default_factory=list)


@dataclass
class ReadDrill:
    """What a drill file asks for: x, y and diameter of each hole in millimetres."""

    name: str
    plated: bool
    holes: list[tuple[float, float, float]]


@dataclass
class ReadPoint:
    """A record of the test netlist."""

    net: str
    ref: str
    pin: str
    x: float
    y: float
    hole: float
    access: int


def read_gerber(text: str, name: str, imaged: bool = True) -> ReadLayer:
    """Read a Gerber file; the image is left out where only flashes and lines are wanted.

    Raises
    ------
    UnreadableFile
        For a command that is not understood, with file and command.
    """
    read = _Gerber(text, name)
    read.run()
    try:
        if imaged:
            read.draw()
    except (ValueError, shapely.GEOSException) as error:
        raise UnreadableFile(f"{name}: its shapes cannot be united") from error
    return read.layer


def read_objects(text: str, name: str) -> tuple[list[ReadObject], dict[int, BaseGeometry]]:
    """Read the objects of a Gerber file in their order, and the shapes of its apertures, without uniting them.

    Raises
    ------
    UnreadableFile
        As :func:`read_gerber` does.
    """
    read = _Gerber(text, name)
    read.run()
    return read.objects, read.shapes


class _Gerber:
    def __init__(self, text: str, name: str) -> None:
        self.name = name
        # Each alternative ends what it begins, so that no text is gone over twice.
        self.commands = re.findall(r"%[^%]*%?|[^%*\s][^%*]*\*?", text)
        self.layer = ReadLayer(name)
        self.scale: tuple[float, float] | None = None
        self.unit = 0.0
        self.macros: dict[str, str] = {}
        # An aperture's shape by its place among those defined; a number may be given anew.
        self.numbers: dict[int, int] = {}
        self.shapes: dict[int, BaseGeometry] = {}
        self.round: dict[int, float] = {}
        self.aperture: int | None = None
        self.at = (0.0, 0.0)
        self.dark = True
        self.objects: list[ReadObject] = []
        self.region: list[list[tuple[float, float]]] | None = None
        self.attributes: dict[str, tuple[str, ...]] = {}
        self.ended = False

    def fail(self, command: str) -> UnreadableFile:
        """Make the error for a command that is not understood."""
        return UnreadableFile(f"{self.name}: {command[:60]!r} is not understood")

    def run(self) -> None:
        """Read all commands into objects."""
        for command in self.commands:
            if self.ended:
                raise UnreadableFile(f"{self.name}: there is something after the end of the file")
            if not command.endswith("%" if command.startswith("%") else "*") or command == "%":
                raise UnreadableFile(f"{self.name}: {command[:60]!r} has no end")
            try:
                if command.startswith("%"):
                    self.extended(command.strip("%").strip())
                else:
                    self.word(command.rstrip("*").strip())
            except UnreadableFile:
                raise
            except (ValueError, IndexError, KeyError, OverflowError, shapely.GEOSException) as error:
                raise self.fail(command) from error
        if not self.ended:
            raise UnreadableFile(f"{self.name}: the file has no end (M02)")

    def draw(self) -> None:
        """Unite the objects, in their order, into what is left dark."""
        filled: BaseGeometry = Polygon()
        rest: BaseGeometry = Polygon()
        for dark, some in groupby(self.objects, key=lambda o: o.dark):
            objects = list(some)
            regions = shapely.union_all(self.drawn([o for o in objects if o.kind == "region"]))
            others = shapely.union_all(self.drawn([o for o in objects if o.kind != "region"]))
            if dark:
                filled, rest = filled.union(regions), rest.union(others)
            else:
                cleared = regions.union(others)
                filled, rest = filled.difference(cleared), rest.difference(cleared)
        self.layer.filled, self.layer.image = filled, filled.union(rest)
        flashes = [o for o in self.objects if o.kind == "flash" and o.dark]
        self.layer.flashed = shapely.union_all(self.drawn(flashes))

    def drawn(self, objects: list[ReadObject]) -> list[BaseGeometry]:
        """Give the shapes of some objects; all lines are grown at once."""
        lines = [o for o in objects if o.kind == "line"]
        spines = [LineString(o.points) if o.points[0] != o.points[1] else Point(o.points[0]) for o in lines]
        reach = [self.round[o.aperture] for o in lines]
        shapes = (
            list(shapely.buffer(np.array(spines, dtype=object), reach, quad_segs=SEGMENTS)) if lines else []
        )
        for o in objects:
            if o.kind == "flash":
                shapes.append(affinity.translate(self.shapes[o.aperture], *o.points[0]))
            elif o.kind == "region":
                shapes.append(Polygon(o.points).buffer(0))
        return shapes

    def extended(self, command: str) -> None:
        """Take an extended command: format, unit, apertures, macros, polarity, attributes."""
        code = command[:2]
        fields = command.rstrip("*")
        if code == "FS":
            match = re.fullmatch(r"FSLAX(\d)(\d)Y(\d)(\d)", fields)
            if not match:
                raise self.fail(command)
            self.scale = (10.0 ** -int(match[2]), 10.0 ** -int(match[4]))
        elif code == "MO":
            self.unit = {"MOMM": 1.0, "MOIN": 25.4}[fields]
        elif code == "AM":
            name, _, body = fields[2:].partition("*")
            self.macros[name] = body
        elif code == "AD":
            self.define(fields)
        elif code == "LP":
            self.dark = fields == "LPD"
        elif code == "TF":
            key, *values = fields[3:].split(",")
            if key == "FileFunction":
                self.layer.function = tuple(values)
            elif key == "FilePolarity":
                self.layer.polarity = values[0]
        elif code == "TO":
            key, *values = fields[3:].split(",")
            self.attributes = {**self.attributes, key: tuple(_plain(v) for v in values)}
        elif code == "TD":
            if fields in ("TD", "TD."):
                self.attributes = {}
        elif code != "TA":
            raise self.fail(command)

    def define(self, fields: str) -> None:
        """Define an aperture."""
        match = re.fullmatch(r"ADD(\d+)([A-Za-z_$][\w$.]*)(?:,(.*))?", fields)
        if not match:
            raise self.fail(fields)
        number, kind = len(self.shapes), match[2]
        self.numbers[int(match[1])] = number
        sizes = [float(v) * self.unit for v in match[3].split("X")] if match[3] else []
        if kind == "C":
            self.shapes[number] = Point(0, 0).buffer(sizes[0] / 2, quad_segs=SEGMENTS)
            self.round[number] = sizes[0] / 2
        elif kind == "R":
            self.shapes[number] = box(-sizes[0] / 2, -sizes[1] / 2, sizes[0] / 2, sizes[1] / 2)
        elif kind == "O":
            r = min(sizes[:2]) / 2
            dx, dy = sizes[0] / 2 - r, sizes[1] / 2 - r
            spine = LineString([(-dx, -dy), (dx, dy)]) if dx or dy else Point(0, 0)
            self.shapes[number] = spine.buffer(r, quad_segs=SEGMENTS)
        elif kind == "P":
            # Corners of a regular polygon, the first at the angle of the third figure.
            corners, turn = (
                int(sizes[1] / self.unit),
                math.radians(sizes[2] / self.unit if len(sizes) > 2 else 0),
            )
            if not 3 <= corners <= 12:
                raise self.fail(fields)
            at = [turn + 2 * math.pi * k / corners for k in range(corners)]
            self.shapes[number] = Polygon(
                [(sizes[0] / 2 * math.cos(a), sizes[0] / 2 * math.sin(a)) for a in at]
            )
        elif kind in self.macros:
            plain = [float(v) for v in match[3].split("X")] if match[3] else []
            self.shapes[number] = self.macro(self.macros[kind], plain)
        else:
            raise self.fail(fields)

    def macro(self, body: str, values: list[float]) -> BaseGeometry:
        """Draw an aperture macro of circles, lines and rectangles."""
        parts: list[BaseGeometry] = []
        for primitive in body.split("*"):
            if not primitive.strip():
                continue
            row = [values[int(f[1:]) - 1] if f.startswith("$") else float(f) for f in primitive.split(",")]
            code = int(row[0])
            if code == 1:
                shape: BaseGeometry = Point(row[3], row[4]).buffer(row[2] / 2, quad_segs=SEGMENTS)
            elif code == 20:
                line = LineString([(row[3], row[4]), (row[5], row[6])])
                shape = affinity.rotate(line.buffer(row[2] / 2, cap_style="flat"), row[7], origin=(0, 0))
            elif code == 21:
                w, h = row[2] / 2, row[3] / 2
                flat = box(row[4] - w, row[5] - h, row[4] + w, row[5] + h)
                shape = affinity.rotate(flat, row[6], origin=(0, 0))
            else:
                raise self.fail(primitive)
            if row[1] == 0:
                raise self.fail(primitive)
            parts.append(affinity.scale(shape, self.unit, self.unit, origin=(0, 0)))
        return shapely.union_all(parts)

    def word(self, command: str) -> None:
        """Take a word command: a mode, a region, an aperture or an operation."""
        if command.startswith(("G04", "G4 ")):
            return
        if command in ("G01", "G90", "G75"):
            return
        if command == "M02":
            self.ended = True
        elif command == "G36":
            self.region = []
        elif command == "G37":
            for ring in self.region or []:
                if len(ring) >= 4:
                    self.objects.append(ReadObject(self.dark, "region", 0, tuple(ring)))
            self.region = None
        elif match := re.fullmatch(r"D(\d{2,})", command):
            self.aperture = self.numbers.get(int(match[1]))
            if self.aperture is None:
                raise UnreadableFile(f"{self.name}: aperture D{match[1]} is not defined")
        else:
            self.operation(command)

    def operation(self, command: str) -> None:
        """Move, draw or flash, with coordinates that stay when they are left out."""
        match = re.fullmatch(r"(?:G01)?(?:X([+-]?\d+))?(?:Y([+-]?\d+))?D0?([123])", command)
        if not match or self.scale is None or not self.unit:
            raise self.fail(command)
        x = int(match[1]) * self.scale[0] * self.unit if match[1] else self.at[0]
        y = int(match[2]) * self.scale[1] * self.unit if match[2] else self.at[1]
        before, self.at = self.at, (x, y)
        if self.region is not None:
            if match[3] == "2":
                self.region.append([self.at])
            elif match[3] == "1":
                self.region[-1].append(self.at)
            return
        if match[3] == "2":
            return
        if self.aperture is None:
            raise UnreadableFile(f"{self.name}: drawing before an aperture was chosen")
        if match[3] == "3":
            self.layer.flashes.append(ReadFlash(x, y, self.aperture, self.attributes))
            self.objects.append(ReadObject(self.dark, "flash", self.aperture, (self.at,)))
        else:
            if self.aperture not in self.round:
                raise UnreadableFile(f"{self.name}: a line drawn with an aperture that is not round")
            self.layer.lines.append((before, self.at))
            self.objects.append(ReadObject(self.dark, "line", self.aperture, (before, self.at)))


def _plain(text: str) -> str:
    return re.sub(
        r"\\u([0-9A-Fa-f]{4})|\\U(0010[0-9A-Fa-f]{4}|000[0-9A-Fa-f]{5})",
        lambda m: chr(int(m[1] or m[2], 16)),
        text,
    )


def read_drill(text: str, name: str) -> ReadDrill:
    """Read an XNC drill file of plain holes."""
    tools: dict[int, float] = {}
    holes: list[tuple[float, float, float]] = []
    size: float | None = None
    unit = 1.0
    body = ended = False
    plated = "Plated" in (re.search(r"TF\.FileFunction,(\w+)", text) or [""])[0].replace("NonPlated", "")
    for number, line in enumerate(text.splitlines(), 1):
        word = line.strip()
        if not word or word.startswith(";") or word in ("M48", "G90", "G05"):
            continue
        if word in ("METRIC", "INCH"):
            unit = 1.0 if word == "METRIC" else 25.4
        elif word == "%":
            body = True
        elif word == "M30":
            ended = True
        elif match := re.fullmatch(r"T(\d+)C([\d.]+)", word):
            tools[int(match[1])] = _decimal(match[2], name, number) * unit
        elif match := re.fullmatch(r"T(\d+)", word):
            size = tools.get(int(match[1])) if int(match[1]) else None
            if size is None and int(match[1]):
                raise UnreadableFile(f"{name}, line {number}: tool {word} is not defined")
        elif (match := re.fullmatch(r"X([+-]?[\d.]+)Y([+-]?[\d.]+)", word)) and body and size:
            x, y = (_decimal(match[k], name, number) * unit for k in (1, 2))
            holes.append((x, y, size))
        else:
            raise UnreadableFile(f"{name}, line {number}: {word[:40]!r} is not understood")
    if not ended:
        raise UnreadableFile(f"{name}: the file has no end (M30)")
    return ReadDrill(name, plated, holes)


def _decimal(text: str, name: str, line: int) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise UnreadableFile(f"{name}, line {line}: {text[:40]!r} is no number") from error


def read_netlist(text: str, name: str) -> list[ReadPoint]:
    """Read an IPC-D-356A test netlist in micrometres."""
    points = []
    alias: dict[str, str] = {}
    for number, line in enumerate(text.splitlines(), 1):
        if match := re.match(r"P  (NNAME\d+) (\S+)", line):
            alias[match[1]] = match[2]
        if line[:3] not in ("317", "327"):
            continue
        x, y = re.search(r"X([+-]\d{6})", line), re.search(r"Y([+-]\d{6})", line)
        hole = re.search(r"D(\d{4})[PU]", line[30:42])
        access = re.search(r"A(\d\d)", line[36:46])
        if not (x and y and access):
            raise UnreadableFile(f"{name}, line {number}: the record has no place")
        net = line[3:17].strip()
        points.append(
            ReadPoint(
                alias.get(net, net),
                line[20:26].strip(),
                line[27:31].strip(),
                int(x[1]) / 1000,
                int(y[1]) / 1000,
                int(hole[1]) / 1000 if hole else 0.0,
                int(access[1]),
            )
        )
    return points


def ring_width(copper: BaseGeometry, x: float, y: float, drill: float) -> float:
    """Give the narrowest copper round a hole: distance of the copper's edge less the hole's radius."""
    centre = Point(x, y)
    for piece in getattr(copper, "geoms", [copper]):
        if piece.covers(centre):
            return float(piece.boundary.distance(centre)) - drill / 2
    return -math.inf
