"""Draws the sheet: which part hangs on which pin and where everything goes; shapes and colours are the page's."""

from __future__ import annotations

import math

from vane_step.core.circuit.drawing import CHAR, PILL, ROW, Box, Drawing, Group, Mark, Wire, Zone, text_width
from vane_step.core.circuit.sheet_runs import (
    MAX_SHARERS,
    SYMBOL,
    Drafter,
    Run,
    caption,
    finish_vertical,
    is_rail,
    symbol,
)
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Net, Part, Pin, natural, pin_name
from vane_step.core.errors import EditRefused

TITLE = 28.0
PAD = 16.0
GAP = 26.0
NUDGE = 10.0
STEP = 36.0
SHEET_WIDTH = 746.0
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


def _block(design: Design, parts: list[Part], links: dict[str, str]) -> list[Group]:
    drafter = Drafter(design, parts, links)
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


def _sides(drafter: Drafter, part: Part) -> tuple[list[Pin], list[Pin]]:
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


def _card(drafter: Drafter, part: Part) -> Group:
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
            run = Run(drafter, direction)
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


# -- columns of two-terminal parts -------------------------------------------------------------------------


def _column(drafter: Drafter, start: Part) -> Group:
    """Draw a chain of two-terminal parts as a column, supply on top and ground below."""
    chain = _chain(drafter, start)
    group = Group(chain[0][0].ref)
    y = 0.0
    first, end = chain[0]
    finish_vertical(
        drafter, group, 0, y, -1, drafter.ends(first)[end], pin_name(first.ref, first.pins[end].number)
    )
    for k, (part, end) in enumerate(chain):
        drafter.done.add(part.ref)
        group.marks.append(symbol(part, -12, y, 24, SYMBOL, 0 if end == 0 else 180))
        group.marks.append(caption(part, 16, y + SYMBOL / 2 - 14))
        y += SYMBOL
        below = drafter.ends(part)[1 - end]
        if k == len(chain) - 1:
            finish_vertical(drafter, group, 0, y, 1, below, pin_name(part.ref, part.pins[1 - end].number))
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


def _chain(drafter: Drafter, start: Part) -> list[tuple[Part, int]]:
    """Follow a chain of undrawn two-terminal parts from its upper end; each entry names the end that is on top."""
    if start.nudge is not None:
        a, b = drafter.ends(start)
        return [(start, 1 if (b and b.role == "supply") or (a and a.role == "ground") else 0)]

    def onward(net: Net | None, used: set[str]) -> tuple[Part, int] | None:
        if net is None or is_rail(net) or drafter.sharers(net) > MAX_SHARERS:
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


def _from_the_name(drafter: Drafter, chain: list[tuple[Part, int]], start: Part) -> list[tuple[Part, int]]:
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
