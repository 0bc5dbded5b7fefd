"""Labels put on the legend in one act: names of nets or pins at a header's pins, values beside parts; no references."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry.mask_openings import openings_near
from vane_step.core.board.geometry.shapes import courtyards, place_point
from vane_step.core.board.geometry.strokefont import text_width
from vane_step.core.board.silkscreen.designators import Printed, inner, reach_mm, references, text_box
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design, LegendText, Part, PartPlace, Side, pin_name
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm

# From the courtyard to the text, and from text to text.
GAP_MM, BETWEEN_MM = 0.2, 0.15
MOST_MM = 1.2
STEPS = 4
What = Literal["net", "pin"]


def label_id(ref: str, number: str) -> str:
    """Give the id of the label of a pin."""
    return f"{ref}-{number}"


def _placed(design: Design, ref: str) -> tuple[Part, PartPlace]:
    part = part_of(design, ref)
    if part.place is None:
        raise EditRefused(f"{ref} is not placed yet.", where=ref, next_step="Type: arrange")
    return part, part.place


def words_at(design: Design, part: Part, number: str, what: What) -> str:
    """Give the word that belongs to a pin: its net's name, or its own, which is its net's where it has none."""
    pin = next((p for p in part.pins if p.number == number), None)
    net = design.net_of(pin_name(part.ref, number)) or ""
    return (pin.name or net) if what == "pin" and pin is not None else net


def pin_labels(
    design: Design, ref: str, what: What = "net", height_mm: float | None = None
) -> list[LegendText]:
    """Give a label for each pin of a part that has a word and room, outwards from its rows, as high as all can be.

    The labels of a single row lie on the side where more of them have room, else towards the middle of the board.

    Raises
    ------
    EditRefused
        When the part is not placed, or no label has room.
    """
    part, place = _placed(design, ref)
    pads = {p.number: p for p in design.packages[part.package].pads if not p.bare_hole}
    said = {n: word for n in pads if (word := words_at(design, part, n, what))}
    if not said:
        raise EditRefused(f"No pin of {ref} is on a net.", where=ref, next_step="Join its pins first.")
    x0, y0, x1, y1 = design.packages[part.package].courtyard_nm
    xs, ys = [p.x_nm for p in pads.values()], [p.y_nm for p in pads.values()]
    wide, tall = max(xs) - min(xs), max(ys) - min(ys)
    rows = set(ys) if wide >= tall else set(xs)
    pitch = _pitch([(p.x_nm, p.y_nm) for p in pads.values()])
    most = height_mm or min(MOST_MM, pitch / 1e6 - BETWEEN_MM)
    least = height_mm or design.board.rules.legend_height_nm / 1e6

    def row(sign: int) -> Callable[[float], list[Printed]]:
        def at(height: float) -> list[Printed]:
            found = []
            for number, word in said.items():
                pad = pads[number]
                along = pad.y_nm if wide >= tall else pad.x_nm
                way = sign if len(rows) == 1 else (1 if 2 * along >= max(rows) + min(rows) else -1)
                edge = (y1 if way > 0 else y0) if wide >= tall else (x1 if way > 0 else x0)
                off = edge + way * nm(GAP_MM + text_width(word, height) / 2)
                spot = (pad.x_nm, off) if wide >= tall else (off, pad.y_nm)
                x, y = place_point(place, *spot)
                turn = (90.0 if wide >= tall else 0.0) + (
                    place.turn_deg if place.side == "front" else -place.turn_deg
                )
                found.append(
                    Printed(label_id(ref, number), word, place.side, x / 1e6, y / 1e6, height, _upright(turn))
                )
            return found

        return at

    middle = shapely.box(*inner(design, 0.3).bounds).centroid
    ways = [row(1)] if len(rows) > 1 else [row(1), row(-1)]
    tries = [(way(h), h) for h in _heights(most, least) for way in ways]

    def best(over_references: bool) -> list[Printed]:
        kept = [(found, _free(design, ref, place.side, found, over_references), h) for found, h in tries]
        found, free, _ = max(
            kept, key=lambda k: (int(k[1].sum()), round(k[2], 3), -_far(k[0], middle.x, middle.y))
        )
        return [p for p, there in zip(found, free, strict=True) if there]

    careful, bold = best(False), best(True)
    if len(bold) > len(careful) and _printed(design, place.side, bold) >= _printed(design, place.side, ()):
        # References give way to texts; all of them found other places.
        careful = bold
    return _texts(ref, careful)


def _far(found: Sequence[Printed], x: float, y: float) -> float:
    """Give how far the middle of some texts lies from a point."""
    return math.hypot(
        sum(p.x_mm for p in found) / len(found) - x, sum(p.y_mm for p in found) / len(found) - y
    )


def _printed(design: Design, side: Side, more: Sequence[Printed]) -> int:
    """Count the references a side has with some texts more."""
    texts = {t.id: t for t in _as_texts(more)}
    return len(references(design.replaced(texts={**design.texts, **texts}), side))


def value_label(design: Design, ref: str) -> list[LegendText]:
    """Give the value of a part as a label beside it: below, above, right or left of it, the highest that has room.

    Raises
    ------
    EditRefused
        When the part is not placed, has no value, or there is no room.
    """
    part, place = _placed(design, ref)
    if not part.value:
        raise EditRefused(f"{ref} has no value.", where=ref, next_step=f"Type: value {ref} 10k")
    x0, y0, x1, y1 = courtyards(design)[ref].bounds
    least = design.board.rules.legend_height_nm / 1e6
    for height in _heights(MOST_MM, least):
        half, up = text_width(part.value, height) / 2 + GAP_MM, height / 2 + GAP_MM
        cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
        spots = [(cx, y0 - up, 0), (cx, y1 + up, 0), (x1 + half, cy, 0), (x0 - half, cy, 0)]
        spots += [(x1 + up, cy, 90), (x0 - up, cy, 90)]
        tries = [
            Printed(label_id(ref, "value"), part.value, place.side, x, y, height, float(turn))
            for x, y, turn in spots
        ]
        free = np.flatnonzero(_free(design, ref, place.side, tries))
        if len(free):
            return _texts(ref, [tries[int(free[0])]])
    return _texts(ref, [])


def _texts(ref: str, found: Sequence[Printed]) -> list[LegendText]:
    if not found:
        raise EditRefused(
            f"No label of {ref} has room on the legend.",
            where=ref,
            next_step="Move what lies beside it, or print the text where there is room: text.",
        )
    return _as_texts(found)


def _as_texts(found: Sequence[Printed]) -> list[LegendText]:
    return [
        LegendText(
            id=p.owner,
            text=p.text,
            x_nm=nm(p.x_mm),
            y_nm=nm(p.y_mm),
            height_nm=nm(p.height_mm),
            turn_deg=p.turn_deg,
            side=p.side,
        )
        for p in found
    ]


def _heights(most: float, least: float) -> list[float]:
    return [round(h, 2) for h in np.linspace(max(most, least), least, STEPS)]


def _pitch(spots: list[tuple[int, int]]) -> float:
    at = np.array(spots, dtype=np.float64)
    apart = np.hypot(*(at[:, None, :] - at[None, :, :]).transpose(2, 0, 1))
    apart[apart == 0] = math.inf
    least = float(apart.min())
    return least if math.isfinite(least) else nm(MOST_MM + BETWEEN_MM)


def _upright(turn: float) -> float:
    """Turn a text so that it reads from the left or from below."""
    turn = turn % 180
    return turn - 180 if turn > 90 else turn


def _free(
    design: Design, ref: str, side: Side, tries: Sequence[Printed], over_references: bool = False
) -> np.ndarray:
    """Tell which texts lie on the board, off mask openings, bodies, references of others and other texts."""
    keep = max(0.1, reach_mm(design))
    frames = np.array([p.box(keep) for p in tries], dtype=object)
    yards = [y for r, y in courtyards(design).items() if design.parts[r].place.side == side]  # type: ignore[union-attr]
    texts = [text_box(t) for t in design.texts.values() if t.side == side and not t.id.startswith(f"{ref}-")]
    names = [] if over_references else [p.box() for p in references(design, side) if p.owner != ref]
    free: np.ndarray = shapely.covers(inner(design, 0.3), frames)
    solids = np.array([*yards, *texts, *names], dtype=object)
    boxes = np.array([p.box() for p in tries], dtype=object)
    free[STRtree(solids).query(boxes, predicate="intersects")[0]] = False
    free[openings_near(design, side, shapely.bounds(frames)).within(frames, 0.0)[0]] = False
    return free
