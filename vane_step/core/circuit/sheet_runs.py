"""What hangs on a pin of the sheet: runs of parts outwards from a card and how each ends; sheets are in ``sheet``."""

from __future__ import annotations

from vane_step.core.circuit.drawing import PILL, Group, Mark, Wire, text_width
from vane_step.core.design.model import Design, Net, Part, Pin, pin_name

STUB = 24.0


SYMBOL = 40.0


LEAD = 10.0


HANG = LEAD + SYMBOL + LEAD


GROUND_H = 10.0


DROP = 6.0


# A column goes on through a net that this many two-terminal parts share; one of more, such as a row of keys, is named.
MAX_SHARERS = 3


class Drafter:
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


def is_rail(net: Net | None) -> bool:
    """Tell whether a net is a supply or a ground."""
    return net is not None and net.role in ("supply", "ground")


class Run:
    """What hangs on one pin: a wire outwards from the card, drawn from the origin, with room needed above and below."""

    def __init__(self, drafter: Drafter, direction: int) -> None:
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
            if series is None and not is_rail(net) and not is_rail(other) and other is not None and depth < 2:
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
        if not is_rail(net):
            return waiting
        if net.role == "ground" or pin.role not in ("supply-in", "supply-out"):
            return []
        caps = [
            (p, e)
            for p, e in waiting
            if p.kind.endswith("capacitor") and is_rail(self.drafter.ends(p)[1 - e])
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
        ends.marks.append(symbol(item, x - 12, top, 24, SYMBOL, turn))
        ends.marks.append(caption(item, x + 16, top + SYMBOL / 2 - 14))
        ends.marks.append(Mark("dot", x - 3, -3, 6, 6, net=net.name))
        far = pin_name(item.ref, item.pins[1 - end].number)
        finish_vertical(self.drafter, ends, x, sign * (LEAD + SYMBOL), sign, other, far)
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
        self.group.marks.append(symbol(item, x0, -12, SYMBOL, 24, turn))
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


def symbol(part: Part, x: float, y: float, w: float, h: float, turn: int) -> Mark:
    """Give the mark of a two-terminal part."""
    return Mark(
        "part", x, y, w, h, turn=turn, label=part.ref, detail=part.value, ref=part.ref, shape=part.kind
    )


def caption(part: Part, x: float, y: float) -> Mark:
    """Give a part's reference over its value."""
    wide = max(text_width(part.ref), text_width(part.value))
    return Mark("text", x, y, wide, 28, label=part.ref, detail=part.value, ref=part.ref, shape="stack")


def finish_vertical(
    drafter: Drafter, group: Group, x: float, y: float, sign: int, net: Net | None, pin: str
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
