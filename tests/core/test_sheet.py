"""The drawn sheet: it tells the circuit and nothing else, nothing covers anything, and it is drawn to be read."""

from __future__ import annotations

import json
import random
import unittest
from xml.etree import ElementTree

import pypdfium2
from hypothesis import given, settings, strategies as st
from shapely.geometry import LineString, Point, box as shapely_box
from shapely.ops import unary_union
from shapely.strtree import STRtree

from tests.support import BEEPER, FROST, ROOT, boxes_apart, circuit, demo, design, part, said
from vane_step.core.ask import ask
from vane_step.core.design.edits import NudgePart, SetValue, apply
from vane_step.core.design.model import Design, Net, NetRole, Part, PartKind, Pin
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.sheet.drawing import Box, Drawing
from vane_step.core.sheet.export import sheet_svg, sheets_pdf
from vane_step.core.sheet.sheet import guessed, sheet, sheet_names
from vane_step.data.shipped import resources

KINDS: tuple[PartKind, ...] = (
    "resistor",
    "capacitor",
    "diode",
    "led",
    "crystal",
    "polar-capacitor",
    "inductor",
    "sounder",
)
ROLES: tuple[NetRole, ...] = ("signal", "signal", "bus", "sense", "supply", "ground", "switching")


SHAPES: tuple[tuple[str, str, tuple[tuple[str, str], ...]], ...] = (
    ("Q", "SOT-23", (("G", "input"), ("S", "passive"), ("D", "open-drain"))),
    ("Q", "SOT-23", (("B", "input"), ("E", "passive"), ("C", "passive"))),
    ("U", "SOT-223", (("GND", "ground"), ("OUT", "supply-out"), ("IN", "supply-in"), ("OUT", "passive"))),
    ("J", "HDR-1x4", (("+", "supply-out"), ("-", "ground"), ("A", "io"), ("B", "io"))),
)


def random_circuit(seed: int) -> Design:
    """Make a circuit of up to 60 parts, some with long names, joined at random, with a matrix or without."""
    pick = random.Random(seed)
    parts: list[Part] = []
    for i in range(pick.randrange(1, 41)):
        block = pick.choice(["", "", "Supply", "A block with quite a long title", "In"])
        chance = pick.random()
        if chance < 0.2:
            pins = tuple(
                Pin(
                    number=str(n),
                    name="P" * pick.randrange(8),
                    role=pick.choice(["input", "io", "supply-in", "ground", "output", "unconnected"]),
                )
                for n in range(1, pick.choice([3, 4, 9, 33, 65]))
            )
            parts.append(
                part(f"U{i}", "SOIC-8", 5, 5, block=block, pins=pins, value="X" * pick.randrange(12))
            )
        elif chance < 0.4:
            letter, pack, named = pick.choice(SHAPES)
            pins = tuple(Pin(number=str(k + 1), name=n, role=r) for k, (n, r) in enumerate(named))
            parts.append(
                part(f"{letter}{i}", pack, 5, 5, block=block, pins=pins, value="Y" * pick.randrange(12))
            )
        else:
            parts.append(
                part(
                    f"R{i}",
                    "CHIP-1608M",
                    5,
                    5,
                    block=block,
                    kind=pick.choice(KINDS),
                    value="V" * pick.randrange(14),
                )
            )
    stem = pick.choice(["N", "NET_"])
    names = [
        f"{stem}{k}" if pick.random() < 0.6 else f"NET_{'LONG_' * pick.randrange(4)}{k}"
        for k in range(pick.randrange(1, 30))
    ]
    nets: dict[str, list[str]] = {n: [] for n in names}
    for p in parts:
        for pin in p.pins:
            if pick.random() < 0.85:
                nets[pick.choice(names)].append(f"{p.ref}.{pin.number}")
    roles = {n: pick.choice(ROLES) for n in nets}
    if pick.random() < 0.4:
        rows, columns, block = pick.randrange(2, 5), pick.randrange(2, 6), pick.choice(["", "In"])
        for r in range(rows):
            for c in range(columns):
                key, wing = f"S{r}{c}", f"D9{r}{c}"
                parts += [
                    part(key, "CHIP-1608M", 5, 5, block=block, kind="switch"),
                    part(wing, "CHIP-1608M", 5, 5, block=block, kind="diode"),
                ]
                for net, pins_of in ((f"ROW{r}", [f"{key}.1"]), (f"K{r}{c}", [f"{key}.2", f"{wing}.2"])):
                    nets.setdefault(net, []).extend(pins_of)
                nets.setdefault(f"COL{c}", []).append(f"{wing}.1")
    made = {n: Net(name=n, pins=tuple(pins), role=roles.get(n, "signal")) for n, pins in nets.items()}
    return design(parts).replaced(nets=made)


def terminals(drawn: Drawing) -> dict[str, tuple[float, float]]:
    """Give where each drawn pin is: tabs of cards, and the ends of symbols by the way they are turned."""
    found = {}
    for m in (m for g in drawn.groups for m in g.marks):
        if m.kind == "tab":
            found[m.pin] = (m.x if m.shape == "left" else m.x + m.w, m.y + m.h / 2)
        elif m.kind == "part":
            cx, cy = m.x + m.w / 2, m.y + m.h / 2
            first = {0: (cx, m.y), 180: (cx, m.y + m.h), 270: (m.x, cy), 90: (m.x + m.w, cy)}[m.turn]
            found[f"{m.ref}.1"] = first
            found[f"{m.ref}.2"] = (2 * cx - first[0], 2 * cy - first[1])
    return found


def untold(d: Design, drawn: Drawing) -> list[str]:
    """List what the wires of a sheet do not tell of a circuit, or tell wrongly.

    Each piece of wire must bear its net's name or reach all of its pins; each pin must be met by its net's wire; and
    wires of two nets never run along each other or end on each other.
    """
    said: list[str] = []
    at = terminals(drawn)
    where = {p: LineString([xy, xy]).buffer(0.6) for p, xy in at.items()}
    pieces: dict[str, list[LineString]] = {}
    for w in (w for g in drawn.groups for w in g.wires if w.net):
        pieces.setdefault(w.net, []).append(LineString([(w.x0, w.y0), (w.x1, w.y1)]))
    names: dict[str, list[object]] = {}
    for m in (m for g in drawn.groups for m in g.marks if m.kind in ("pill", "supply", "ground")):
        names.setdefault(m.net, []).append(
            shapely_box(m.x - 0.6, m.y - 0.6, m.x + m.w + 0.6, m.y + m.h + 0.6)
        )
    for net in d.nets.values():
        mine = unary_union([line.buffer(0.3) for line in pieces.get(net.name, [])])
        runs = [] if mine.is_empty else [mine] if mine.geom_type == "Polygon" else list(mine.geoms)
        said += [
            f"{p} of {net.name} is met by no wire"
            for p in net.pins
            if not any(where[p].intersects(r) for r in runs)
        ]
        for run in runs:
            named = any(run.intersects(n) for n in names.get(net.name, ()))
            if not named and not all(where[p].intersects(run) for p in net.pins):
                said.append(f"a wire of {net.name} ends unnamed")
    every = [(n, line) for n, lines in pieces.items() for line in lines]
    tree = STRtree([line for _, line in every])
    for k, (name, line) in enumerate(every):
        for j in tree.query(line):
            other, wire = every[j]
            if j <= k or other == name:
                continue
            ends = any(Point(c).distance(line) < 0.1 for c in wire.coords) or any(
                Point(c).distance(wire) < 0.1 for c in line.coords
            )
            if line.intersects(wire) and ends:
                said.append(f"wires of {name} and {other} meet")
    return said


class Sheet(unittest.TestCase):
    """The drawing: nothing covers anything, every pin is told, and parts stay where they are put."""

    def judge(self, d: Design) -> Drawing:
        """Check a sheet as somebody who reads it would."""
        drawn = sheet(d)
        marks = [m for g in drawn.groups for m in g.marks]
        solid = [
            (f"{m.kind} {m.ref or m.label}", (m.x, m.y, m.x + m.w, m.y + m.h))
            for m in marks
            if m.kind in ("card", "part", "pill", "text", "supply")
        ]
        self.assertEqual(boxes_apart(solid), [])
        self.assertEqual({m.ref for m in marks if m.kind in ("card", "part")}, set(d.parts))
        zones = [(z.title, (z.box.x0, z.box.y0, z.box.x1, z.box.y1)) for z in drawn.zones]
        self.assertEqual(boxes_apart(zones), [])
        for name, box in solid:
            self.assertTrue(
                any(
                    z[0] - 0.01 <= box[0]
                    and box[2] <= z[2] + 0.01
                    and z[1] <= box[1]
                    and box[3] <= z[3] + 0.01
                    for _, z in zones
                ),
                f"{name} reaches out of its block",
            )
        bodies = [m for m in marks if m.kind in ("card", "part", "text")]
        for w in (w for g in drawn.groups for w in g.wires):
            self.assertTrue(w.x0 == w.x1 or w.y0 == w.y1, "a wire is slanted")
            for m in bodies:
                x0, x1, y0, y1 = min(w.x0, w.x1), max(w.x0, w.x1), min(w.y0, w.y1), max(w.y0, w.y1)
                through = x0 < m.x + m.w - 0.5 and m.x + 0.5 < x1 and y0 < m.y + m.h - 0.5 and m.y + 0.5 < y1
                through |= (
                    x0 == x1 and m.x + 0.5 < x0 < m.x + m.w - 0.5 and y0 < m.y + m.h - 0.5 and m.y + 0.5 < y1
                )
                through |= (
                    y0 == y1 and m.y + 0.5 < y0 < m.y + m.h - 0.5 and x0 < m.x + m.w - 0.5 and m.x + 0.5 < x1
                )
                self.assertFalse(through, f"a wire of {w.net} runs through {m.kind} {m.ref}")
        self.assertEqual(untold(d, drawn), [])
        return drawn

    def test_demo_sheets(self) -> None:
        """Both demo sheets are readable and fit the view of a page 1280 wide."""
        for name in (FROST, BEEPER):
            self.assertLessEqual(self.judge(demo(name)).width, 750)

    @settings(max_examples=40)
    @given(st.integers(0, 2**32))
    def test_any_circuit(self, seed: int) -> None:
        """Random circuits are drawn without overlaps, whatever is joined to what."""
        self.judge(random_circuit(seed))

    def test_every_connection_is_shown(self) -> None:
        """Each pin's net is written at it, or a wire of that net meets it."""
        d = demo(FROST)
        drawn = sheet(d)
        for g in drawn.groups:
            for tab in (m for m in g.marks if m.kind == "tab" and m.net):
                x = tab.x if tab.shape == "left" else tab.x + tab.w
                met = [
                    w
                    for w in g.wires
                    if w.net == tab.net
                    and abs(w.y0 - tab.y - 9) < 0.6
                    and min(abs(w.x0 - x), abs(w.x1 - x)) < 0.6
                ]
                self.assertTrue(met, f"nothing meets {tab.pin}")

    def test_one_edit_moves_nothing_else(self) -> None:
        """A changed value leaves every other mark where it was."""
        d = demo(FROST)
        before, after = (
            {m for g in sheet(x).groups for m in g.marks}
            for x in (d, apply(d, SetValue(ref="R9", value="220"))[0])
        )
        self.assertEqual({m.ref for m in before ^ after}, {"R9"})

    def test_nudges_survive(self) -> None:
        """A nudged part stays nudged when other parts change, and one that would cover another is refused."""
        d = demo(FROST)
        self.assertIsNotNone(ask(d, "nudge J7 0 2", resources()).edit)
        d = apply(d, NudgePart(ref="J7", nudge=(0, 2)))[0]
        y = next(m.y for g in sheet(d).groups for m in g.marks if m.ref == "J7")
        again = apply(d, SetValue(ref="R3", value="470"))[0]
        self.assertEqual(y, next(m.y for g in sheet(again).groups for m in g.marks if m.ref == "J7"))
        with self.assertRaises(EditRefused) as caught:
            ask(d, "nudge J7 -12 0", resources())
        self.assertIn("J3", str(caught.exception))

    def test_empty(self) -> None:
        """Nothing is drawn of nothing."""
        self.assertEqual(sheet(design([])).groups, [])


def beginning(name: str, joined: bool = True) -> Design:
    """Build what a newcomer types: the parts in ordinary words, then the connections; nobody says a block."""
    if joined:
        return circuit(name)
    kept = json.loads((ROOT / "tests" / "samples" / "circuits.json").read_text(encoding="utf-8"))
    return said(design([]), *(line for line in kept[name] if line.startswith("add")))


class DrawnToBeRead(unittest.TestCase):
    """Circuits of beginners, drawn without a block named."""

    def test_a_first_draft_is_in_groups(self) -> None:
        """Each part is drawn with what it serves, and one sentence makes blocks of it."""
        d = beginning("fan dimmer")
        with_q1 = next(g for g in guessed(d) if "Q1" in g.refs)
        self.assertEqual(set(with_q1.refs), {"Q1", "R2", "R3", "D4", "J2"})
        self.assertEqual(with_q1.title, "FAN switched by Q1")
        self.assertIn("RV1", next(g for g in guessed(d) if "U1" in g.refs).refs)
        after = said(d, "divide")
        self.assertEqual({p.block for p in after.parts.values()}, {g.title for g in guessed(d)})
        with self.assertRaises(InputError):
            ask(after, "divide", resources())

    def test_power_runs_from_left_to_right(self) -> None:
        """From the jack over fuse and diode to the rail in one line, with the capacitor that holds it up at its end."""
        for name, pin, chain, cap in (
            ("fan dimmer", "J1.1", ("F1", "D1"), "C1"),
            ("usb kit", "J1.A4", ("F1", "D1"), ""),
        ):
            d = beginning(name)
            marks = [m for g in sheet(d).groups if g.anchor == "J1" for m in g.marks]
            tab = next(m for m in marks if m.pin == pin)
            symbols = [next(m for m in marks if m.kind == "part" and m.ref == r) for r in chain]
            rail = next(m for m in marks if m.kind == "supply" and m.x > symbols[-1].x)
            self.assertEqual({m.y + m.h / 2 for m in (tab, *symbols, rail)}, {tab.y + 9}, name)
            self.assertEqual(sorted(m.x for m in symbols), [m.x for m in symbols])
            if cap:
                self.assertGreater(next(m.x for m in marks if m.ref == cap), symbols[-1].x)

    def test_parts_are_where_they_work(self) -> None:
        """A crystal is closed on both pins; each capacitor is at its regulator; a light is at its pin."""
        d = beginning("usb kit")
        group = {m.ref: g.anchor for g in sheet(d).groups for m in g.marks if m.ref}
        self.assertEqual(
            {r: group[r] for r in ("Y1", "C1", "C2", "R4", "LED1", "C3")},
            dict.fromkeys(("Y1", "C1", "C2", "R4", "LED1", "C3"), "U1"),
        )
        self.assertEqual((group["C6"], group["C7"]), ("U2", "U2"))
        loop = {d.net_of("Y1.1"), d.net_of("Y1.2")}
        self.assertFalse([m for g in sheet(d).groups for m in g.marks if m.kind == "pill" and m.net in loop])
        at = terminals(sheet(d))
        self.assertEqual(at["Y1.1"][0], at["Y1.2"][0])
        self.assertLess(at["U1.4"][1], at["Y1.1"][1])
        self.assertLess(at["Y1.2"][1], at["U1.7"][1])

    def test_below_ground(self) -> None:
        """A lower supply has its capacitors at its pin, and its way from the source runs in line as the upper one does."""
        d = said(
            circuit("split supply"),
            *(
                "add U1 dual op amp",
                "join U1.V+ +12V",
                "join U1.V- -12V",
                "add C8..9 100n",
                "join C8..9.2 GND",
            ),
            *(
                "join C8.1 +12V",
                "join C9.1 -12V",
                "add D1 schottky diode",
                "disconnect J1.3",
                "join J1.3 D1.K",
            ),
            *("join D1.A -12V", "add R2 10k", "join U1.OUT1 R2.1", "join U1.IN1- R2.2", "join U1.IN1+ GND"),
        )
        group = {m.ref: g.anchor for g in sheet(d).groups for m in g.marks if m.ref}
        self.assertEqual([group[r] for r in ("C8", "C9", "R2", "D1")], ["U1", "U1", "U1", "J1"])
        at = terminals(sheet(d))
        self.assertEqual(at["D1.1"][1], at["J1.3"][1])
        self.assertEqual(untold(d, sheet(d)), [])

    def test_pins_keep_their_side_and_order(self) -> None:
        """What is connected moves no pin to the other side; a plug's pins are in order on one side."""
        for name in ("usb kit", "key pad"):
            bare, d = beginning(name, joined=False), beginning(name)
            before, after = (
                {m.pin: m.shape for g in sheet(x).groups for m in g.marks if m.kind == "tab"}
                for x in (bare, d)
            )
            self.assertEqual(before, after)
            for g in sheet(d).groups:
                if g.anchor.startswith("J"):
                    tabs = sorted((m for m in g.marks if m.kind == "tab"), key=lambda m: m.y)
                    self.assertEqual([m.label for m in tabs], [p.number for p in d.parts[g.anchor].pins])
                    self.assertEqual(len({m.shape for m in tabs}), 1)

    def test_a_matrix_is_a_grid(self) -> None:
        """Keys of a row are level, keys of a column are above each other, and each line is one wire."""
        drawn = sheet(beginning("key pad"))
        at = {m.ref: (m.x, m.y) for g in drawn.groups for m in g.marks if m.kind == "part"}
        for k in range(16):
            self.assertEqual(at[f"S{k + 1}"][1], at[f"S{k // 4 * 4 + 1}"][1])
            self.assertEqual(at[f"S{k + 1}"][0], at[f"S{k % 4 + 1}"][0])
            self.assertEqual(at[f"D{k + 1}"][0], at[f"S{k + 1}"][0])
        self.assertIn("Keys", [z.title for z in drawn.zones])

    def test_a_transistor_is_drawn(self) -> None:
        """The strokes inside a transistor's card end at its three pins."""
        d = beginning("fan dimmer")
        group = next(g for g in sheet(d).groups if g.anchor == "Q1")
        card = next(m for m in group.marks if m.kind == "card")
        ends = {(m.x + x, m.y + y) for m in group.marks if m.kind == "ink" for x, y in m.points}
        for tab in (m for m in group.marks if m.kind == "tab"):
            inner = tab.x + tab.w if tab.shape == "left" else tab.x
            self.assertIn((inner, tab.y + 9), ends, tab.label)
        self.assertTrue(all(card.x <= x <= card.x + card.w for x, _ in ends))


def size(box: Box) -> tuple[float, float]:
    """Give how wide and how tall a box is."""
    return round(box.x1 - box.x0, 3), round(box.y1 - box.y0, 3)


class Sheets(unittest.TestCase):
    """Several sheets, and what leaves as files."""

    def test_each_part_is_on_one_sheet(self) -> None:
        """The sheets share the parts out, nothing overlaps on any of them, and pills name the sheets a net goes on to."""
        d = demo(FROST)
        names = sheet_names(d)
        self.assertEqual(names, ["", "Yard", "Power"])
        drawn = [
            {m.ref for g in sheet(d, page=n).groups for m in g.marks if m.kind in ("card", "part")}
            for n in names
        ]
        self.assertEqual(sum(len(x) for x in drawn), len(d.parts))
        self.assertEqual(set.union(*drawn), set(d.parts))
        for name in names:
            drawing = sheet(d, page=name)
            solid = [
                (f"{m.kind} {m.ref or m.net}", (b.x0, b.y0, b.x1, b.y1))
                for g in drawing.groups
                for m in g.marks
                if m.kind in ("card", "part", "pill", "supply", "ground", "text") and (b := m.box())
            ]
            self.assertEqual(boxes_apart(solid), [])
            for mark in (m for g in drawing.groups for m in g.marks if m.kind == "pill"):
                on = {
                    k + 1
                    for k, refs in enumerate(drawn)
                    if any(p.split(".")[0] in refs for p in d.nets[mark.net].pins)
                }
                told = mark.label.partition(" ›")[2]
                others = on - {names.index(name) + 1}
                quiet = d.nets[mark.net].role in ("supply", "ground")
                self.assertEqual(
                    {int(x) for x in told.split(",") if x}, set() if quiet else others, mark.label
                )

    def test_an_edit_moves_nothing_else(self) -> None:
        """A value changed, a pin joined, a part less: other blocks stay, unless the block before them changed its size."""
        d = demo(FROST)
        before = sheet(d)
        kept = 0
        for sentence in (
            "value R13 330",
            "join U1.12 TX",
            "value R6 9k1 1%",
            "remove C14",
            "swap LED1 GL-20A",
        ):
            after = sheet(said(d, sentence))
            blocks = {d.parts[r].block for r in sentence.replace(".", " ").split() if r in d.parts}
            with self.subTest(sentence):
                for one, two in zip(before.zones, after.zones, strict=True):
                    self.assertEqual(one.title, two.title)
                    if one.title in blocks and size(one.box) != size(two.box):
                        break
                    self.assertEqual(one.box, two.box, one.title)
                else:
                    kept += 1
        self.assertGreaterEqual(kept, 3, "an edit in a block hardly ever leaves its size")

    def test_files(self) -> None:
        """The PDF has a page a sheet, titled, with links to the others; every part is written in PDF and SVG."""
        d = demo(FROST)
        data = sheets_pdf(d, "revision B")
        self.assertEqual(data, sheets_pdf(d, "revision B"))
        document = pypdfium2.PdfDocument(data)
        self.assertEqual(len(document), 3)
        pages = [page.get_textpage().get_text_range() for page in document]
        for page, name in zip(pages, ("main", "Yard", "Power"), strict=True):
            self.assertIn(f"Frost Sentinel - {name}", page)
            self.assertIn("revision B", page)
        self.assertGreater(data.count(b"/Subtype /Link"), 10)
        words = set(" ".join(pages).split())
        self.assertLessEqual(set(d.parts), words)
        svg = sheet_svg(d, None, "revision B")
        ElementTree.fromstring(svg)
        for ref in d.parts:
            self.assertIn(f">{ref}</text>", svg)
        with self.assertRaises(InputError):
            sheet_svg(d, "Cellar")


if __name__ == "__main__":
    unittest.main()
