"""Reads Gerber files of any age into objects and shapes; it shares no code with their writers or the design.

It takes all that bears on the image: X1 to X3 with arcs, step and repeat, blocks, mirrored, turned and scaled
apertures, macros with expressions, and what older files still have (other zero rules, inches by G code, negative
images). What has no apertures of its own (RS-274-D) is refused, and so is what is not understood.
"""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import pairwise
from typing import Final

import shapely
from shapely import affinity
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.fab.read_apertures import macro_aperture, standard_aperture
from vane_step.core.fab.read_arcs import Spot, arc_points, quarter_centre
from vane_step.core.fab.read_coordinates import Format, Turned, plain
from vane_step.core.fab.read_image import drawn, united
from vane_step.core.fab.read_types import ReadFlash, ReadLayer, ReadObject, UnreadableFile

# Objects of one file, and blocks within blocks, at most.
MOST_OBJECTS: Final = 100_000
DEEPEST: Final = 8
OLD_KIND: Final = (
    "{}: it has no apertures: it is of the old kind (RS-274-D), whose apertures are in a list of their own. "
    "Ask for Gerber X2, or for extended Gerber with its apertures inside"
)
_FORMAT = re.compile(r"FS([LTD]?)([AI])(?:[NGDM]\d)*X(\d)(\d)Y(\d)(\d)(?:[DM]\d)*")
# Nearly all of a file is such: a place and what is done there.
_PLAIN = re.compile(r"(?:X([+-]?\d+))?(?:Y([+-]?\d+))?D0([123])")
_WORD = re.compile(r"([A-Z])([+-]?\d*\.?\d*)")


class GerberReader:
    """One file being read: :meth:`run` takes its commands, :meth:`draw` unites what they draw."""

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        # Each alternative ends what it begins, so that no text is gone over twice.
        self.commands = (m[0] for m in re.finditer(r"%[^%]*%?|[^%*\s][^%*]*\*?", text))
        self.layer = ReadLayer(name)
        self.form: Format | None = None
        self.unit = 0.0
        self.incremental = False
        self.macros: dict[str, str] = {}
        # An aperture's shape by its place among those defined; a number may be given anew.
        self.numbers: dict[int, int] = {}
        self.shapes: dict[int, BaseGeometry] = {}
        self.round: dict[int, float] = {}
        self.blocks: dict[int, list[ReadObject]] = {}
        self.laid: dict[tuple[int, Turned], int] = {}
        self.aperture: int | None = None
        self.at: Spot = (0.0, 0.0)
        self.dark = True
        self.turned = Turned()
        self.bend, self.quarters, self.last = 1, False, 0
        self.offset: Spot = (0.0, 0.0)
        self.objects: list[ReadObject] = []
        self.outer: list[tuple[int, list[ReadObject]]] = []
        self.repeat: tuple[int, int, float, float, tuple[int, int, int]] | None = None
        self.region: list[list[Spot]] | None = None
        self.attributes: dict[str, tuple[str, ...]] = {}
        self.negative = self.ended = False

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
                    self.block(command.strip("%").strip())
                else:
                    self.word(command.rstrip("*").strip())
            except UnreadableFile:
                raise
            except (ValueError, IndexError, KeyError, OverflowError, ZeroDivisionError) as error:
                raise self.fail(command) from error
            except shapely.GEOSException as error:
                raise self.fail(command) from error
        if not self.ended:
            raise UnreadableFile(f"{self.name}: the file has no end (M02)")
        self._repeated()

    def draw(self) -> None:
        """Unite the objects, in their order, into what is left dark."""
        filled, rest = united(self.objects, self.shapes, self.round)
        if self.negative and not (filled.is_empty and rest.is_empty):
            whole = box(*filled.union(rest).bounds)
            filled, rest = whole.difference(filled).difference(rest), Polygon()
        self.layer.filled, self.layer.image = filled, filled.union(rest)
        flashes = [o for o in self.objects if o.kind == "flash" and o.dark]
        if len(flashes) == len(self.objects):
            self.layer.flashed = rest
        else:
            self.layer.flashed = shapely.disjoint_subset_union_all(drawn(flashes, self.shapes, self.round))

    def block(self, command: str) -> None:
        """Take what stands between two percent signs: one command, or in older files several."""
        if command.startswith("AM"):
            name, _, body = command.rstrip("*")[2:].partition("*")
            self.macros[name.strip()] = body.replace("\n", "").replace("\r", "")
            return
        for part in filter(None, (p.strip() for p in command.split("*"))):
            self.extended(part)

    def extended(self, fields: str) -> None:
        """Take an extended command: format, unit, apertures, polarity, attributes, blocks, repeats."""
        code = fields[:2]
        if code == "FS":
            match = _FORMAT.fullmatch(fields)
            if not match:
                raise self.fail(fields)
            self.form = Format(
                (int(match[3]), int(match[5])), (int(match[4]), int(match[6])), match[1] or "L"
            )
            self.incremental = match[2] == "I"
            if match[1] != "L" or self.incremental:
                self._old("coordinates with trailing zeros left out" if match[1] == "T" else fields)
        elif code == "MO":
            self.unit = {"MOMM": 1.0, "MOIN": 25.4}[fields]
        elif code == "AD":
            self.define(fields)
        elif code == "LP":
            self.dark = {"LPD": True, "LPC": False}[fields]
        elif code in ("LM", "LR", "LS"):
            self._lay(code, fields[2:])
        elif code in ("TF", "TO", "TD", "TA"):
            self.attribute(code, fields)
        elif code == "SR":
            self._step(fields)
        elif code == "AB":
            self._aperture_block(fields)
        else:
            self._deprecated(code, fields)

    def attribute(self, code: str, fields: str) -> None:
        """Take an attribute of the file or of objects; those of apertures say nothing about the image."""
        key, *values = fields[3:].split(",")
        if code == "TF" and key == "FileFunction":
            self.layer.function = tuple(values)
        elif code == "TF" and key == "FilePolarity":
            self.layer.polarity = values[0]
        elif code == "TO":
            self.attributes = {**self.attributes, key: tuple(plain(v) for v in values)}
        elif code == "TD":
            gone = fields[2:].lstrip(".")
            self.attributes = {k: v for k, v in self.attributes.items() if gone and k != gone}

    def _lay(self, code: str, said: str) -> None:
        if code == "LM":
            x, y = ("X" in said, "Y" in said) if said != "N" else (False, False)
            self.turned = replace(self.turned, mirror=(-1 if x else 1, -1 if y else 1))
        elif code == "LR":
            self.turned = replace(self.turned, degrees=float(said))
        else:
            self.turned = replace(self.turned, scale=float(said))

    def _deprecated(self, code: str, fields: str) -> None:
        """Take what older files may hold and change nothing by, or what can still be followed; all else is refused."""
        if code in ("IN", "LN") or fields in ("IPPOS", "IR0", "ASAXBY", "MIA0B0", "SFA1B1", "SFA1.0B1.0"):
            self._old(f"command {code}")
        elif fields == "IPNEG":
            self._old("a negative image")
            self.negative = True
        elif code == "OF" and (match := re.fullmatch(r"OF(?:A([+-]?[\d.]+))?(?:B([+-]?[\d.]+))?", fields)):
            self.offset = float(match[1] or 0) * self.unit, float(match[2] or 0) * self.unit
        else:
            raise self.fail(fields)

    def _old(self, what: str) -> None:
        if what not in self.layer.old:
            self.layer.old.append(what)

    def _step(self, fields: str) -> None:
        self._repeated()
        match = re.fullmatch(r"SR(?:X(\d+)Y(\d+)I([\d.]+)J([\d.]+))?", fields)
        if not match:
            raise self.fail(fields)
        if match[1] and (int(match[1]), int(match[2])) != (1, 1):
            begun = len(self.objects), len(self.layer.flashes), len(self.layer.lines)
            dx, dy = float(match[3]) * self.unit, float(match[4]) * self.unit
            self.repeat = int(match[1]), int(match[2]), dx, dy, begun

    def _repeated(self) -> None:
        """End a step and repeat: what it held is laid again at each of its places."""
        if self.repeat is None:
            return
        across, up, dx, dy, (o, f, ln) = self.repeat
        self.repeat = None
        objects, flashes, lines = self.objects[o:], self.layer.flashes[f:], self.layer.lines[ln:]
        widths = self.layer.widths_mm[ln:]
        self._room(len(objects) * across * up)
        for row, column in ((r, c) for r in range(up) for c in range(across) if r or c):
            x, y = column * dx, row * dy
            for one in objects:
                self.objects.append(replace(one, points=tuple((px + x, py + y) for px, py in one.points)))
            self.layer.flashes += [ReadFlash(k.x + x, k.y + y, k.aperture, k.attributes) for k in flashes]
            self.layer.widths_mm += widths
            self.layer.lines += [((a[0] + x, a[1] + y), (b[0] + x, b[1] + y)) for a, b in lines]

    def _room(self, more: int) -> None:
        if len(self.objects) + more > MOST_OBJECTS:
            raise UnreadableFile(f"{self.name}: more than {MOST_OBJECTS:,} objects")

    def _aperture_block(self, fields: str) -> None:
        if fields == "AB":
            number, before = self.outer.pop()
            place = len(self.shapes) + len(self.blocks) + 1_000_000
            self.numbers[number], self.blocks[place] = place, self.objects
            self.objects = before
            return
        match = re.fullmatch(r"ABD(\d+)", fields)
        if not match or len(self.outer) >= DEEPEST:
            raise self.fail(fields)
        self.outer.append((int(match[1]), self.objects))
        self.objects = []

    def define(self, fields: str) -> None:
        """Define an aperture."""
        match = re.fullmatch(r"ADD(\d+)([A-Za-z_$.][\w$.]*)(?:,(.*))?", fields)
        if not match or not self.unit:
            raise self.fail(fields)
        number, kind = len(self.shapes), match[2]
        sizes = [float(v) for v in match[3].split("X")] if match[3] else []
        try:
            shape = standard_aperture(kind, sizes, self.unit)
            if shape is None and kind in self.macros:
                shape = macro_aperture(self.macros[kind], sizes, self.unit)
        except ValueError as error:
            raise self.fail(str(error.args[0]) if kind in self.macros else fields) from error
        if shape is None:
            raise self.fail(fields)
        self.numbers[int(match[1])], self.shapes[number] = number, shape
        if kind == "C":
            self.round[number] = sizes[0] * self.unit / 2

    def word(self, command: str) -> None:
        """Take a word command: modes, regions, apertures, coordinates, in the order in which they stand."""
        if (steps := self.plain_steps) is not None and (match := _PLAIN.fullmatch(command)):
            (sx, sy), (x, y) = steps, self.at
            before, operation = self.at, match[3]
            self.at = int(match[1]) * sx if match[1] else x, int(match[2]) * sy if match[2] else y
            self._operate(command, before, {}, int(operation))
            return
        if command.startswith(("G04", "G4 ")) or command == "G4":
            # Attributes may stand in comments, for readers that know none.
            told = re.fullmatch(r"G04 #@! (T[FOAD])(.*)", command)
            if told:
                self.attribute(told[1], told[1] + told[2])
            return
        words = _WORD.findall(command.replace(" ", ""))
        if "".join(a + b for a, b in words) != command.replace(" ", ""):
            raise self.fail(command)
        places: dict[str, str] = {}
        operation = 0
        for letter, figure in words:
            if letter in "XYIJ":
                places[letter] = figure
            elif letter == "D" and int(figure) < 10:
                operation = int(figure)
            elif letter == "D":
                self._choose(int(figure))
            elif letter == "G":
                self._mode(int(figure), command)
            elif letter == "M":
                self.ended = self.ended or int(figure) in (0, 2)
                if int(figure) not in (0, 1, 2):
                    raise self.fail(command)
            elif letter != "N":
                raise self.fail(command)
        if places or operation:
            self.operation(command, places, operation)

    def _choose(self, number: int) -> None:
        if number not in self.numbers:
            if not self.numbers:
                raise UnreadableFile(OLD_KIND.format(self.name))
            raise UnreadableFile(f"{self.name}: aperture D{number} is not defined")
        self.aperture = self.numbers[number]

    def _mode(self, code: int, command: str) -> None:
        if code in (1, 2, 3):
            self.bend = code
        elif code in (74, 75):
            self.quarters = code == 74
        elif code == 36:
            self.region = []
        elif code == 37:
            for ring in self.region or []:
                if len(ring) >= 4:
                    self._put("region", 0, tuple(ring))
            self.region = None
        elif code in (70, 71):
            self.unit = 25.4 if code == 70 else 1.0
            self._old(f"unit by G{code}")
        elif code in (90, 91):
            self.incremental = code == 91
        elif code not in (54, 55):
            raise self.fail(command)

    def operation(self, command: str, places: dict[str, str], operation: int) -> None:
        """Move, draw or flash, with coordinates that stay when they are left out."""
        if self.form is None and not self.numbers:
            raise UnreadableFile(OLD_KIND.format(self.name))
        if self.form is None or not self.unit or operation > 3:
            raise self.fail(command)
        if not operation:
            self._old("coordinates without an operation")
            operation = self.last
        shown = [
            self.form.value(places[a], k) * self.unit if places.get(a) else None for k, a in enumerate("XY")
        ]
        before, now = self.at, self.at
        if self.incremental:
            now = (now[0] + (shown[0] or 0.0), now[1] + (shown[1] or 0.0))
        else:
            x, y = (v if v is None else v + o for v, o in zip(shown, self.offset, strict=True))
            now = (now[0] if x is None else x, now[1] if y is None else y)
        self.at = now
        self._operate(command, before, places, operation)

    @property
    def plain_steps(self) -> Spot | None:
        """Millimetres of one step in x and y, where places are plain numbers in lines; none where they are not."""
        form = self.form
        if (
            self.bend != 1
            or self.incremental
            or form is None
            or form.left_out != "L"
            or not self.unit
            or any(self.offset)
        ):
            return None
        return self.unit * 10.0 ** -form.decimals[0], self.unit * 10.0 ** -form.decimals[1]

    def _operate(self, command: str, before: Spot, places: dict[str, str], operation: int) -> None:
        """Move, draw or flash at the place the file is at now."""
        self.last = operation
        if operation == 2 or not operation:
            if self.region is not None:
                self.region.append([self.at])
            return
        if operation == 1:
            self._draw(command, before, places)
        elif self.region is not None:
            raise self.fail(command)
        else:
            self._flash()

    def _draw(self, command: str, before: Spot, places: dict[str, str]) -> None:
        points = [before, self.at] if self.bend == 1 else self._arc(command, before, places)
        if self.region is not None:
            if not self.region:
                self.region.append([before])
            self.region[-1] += points[1:]
            return
        if self.aperture is None:
            raise UnreadableFile(f"{self.name}: drawing before an aperture was chosen")
        if self.aperture in self.blocks:
            raise UnreadableFile(f"{self.name}: a line drawn with a block")
        place = self._laid(self.aperture)
        if not self.outer:
            self.layer.lines += pairwise(points)
            width = 2 * self.round.get(place, 0.0) if self.dark else 0.0
            self.layer.widths_mm += [width] * (len(points) - 1)
        self._put("line", place, tuple(points))

    def _arc(self, command: str, before: Spot, places: dict[str, str]) -> list[Spot]:
        assert self.form is not None
        if "I" not in places and "J" not in places:
            raise UnreadableFile(f"{self.name}: {command[:60]!r} is an arc without its middle")
        i, j = (
            self.form.value(places[a], k) * self.unit if places.get(a) else 0.0 for k, a in enumerate("IJ")
        )
        clockwise = self.bend == 2
        centre: Spot | None = (before[0] + i, before[1] + j)
        if self.quarters:
            centre = quarter_centre(before, self.at, i, j, clockwise)
        if centre is None:
            raise self.fail(command)
        return arc_points(before, self.at, centre, clockwise, whole=not self.quarters)

    def _flash(self) -> None:
        if self.aperture is None:
            raise UnreadableFile(f"{self.name}: drawing before an aperture was chosen")
        if self.aperture in self.blocks:
            self._lay_block(self.blocks[self.aperture])
            return
        place = self._laid(self.aperture)
        if not self.outer:
            self.layer.flashes.append(ReadFlash(*self.at, place, self.attributes))
        self._put("flash", place, (self.at,))

    def _lay_block(self, objects: list[ReadObject]) -> None:
        self._room(len(objects))
        for one in objects:
            points = tuple(self.turned.point(p, self.at) for p in one.points)
            place = self._laid(one.aperture) if one.kind != "region" else 0
            self.objects.append(ReadObject(one.dark == self.dark, one.kind, place, points))
            if one.kind == "flash":
                self.layer.flashes.append(ReadFlash(*points[0], place, self.attributes))

    def _put(self, kind: str, aperture: int, points: tuple[Spot, ...]) -> None:
        if len(self.objects) >= MOST_OBJECTS:
            self._room(1)
        self.objects.append(ReadObject(self.dark, kind, aperture, points))

    def _laid(self, aperture: int) -> int:
        """Give an aperture as it is laid now: mirrored, turned and scaled."""
        if self.turned == Turned():
            return aperture
        key = aperture, self.turned
        if key not in self.laid:
            place, t = len(self.shapes), self.turned
            shape = affinity.scale(
                self.shapes[aperture], t.mirror[0] * t.scale, t.mirror[1] * t.scale, origin=(0, 0)
            )
            self.shapes[place] = affinity.rotate(shape, t.degrees, origin=(0, 0))
            if aperture in self.round:
                self.round[place] = self.round[aperture] * t.scale
            self.laid[key] = place
        return self.laid[key]
