"""Judges the copper of a release by code that shares nothing with the program: reads the bytes, joins what touches, asks the circuit.

The circuit comes from the design file as JSON; pads are carried to the board by this module's own arithmetic.
"""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

LAYERS = {1: ("back",), 2: ("front", "back"), 4: ("front", "in1", "in2", "back")}


@dataclass(frozen=True)
class PlacedPad:
    """A pad where it lies: the pin, its net, the sides it is on, and its middle in mm."""

    pin: str
    net: str
    layers: tuple[str, ...]
    x: float
    y: float
    plated: bool


def pads_of(text: str) -> list[PlacedPad]:
    """Carry the pads of a design file to the board."""
    d = json.loads(text)
    layers = LAYERS[d["board"].get("copper_layers", 2)]
    net_of = {pin: name for name, net in d.get("nets", {}).items() for pin in net.get("pins", ())}
    found = []
    for ref, part in d.get("parts", {}).items():
        place = part.get("place")
        if not place:
            continue
        turn = math.radians(place.get("turn_deg", 0.0))
        back = place.get("side", "front") == "back"
        for pad in d["packages"][part["package"]]["pads"]:
            kind = pad.get("layers", "front")
            if kind == "through" and pad.get("drill_nm", 0) >= min(pad["width_nm"], pad["height_nm"]):
                continue
            width, height = d["packages"][part["package"]]["body_nm"]
            under = abs(pad["x_nm"]) < width / 2 and abs(pad["y_nm"]) < height / 2
            by_hand = d["board"]["rules"].get("etched") and len(layers) > 1 and kind == "through" and under
            on = (
                (("front" if back else "back",) if by_hand else layers)
                if kind == "through"
                else ("back" if (kind == "front") == back else "front",)
            )
            x, y = (-pad["x_nm"] if back else pad["x_nm"]), pad["y_nm"]
            at = (
                (place["x_nm"] + x * math.cos(turn) - y * math.sin(turn)) / 1e6,
                (place["y_nm"] + x * math.sin(turn) + y * math.cos(turn)) / 1e6,
            )
            pin = f"{ref}.{pad['number']}"
            found.append(
                PlacedPad(
                    pin, net_of.get(pin, ""), tuple(x for x in on if x in layers), *at, kind == "through"
                )
            )
    return found


def image_of(gerber: str) -> BaseGeometry:
    """Draw a Gerber file: circles, rectangles, obrounds, two macros, lines, regions and polarity, in millimetres."""
    apertures: dict[str, tuple[str, list[float]]] = {}
    shapes: list[BaseGeometry] = []
    image: BaseGeometry = Polygon()
    dark, now, at = True, "", (0.0, 0.0)
    region: list[list[tuple[float, float]]] | None = None

    def settle() -> None:
        nonlocal image, shapes
        if shapes:
            union = shapely.union_all(shapes)
            image = image.union(union) if dark else image.difference(union)
        shapes = []

    for command in re.findall(r"%.*?%|[^%*\s][^*%]*\*", gerber, re.S):
        if command.startswith("%ADD"):
            match = re.match(r"%ADD(\d+)([A-Z]+)(?:,(.*?))?\*%", command)
            assert match, command
            apertures[match[1]] = match[2], [float(v) for v in (match[3] or "").split("X") if v]
        elif command.startswith("%LP"):
            settle()
            dark = command[3] == "D"
        elif command.startswith("%"):
            continue
        elif command == "G36*":
            region = []
        elif command == "G37*":
            shapes += [Polygon(r).buffer(0) for r in region or [] if len(r) > 3]
            region = None
        elif match := re.fullmatch(r"D(\d{2,})\*", command):
            now = match[1]
        elif match := re.fullmatch(r"X(-?\d+)Y(-?\d+)D0([123])\*", command):
            spot = int(match[1]) / 1e6, int(match[2]) / 1e6
            if region is not None:
                if match[3] == "2":
                    region.append([])
                region[-1].append(spot)
            elif match[3] == "1":
                shapes.append(LineString([at, spot]).buffer(apertures[now][1][0] / 2, quad_segs=24))
            elif match[3] == "3":
                shapes.append(affinity.translate(_flash(*apertures[now]), *spot))
            at = spot
    settle()
    return image


def _flash(kind: str, v: list[float]) -> BaseGeometry:
    if kind == "C":
        return Point(0, 0).buffer(v[0] / 2, quad_segs=24)
    if kind == "R":
        return box(-v[0] / 2, -v[1] / 2, v[0] / 2, v[1] / 2)
    if kind == "O":
        r = min(v[:2]) / 2
        return LineString([(r - v[0] / 2, r - v[1] / 2), (v[0] / 2 - r, v[1] / 2 - r)]).buffer(
            r, quad_segs=24
        )
    if kind == "TURNEDRECT":
        return affinity.rotate(box(-v[0] / 2, -v[1] / 2, v[0] / 2, v[1] / 2), v[2], origin=(0, 0))
    assert kind == "CAPSULE", kind
    return LineString([v[1:3], v[3:5]]).buffer(v[0] / 2, quad_segs=24)


def faults(design: str, files: dict[str, str]) -> Iterator[str]:
    """Tell where the copper of the files does not have the connections of the design; nothing when it has all of them.

    Parameters
    ----------
    design : str
        The design as a JSON file.
    files : dict
        Text of the files of its release by name.
    """
    layers = LAYERS[json.loads(design)["board"].get("copper_layers", 2)]
    names = {"front": "copper-front", "in1": "copper-inner-1", "in2": "copper-inner-2", "back": "copper-back"}
    images = [image_of(next(t for n, t in files.items() if n.endswith(f"{names[x]}.gbr"))) for x in layers]
    yield from joined_wrongly(design, images, files)


def holes_of(drills: str) -> Iterator[tuple[float, float, float]]:
    """Read place and size of each hole in a drill file."""
    sizes = dict(re.findall(r"^T(\d+)C([\d.]+)", drills, re.M))
    size = 0.0
    for tool, x, y in re.findall(r"^(?:T(\d+)|X(-?[\d.]+)Y(-?[\d.]+))$", drills, re.M):
        if tool:
            size = float(sizes.get(tool, 0))
        else:
            yield float(x), float(y), size


def joined_wrongly(design: str, images: list[BaseGeometry], files: dict[str, str]) -> Iterator[str]:
    """Tell which nets are torn and which are one in the images of the copper layers, with the holes and wires of the files."""
    layers = LAYERS[json.loads(design)["board"].get("copper_layers", 2)]
    pieces = [[p for p in getattr(i, "geoms", [i]) if not p.is_empty] for i in images]
    trees = [shapely.STRtree(p) for p in pieces]
    parent: dict[tuple[int, int], tuple[int, int]] = {}

    def root(node: tuple[int, int]) -> tuple[int, int]:
        while parent.get(node, node) != node:
            node = parent[node]
        return node

    def at(k: int, x: float, y: float, reach: float = 0.0) -> list[tuple[int, int]]:
        spot = Point(x, y).buffer(reach) if reach else Point(x, y)
        return [(k, int(i)) for i in trees[k].query(spot, predicate="intersects")]

    def join(nodes: list[tuple[int, int]]) -> None:
        for node in nodes[1:]:
            parent[root(node)] = root(nodes[0])

    for x, y, size in holes_of(next((t for n, t in files.items() if n.endswith("-plated.xnc")), "")):
        join([n for k in range(len(layers)) for n in at(k, x, y, size / 2 + 0.001)])
    if json.loads(design)["board"]["rules"].get("etched"):
        # By hand a lead joins the sides on which an iron reaches it, and a wire those of a via.
        for pad in pads_of(design):
            if pad.plated and len(pad.layers) > 1:
                join([n for x in pad.layers for n in at(layers.index(x), pad.x, pad.y, 0.3)])
        for via in json.loads(design).get("vias", {}).values():
            join([n for k in range(len(layers)) for n in at(k, via["x_nm"] / 1e6, via["y_nm"] / 1e6, 0.3)])
    for name, text in files.items():
        if name.endswith("wires.csv"):
            for row in csv.DictReader(io.StringIO(text)):
                ends = [(float(row[f"x{i}_mm"]), float(row[f"y{i}_mm"])) for i in "12"]
                join([n for k in range(len(layers)) for x, y in ends for n in at(k, x, y, 0.3)])
    groups: dict[str, set[tuple[int, int]]] = {}
    owner: dict[tuple[int, int], str] = {}
    for pad in pads_of(design):
        nodes = {root(n) for x in pad.layers for n in at(layers.index(x), pad.x, pad.y, 0.05)}
        if not nodes:
            yield f"there is no copper at {pad.pin}"
        name = pad.net or f"nothing, {pad.pin}"
        groups.setdefault(name, set()).update(nodes)
        for node in nodes:
            other = owner.setdefault(node, name)
            if other != name:
                yield f"{other} and {name} are one piece of copper at {pad.pin}"
    have = {pad.pin for pad in pads_of(design)}
    for name, net in json.loads(design).get("nets", {}).items():
        lacking = [p for p in net.get("pins", ()) if p not in have]
        if lacking:
            yield f"{lacking[0]} of {name} is nowhere"
        if len({root(n) for n in groups.get(name, ())}) > 1:
            yield f"{name} is in {len({root(n) for n in groups[name]})} pieces"
