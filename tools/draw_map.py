"""Draw the rooms of the code and what they read, from the imports, as docs/rooms.svg; ``--check`` only compares."""

from __future__ import annotations

import sys
from collections import Counter
from html import escape
from pathlib import Path

import grimp

PICTURE = Path(__file__).parent.parent / "docs" / "rooms.svg"
# Packages parted further; what stands alone in core is drawn as one room.
OPENED = ("vane_step", "vane_step.core", "vane_step.core.board")
WIDE, HIGH, COLUMN, ROW = 150, 40, 190, 58
Arrows = dict[str, set[str]]


def room_of(module: str) -> str:
    """Give the room a module is drawn in."""
    parts = module.split(".")
    for k in range(len(parts), 0, -1):
        if ".".join(parts[:k]) in OPENED:
            inner = parts[k : k + 1]
            alone = ".".join(parts[:k]) == "vane_step.core" and len(parts) == k + 1
            return "core, single" if alone or not inner else "/".join([*parts[1:k], *inner])
    return parts[0]


def arrows() -> tuple[Arrows, Counter[str]]:
    """Give for each room those it reads, and how many modules it has."""
    graph = grimp.build_graph("vane_step")
    packages = {m for m in graph.modules if graph.find_children(m)}
    sizes = Counter(room_of(m) for m in graph.modules if m not in packages)
    reads: Arrows = {room: set() for room in sizes}
    for module in graph.modules - packages:
        mine = room_of(module)
        if mine == "core, single":
            continue
        others = {room_of(m) for m in graph.find_modules_directly_imported_by(module)}
        reads[mine] |= (others & sizes.keys()) - {mine, "core, single"}
    return reads, sizes


def levels(reads: Arrows) -> dict[str, int]:
    """Place each room one column after the last of those it reads; rooms that read each other would be told.

    Raises
    ------
    ValueError
        When rooms read each other in a circle.
    """
    level: dict[str, int] = {}

    def place(room: str, way: tuple[str, ...]) -> int:
        if room in way:
            raise ValueError(f"rooms read each other: {' > '.join((*way[way.index(room) :], room))}")
        if room not in level:
            level[room] = 1 + max((place(r, (*way, room)) for r in reads[room]), default=-1)
        return level[room]

    for room in sorted(reads):
        place(room, ())
    return level


def direct(reads: Arrows) -> Arrows:
    """Leave out arrows that a longer way says already."""

    def reached(room: str) -> set[str]:
        return set().union(*({r} | reached(r) for r in reads[room]), set())

    return {room: {r for r in rs if not any(r in reached(o) for o in rs - {r})} for room, rs in reads.items()}


def picture() -> str:
    """Give the picture: what is read stands left of who reads it."""
    reads, sizes = arrows()
    level = levels(reads)
    columns: dict[int, list[str]] = {}
    for room in sorted(reads, key=lambda r: (r.startswith("core"), r)):
        columns.setdefault(level[room], []).append(room)
    at = {r: (20 + COLUMN * c, 20 + ROW * k) for c, rooms in columns.items() for k, r in enumerate(rooms)}
    width = 20 + COLUMN * len(columns)
    height = 20 + ROW * max(map(len, columns.values()))
    drawn = []
    for room, others in sorted(direct(reads).items()):
        x1, y1 = at[room]
        for x0, y0 in sorted(at[other] for other in others):
            a, b = (x0 + WIDE, y0 + HIGH / 2), (x1, y1 + HIGH / 2)
            bend = f"M{a[0]} {a[1]}C{a[0] + 30} {a[1]} {b[0] - 30} {b[1]} {b[0]} {b[1]}"
            drawn.append(f'<path d="{bend}" fill="none" stroke="#5c666b" stroke-width="1.2"/>')
    for room, (x, y) in at.items():
        drawn.append(
            f'<rect x="{x}" y="{y}" width="{WIDE}" height="{HIGH}" fill="#fffdf7" stroke="#0f5e66"/>'
        )
        drawn.append(f'<text x="{x + 8}" y="{y + 17}" font-weight="600">{escape(room)}</text>')
        many = f"{sizes[room]} module{'' if sizes[room] == 1 else 's'}"
        drawn.append(f'<text x="{x + 8}" y="{y + 32}" fill="#5c666b">{many}</text>')
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" '
        f'font-family="sans-serif" font-size="12"><rect width="100%" height="100%" fill="#f6f3ea"/>\n'
        + "\n".join(drawn)
        + "\n</svg>\n"
    )


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(
            0
            if PICTURE.read_text(encoding="utf-8") == picture()
            else "docs/rooms.svg is not what the imports say"
        )
    PICTURE.write_text(picture(), encoding="utf-8")
