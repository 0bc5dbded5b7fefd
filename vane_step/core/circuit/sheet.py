"""Draws the sheet: which part hangs on which pin and where everything goes; shapes and colours are the page's."""

from __future__ import annotations

import math

from vane_step.core.circuit.drawing import CHAR, PILL, ROW, Box, Drawing, Group, Mark, Wire, Zone, text_width
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Net, Part, Pin, natural, pin_name
from vane_step.core.errors import EditRefused

STUB = 24.0
SYMBOL = 40.0
LEAD = 10.0
HANG = LEAD + SYMBOL + LEAD
GROUND_H = 10.0
DROP = 6.0
TITLE = 28.0
PAD = 16.0
GAP = 26.0
NUDGE = 10.0
STEP = 36.0
SHEET_WIDTH = 746.0
# A column goes on through a net that this many two-terminal parts share; one of more, such as a row of keys, is named.
MAX_SHARERS = 3
LEFT_ROLES = ("supply-in", "ground", "input")


def sheet_names(design: Design) -> list[str]:
    """List the sheets of a circuit in the order of their blocks; the empty name is the main sheet."""
    names = (_sheet_of(design, p.block) for p in design.parts.values())
    found = list(dict.fromkeys(names))
    return sorted(found, key=lambda n: n != "")


def _sheet_of(design: Design, block: str) -> str:
    about = design.blocks.get(block)
    return about.sheet if about else ""


@derived("parts", "nets", "blocks")
def sheet(design: Design, width: float = SHEET_WIDTH, page: str | None = None) -> Drawing:
    """Draw the circuit or one of its sheets, its blocks set side by side up to a width.

    On a sheet, the name of a net that goes on elsewhere tells the number of the sheet: ``SDA ›2``.

    Each part of three or more pins is a card; two-terminal parts of its block hang on the pins they belong to,
    on wires if they are near, and everything else is joined by the names of nets. Rows of a card are as far
    apart as what hangs on them needs, so nothing overlaps by construction.
    """
    blocks: dict[str, list[Part]] = {}
    for part in design.parts.values():
        if page is None or _sheet_of(design, part.block) == page:
            blocks.setdefault(part.block, []).append(part)
    links = _links(design, page) if page is not None else {}
    zones: list[tuple[str, list[Group], float, float]] = []
    for title, parts in blocks.items():
        groups = _block(design, parts, links)
        placed, wide, tall = _pack_groups(design, groups)
        wide = max(wide, text_width(title or "Parts") + 2 * PAD)
        # Zones grow in coarse steps, so that a longer value or one more part moves nothing of the other blocks.
        zones.append((title or "Parts", placed, _stepped(wide + 2 * PAD), _stepped(tall + PAD + TITLE)))
    return _pack_zones(zones, width)


def _stepped(size: float) -> float:
    return math.ceil(size / STEP) * STEP


def _links(design: Design, page: str) -> dict[str, str]:
    """Give for each net of a sheet the numbers of the others it is on."""
    names = sheet_names(design)
    on = {p.ref: names.index(_sheet_of(design, p.block)) for p in design.parts.values()}
    found = {}
    for net in design.nets.values():
        others = sorted({on[part.ref] for part, _ in design.pins_on(net.name)} - {names.index(page)})
        if others and net.role not in ("supply", "ground"):
            found[net.name] = " ›" + ",".join(str(k + 1) for k in others)
    return found


class _Drafter:
    """Draws the groups of one block; remembers which parts are drawn."""

    def __init__(self, design: Design, parts: list[Part], links: dict[str, str]) -> None:
        self.design = design
        self.links = links
        self.parts = {p.ref: p for p in parts}
        self.done: set[str] = set()
        self.symbols = [p for p in parts if p.kind != "card" and len(p.pins) == 2 and p.nudge is None]

    def net(self, ref: str, number: str) -> Net | None:
        """Give the net a pin is on."""
        name = self.design.net_of(pin_name(ref, number))
        return self.design.nets[name] if name else None

    def label(self, net: Net) -> str:
        """Write a net's name, with the sheets it goes on to."""
        return net.name + self.links.get(net.name, "")

    def ends(self, part: Part) -> tuple[Net | None, Net | None]:
        """Give the nets of the two ends of a two-terminal part."""
        return self.net(part.ref, part.pins[0].number), self.net(part.ref, part.pins[1].number)

    def sharers(self, net: Net) -> int:
        """Count the two-terminal parts of the block on a net, drawn or not."""
        return sum(1 for part in self.symbols if net in self.ends(part))

    def hanging(self, net: Net) -> list[tuple[Part, int]]:
        """List parts not drawn yet that have one end on a net, with the index of that end."""
        found = []
        for part in self.symbols:
            a, b = self.ends(part)
            if part.ref not in self.done and a is not b and net in (a, b):
                found.append((part, 0 if a is net else 1))
        return found


def _is_rail(net: Net | None) -> bool:
    return net is not None and net.role in ("supply", "ground")


def _block(design: Design, parts: list[Part], links: dict[str, str]) -> list[Group]:
    drafter = _Drafter(design, parts, links)
    cards = [p for p in parts if p.kind == "card" or len(p.pins) != 2]
    groups = [_card(drafter, card) for card in sorted(cards, key=lambda p: (-len(p.pins), natural(p.ref)))]
    for part in sorted(drafter.symbols, key=lambda p: natural(p.ref)):
        if part.ref not in drafter.done:
            groups.append(_column(drafter, part))
    for part in parts:
        if part.nudge is not None and part.kind != "card" and len(part.pins) == 2:
            groups.append(_column(drafter, part))
    return groups


# -- cards ------------------------------------------------------------------------------------------------


def _sides(drafter: _Drafter, part: Part) -> tuple[list[Pin], list[Pin]]:
    """Divide a card's pins: what comes in on the left, what goes out on the right, evened out.

    On the left supplies are on top, those of one net together, and grounds below.
    """

    def rank(pin: Pin) -> tuple[int, str]:
        net = drafter.net(part.ref, pin.number)
        return {"supply-in": 0, "ground": 2}.get(
            pin.role, 1
        ), net.name if net and pin.role == "supply-in" else ""

    left = [p for p in part.pins if p.role in LEFT_ROLES]
    right = [p for p in part.pins if p.role not in LEFT_ROLES]
    surplus = max(0, (abs(len(right) - len(left)) - 3) // 2) if len(part.pins) > 8 else 0
    if surplus and len(right) > len(left):
        left, right = left + right[-surplus:], right[:-surplus]
    elif surplus:
        left, right = left[:-surplus], right + left[-surplus:]
    return sorted(left, key=rank), right


def _card(drafter: _Drafter, part: Part) -> Group:
    """Draw a card with everything that hangs on it, the card's upper left corner at the origin."""
    drafter.done.add(part.ref)
    group = Group(part.ref)
    left, right = _sides(drafter, part)
    names = [max((len(p.name or "") for p in side), default=0) for side in (left, right)]
    tab = 8 + CHAR * max((len(p.number) for p in part.pins), default=1)
    width = max(text_width(part.ref) + text_width(part.value) + 34, 2 * tab + CHAR * sum(names) + 36)
    top = 30.0
    heights = []
    for side, direction in ((left, -1), (right, 1)):
        y = top
        low = 0.0
        for pin in side:
            net = drafter.net(part.ref, pin.number)
            run = _Run(drafter, direction)
            run.build(part, pin, net)
            y += max(ROW / 2, run.up) if low == 0.0 else max(ROW, low + run.up + 4)
            x = 0.0 if direction < 0 else width
            group.marks.append(
                Mark(
                    "tab",
                    x if direction < 0 else x - tab,
                    y - 9,
                    tab,
                    18,
                    label=pin.number,
                    detail=pin.name,
                    ref=part.ref,
                    pin=pin_name(part.ref, pin.number),
                    net=net.name if net else "",
                    shape="left" if direction < 0 else "right",
                )
            )
            moved = run.group.moved(x, y)
            group.marks += moved.marks
            group.wires += moved.wires
            low = max(run.down, ROW / 2)
        heights.append(y + 16)
    height = max(*heights, top + 16)
    group.marks.insert(0, Mark("card", 0, 0, width, height, label=part.ref, detail=part.value, ref=part.ref))
    return group


class _Run:
    """What hangs on one pin: a wire outwards from the card, drawn from the origin, with room needed above and below."""

    def __init__(self, drafter: _Drafter, direction: int) -> None:
        self.drafter = drafter
        self.direction = direction
        self.group = Group("")
        self.up = 10.0
        self.down = 10.0
        self.x = 0.0

    def build(self, part: Part, pin: Pin, net: Net | None) -> None:
        """Draw everything that belongs to a pin."""
        if net is None:
            kind = "free" if pin.role == "unconnected" or (pin.role == "io" and pin.functions) else "open"
            self._wire("", 10)
            self._end(kind, 10, 10, pin=pin_name(part.ref, pin.number))
            return
        drawn = {pin_name(part.ref, pin.number)}
        self._hang(part, pin, net, drawn, 0)

    def _hang(self, part: Part, pin: Pin, net: Net, drawn: set[str], depth: int) -> None:
        waiting = self._mine(part, pin, net)
        series: tuple[Part, int] | None = None
        self._wire(net.name, STUB)
        for item, end in waiting:
            other = self.drafter.ends(item)[1 - end]
            if (
                series is None
                and not _is_rail(net)
                and not _is_rail(other)
                and other is not None
                and depth < 2
            ):
                series = (item, end)
                continue
            self._shunt(item, end, net, other)
            drawn.add(pin_name(item.ref, item.pins[end].number))
        if series is None:
            self._name(net, drawn)
            return
        item, end = series
        if item.ref in self.drafter.done:
            self._name(net, drawn)
            return
        drawn.add(pin_name(item.ref, item.pins[end].number))
        if set(net.pins) - drawn:
            self._inline_name(net)
        other = self.drafter.ends(item)[1 - end]
        assert other is not None
        self._series(item, end)
        far = pin_name(item.ref, item.pins[1 - end].number)
        self._hang(item, item.pins[1 - end], other, {far}, depth + 1)

    def _mine(self, part: Part, pin: Pin, net: Net) -> list[tuple[Part, int]]:
        """Choose what hangs here: on a rail all its decoupling, at the last supply pin; elsewhere all there is."""
        waiting = self.drafter.hanging(net)
        if not _is_rail(net):
            return waiting
        if net.role == "ground" or pin.role not in ("supply-in", "supply-out"):
            return []
        caps = [
            (p, e)
            for p, e in waiting
            if p.kind.endswith("capacitor") and _is_rail(self.drafter.ends(p)[1 - e])
        ]
        share = [p for p in part.pins if p.role == pin.role and self.drafter.net(part.ref, p.number) is net]
        return caps if pin is share[-1] else []

    def _wire(self, net: str, length: float) -> None:
        x = self.x + self.direction * length
        self.group.wires.append(Wire(net, self.x, 0, x, 0))
        self.x = x

    def _end(
        self, kind: str, w: float, h: float, *, pin: str = "", net: str = "", role: str = "", label: str = ""
    ) -> None:
        """End the wire with a mark; a net is shown by its name."""
        x = self.x if self.direction > 0 else self.x - w
        shape = "right" if self.direction > 0 else "left"
        self.group.marks.append(
            Mark(kind, x, -h / 2, w, h, label=label or net, pin=pin, net=net, role=role, shape=shape)
        )
        self.x += self.direction * w

    def _name(self, net: Net, drawn: set[str]) -> None:
        """End a wire: a rail by its symbol, any other net by its name."""
        if net.role == "ground":
            x = self.x
            self.group.wires.append(Wire(net.name, x, 0, x, DROP))
            self.group.marks.append(Mark("ground", x - 9, DROP, 18, GROUND_H, net=net.name, label=net.name))
            self.down = max(self.down, DROP + GROUND_H)
            self.x += self.direction * 9
        elif net.role == "supply":
            self._end("supply", text_width(net.name) + 12, 16, net=net.name)
        else:
            text = self.drafter.label(net)
            self._end("pill", text_width(text) + 22, PILL, net=net.name, role=net.role, label=text)

    def _inline_name(self, net: Net) -> None:
        """Hang a net's name below a wire that goes on, because the net goes elsewhere as well."""
        text = self.drafter.label(net)
        w = text_width(text) + 22
        x0 = self.x if self.direction > 0 else self.x - w
        middle = x0 + w / 2
        self.group.marks.append(Mark("pill", x0, 14, w, PILL, net=net.name, label=text, role=net.role))
        self.group.wires.append(Wire(net.name, middle, 0, middle, 14))
        self.group.marks.append(Mark("dot", middle - 3, -3, 6, 6, net=net.name))
        self.down = max(self.down, 14 + PILL + 4)
        self._wire(net.name, w + 6)

    def _shunt(self, item: Part, end: int, net: Net, other: Net | None) -> None:
        """Hang a part from the wire: up to a supply, otherwise down."""
        self.drafter.done.add(item.ref)
        up = other is not None and other.role == "supply"
        wide = max(text_width(item.ref), text_width(item.value)) + 20
        name = 24.0 if other is None or other.role == "ground" else text_width(self.drafter.label(other)) + 22
        before, after = max(14.0, name / 2 + 4), max(wide, name / 2) + 4
        lead_in, lead_out = (before, after) if self.direction > 0 else (after, before)
        self._wire(net.name, lead_in)
        x = self.x
        sign = -1 if up else 1
        ends = Group("")
        ends.wires.append(Wire(net.name, x, 0, x, sign * LEAD))
        top = -LEAD - SYMBOL if up else LEAD
        turn = 0 if (end == 0) != up else 180
        ends.marks.append(_symbol(item, x - 12, top, 24, SYMBOL, turn))
        ends.marks.append(_caption(item, x + 16, top + SYMBOL / 2 - 14))
        ends.marks.append(Mark("dot", x - 3, -3, 6, 6, net=net.name))
        far = pin_name(item.ref, item.pins[1 - end].number)
        _finish_vertical(self.drafter, ends, x, sign * (LEAD + SYMBOL), sign, other, far)
        self.group.marks += ends.marks
        self.group.wires += ends.wires
        if up:
            self.up = max(self.up, HANG + 22)
        else:
            self.down = max(self.down, HANG + 24)
        self._wire(net.name, lead_out)

    def _series(self, item: Part, end: int) -> None:
        self.drafter.done.add(item.ref)
        text = f"{item.ref} {item.value}".strip()
        wide = max(SYMBOL, text_width(text))
        pad = (wide - SYMBOL) / 2 + 2
        near = self.drafter.ends(item)[end]
        far = self.drafter.ends(item)[1 - end]
        self._wire(near.name if near else "", pad)
        x0 = self.x if self.direction > 0 else self.x - SYMBOL
        turn = 270 if (end == 0) == (self.direction > 0) else 90
        self.group.marks.append(_symbol(item, x0, -12, SYMBOL, 24, turn))
        self.group.marks.append(
            Mark(
                "text",
                x0 + SYMBOL / 2 - text_width(text) / 2,
                -32,
                text_width(text),
                14,
                label=item.ref,
                detail=item.value,
                ref=item.ref,
                shape="line",
            )
        )
        self.up = max(self.up, 34.0)
        self.down = max(self.down, 14.0)
        self.x += self.direction * SYMBOL
        self._wire(far.name if far else "", pad)


def _symbol(part: Part, x: float, y: float, w: float, h: float, turn: int) -> Mark:
    return Mark(
        "part", x, y, w, h, turn=turn, label=part.ref, detail=part.value, ref=part.ref, shape=part.kind
    )


def _caption(part: Part, x: float, y: float) -> Mark:
    wide = max(text_width(part.ref), text_width(part.value))
    return Mark("text", x, y, wide, 28, label=part.ref, detail=part.value, ref=part.ref, shape="stack")


def _finish_vertical(
    drafter: _Drafter, group: Group, x: float, y: float, sign: int, net: Net | None, pin: str
) -> None:
    """End a vertical wire at ``y``, going on in direction ``sign``: by a rail's symbol, a name or an open end."""
    if net is None:
        group.wires.append(Wire("", x, y, x, y + sign * LEAD))
        group.marks.append(
            Mark("open", x - 5, y + sign * LEAD - (10 if sign < 0 else 0), 10, 10, pin=pin, shape="down")
        )
        return
    group.wires.append(Wire(net.name, x, y, x, y + sign * LEAD))
    end = y + sign * LEAD
    if net.role == "ground" and sign > 0:
        group.marks.append(Mark("ground", x - 9, end, 18, GROUND_H, net=net.name, label=net.name))
    elif net.role == "supply" and sign < 0:
        w = max(24.0, text_width(net.name))
        group.marks.append(
            Mark("supply", x - w / 2, end - 18, w, 18, net=net.name, label=net.name, shape="top")
        )
    else:
        text = drafter.label(net)
        w = text_width(text) + 22
        role = net.role
        group.marks.append(
            Mark(
                "pill",
                x - w / 2,
                end - (PILL if sign < 0 else 0),
                w,
                PILL,
                net=net.name,
                label=text,
                role=role,
            )
        )


# -- columns of two-terminal parts -------------------------------------------------------------------------


def _column(drafter: _Drafter, start: Part) -> Group:
    """Draw a chain of two-terminal parts as a column, supply on top and ground below."""
    chain = _chain(drafter, start)
    group = Group(chain[0][0].ref)
    y = 0.0
    first, end = chain[0]
    _finish_vertical(
        drafter, group, 0, y, -1, drafter.ends(first)[end], pin_name(first.ref, first.pins[end].number)
    )
    for k, (part, end) in enumerate(chain):
        drafter.done.add(part.ref)
        group.marks.append(_symbol(part, -12, y, 24, SYMBOL, 0 if end == 0 else 180))
        group.marks.append(_caption(part, 16, y + SYMBOL / 2 - 14))
        y += SYMBOL
        below = drafter.ends(part)[1 - end]
        if k == len(chain) - 1:
            _finish_vertical(drafter, group, 0, y, 1, below, pin_name(part.ref, part.pins[1 - end].number))
        elif below is not None:
            group.wires.append(Wire(below.name, 0, y, 0, y + 32))
            inside = {
                pin_name(part.ref, part.pins[1 - end].number),
                pin_name(chain[k + 1][0].ref, chain[k + 1][0].pins[chain[k + 1][1]].number),
            }
            text = drafter.label(below)
            w = text_width(text) + 22
            if set(below.pins) - inside:
                group.marks.append(Mark("dot", -3, y + 13, 6, 6, net=below.name))
            group.wires.append(Wire(below.name, 0, y + 16, 14, y + 16))
            group.marks.append(
                Mark("pill", 14, y + 16 - PILL / 2, w, PILL, net=below.name, label=text, role=below.role)
            )
            y += 32
    return group


def _chain(drafter: _Drafter, start: Part) -> list[tuple[Part, int]]:
    """Follow a chain of undrawn two-terminal parts from its upper end; each entry names the end that is on top."""
    if start.nudge is not None:
        a, b = drafter.ends(start)
        return [(start, 1 if (b and b.role == "supply") or (a and a.role == "ground") else 0)]

    def onward(net: Net | None, used: set[str]) -> tuple[Part, int] | None:
        if net is None or _is_rail(net) or drafter.sharers(net) > MAX_SHARERS:
            return None
        return next(((p, e) for p, e in drafter.hanging(net) if p.ref not in used), None)

    chain = [(start, 0)]
    used = {start.ref}
    while (step := onward(drafter.ends(chain[-1][0])[1 - chain[-1][1]], used)) and len(chain) < 5:
        chain.append(step)
        used.add(step[0].ref)
    while (step := onward(drafter.ends(chain[0][0])[chain[0][1]], used)) and len(chain) < 5:
        chain.insert(0, (step[0], 1 - step[1]))
        used.add(step[0].ref)
    top = drafter.ends(chain[0][0])[chain[0][1]]
    bottom = drafter.ends(chain[-1][0])[1 - chain[-1][1]]
    if (bottom and bottom.role == "supply") or (top and top.role == "ground"):
        chain = [(p, 1 - e) for p, e in reversed(chain)]
    return _from_the_name(drafter, chain, start)


def _from_the_name(drafter: _Drafter, chain: list[tuple[Part, int]], start: Part) -> list[tuple[Part, int]]:
    """Cut a chain that runs from ground to ground at a net that goes elsewhere, so that its name is on top.

    The half with ``start`` is kept; the other half is drawn as a column of its own.
    """

    def ground(net: Net | None) -> bool:
        return net is not None and net.role == "ground"

    (first, end), (last, other) = chain[0], chain[-1]
    if not (ground(drafter.ends(first)[end]) and ground(drafter.ends(last)[1 - other])):
        return chain
    for k in range(len(chain) - 1):
        part, end = chain[k]
        net = drafter.ends(part)[1 - end]
        after, begin = chain[k + 1]
        inside = {
            pin_name(part.ref, part.pins[1 - end].number),
            pin_name(after.ref, after.pins[begin].number),
        }
        if net is not None and set(net.pins) - inside:
            upper = [(p, 1 - e) for p, e in reversed(chain[: k + 1])]
            return upper if any(p is start for p, _ in upper) else chain[k + 1 :]
    return chain


# -- packing ----------------------------------------------------------------------------------------------


def _pack_groups(design: Design, groups: list[Group]) -> tuple[list[Group], float, float]:
    """Set groups side by side in rows; nudged ones are shifted afterwards, and the zone grows to hold them."""
    limit = max([SHEET_WIDTH / 2 - 3 * PAD, *(g.box().x1 - g.box().x0 for g in groups)])
    x = y = row = 0.0
    placed: list[Group] = []
    for group in groups:
        box = group.box()
        w, h = box.x1 - box.x0, box.y1 - box.y0
        if x > 0 and x + w > limit:
            x, y, row = 0.0, y + row + GAP, 0.0
        placed.append(group.moved(x - box.x0, y - box.y0))
        x += w + GAP
        row = max(row, h)
    placed = [
        g.moved(n[0] * NUDGE, n[1] * NUDGE) if (n := design.parts[g.anchor].nudge) is not None else g
        for g in placed
    ]
    boxes = [g.box() for g in placed]
    x0, y0 = min(b.x0 for b in boxes), min(b.y0 for b in boxes)
    placed = [g.moved(-x0, -y0) for g in placed]
    return placed, max(b.x1 for b in boxes) - x0, max(b.y1 for b in boxes) - y0


def _pack_zones(zones: list[tuple[str, list[Group], float, float]], least: float) -> Drawing:
    """Pack the blocks' zones, tallest first, each at the lowest free place over the zones before it."""
    width = max([least, *(z[2] for z in zones)])
    placed: list[tuple[Box, str, list[Group]]] = []
    for title, groups, w, h in sorted(zones, key=lambda z: (-z[3], z[0])):
        spots = {
            (0.0, 0.0),
            *((b.x1 + 12, b.y0) for b, _, _ in placed),
            *((b.x0, b.y1 + 12) for b, _, _ in placed),
            *((0.0, b.y1 + 12) for b, _, _ in placed),
        }
        for x, y in sorted(spots, key=lambda s: (s[1], s[0])):
            box = Box(x, y, x + w, y + h)
            if box.x1 <= width + 1e-6 and not any(box.overlaps(b, 11.9) for b, _, _ in placed):
                placed.append((box, title, groups))
                break
    drawn = [g.moved(box.x0 + PAD, box.y0 + TITLE) for box, _, groups in placed for g in groups]
    height = max((box.y1 for box, _, _ in placed), default=200.0)
    return Drawing(width, height, [Zone(title, box) for box, title, _ in placed], drawn)


def check_nudge(design: Design, ref: str) -> None:
    """Refuse a nudge that lays a part over another.

    Raises
    ------
    EditRefused
        Naming what would be covered.
    """
    groups = sheet(design).groups
    mine = next((g for g in groups if g.anchor == ref), None)
    if mine is None:
        return
    for other in groups:
        if other.anchor != ref and mine.box().overlaps(other.box(), 2.0):
            raise EditRefused(
                f"There {ref} would cover {other.anchor}.",
                where=ref,
                next_step="Nudge it less, or another way.",
            )


def anchor_of(design: Design, ref: str) -> str:
    """Give the part whose group a part is drawn in."""
    for group in sheet(design).groups:
        if any(m.ref == ref for m in group.marks):
            return group.anchor
    return ref
