"""Says random but sensible sentences about a design, over every verb of the ask line; judging what comes of it is not here.

A sentence may well be refused: a newcomer's are too. What must hold of it is in ``trial``.
"""

from __future__ import annotations

import random
from collections.abc import Callable

from vane_step.core.ask import VERBS
from vane_step.core.circuit.pins import pin_words
from vane_step.core.design.model import Design, NetRole, PinRole, split_pin
from vane_step.core.patterns.families import DIMENSIONED
from vane_step.core.patterns.packages import package_examples
from vane_step.core.power.formulas import FORMULAS
from vane_step.data.shipped import blocks, catalogue, rule_sets

NETS = (
    "GND",
    "3V3",
    "5V",
    "12V",
    "+12V",
    "-12V",
    "-35V",
    "N5V",
    "VBAT",
    "VCC",
    "AGND",
    "SDA",
    "SCL",
    "IN+",
    "IN-",
    "USB_D+",
    "USB_D-",
    "CLK",
    "RST",
    "OUT1",
    "OUT2",
    "BUS0",
    "BUS1",
    "BUS2",
    "A",
    "B",
    "C",
    "SENSE_P",
    "SENSE_N",
    "a_net_with_a_long_name",
    "ÄÖ",
    "1",
    "N1",
)
VALUES = (
    "10k",
    "4k7",
    "100n",
    "22p",
    "3V3",
    "1M",
    "0R05",
    "red",
    "8 MHz 12p5",
    "BC 47",
    "",
    "47u 35V",
    "2.2Ah",
    "1²",
)
WORDS = ("hot", "bench, 2026-11-02", "feeds 3.3 V", "=1+1", "Ω µ °", "a b  c", "x" * 70, "'", "\\", "…")
Maker = Callable[["Speaker", Design], str]


class Speaker:
    """Makes sentences from a seed; the same seed and design give the same sentence."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.numbers = list(catalogue().parts)

    def pick(self, some: object, other: str = "X9") -> str:
        """Choose one of some words, or another where there are none."""
        # Sets have an order of their own in every run.
        listed = sorted(some) if isinstance(some, set) else list(some)  # type: ignore[call-overload]
        return str(self.rng.choice(listed)) if listed else other

    def ref(self, d: Design) -> str:
        """Choose a part."""
        return self.pick(d.parts)

    def refs(self, d: Design) -> str:
        """Choose some parts, as people name several."""
        nets, made = list(d.nets), self.rng.random()
        if made < 0.15:
            return "all"
        if made < 0.25 and nets:
            return f"net={self.pick(nets)}"
        if made < 0.35:
            return f"kind={self.pick({p.kind for p in d.parts.values()})}"
        return " ".join(self.ref(d) for _ in range(self.rng.randint(1, 3)))

    def pin(self, d: Design) -> str:
        """Choose a pin, by name or number."""
        ref = self.ref(d)
        return self.pick(pin_words(d.parts[ref])) if ref in d.parts else "U1.1"

    def net(self, d: Design) -> str:
        """Choose a net, mostly one there is."""
        return self.pick(d.nets if d.nets and self.rng.random() < 0.8 else NETS)

    def mm(self, low: float, high: float) -> str:
        """Give a length, at times on half a micrometre or in another unit."""
        value = self.rng.uniform(low, high)
        kind = self.rng.random()
        if kind < 0.4:
            return f"{round(value * 2) / 2:g}"
        if kind < 0.7:
            return f"{round(value, 4):g}"
        if kind < 0.8:
            return f"{round(value * 2000) / 2000:.4f}"
        return f"{value / 0.0254:.1f}mil" if kind < 0.9 else f"{value:.2f}mm"

    def spot(self, d: Design) -> str:
        """Give a place on the board, or just off it."""
        xs, ys = zip(*d.board.outline, strict=True)
        return (
            f"{self.mm(min(xs) / 1e6 - 1, max(xs) / 1e6 + 1)} {self.mm(min(ys) / 1e6 - 1, max(ys) / 1e6 + 1)}"
        )

    def size(self, low: float, high: float) -> str:
        """Give a size such as 20x8."""
        return f"{self.rng.uniform(low, high):.2g}x{self.rng.uniform(low, high):.2g}"

    def text(self) -> str:
        """Give some words in quotes."""
        return '"' + self.pick(WORDS).replace('"', "") + '"'

    def what(self) -> str:
        """Give a part of the catalogue, or a package."""
        return self.pick(self.numbers) if self.rng.random() < 0.7 else self.pick(package_examples())

    def say(self, d: Design, verb: str = "") -> str:
        """Say something with a verb, or with any."""
        return MAKERS[verb or self.pick(MAKERS)](self, d)

    def fresh(self, d: Design) -> str:
        """Give a reference, mostly of no part yet."""
        letters = self.pick(("R", "C", "U", "J", "Q", "D", "K", "X_", "Ü"))
        return f"{letters}{self.rng.randint(1, 40)}"


def _place(s: Speaker, d: Design) -> str:
    if s.rng.random() < 0.15:
        return f"place {s.ref(d)} by {s.pin(d)}"
    turn = s.pick((0, 90, 180, 270, 45, 33.3, 359.9))
    return f"place {s.ref(d)} {s.spot(d)} {turn}" if s.rng.random() < 0.9 else f"place {s.ref(d)} off"


def _pour(s: Speaker, d: Design) -> str:
    more = []
    if s.rng.random() < 0.5:
        x, y = s.spot(d).split()
        more.append(f"box={x},{y},{s.size(3, 25)}")
    for word, low, high in (("gap", 0.1, 0.8), ("width", 0.1, 0.5), ("spoke", 0.2, 0.8), ("hatch", 0.8, 2.0)):
        if s.rng.random() < 0.2:
            more.append(f"{word}={s.rng.uniform(low, high):.2f}")
    if s.rng.random() < 0.3:
        more.append(f"priority={s.rng.randint(0, 4)}")
    if s.rng.random() < 0.15:
        more.append("plane=yes")
    layers = d.board.layers if s.rng.random() < 0.9 else ("front", "in1", "in2", "back")
    return " ".join(("pour", s.net(d), s.pick(layers), *more))


def _calc(s: Speaker, d: Design) -> str:
    known = FORMULAS[s.pick(FORMULAS)]
    words = []
    for q in known.inputs:
        if not q.usual or s.rng.random() < 0.3:
            low, high = q.range
            rails = [n for n in d.nets if n[:1].isdigit()]
            if q.unit == "V" and rails and s.rng.random() < 0.5:
                words.append(f"{q.key}={s.pick(rails)}")
            else:
                words.append(f"{q.key}={s.rng.uniform(low, min(high, 20)):.3g}")
    words += [f"{key}={s.ref(d)}" for key in known.sets if s.rng.random() < 0.6]
    return " ".join((f"calc F{s.rng.randint(1, 4)}", known.name, *words))


def _pattern(s: Speaker, d: Design) -> str:
    family = s.pick(DIMENSIONED)
    words = [f"pins={s.rng.randint(1, 24)}"] if s.rng.random() < 0.8 else []
    for asked in DIMENSIONED[family].asks:
        if s.rng.random() < 0.15 and asked.key != "pins":
            words.append(f"{asked.key}={s.rng.uniform(0.2, 9):.2f}")
    return " ".join((f"pattern OWN{s.rng.randint(1, 3)}", family, *words))


def _block_words(s: Speaker, d: Design) -> str:
    return '"' + s.pick({p.block for p in d.parts.values() if p.block}, "Nothing") + '"'


def _use(s: Speaker, d: Design) -> str:
    if s.rng.random() < 0.25:
        controllers = [p.number for p in catalogue().parts.values() if p.category == "controller"]
        return f"use controller {s.pick(controllers)}"
    name = s.pick(blocks())
    ports = [f"{p}={s.net(d)}" for p in blocks()[name].ports if s.rng.random() < 0.3]
    return " ".join((f'use "{name}"', *ports))


def _need(s: Speaker, d: Design) -> str:
    test = s.pick(("", "width<=60", "unrouted<=0", "measured>=4.8 V", "parts<=400"))
    return f"need Q{s.rng.randint(1, 4)} {s.pick(('must', 'wish'))} {s.text()} {test}".strip()


def _brief(s: Speaker, d: Design) -> str:
    return "brief " + s.pick(
        (
            "breadboard yes",
            f"tiles {s.pick(('across', 'up', 'both', 'no'))}",
            "size 60x40",
            "tall 8",
            "manufacturing etch",
            "manufacturing order",
            "skills through-hole",
            "skills no-leadless",
            "chip 2012M",
            "pitch 0.65",
            "quantity 5",
            "budget 40",
            "ambient 30",
            "stock-first yes",
            "purpose a thing",
            "date 2027-01-31",
        )
    )


MAKERS: dict[str, Maker] = {
    "join": lambda s, d: (
        f"join {' '.join(s.pin(d) for _ in range(s.rng.randint(1, 4)))} {s.net(d) if s.rng.random() < 0.8 else s.pin(d)}"
        f"{' only' if s.rng.random() < 0.4 else ''}"
    ),
    "rest": lambda s, d: f"rest {s.ref(d)}",
    "net": lambda s, d: f"net {s.net(d)} {s.pin(d)}",
    "find": lambda s, d: f"find {s.what()}",
    "help": lambda s, d: "help",
    "disconnect": lambda s, d: f"disconnect {s.pin(d)}",
    "rename": lambda s, d: f"rename {s.net(d)} {s.pick(NETS)}",
    "merge": lambda s, d: f"merge {s.net(d)} {s.net(d)}",
    "pins": lambda s, d: (
        f"pins {s.ref(d)} {' '.join(s.pick(('VDD', 'GND', 'IN', 'OUT', 'NC', 'P0..3', 'A')) for _ in range(3))}"
    ),
    "matrix": lambda s, d: (
        f"matrix ROW0..{s.rng.randint(0, 2)} COL0..{s.rng.randint(0, 3)} {s.pick(('to-rows', 'to-columns'))}"
    ),
    "repeat": lambda s, d: (
        f"repeat {_block_words(s, d)} {s.rng.randint(1, 3)}"
        + (f" {s.mm(-12, 12)} {s.mm(-12, 12)}" if s.rng.random() < 0.5 else "")
    ),
    "pin": lambda s, d: f"pin {s.pin(d)} {s.pick(('VDD', 'GND', 'X', '+'))} {s.pick(PinRole.__args__)}",  # type: ignore[attr-defined]
    "value": lambda s, d: f"value {s.ref(d)} {s.pick(VALUES) or '1k'}",
    "divide": lambda s, d: "divide",
    "copy": lambda s, d: f"copy {s.ref(d)} {s.ref(d)}",
    "call": lambda s, d: f"call {s.pick(('Mine', 'A b'))}",
    "block": lambda s, d: f"block {s.ref(d)} {s.ref(d)} {s.pick(('Feed', 'Press', 'A b'))}",
    "add": lambda s, d: (
        f"add {s.fresh(d)}{'..' + str(s.rng.randint(41, 43)) if s.rng.random() < 0.1 else ''} {s.what()} {s.pick(VALUES)}".strip()
    ),
    "swap": lambda s, d: f"swap {s.ref(d)} {s.pick(s.numbers)}",
    "use": _use,
    "demand": lambda s, d: (
        f'demand "S{s.rng.randint(1, 3)}: {s.pick(("adc", "pwm", "i2c", "uart", "gpio"))}"'
    ),
    "assign": lambda s, d: f"assign {s.ref(d)}{s.pick(('', ' nearer'))}",
    "calc": _calc,
    "accept": lambda s, d: f"accept {s.pick([*d.calculations, 'all'])}",
    "need": _need,
    "show": lambda s, d: f"show {s.pick(d.requirements)} {s.pick(('yes', 'no', '4.9', '1e3'))} {s.text()}",
    "brief": _brief,
    "waive": lambda s, d: (
        f"waive {s.pick(('no-number', 'open-pin', 'lonely-net', 'decoupling'))} {s.ref(d)} {s.text()}"
    ),
    "input": lambda s, d: f"input {s.pick(d.calculations)} vin_v={s.rng.uniform(1, 20):.2f}",
    "sheet": lambda s, d: f"sheet {_block_words(s, d)} {s.pick(('main', 'two', 'Power'))}",
    "hint": lambda s, d: f"hint {_block_words(s, d)} {s.text()}",
    "worked": lambda s, d: f"worked {_block_words(s, d)} {s.text()}",
    "fit": lambda s, d: f"fit {s.ref(d)} {s.pick(('yes', 'no'))}" + s.pick(("", " in lean", " in full")),
    "variant": lambda s, d: f"variant {s.pick(('lean', 'full', 'Ü'))} {s.text()}",
    "either": lambda s, d: f"either {s.pick(('feed', 'w'))} {s.ref(d)} {s.ref(d)}",
    "note": lambda s, d: f"note {s.ref(d)} {s.text()}",
    "extra": lambda s, d: f"extra E{s.rng.randint(1, 3)} {s.rng.randint(0, 9)} {s.text()} for={s.ref(d)}",
    "pattern": _pattern,
    "checked": lambda s, d: (
        f"checked {s.pick(d.packages)} {s.pick(('below', 'right', 'none'))} {s.pick(('anticlockwise', 'clockwise', 'none'))}"
    ),
    "proven": lambda s, d: f"proven {s.pick(d.packages)} {s.text()}",
    "remove": lambda s, d: (
        f"remove {s.pick([*d.parts, *d.nets, *d.holes, *d.texts, *d.pours, *(c.id for c in d.board.cutouts), *(z.id for z in d.board.zones)])}"
    ),
    "nudge": lambda s, d: f"nudge {s.ref(d)} {s.rng.randint(-5, 5)} {s.rng.randint(-5, 5)}",
    "place": _place,
    "edge": lambda s, d: f"edge {s.ref(d)} {s.pick(('left', 'right', 'top', 'bottom'))}",
    "grid": lambda s, d: f"grid {s.refs(d)} {s.rng.randint(1, 3)}x{s.rng.randint(1, 3)} {s.mm(2, 12)}",
    "exchange": lambda s, d: f"exchange {s.pick((s.ref(d), 'all'))}",
    "turn": lambda s, d: f"turn {s.refs(d)} {s.pick((90, 45, -30, 0.1))}",
    "flip": lambda s, d: f"flip {s.ref(d)}",
    "lock": lambda s, d: f"lock {s.pick((s.ref(d), s.pin(d)))}",
    "unlock": lambda s, d: f"unlock {s.pick((s.refs(d), s.pin(d)))}",
    "choose": lambda s, d: f"choose {s.refs(d)}",
    "align": lambda s, d: f"align {s.ref(d)} {s.ref(d)} {s.pick(('left', 'right', 'middle', 'top'))}",
    "space": lambda s, d: f"space {s.ref(d)} {s.ref(d)} {s.ref(d)} {s.pick(('across', 'up'))}",
    "shift": lambda s, d: f"shift {s.refs(d)} {s.mm(-8, 8)} {s.mm(-8, 8)}",
    "arrange": lambda s, d: "arrange",
    "width": lambda s, d: (
        f"width {s.net(d)} {s.pick(('0.3mm', '12mil', '500mA', '2A 20K', '800 mA', 'none', '0.15'))}"
    ),
    "current": lambda s, d: f"current {s.net(d)} {s.pick(('0.2', '1.5A', '30 mA', 'none'))}",
    "clearance": lambda s, d: f"clearance {s.net(d)} {s.mm(0.1, 0.8)}",
    "layers": lambda s, d: f"layers {s.net(d)} {s.pick((*d.board.layers, 'all'))}",
    "source": lambda s, d: (
        f"source {s.pick(('BATT', 'PLUG', 'X1'))} {s.net(d) if s.rng.random() < 0.7 else s.pin(d)} {s.net(d)} "
        f"{s.pick(('12V', '5V 4.5..5.5V 0.1ohm', '-12 V', '3V 15ohm 0.2Ah', '9V 1A', '3.7V 3..4.2V 2Ah lithium', 'none', 'x', '12V 14..15V'))}"
    ),
    "load": lambda s, d: (
        f"load {s.pick(('PUMP', 'LAMP'))} {s.net(d)} {s.net(d)} "
        f"{s.pick(('2A', '10ohm', '5W', '30 mA in pump', '1A for 1s', 'none', '0A'))}"
    ),
    "drives": lambda s, d: (
        f"drives {s.pin(d)} {s.pick(('high', 'low', 'open', 'input', 'pullup', 'none', 'up'))}{s.pick(('', ' in pump', ' in reset'))}"
    ),
    "mode": lambda s, d: (
        f"mode {s.pick(('pump', 'sleep', 'idle'))} {s.pick(('2%', '60', 'none', '98 %', '-1%'))}"
    ),
    "state": lambda s, d: (
        f"state {s.pick(('night', 'bench'))} "
        f"{s.pick(('BATT=on', 'BATT=off mode=pump', 'mode=reset', f'{s.ref(d)}=closed', 'none', 'x=y'))}"
    ),
    "rating": lambda s, d: (
        f"rating {s.ref(d)} {s.pick(('iq_a=5mA', 'vout_v=3.3 iout_a=1A', 'supply_min_v=2.7V supply_max_v=5.5V', 'foo=1', 'r_ohm=none'))}"
    ),
    "sink": lambda s, d: f"sink {s.ref(d)} {s.pick(('IC-220', '12K/W', 'none', 'R1', '0', 'x'))}",
    "rail": lambda s, d: f"rail {s.net(d)} {s.pick(('12V', '-5', '12.8..16.8', '3V3', '5..2', 'x'))}",
    "role": lambda s, d: f"role {s.net(d)} {s.pick(NetRole.__args__)}",  # type: ignore[attr-defined]
    "route": lambda s, d: f"route {s.pin(d)} {s.pin(d)}",
    "widen": lambda s, d: s.pick((f"widen {s.net(d)}", "widen all 0.5mm")),
    "neck": lambda s, d: f"neck {s.net(d)} 0.3mm 2mm",
    "fiducials": lambda s, d: f"fiducials {s.pick(('front', 'back'))}",
    "bank": lambda s, d: f"bank {s.pin(d)} {s.pin(d)}",
    "names": lambda s, d: f"names {s.ref(d)}{s.pick(('', ' pin', ' off'))}",
    "values": lambda s, d: f"values {s.ref(d)}",
    "thermal": lambda s, d: f"thermal {s.ref(d)}",
    "rule": lambda s, d: f"rule {s.pick(('track', 'gap', 'ring', 'via', 'drill'))} 0.{s.pick((1, 2, 3))}mm",
    "vias": lambda s, d: f"vias {s.net(d)}",
    "teardrops": lambda s, d: f"teardrops {s.pick((s.net(d), 'all'))}{s.pick(('', ' off'))}",
    "centre": lambda s, d: f"centre {s.pick((s.net(d), 'all'))}",
    "advise": lambda s, d: "advise",
    "unroute": lambda s, d: f"unroute {s.net(d)}",
    "outline": lambda s, d: f"outline {s.size(30, 90)}" + s.pick(("", " 3", " 0.5")),
    "hole": lambda s, d: f"hole {s.spot(d)}" + s.pick(("", " 2.5", " 0.9")),
    "text": lambda s, d: (
        f"text {s.text()} {s.spot(d)}" + s.pick(("", " 2", " 1.5 back", " copper", " 3 back copper"))
    ),
    "field": lambda s, d: f"field {s.spot(d)} {s.size(2, 15)}" + s.pick(("", " back")),
    "move": lambda s, d: f"move {s.pick([*d.holes, *d.texts])} {s.spot(d)}",
    "cutout": lambda s, d: f"cutout {s.spot(d)} {s.size(1, 8)}" + s.pick(("", " 0.5")),
    "zone": lambda s, d: (
        f"zone {s.pick(('hand', 'quiet', 'clear'))} {s.spot(d)} {s.size(2, 9)}"
        if s.rng.random() < 0.8
        else f"zone low {s.spot(d)} 9x9 4"
    ),
    "method": lambda s, d: f"method {s.pick(('toner', 'film', 'pen', 'dry-film-away', 'stencil'))}",
    "drills": lambda s, d: f"drills {s.pick(('any', '0.3 0.8 1.0 1.3', '0.6 0.9 3.2'))}",
    "slot": lambda s, d: f"slot {s.spot(d)} {s.spot(d)} {s.mm(0.8, 2)}",
    "pour": _pour,
    "clear": lambda s, d: f"clear {s.pick(d.pours)} {s.spot(d)} {s.size(1, 9)}",
    "stitch": lambda s, d: f"stitch {s.net(d)} {s.pick((3, 5, 8))}",
    "rules": lambda s, d: f"rules {s.pick(rule_sets())} {s.pick((1, 2, 4))}",
    "go": lambda s, d: f"go {s.ref(d)}",
    "undo": lambda s, d: "undo",
    "redo": lambda s, d: "redo",
}
assert MAKERS.keys() == VERBS.keys(), MAKERS.keys() ^ VERBS.keys()


def sensible(s: Speaker, d: Design) -> list[str]:
    """Say how a small circuit begins: parts of the catalogue, supply and ground by the names and roles of their pins, signals."""
    said = []
    groups = {
        "U": s.rng.randint(1, 2),
        "R": s.rng.randint(1, 4),
        "C": s.rng.randint(1, 3),
        "J": s.rng.randint(1, 2),
        "D": s.rng.randint(0, 2),
    }
    kinds = {"U": "card", "R": "resistor", "C": "capacitor", "J": "card", "D": "diode"}
    parts = list(catalogue().parts.values())
    for letter, count in groups.items():
        some = [
            p
            for p in parts
            if p.kind == kinds[letter]
            and (letter not in "UJ" or (len(p.pins) <= 32 and p.number.startswith("N") == (letter == "J")))
        ]
        for k in range(1, count + 1):
            said.append(f"add {letter}{k} {s.rng.choice(some).number}")
    return said


def wiring(s: Speaker, d: Design) -> list[str]:
    """Join the pins of a design: grounds, one rail, and the rest in pairs and threes."""
    said, free = [], []
    rail = s.pick(("3V3", "5V", "-12V", "VBAT"))
    for part in d.parts.values():
        for pin in part.pins:
            name = f"{part.ref}.{pin.number}"
            if pin.role == "ground":
                said.append(f"join {name} GND")
            elif pin.role in ("supply-in", "supply-out"):
                said.append(f"join {name} {rail}")
            else:
                free.append(name)
    s.rng.shuffle(free)
    by_part: dict[str, list[str]] = {}
    for name in free:
        by_part.setdefault(split_pin(name)[0], []).append(name)
    for k in range(min(14, len(free) // 2)):
        owners = [r for r, pins in by_part.items() if pins]
        if len(owners) < 2:
            break
        some = s.rng.sample(owners, min(len(owners), s.rng.choice((2, 2, 3))))
        said.append(f"join {' '.join(by_part[r].pop() for r in some)} S{k}")
    if s.rng.random() < 0.6:
        said += [f"join {by_part[r].pop()} GND" for r in by_part if r[0] in "RCJ" and by_part[r]]
    return said
