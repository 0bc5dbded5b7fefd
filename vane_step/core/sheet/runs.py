"""What hangs on a pin of a card: runs of parts outwards from it and how each ends; cards are in ``cards``."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.circuit.pins import UNNAMED
from vane_step.core.circuit.symbols import is_rail
from vane_step.core.design.model import Net, Part, Pin, pin_name, split_pin
from vane_step.core.sheet.drafter import Drafter, choke_of, is_source, next_in_line
from vane_step.core.sheet.drawing import PILL, Group, Mark, Wire, text_width

STUB = 24.0
SYMBOL = 40.0
LEAD = 10.0
HANG = LEAD + SYMBOL + LEAD
GROUND_H = 10.0
# What the name of a ground takes below its symbol.
NAME_H = 13.0
DROP = 6.0
# A run goes on through so many parts in line; the way of a supply through more.
IN_SERIES, IN_SUPPLY = 2, 6
# Farther out nothing more is drawn in line.
REACH = 185.0
# Rows that a part bridges are at least so far apart.
BRIDGE = SYMBOL + 2 * LEAD + 4


class Run:
    """What hangs on one pin: a wire outwards from the card, drawn from the origin, with room needed above and below.

    ``bridges`` are the places along it where parts hang that lead to the next row; the card draws them.
    """

    def __init__(self, drafter: Drafter, direction: int) -> None:
        self.drafter = drafter
        self.direction = direction
        self.group = Group("")
        self.up = 10.0
        self.down = 10.0
        self.x = 0.0
        self.bridges: list[float] = []
        # The card whose supply is followed: a source's own, or what a converter makes behind its choke.
        self._source = self._converts = self._card = ""

    def build(
        self,
        part: Part,
        pin: Pin,
        net: Net | None,
        *,
        host: bool = False,
        bridging: Sequence[Part] = (),
        with_pins: Sequence[str] = (),
    ) -> None:
        """Draw everything that belongs to a pin.

        Parameters
        ----------
        host : bool
            Whether the bypass parts of the card on this rail hang here.
        bridging : sequence of Part
            Parts between this row and the next.
        with_pins : sequence of str
            Other pins of the card that a wire joins to this row.
        """
        mine = pin_name(part.ref, pin.number)
        self._card = part.ref
        if net is None:
            kind = "free" if pin.role == "unconnected" or (pin.role == "io" and pin.functions) else "open"
            self._wire("", 10)
            self._end(kind, 10, 10, pin=mine)
            return
        drawn = {mine, *with_pins}
        if pin.role == "supply-out" and is_source(self.drafter.design, part):
            self._source = part.ref
        elif any(p.role == "supply-in" for p in part.pins):
            self._converts = part.ref
        self._wire(net.name, STUB)
        for item in bridging:
            self._bridge(item, net)
            drawn.add(pin_name(item.ref, item.pins[0 if self.drafter.ends(item)[0] is net else 1].number))
        waiting = self.drafter.bypass(part.ref, net) if host and net.role == "supply" else []
        self._hang(net, drawn, waiting, 0, flat=bool(bridging))

    def _hang(
        self, net: Net, drawn: set[str], bypass: list[tuple[Part, int]], depth: int, flat: bool = False
    ) -> None:
        series = self._onward(net, depth)
        hanging = bypass if is_rail(net) else self.drafter.hanging(net)
        shunts = [(p, e) for p, e in hanging if series is None or p is not series[0]]
        after = {pin_name(p.ref, p.pins[e].number) for p, e in (*shunts, *((series,) if series else ()))}
        seen = UNNAMED.fullmatch(net.name) is not None and not set(net.pins) - drawn - after
        seen = seen and len(net.pins) > 1
        if flat and seen and series is None and len(shunts) == 1 and self._to_ground(shunts[0]):
            series, shunts = shunts[0], []
        for k, (item, end) in enumerate(shunts):
            last = seen and series is None and k == len(shunts) - 1
            self._shunt(item, end, net, self.drafter.ends(item)[1 - end], last=last)
        if series is None:
            if not seen:
                self._name(net)
            return
        if set(net.pins) - drawn - after or not UNNAMED.fullmatch(net.name):
            self._inline_name(net)
        item, end = series
        other = self.drafter.ends(item)[1 - end]
        assert other is not None
        self._series(item, end)
        far = pin_name(item.ref, item.pins[1 - end].number)
        held = self.drafter.bypass(self._source, other) if self._source else []
        self._hang(other, {far}, held, depth + 1)

    def _onward(self, net: Net, depth: int) -> tuple[Part, int] | None:
        """Choose the part the run goes on through, and its near end."""
        waiting = self.drafter.hanging(net)
        if abs(self.x) > REACH:
            return None
        if self._source and depth < IN_SUPPLY:
            step = next_in_line(self.drafter.design, net, [p for p, _ in waiting], set(), first=not depth)
            return next(((p, e) for p, e in waiting if step and p is step[0]), None)
        if is_rail(net) or depth >= IN_SERIES:
            return None
        if self._converts and (choke := choke_of(self.drafter.design, net, [p for p, _ in waiting])):
            self._source = self._converts
            return next((p, e) for p, e in waiting if p is choke[0])
        for item, end in waiting:
            other = self.drafter.ends(item)[1 - end]
            if other is not None and not is_rail(other) and not self._comes_back(other):
                return item, end
        return None

    def _comes_back(self, net: Net) -> bool:
        """Tell whether a net is one of the card's own, as behind a part that feeds an output back."""
        return any(split_pin(p)[0] == self._card for p in net.pins)

    def _to_ground(self, hung: tuple[Part, int]) -> bool:
        other = self.drafter.ends(hung[0])[1 - hung[1]]
        return other is not None and other.role == "ground"

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

    def _name(self, net: Net) -> None:
        """End a wire: a rail by its symbol, any other net by its name."""
        if net.role == "ground":
            x = self.x
            self.group.wires.append(Wire(net.name, x, 0, x, DROP))
            mark = ground_mark(self.drafter, net, x, DROP)
            self.group.marks.append(mark)
            self.down = max(self.down, DROP + mark.h)
            self.x += self.direction * mark.w / 2
        elif net.role == "supply":
            self._end("supply", text_width(net.name) + 12, 16, net=net.name)
        else:
            text = self.drafter.label(net)
            self._end("pill", text_width(text) + 22, PILL, net=net.name, role=net.role, label=text)

    def _inline_name(self, net: Net) -> None:
        """Hang a net's name below a wire that goes on, as the net goes elsewhere as well; a supply stands on it."""
        text = self.drafter.label(net)
        w = text_width(text) + (2 if net.role == "supply" else 22)
        x0 = self.x if self.direction > 0 else self.x - w
        middle = x0 + w / 2
        if net.role == "supply":
            finish_vertical(self.drafter, self.group, middle, 0, -1, net, "")
            self.up = max(self.up, LEAD + 22)
        else:
            self.group.marks.append(Mark("pill", x0, 14, w, PILL, net=net.name, label=text, role=net.role))
            self.group.wires.append(Wire(net.name, middle, 0, middle, 14))
            self.down = max(self.down, 14 + PILL + 4)
        self.group.marks.append(Mark("dot", middle - 3, -3, 6, 6, net=net.name))
        self._wire(net.name, w + 6)

    def _bridge(self, item: Part, net: Net) -> None:
        """Leave the place of a part that leads to the next row."""
        wide = max(text_width(item.ref), text_width(item.value)) + 24
        before, after = (14.0, wide) if self.direction > 0 else (wide, 14.0)
        self._wire(net.name, before)
        self.bridges.append(self.x)
        self.group.marks.append(Mark("dot", self.x - 3, -3, 6, 6, net=net.name))
        self._wire(net.name, after)

    def _shunt(self, item: Part, end: int, net: Net, other: Net | None, last: bool = False) -> None:
        """Hang a part from the wire: up to a supply, otherwise down; the last of an unnamed wire at its corner."""
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
        far = pin_name(item.ref, item.pins[1 - end].number)
        finish_vertical(self.drafter, ends, x, sign * (LEAD + SYMBOL), sign, other, far)
        self.group.marks += ends.marks
        self.group.wires += ends.wires
        if up:
            self.up = max(self.up, HANG + 22)
        else:
            self.down = max(self.down, HANG + 24)
        if not last:
            self.group.marks.append(Mark("dot", x - 3, -3, 6, 6, net=net.name))
            self._wire(net.name, lead_out)

    def _series(self, item: Part, end: int) -> None:
        self.drafter.done.add(item.ref)
        text = f"{item.ref} {item.value}".strip()
        wide = max(SYMBOL, text_width(text))
        pad = (wide - SYMBOL) / 2 + 6
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


def ground_mark(drafter: Drafter, net: Net, x: float, y: float) -> Mark:
    """Give the symbol of a ground under a place; of several grounds all but the one with most pins say their name."""
    if net.name == drafter.main_ground:
        return Mark("ground", x - 9, y, 18, GROUND_H, net=net.name, label=net.name)
    wide = max(18.0, text_width(net.name))
    return Mark(
        "ground", x - wide / 2, y, wide, GROUND_H + NAME_H, net=net.name, label=net.name, shape="named"
    )


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
        group.marks.append(ground_mark(drafter, net, x, end))
    elif net.role == "supply" and sign < 0:
        w = max(24.0, text_width(net.name))
        group.marks.append(
            Mark("supply", x - w / 2, end - 18, w, 18, net=net.name, label=net.name, shape="top")
        )
    else:
        text = drafter.label(net)
        w = text_width(text) + 22
        y0 = end - (PILL if sign < 0 else 0)
        group.marks.append(Mark("pill", x - w / 2, y0, w, PILL, net=net.name, label=text, role=net.role))
