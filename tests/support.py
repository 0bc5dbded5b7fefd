"""What several tests need: real boards, small designs built in a line or two, and checks that share no code with the program."""

from __future__ import annotations

import functools
import itertools
import json
import math
from collections.abc import Iterable
from pathlib import Path

import shapely
from shapely.geometry import LineString, Point, Polygon

from vane_step.core.ask import ask
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.design.edits import apply
from vane_step.core.design.model import (
    Board,
    Design,
    LegendText,
    MountingHole,
    Net,
    NetRule,
    Part,
    PartPlace,
    Pin,
    PinRole,
    Pour,
    RuleSet,
    Track,
    Via,
)
from vane_step.core.exchange import FILES, read_exchange
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.data.shipped import demo_designs, resources, rule_set

ROOT = Path(__file__).parent.parent
BOARDS = ROOT / "tests" / "boards"
FROST, BEEPER, PANEL = "1-frost-sentinel", "2-seedling-thirst-beeper", "3-packing-bench-panel"
CIDER = "4-cider-press-logger"
# The whole circuit of the beeper as sentences of the ask line.
BEEPER_TYPED = (
    "add U1 OW-8D",
    "add R1..6 AXIAL-P762 100k 10k 330 100 10k 1k",
    "add C1 BDC-100N",
    "add C2 BE-10-16P",
    "add J1..2 NH-1x2",
    "add LED1 GL-5R",
    "add BZ1 CP-12",
    "pins J2 + -",
    "pin J2.1 + supply-out",
    "join U1.VDD C1.1 R2.1 J2.1 C2.1 VCC",
    "join U1.GND C1.2 J2.2 C2.2 J1.2 LED1.K BZ1.2 R5.2 GND",
    "join U1.1 R2.2",
    "join U1.6 R1.1",
    "join J1.1 R1.2 R6.1",
    "join U1.5 R6.2",
    "join U1.2 R3.1",
    "join R3.2 LED1.A",
    "join U1.8 R4.1 R5.1",
    "join R4.2 BZ1.1",
)


def pin_of(ref: str, net: str, name: str = FROST) -> str:
    """Give the pin by which a part of a demo design is on a net: assignments may move it."""
    return next(p for p in demo(name).nets[net].pins if p.startswith(f"{ref}."))


def texts_of(name: str) -> dict[str, str]:
    """Read the files of an exchange folder."""
    return {
        f: (BOARDS / name / f).read_text(encoding="utf-8") for f in FILES if (BOARDS / name / f).is_file()
    }


@functools.lru_cache(maxsize=8)
def folder(name: str) -> Design:
    """Import an exchange folder."""
    return read_exchange(texts_of(name), name)


@functools.lru_cache(maxsize=8)
def routed(name: str) -> Design:
    """Import and route an exchange folder."""
    design = folder(name)
    return apply(design, route(design).edit)[0]


def demo(name: str) -> Design:
    """Give a demo design."""
    return demo_designs()[name]


@functools.lru_cache(maxsize=32)
def circuit(name: str) -> Design:
    """Give a demo design, or one of the small circuits of other kinds that are kept as sentences."""
    kept = json.loads((ROOT / "tests" / "samples" / "circuits.json").read_text(encoding="utf-8"))
    return said(design([], on=board(80, 60)), *kept[name]) if name in kept else demo(name)


def said(start: Design, *sentences: str) -> Design:
    """Carry sentences of the ask line out."""
    for text in sentences:
        edit = ask(start, text, resources()).edit
        assert edit is not None, text
        start = apply(start, edit)[0]
    return start


def board(width: float = 40, height: float = 30, layers: int = 2, rules: RuleSet | None = None) -> Board:
    """Make a rectangular board."""
    return Board(
        outline=rectangle(width, height), copper_layers=layers, rules=rules or rule_set("standard-house")
    )  # type: ignore[arg-type]


def part(ref: str, pack: str, x: float, y: float, turn: float = 0, **more: object) -> Part:
    """Make a part with as many passive pins as its package has pads."""
    kitchen = bool(more.pop("kitchen", False))
    side = more.pop("side", "front")
    roles: dict[str, PinRole] = more.pop("roles", {})  # type: ignore[assignment]
    numbers = dict.fromkeys(p.number for p in package(pack, kitchen).pads)
    pins = tuple(Pin(number=n, role=roles.get(n, "passive")) for n in numbers)
    place = PartPlace(x_nm=nm(x), y_nm=nm(y), turn_deg=turn, side=side)  # type: ignore[arg-type]
    return Part.model_validate({"ref": ref, "package": pack, "pins": pins, "place": place, **more})


def design(
    parts: Iterable[Part], nets: dict[str, str] | None = None, on: Board | None = None, **more: object
) -> Design:
    """Make a design of parts and nets, each written ``"R1.1 R2.2"``."""
    listed = list(parts)
    packs = {p.package: package(p.package, False) for p in listed}
    made = {name: Net(name=name, pins=tuple(pins.split())) for name, pins in (nets or {}).items()}
    data = {
        "name": "test",
        "parts": {p.ref: p for p in listed},
        "nets": made,
        "packages": packs,
        "board": on or board(),
    }
    return Design.model_validate({**data, **more})


def track(id: str, net: str, width: float, *points: tuple[float, float], layer: str = "front") -> Track:
    """Make a track from millimetres."""
    return Track(
        id=id, net=net, layer=layer, width_nm=nm(width), points=tuple((nm(x), nm(y)) for x, y in points)
    )  # type: ignore[arg-type]


def via(id: str, net: str, x: float, y: float, pad: float = 0.6, drill: float = 0.3) -> Via:
    """Make a via from millimetres."""
    return Via(id=id, net=net, x_nm=nm(x), y_nm=nm(y), pad_nm=nm(pad), drill_nm=nm(drill))


def two_tracks(gap: float, rule: float = 0.2, angle: float = 0.0, bend: bool = False) -> Design:
    """Make a board with two tracks of different nets whose edges are ``gap`` mm apart, the pair turned by an angle."""
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

    def turned(x: float, y: float) -> tuple[float, float]:
        return 20 + x * c - y * s, 15 + x * s + y * c

    one = track("T1", "A", 0.4, turned(-5, 0), turned(5, 0))
    two = track(
        "T2",
        "B",
        0.3,
        turned(-5 if not bend else 0, 0.35 + gap),
        turned(5 if not bend else 0, 0.35 + gap + (3 if bend else 0)),
    )
    rules = {n: NetRule(width_nm=nm(0.2), clearance_nm=nm(rule)) for n in "AB"}
    nets = {n: Net(name=n, rule=rules[n]) for n in "AB"}
    return Design(name="gap", board=board(), nets=nets, tracks={"T1": one, "T2": two})


# -- judgement that shares nothing with the program's own -----------------------------------------------------


def place_by_hand(place: PartPlace, x: float, y: float) -> tuple[float, float]:
    """Carry a point of a package to the board by the convention of the document, in millimetres."""
    if place.side == "back":
        x = -x
    a = math.radians(place.turn_deg)
    return place.x_nm / 1e6 + x * math.cos(a) - y * math.sin(a), place.y_nm / 1e6 + x * math.sin(
        a
    ) + y * math.cos(a)


def drawn_copper(d: Design) -> list[tuple[str, str | None, str, Polygon]]:
    """Draw all copper but pours as polygons: name, net, layer, shape; round things with 256 corners to the circle."""
    found = []
    layers = d.board.layers
    for p in d.parts.values():
        for pad in d.packages[p.package].pads if p.place else ():
            if pad.bare_hole or p.place is None:
                continue
            w, h = pad.width_nm / 2e6, pad.height_nm / 2e6
            r = min(w, h) if pad.shape == "round" else 0.0
            corners = [(-w + r, -h + r), (w - r, -h + r), (w - r, h - r), (-w + r, h - r)]
            spots = [place_by_hand(p.place, pad.x_nm / 1e6 + x, pad.y_nm / 1e6 + y) for x, y in corners]
            shape = shapely.convex_hull(shapely.MultiPoint(spots))
            shape = shape.buffer(r, quad_segs=64) if r else shape
            outer = "front" if (pad.layers == "front") == (p.place.side == "front") else "back"
            name = f"{p.ref}.{pad.number}"
            on = layers if pad.layers == "through" else [x for x in layers if x == outer]
            found += [(name, d.net_of(name), layer, shape) for layer in on]
    for t in d.tracks.values():
        line = LineString([(x / 1e6, y / 1e6) for x, y in t.points])
        found.append((t.id, t.net, t.layer, line.buffer(t.width_nm / 2e6, quad_segs=64)))
    for v in d.vias.values():
        found += [
            (v.id, v.net, x, Point(v.x_nm / 1e6, v.y_nm / 1e6).buffer(v.pad_nm / 2e6, quad_segs=64))
            for x in layers
        ]
    for j in d.jumpers.values():
        for k, (x, y) in enumerate((j.a, j.b)):
            shape = Point(x / 1e6, y / 1e6).buffer(j.pad_nm / 2e6, quad_segs=64)
            found += [(f"{j.id}:{k}", j.net, layer, shape) for layer in layers]
    return found


def least_gap_breach(d: Design) -> float:
    """Give the worst of gap less needed clearance over all pairs of different nets on a layer, in millimetres."""
    copper = drawn_copper(d)
    least = d.board.rules.min_clearance_nm / 1e6
    worst = math.inf
    for layer in d.board.layers:
        here = [c for c in copper if c[2] == layer]
        tree = shapely.STRtree([c[3] for c in here])
        if not here:
            continue
        pairs = tree.query([c[3] for c in here], predicate="dwithin", distance=1.0).T
        for a, b in pairs:
            (n1, net1, _, s1), (n2, net2, _, s2) = here[a], here[b]
            if a < b and (net1 != net2 or net1 is None) and n1 != n2:
                need = max([least, *(d.rule_of(n).clearance_nm / 1e6 for n in (net1, net2) if n)])
                worst = min(worst, s1.distance(s2) - need)
    return worst


def joined_nets(d: Design) -> dict[str, int]:
    """Count, for each net, the separate groups its pads form when touching copper of the net counts as joined."""
    copper = drawn_copper(d)
    parent = {(net, name.partition(":")[0]): (net, name.partition(":")[0]) for name, net, _, _ in copper}

    def root(node: tuple[str | None, str]) -> tuple[str | None, str]:
        while parent[node] != node:
            node = parent[node]
        return node

    for layer in d.board.layers:
        here = [c for c in copper if c[2] == layer and c[1]]
        if not here:
            continue
        tree = shapely.STRtree([c[3] for c in here])
        for a, b in tree.query([c[3] for c in here], predicate="dwithin", distance=1e-4).T:
            if here[a][1] == here[b][1]:
                one, two = ((here[i][1], here[i][0].partition(":")[0]) for i in (a, b))
                parent[root(one)] = root(two)
    placed = {f"{p.ref}.{x.number}" for p in d.parts.values() if p.place for x in p.pins}
    return {n.name: len({root((n.name, p)) for p in n.pins if p in placed}) for n in d.nets.values()}


def mirrored(d: Design) -> Design:
    """Turn a design over about a vertical line: every reading must stay what it is, on the other side."""
    other = {"front": "back", "back": "front", "in1": "in2", "in2": "in1"}
    width = max(x for x, _ in d.board.outline)

    def part_over(p: Part) -> Part:
        if p.place is None:
            return p
        update = {
            "x_nm": width - p.place.x_nm,
            "turn_deg": -p.place.turn_deg % 360,
            "side": other[p.place.side],
        }
        return p.model_copy(update={"place": p.place.model_copy(update=update)})

    def track_over(t: Track) -> Track:
        points = tuple((width - x, y) for x, y in t.points)
        return t.model_copy(update={"layer": other[t.layer], "points": points})

    vias = {k: v.model_copy(update={"x_nm": width - v.x_nm}) for k, v in d.vias.items()}
    holes = {k: h.model_copy(update={"x_nm": width - h.x_nm}) for k, h in d.holes.items()}
    pours = {k: p.model_copy(update={"layer": other[p.layer]}) for k, p in d.pours.items()}
    outline = tuple((width - x, y) for x, y in reversed(d.board.outline))
    return d.replaced(
        parts={k: part_over(p) for k, p in d.parts.items()},
        tracks={k: track_over(t) for k, t in d.tracks.items()},
        vias=vias,
        holes=holes,
        pours=pours,
        texts={},
        board=d.board.model_copy(update={"outline": outline}),
    )


def boxes_apart(boxes: list[tuple[str, tuple[float, float, float, float]]]) -> list[str]:
    """List pairs of boxes that overlap by more than a hair."""
    found = []
    for (a, p), (b, q) in itertools.combinations(boxes, 2):
        if p[0] < q[2] - 0.01 and q[0] < p[2] - 0.01 and p[1] < q[3] - 0.01 and q[1] < p[3] - 0.01:
            found.append(f"{a} over {b}")
    return found


LOOSE = ("unrouted", "loose-end", "loose-via")


def codes(d: Design, leave_out: tuple[str, ...] = LOOSE) -> list[str]:
    """List the codes of findings."""
    return [f.code for f in check(d).findings if f.code not in leave_out]


def awkward() -> Design:
    """Give a four-layer board with everything that is hard to write: odd turns, underside, long names, pours with holes."""
    parts = [
        part("U1", "SOIC-8", 15, 15, turn=33.3),
        part("U2", "TQFP-32", 30, 20, turn=45, side="back"),
        part("C1", "ELCO-P250-D5", 8, 24, turn=17),
        part("J1", "USBC-6", 20, 6, turn=180),
        part("R1", "CHIP-1608M", 36, 6, side="back", turn=10),
    ]
    nets = {"GND": "U1.4 U2.3 C1.2 J1.1", "A_NAME_OF_MORE_THAN_FOURTEEN": "U1.1 U2.1", "CLK+/π": "U1.2 R1.1"}
    on = board(42, 32, 4, rule_set("four-layer-house")).model_copy(update={"corner_radius_nm": nm(2.5)})
    return design(parts, nets, on).replaced(
        pours={f"p{k}": Pour(id=f"p{k}", net="GND", layer=k) for k in ("front", "in1", "back")},
        vias={"V1": via("V1", "GND", 5, 5, 0.5, 0.25)},
        holes={"H1": MountingHole(id="H1", x_nm=nm(38), y_nm=nm(28), drill_nm=nm(3.2))},
        tracks={"T1": track("T1", "CLK+/π", 0.2, (3, 28), (9, 28), (12, 30.5), layer="in2")},
        texts={
            "t": LegendText(id="t", text="ÄÖ% mirrored?", x_nm=nm(20), y_nm=nm(29), side="back", turn_deg=7)
        },
    )


def laid(d: Design, **how: object) -> Design:
    """Route a design and lay the result."""
    return apply(d, route(d, **how).edit)[0]  # type: ignore[arg-type]


def two_sided() -> Design:
    """Give a two-layer kitchen board that is lopsided on both sides."""
    on = board(40, 30, 2, rule_set("kitchen-table"))
    tracks = {
        "T1": track("T1", "A", 0.8, (5, 5), (15, 5), (15, 20)),
        "T2": track("T2", "A", 0.8, (30, 5), (30, 25), (22, 25), layer="back"),
    }
    return design([part("J1", "HDR-1x2", 8, 20)], {"A": "J1.1"}, on, tracks=tracks)
