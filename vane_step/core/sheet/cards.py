"""A card of the sheet: its pins on their sides, what hangs on them, and the symbol drawn inside of a transistor's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from vane_step.core.circuit.bypass import is_connector
from vane_step.core.circuit.symbols import is_rail
from vane_step.core.design.model import Net, Part, Pin, pin_name
from vane_step.core.sheet.drafter import Drafter
from vane_step.core.sheet.drawing import CHAR, ROW, Box, Group, Mark, Wire, text_width
from vane_step.core.sheet.runs import BRIDGE, STUB, SYMBOL, Run, caption, symbol

LEFT_ROLES = ("supply-in", "ground", "input")
HEAD = 30.0
CLEAR = 4.0
# A plug of more pins has its two rows on two sides.
ONE_SIDE = 16
# A transistor's drain and source rows are at least so far apart, and its symbol is so wide.
STAGE_H, STAGE_W = 52.0, 56.0
# Parts whose symbol stands inside of their card.
STAGES = ("nfet", "pfet", "npn", "pnp", "changeover")


@dataclass
class _Row:
    """A pin of a side: its run once built, how far down it is, and what joins it to the next row."""

    pin: Pin
    net: Net | None
    run: Run
    y: float = 0.0
    merged: bool = False
    bridging: list[Part] = field(default_factory=list)


def card(drafter: Drafter, part: Part) -> Group:
    """Draw a card with everything that hangs on it, the card's upper left corner at the origin."""
    drafter.done.add(part.ref)
    group = Group(part.ref)
    shape = shape_of(part.pins)
    stage = shape in STAGES
    plug = is_connector(drafter.design, part)
    left, right = sides(part, part.package, plug)
    if not plug and len(part.pins) <= ONE_SIDE and not any(p.functions for p in part.pins):
        left, right = _together(drafter, part, left), _together(drafter, part, right)
    rows = {-1: _rows(drafter, left, part, -1), 1: _rows(drafter, right, part, 1)}
    _build(drafter, part, rows)
    heights = [_spread(side, STAGE_H if stage else ROW) for side in (rows[-1], rows[1])]
    if stage:
        heights = _level(rows)
    names = [max((len(p.name or "") for p in side), default=0) for side in (left, right)]
    labels = {p.number: f"{p.number} {p.name}".strip() if stage else p.number for p in part.pins}
    tab = 8 + CHAR * max((len(text) for text in labels.values()), default=1)
    inside = STAGE_W if stage else CHAR * sum(names) + 36
    width = max(text_width(part.ref) + text_width(part.value) + 34, 2 * tab + inside)
    for direction, x in ((-1, 0.0), (1, width)):
        for k, row in enumerate(rows[direction]):
            below = rows[direction][k + 1] if k + 1 < len(rows[direction]) else None
            _draw_row(
                drafter,
                group,
                part,
                row,
                below,
                x,
                tab,
                labels[row.pin.number],
                "" if stage else row.pin.name,
            )
    height = max(*heights, HEAD + 16)
    if stage:
        group.marks += _inside(part, shape, rows, tab, width)
    group.marks.insert(0, Mark("card", 0, 0, width, height, label=part.ref, detail=part.value, ref=part.ref))
    return group


def sides(part: Part, package: str, plug: bool) -> tuple[list[Pin], list[Pin]]:
    """Divide a card's pins: what comes in on the left, what goes out on the right, evened out.

    The sides do not depend on what is connected. Supplies are on top and grounds below on the left. A plug has its
    pins on one side in their order, a long one of two rows on two; a transistor its gate or base on the left, and of
    the others the one nearer to the supply on top; a relay its coil on the left.
    """
    if shape_of(part.pins) in STAGES:
        return _of_stage(part)
    if shape_of(part.pins) == "relay":
        coil = [p for p in part.pins if p.name in ("A1", "A2")]
        return coil, [p for p in part.pins if p not in coil]
    if plug:
        if len(part.pins) <= ONE_SIDE or "2x" not in package:
            return [], list(part.pins)
        return list(part.pins[0::2]), list(part.pins[1::2])

    def role(pin: Pin) -> str:
        return "io" if pin.functions else pin.role

    left = [p for p in part.pins if role(p) in LEFT_ROLES]
    right = [p for p in part.pins if role(p) not in LEFT_ROLES]
    surplus = max(0, (abs(len(right) - len(left)) - 3) // 2) if len(part.pins) > 8 else 0
    if surplus and len(right) > len(left):
        left, right = left + right[-surplus:], right[:-surplus]
    elif surplus:
        left, right = left[:-surplus], right + left[-surplus:]
    return sorted(left, key=lambda p: {"supply-in": 0, "ground": 2}.get(role(p), 1)), right


def _together(drafter: Drafter, part: Part, side: list[Pin]) -> list[Pin]:
    """Bring pins of one net of a small chip together, each behind the first of them that plays the same role."""
    placed: list[Pin] = []
    for pin in side:
        net = drafter.net(part.ref, pin.number)
        alike = [
            k
            for k, p in enumerate(placed)
            if net is not None and p.role == pin.role and drafter.net(part.ref, p.number) is net
        ]
        placed.insert(alike[-1] + 1 if alike else len(placed), pin)
    return placed


def _of_stage(part: Part) -> tuple[list[Pin], list[Pin]]:
    if shape_of(part.pins) == "changeover":
        return [p for p in part.pins if p.name == "COM"], [p for p in part.pins if p.name != "COM"]
    gate = [p for p in part.pins if p.name.upper() in ("G", "B")]
    upper = [p for p in part.pins if p.name.upper() in ("D", "C")]
    lower = [p for p in part.pins if p not in gate and p not in upper]
    return gate, upper + lower if pulls_down(part.pins) else lower + upper


def pulls_down(pins: Sequence[Pin]) -> bool:
    """Tell whether a transistor is an N-channel or NPN one, by the pin that can only pull down."""
    return any(p.role == "open-drain" for p in pins)


def shape_of(pins: Sequence[Pin]) -> str:
    """Name the symbol of a part of three or more pins by what they are called; ``card`` where it has none."""
    names = {p.name.upper() for p in pins}
    if len(pins) <= 4 and names >= {"G", "D", "S"}:
        return "nfet" if pulls_down(pins) else "pfet"
    if len(pins) <= 4 and names >= {"B", "C", "E"}:
        return "npn" if pulls_down(pins) else "pnp"
    if names >= {"A", "W", "B"}:
        return "trimmer"
    if names >= {"A1", "A2", "COM"}:
        return "relay"
    if len(pins) <= 4 and "COM" in names:
        return "changeover"
    if any(n.startswith("OUT") for n in names) and {"+", "-"} <= {
        n[-1:] for n in names if n.startswith("IN")
    }:
        return "amplifier"
    return "card"


# -- rows -------------------------------------------------------------------------------------------------


def _rows(drafter: Drafter, side: list[Pin], part: Part, direction: int) -> list[_Row]:
    """Make the rows of a side: neighbours of one net are joined by a wire, two with a part between them bridged."""
    rows = [_Row(pin, drafter.net(part.ref, pin.number), Run(drafter, direction)) for pin in side]
    taken: set[str] = set()
    k = 0
    while k < len(rows) - 1:
        row, below = rows[k], rows[k + 1]
        row.merged = row.net is not None and row.net is below.net
        if not row.merged and row.net and below.net and not is_rail(row.net) and not is_rail(below.net):
            row.bridging = [
                p
                for p, end in drafter.hanging(row.net)
                if p.ref not in taken and drafter.ends(p)[1 - end] is below.net
            ]
            taken |= {p.ref for p in row.bridging}
            k += bool(row.bridging)
        k += 1
    drafter.done |= taken
    return rows


def _build(drafter: Drafter, part: Part, rows: dict[int, list[_Row]]) -> None:
    """Draw what hangs on the rows; the bypass parts of a rail hang on its last row."""
    hosts = {id(row) for row in _hosts(rows)}
    for side in rows.values():
        with_pins: list[str] = []
        for k, row in enumerate(side):
            if row.merged:
                with_pins.append(pin_name(part.ref, row.pin.number))
                continue
            upper = side[k - 1].bridging if k and not side[k - 1].merged else []
            row.run.build(
                part,
                row.pin,
                row.net,
                host=id(row) in hosts,
                bridging=row.bridging or upper,
                with_pins=with_pins,
            )
            with_pins = []


def _hosts(rows: dict[int, list[_Row]]) -> list[_Row]:
    """Choose for each net the row where the bypass parts of a card hang: its last, a supply before others."""
    last: dict[str, tuple[list[_Row], int]] = {}
    for supply in (False, True):
        for side in (rows[1], rows[-1]):
            for k, row in enumerate(side):
                if row.net is not None and (not supply or row.pin.role.startswith("supply")):
                    last[row.net.name] = side, k
    found = []
    for side, k in last.values():
        while side[k].merged:
            k += 1
        found.append(side[k])
    return found


def _spread(rows: list[_Row], least: float) -> float:
    """Set rows as near to each other as what hangs on them lets them be; give where the side ends."""
    placed: list[Box] = []
    y = HEAD
    for k, row in enumerate(rows):
        if k == 0:
            y += max(ROW / 2, row.run.up)
        else:
            above = rows[k - 1]
            y += ROW if above.merged else BRIDGE if above.bridging else least
        boxes = row.run.group.boxes()
        # A row is also kept from running through what hangs from those above it.
        for box in boxes:
            for other in placed:
                if box.x0 < other.x1 + CLEAR and other.x0 < box.x1 + CLEAR:
                    y = max(y, other.y1 + CLEAR - box.y0)
        row.y = y
        placed += [box.moved(0, y) for box in boxes]
    low = max((row.run.down for row in rows[-1:]), default=0.0)
    return y + max(16.0, min(low, ROW))


def _level(rows: dict[int, list[_Row]]) -> list[float]:
    """Set a transistor's gate between its other two rows."""
    gate, others = rows[-1], rows[1]
    if len(gate) == 1 and len(others) > 1:
        middle = (others[0].y + others[1].y) / 2
        for row in others:
            row.y += max(0.0, gate[0].y - middle)
        gate[0].y = max(gate[0].y, middle)
    return [max((row.y for row in side), default=HEAD) + 16 for side in rows.values()]


def _draw_row(
    drafter: Drafter,
    group: Group,
    part: Part,
    row: _Row,
    below: _Row | None,
    x: float,
    tab: float,
    label: str,
    name: str,
) -> None:
    left = row.run.direction < 0
    group.marks.append(
        Mark(
            "tab",
            x if left else x - tab,
            row.y - 9,
            tab,
            18,
            label=label,
            detail=name,
            ref=part.ref,
            pin=pin_name(part.ref, row.pin.number),
            net=row.net.name if row.net else "",
            shape="left" if left else "right",
        )
    )
    if row.merged and below is not None and row.net is not None:
        at = x + row.run.direction * STUB
        group.wires += [Wire(row.net.name, x, row.y, at, row.y), Wire(row.net.name, at, row.y, at, below.y)]
        group.marks.append(Mark("dot", at - 3, below.y - 3, 6, 6, net=row.net.name))
        return
    moved = row.run.group.moved(x, row.y)
    group.marks += moved.marks
    group.wires += moved.wires
    if below is not None and row.bridging:
        for item, at in zip(row.bridging, row.run.bridges, strict=True):
            _bridge(drafter, group, item, row, below, x + at)


def _bridge(drafter: Drafter, group: Group, item: Part, row: _Row, below: _Row, x: float) -> None:
    """Draw a part between two rows, such as a crystal between its two pins."""
    assert row.net is not None
    assert below.net is not None
    first = 0 if drafter.ends(item)[0] is row.net else 1
    top = (row.y + below.y - SYMBOL) / 2
    group.wires += [Wire(row.net.name, x, row.y, x, top), Wire(below.net.name, x, top + SYMBOL, x, below.y)]
    group.marks.append(symbol(item, x - 12, top, 24, SYMBOL, 0 if first == 0 else 180))
    group.marks.append(caption(item, x + 16, top + SYMBOL / 2 - 14))


# -- symbols inside ------------------------------------------------------------------------------------------


def _inside(part: Part, shape: str, rows: dict[int, list[_Row]], tab: float, width: float) -> list[Mark]:
    """Draw a part's symbol inside its card (IEC 60617): strokes from the pin on the left to its two others."""
    gate, others = rows[-1], rows[1]
    if len(gate) != 1 or len(others) < 2:
        return []
    top, bottom, middle = others[0].y, others[1].y, gate[0].y
    x0, x1, x = tab, width - tab, width / 2

    def ink(*points: tuple[float, float], solid: bool = False) -> Mark:
        return Mark("ink", 0, 0, ref=part.ref, shape="solid" if solid else "", points=points)

    def arrow(tip: tuple[float, float], back: tuple[float, float]) -> Mark:
        (tx, ty), (bx, by) = tip, back
        nx, ny = (by - ty) * 0.45, (tx - bx) * 0.45
        return ink(tip, (bx + nx, by + ny), (bx - nx, by - ny), solid=True)

    if shape == "changeover":
        pivot, contact = x - 10, x + 10
        corners = ((0, 0), (3, 3), (6, 0), (3, -3))
        ring = [
            ink(*((contact + dx, y + dy) for dx, dy in corners), solid=True)
            for y in (middle - 11, middle + 11)
        ]
        return [
            *ring,
            ink((x0, middle), (pivot, middle), (contact, middle - 8)),
            ink((contact + 3, middle - 11), (contact + 3, top), (x1, top)),
            ink((contact + 3, middle + 11), (contact + 3, bottom), (x1, bottom)),
        ]
    down = shape in ("nfet", "npn")
    if shape in ("nfet", "pfet"):
        plate, channel, right = x - 8, x - 3, x + 10
        marks = [ink((x0, middle), (plate, middle)), ink((plate, middle - 10), (plate, middle + 10))]
        marks += [ink((channel, middle + y - 4), (channel, middle + y + 4)) for y in (-11, 0, 11)]
        marks += [
            ink((channel, middle - 11), (right, middle - 11), (right, top), (x1, top)),
            ink((channel, middle + 11), (right, middle + 11), (right, bottom), (x1, bottom)),
        ]
        source = middle + 11 if down else middle - 11
        marks.append(ink((channel, middle), (right, middle), (right, source)))
        marks.append(
            arrow((channel + 1, middle), (channel + 8, middle))
            if down
            else arrow((right - 2, middle), (channel + 4, middle))
        )
        return marks
    bar, right = x - 5, x + 10
    marks = [ink((x0, middle), (bar, middle)), ink((bar, middle - 12), (bar, middle + 12))]
    marks += [
        ink((bar, middle - 5), (right, middle - 15), (right, top), (x1, top)),
        ink((bar, middle + 5), (right, middle + 15), (right, bottom), (x1, bottom)),
    ]
    out = arrow((right - 1, middle + 14.3), (bar + 6, middle + 9))
    into = arrow((bar + 2, middle - 6.3), (right - 4, middle - 12))
    return [*marks, out if down else into]
