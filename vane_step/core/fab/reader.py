"""Reads the files of a board back into shapes: Gerber, drill files, IPC-D-356A; it shares no code with their writers.

Gerber is read in ``read_gerber``, drill files in ``read_drill``. Shapes are shapely geometry in millimetres.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.fab.copper_groups import polygons
from vane_step.core.fab.read_drill import read_drill as read_drill
from vane_step.core.fab.read_gerber import GerberReader
from vane_step.core.fab.read_types import (
    ReadDrill as ReadDrill,
    ReadFlash as ReadFlash,
    ReadLayer as ReadLayer,
    ReadObject as ReadObject,
    ReadPoint as ReadPoint,
    UnreadableFile as UnreadableFile,
)


def read_gerber(text: str, name: str, imaged: bool = True) -> ReadLayer:
    """Read a Gerber file; the image is left out where only flashes and lines are wanted.

    Raises
    ------
    UnreadableFile
        For a command that is not understood, with file and command.
    """
    read = GerberReader(text, name)
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
    read = GerberReader(text, name)
    read.run()
    return read.objects, read.shapes


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


def ring_widths(copper: BaseGeometry, holes: Sequence[tuple[float, float, float]]) -> list[float]:
    """Give the narrowest copper round each hole (x, y, diameter): distance of the copper's edge less its radius.

    Where there is no copper at its middle it is minus infinity.
    """
    pieces = np.array(polygons(copper), dtype=object)
    tree, found = STRtree(pieces), []
    for x, y, drill in holes:
        at = tree.query(Point(x, y), predicate="intersects")
        found.append(
            float(pieces[at[0]].boundary.distance(Point(x, y))) - drill / 2 if len(at) else -math.inf
        )
    return found
