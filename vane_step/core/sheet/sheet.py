"""Draws the sheet: its zones, what is in each and where everything goes; shapes and colours are the page's."""

from __future__ import annotations

import math

from vane_step.core.circuit.matrices import matrices
from vane_step.core.circuit.symbols import is_symbol
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part, natural
from vane_step.core.errors import EditRefused
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.sheet.cards import card
from vane_step.core.sheet.columns import column
from vane_step.core.sheet.drafter import Drafter, is_regulator, is_source
from vane_step.core.sheet.drawing import Box, Drawing, Group, Zone, text_width
from vane_step.core.sheet.matrix import grid
from vane_step.core.sheet.zones import Guess, guess

TITLE = 28.0
PAD = 16.0
GAP = 26.0
NUDGE = 10.0
STEP = 36.0
SHEET_WIDTH = 746.0
BETWEEN = 12.0
# A sheet has six columns; a zone takes some of them.
COLUMN = (SHEET_WIDTH + BETWEEN) / 6
NO_BLOCK = ("", NEW_BLOCK)


def sheet_names(design: Design) -> list[str]:
    """List the sheets of a circuit in the order of their blocks; the empty name is the main sheet."""
    names = (_sheet_of(design, p.block) for p in design.parts.values())
    found = list(dict.fromkeys(names))
    return sorted(found, key=lambda n: n != "")


def _sheet_of(design: Design, block: str) -> str:
    about = design.blocks.get(block)
    return about.sheet if about else ""


@derived("parts", "nets", "blocks", "packages")
def guessed(design: Design) -> list[Guess]:
    """Guess the groups of the parts that nobody put into a block."""
    return guess(design, [p for p in design.parts.values() if p.block in NO_BLOCK])


@derived("parts", "nets", "blocks", "packages")
def sheet(design: Design, width: float = SHEET_WIDTH, page: str | None = None) -> Drawing:
    """Draw the circuit or one of its sheets, its zones set side by side up to a width.

    Each block is a zone; parts of no block are divided by what they serve. On a sheet, the name of a net that goes on
    elsewhere tells the number of the sheet: ``SDA ›2``.

    Each part of three or more pins is a card; two-terminal parts of its zone hang on the pins they belong to, on wires
    if they are near, and everything else is joined by the names of nets. Rows of a card are as far apart as what hangs
    on them needs, so nothing overlaps by construction.
    """
    blocks: dict[str, list[Part]] = {}
    for part in design.parts.values():
        if part.block not in NO_BLOCK and (page is None or _sheet_of(design, part.block) == page):
            blocks.setdefault(part.block, []).append(part)
    links = _links(design, page) if page is not None else {}
    order = {ref: k for k, ref in enumerate(design.parts)}

    def begins(parts: list[Part]) -> int:
        # Cards come and go less than the small parts round them.
        return order[next((p for p in parts if not is_symbol(p)), parts[0]).ref]

    told = [(t, parts, False) for t, parts in sorted(blocks.items(), key=lambda item: begins(item[1]))]
    if page in (None, ""):
        told += [(g.title, [design.parts[r] for r in g.refs], True) for g in guessed(design)]
    zones: list[_Planned] = []
    for title, parts, is_guess in told:
        groups = _zone(design, parts, links)
        placed, wide, tall = _pack_groups(design, groups)
        wide = max(wide, text_width(title) + 2 * PAD)
        # Zones grow in coarse steps, so that a longer value or one more part moves nothing of the other blocks.
        columns = math.ceil((wide + 2 * PAD + BETWEEN) / COLUMN - 1e-9)
        size = (columns * COLUMN - BETWEEN, math.ceil((tall + PAD + TITLE + BETWEEN) / STEP) * STEP - BETWEEN)
        zones.append(_Planned(_rank(design, title, parts), title, is_guess, placed, *size))
    return _pack_zones(zones, width)


def _rank(design: Design, title: str, parts: list[Part]) -> int:
    """Order zones as power goes: where it comes in, what makes rails, all else; new parts last."""
    if title == NEW_BLOCK:
        return 3
    if any(is_source(design, p) for p in parts):
        return 0
    return 1 if any(is_regulator(p) for p in parts) else 2


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


def _zone(design: Design, parts: list[Part], links: dict[str, str]) -> list[Group]:
    drafter = Drafter(design, parts, links)
    groups = [grid(drafter, matrix) for matrix in matrices(design, parts)]
    cards = [p for p in parts if not is_symbol(p)]
    groups += [card(drafter, p) for p in sorted(cards, key=lambda p: (-len(p.pins), natural(p.ref)))]
    for part in sorted(drafter.symbols, key=lambda p: natural(p.ref)):
        if part.ref not in drafter.done:
            groups.append(column(drafter, part))
    for part in parts:
        if part.nudge is not None and is_symbol(part):
            groups.append(column(drafter, part))
    return groups


# -- packing ----------------------------------------------------------------------------------------------


class _Planned:
    """A zone with its size, before it has a place."""

    def __init__(
        self, rank: int, title: str, is_guess: bool, groups: list[Group], wide: float, tall: float
    ) -> None:
        self.rank, self.title, self.is_guess, self.groups = rank, title, is_guess, groups
        self.wide, self.tall = wide, tall


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


def _columns(zone: _Planned) -> int:
    return round((zone.wide + BETWEEN) / COLUMN)


def _free_spot(taken: list[int], columns: int, many: int, high: int) -> tuple[int, int]:
    """Find the highest place, then the leftmost, where a zone of so many columns and rows is free."""
    for row in range(len(taken) + 1):
        over = 0
        for k in range(row, min(row + high, len(taken))):
            over |= taken[k]
        for first in range(columns - many + 1):
            if not over & ((1 << many) - 1) << first:
                return row, first
    raise AssertionError("below everything is room")


def _pack_zones(zones: list[_Planned], least: float) -> Drawing:
    """Pack the zones as power goes, then in their order, each at the highest place that is free."""
    columns = max([int((least + BETWEEN) / COLUMN + 1e-9), *(_columns(z) for z in zones)])
    width = max(least, columns * COLUMN - BETWEEN)
    # Of each row of the sheet the columns that are taken, a bit each.
    taken: list[int] = []
    placed: list[tuple[Box, _Planned]] = []
    for zone in sorted(zones, key=lambda z: z.rank):
        many, high = _columns(zone), round((zone.tall + BETWEEN) / STEP)
        row, first = _free_spot(taken, columns, many, high)
        taken += [0] * (row + high - len(taken))
        for k in range(row, row + high):
            taken[k] |= ((1 << many) - 1) << first
        x, y = first * COLUMN, row * STEP
        placed.append((Box(x, y, x + zone.wide, y + zone.tall), zone))
    drawn = [g.moved(box.x0 + PAD, box.y0 + TITLE) for box, zone in placed for g in zone.groups]
    height = max((box.y1 for box, _ in placed), default=200.0)
    return Drawing(width, height, [Zone(z.title, box, z.is_guess) for box, z in placed], drawn)


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
