"""Draws how a variant is assembled: each side as one sees it, every part with its reference and pin 1, as SVG in mm."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

from shapely.geometry import Polygon

from vane_step.core.board.geometry.shapes import CopperItem, bodies, copper_items, outline
from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, Side, natural, split_pin

MARGIN_MM, HEAD_MM = 6.0, 9.0
# Small parts and their names are read at twice their size.
SCALE = 2.0
# Two-pin parts that may be put in either way round.
EITHER_WAY = ("resistor", "capacitor", "inductor", "fuse", "crystal", "switch")
INK, FAINT = "#20282d", "#8a9094"
# Largest letters, and what a letter is wide, as a share of its height.
LETTER_MM, ADVANCE = 1.6, 0.62


def assembly(design: Design, variant: str = BASE) -> str:
    """Draw a variant: fitted parts solid with reference and value, others dashed; the back as seen from the back."""
    have = fitted(design, variant)
    placed = {p.ref: p.place.side for p in design.parts.values() if p.place}
    every: tuple[Side, Side] = ("front", "back")
    sides = [s for s in every if s in placed.values()] or ["front"]
    x0, y0, x1, y1 = outline(design).bounds
    wide, tall = x1 - x0 + 2 * MARGIN_MM, y1 - y0 + 2 * MARGIN_MM + HEAD_MM
    drawn = [
        f'<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{SCALE * wide * len(sides):.2f}mm" height="{SCALE * tall:.2f}mm" '
        f'viewBox="0 0 {wide * len(sides):.2f} {tall:.2f}" font-family="sans-serif" fill="{INK}">'
    ]
    for k, side in enumerate(sides):
        mine = [ref for ref, at in placed.items() if at == side]
        count = sum(1 for ref in mine if have[ref])
        title = f"{design.name}, {f'variant {variant}, ' if variant else ''}{side}: {count} of {len(mine)} parts fitted"
        out = [ref for ref in sorted(mine, key=natural) if not have[ref]]
        drawn.append(f'<g transform="translate({k * wide:.2f} 0)">')
        drawn.append(
            f'<text x="{MARGIN_MM}" y="{HEAD_MM - 2}" font-size="2.4">{escape(title)}, {SCALE:g} : 1</text>'
        )
        if out:
            told = f"not fitted, dashed: {', '.join(out[:24])}{' …' if len(out) > 24 else ''}"
            drawn.append(f'<text x="{MARGIN_MM}" y="{tall - 2:.2f}" font-size="1.8">{escape(told)}</text>')
        drawn += _side(design, side, sorted(mine, key=natural), have)
        drawn.append("</g>")
    return "\n".join([*drawn, "</svg>"]) + "\n"


def _side(design: Design, side: Side, refs: list[str], have: dict[str, bool]) -> Iterator[str]:
    x0, _, x1, y1 = outline(design).bounds

    def at(x: float, y: float) -> tuple[float, float]:
        """Carry a point of the board to the sheet; the back is turned over."""
        across = x - x0 if side == "front" else x1 - x
        return across + MARGIN_MM, y1 - y + MARGIN_MM + HEAD_MM

    def path(shape: Polygon) -> str:
        rings = (shape.exterior, *shape.interiors)
        return "".join(
            "M" + "L".join("{:.3f} {:.3f}".format(*at(*p[:2])) for p in r.coords[:-1]) + "Z" for r in rings
        )

    yield f'<path d="{path(outline(design))}" fill="none" stroke="{INK}" stroke-width="0.25"/>'
    shapes = bodies(design)
    first: dict[str, CopperItem] = {}
    for item in copper_items(design):
        if item.kind == "pad":
            first.setdefault(split_pin(item.id)[0], item)
    for ref in refs:
        body, part = shapes[ref], design.parts[ref]
        dashes = "" if have[ref] else ' stroke-dasharray="0.6 0.5"'
        colour = INK if have[ref] else FAINT
        yield f'<path d="{path(body)}" fill="none" stroke="{colour}" stroke-width="0.15"{dashes}/>'
        if ref in first and not (len(part.pins) == 2 and part.kind in EITHER_WAY):
            x, y = at(first[ref].x_mm, first[ref].y_mm)
            yield f'<circle cx="{x:.3f}" cy="{y:.3f}" r="0.25" fill="{colour}"/>'
        bx0, by0, bx1, by1 = body.bounds
        x, y = at((bx0 + bx1) / 2, (by0 + by1) / 2)
        long, short = max(bx1 - bx0, by1 - by0), min(bx1 - bx0, by1 - by0)
        size = max(0.4, min(LETTER_MM, long / (ADVANCE * max(2, len(ref)) + 0.4), 0.8 * short))
        turn = f' transform="rotate(-90 {x:.3f} {y:.3f})"' if by1 - by0 > 1.3 * (bx1 - bx0) else ""
        yield (
            f'<text x="{x:.3f}" y="{y + 0.35 * size:.3f}" font-size="{size:.2f}" text-anchor="middle" '
            f'fill="{colour}"{turn}><title>{escape(part.value or part.package)}</title>{escape(ref)}</text>'
        )
