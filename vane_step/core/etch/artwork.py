"""Artwork for making a board at home: its pictures on sheets, captions and lists; which way round is in ``methods``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from shapely import affinity
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from vane_step.core.derive import alone
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import InputError
from vane_step.core.etch.cautions import CAUTIONS
from vane_step.core.etch.drillplan import drill_plan, letter_of
from vane_step.core.etch.frames import (
    Frame,
    Kind,
    drilled_from,
    frame_of,
    frame_picture,
    is_mirrored,
    meeting_holes,
)
from vane_step.core.etch.joints import both_sides, plating_findings
from vane_step.core.etch.methods import BY_HAND, proof
from vane_step.core.etch.picture import off_grid, picture
from vane_step.core.etch.plan import ArtPlan
from vane_step.core.etch.sheets import RULER_MM, Page, Placed, Sheet, page_of, ruler
from vane_step.core.etch.written import write_bitmap, write_pdf, write_svg

# Between pictures of one page, and what a label below one takes.
BETWEEN_MM, LABEL_MM = 5.0, 4.0
# What a letter of a label is wide at the most, drawn as SVG.
LETTER_MM: Final = 1.6
# Half of what lies between the frames of two sides and their fold.
FOLD_MM: Final = 4.0


def kinds_of(design: Design, plan: ArtPlan) -> list[Kind]:
    """Give the pictures a plan wants, in the order they are cut and used."""
    kinds: list[Kind] = [s for s in ("front", "back") if s in design.board.layers]
    return kinds + (["legend"] if plan.legend else []) + (["template"] if plan.template else [])


def sheets(design: Design, plan: ArtPlan, stops: Sequence[str] = ()) -> list[Sheet]:
    """Lay the artwork out on sheets.

    Parameters
    ----------
    stops : sequence of str
        What still forbids a release; it is named on each sheet.

    Raises
    ------
    InputError
        When it does not fit, with what does; when a board of one side is to be folded, or the method needs no paper.
    """
    if plan.method.name == "mill":
        raise InputError(
            "Milling needs no artwork.",
            where="method",
            value="mill",
            next_step="Download its programs: Make, or vane-step mill.",
        )
    if plan.layout == "folded" and design.board.copper_layers < 2:
        raise InputError(
            "This board has copper on one side only: there is nothing to fold.",
            where="layout",
            value="folded",
            allowed="apart, together",
        )
    if plan.turn == "auto":
        return _best_turn(design, plan, stops)
    page = page_of(plan.paper, plan.turn == "landscape", plan.margin_mm)
    kinds = kinds_of(design, plan)
    with alone:
        beside = _words_beside(design, plan, kinds)
        frame = frame_of(design, plan.copies, _room(page, plan, len(kinds)), plan.blank, beside)
        spots = _places(frame, page, plan, {k: _label(design, plan, k) for k in kinds})
        drawn = {k: frame_picture(design, frame, k, plan.method, plan.ink, plan.pins) for k in kinds}
    made = []
    for number in sorted({n for n, _ in spots}):
        some = [p for n, p in spots if n == number]
        made.append(_sheet(design, plan, page, frame, some, drawn, stops))
    return made


def _best_turn(design: Design, plan: ArtPlan, stops: Sequence[str]) -> list[Sheet]:
    """Take the paper upright or lying: that which holds more copies, else needs fewer sheets, upright before lying."""
    tried: list[tuple[int, int, list[Sheet]]] = []
    refused: InputError | None = None
    for turn in ("portrait", "landscape"):
        wanted = replace(plan, turn=turn)
        try:
            made = sheets(design, wanted, stops)
        except InputError as error:
            refused = refused or error
            continue
        tried.append((len(made[0].placed), -len(made), made))
        if plan.copies:
            break
    if not tried:
        assert refused is not None
        raise refused
    if not plan.copies:
        return max(
            tried,
            key=lambda t: (copies_on(design, replace(plan, turn=_turn(t[2][0]))), t[1]),
        )[2]
    return tried[0][2]


def _words_beside(design: Design, plan: ArtPlan, kinds: Sequence[Kind]) -> bool:
    """Tell whether a side's word has no room on the board and stands below it."""
    return plan.ink.words and any(
        k in ("front", "back") and picture(design, k, plan.ink).word_at is None for k in kinds
    )


def _turn(sheet: Sheet) -> str:
    return "landscape" if sheet.page.width_mm > sheet.page.height_mm else "portrait"


def copies_on(design: Design, plan: ArtPlan) -> int:
    """Count the copies a plan puts into its frame, as many as fit where it says none; 0 where not even one fits."""
    turns = ("portrait", "landscape") if plan.turn == "auto" else (plan.turn,)
    found = 0
    for turn in turns:
        page = page_of(plan.paper, turn == "landscape", plan.margin_mm)
        kinds = kinds_of(design, plan)
        with alone:
            beside = _words_beside(design, plan, kinds)
            try:
                found = max(
                    found, len(frame_of(design, 0, _room(page, plan, len(kinds)), plan.blank, beside).spots)
                )
            except InputError:
                continue
    return found


def _room(page: Page, plan: ArtPlan, pictures: int) -> tuple[float, float]:
    """Give what one frame may take of a page."""
    wide, tall = page.room
    if plan.layout == "folded":
        return (
            (wide / 2 - FOLD_MM, tall - LABEL_MM) if wide >= tall else (wide, tall / 2 - FOLD_MM - LABEL_MM)
        )
    if plan.layout == "together" and not plan.copies and pictures > 1:
        # As many as fit beside all the other pictures: halves of the page, in as many rows as it takes.
        rows = -(-pictures // 2)
        return ((wide - BETWEEN_MM) / 2, tall / rows - LABEL_MM - BETWEEN_MM)
    return wide, tall - LABEL_MM


def _label(design: Design, plan: ArtPlan, kind: Kind) -> str:
    turned = "mirrored" if is_mirrored(design, kind, plan.method) else "as is"
    return f"{_title(design, kind)}, printed {turned}"


def _places(frame: Frame, page: Page, plan: ArtPlan, labels: dict[Kind, str]) -> list[tuple[int, Placed]]:
    """Put the pictures of a frame on pages: number of the page, and where; no label runs into the next."""
    kinds = list(labels)
    w, h = frame.width_mm, frame.height_mm
    wide = page.room[0]
    left, top = page.margin_mm, page.top_mm
    if plan.layout == "apart":
        return [(k, Placed(kind, left + (wide - w) / 2, top - h, w, h)) for k, kind in enumerate(kinds)]
    placed: list[tuple[int, Placed]] = []
    rest = list(kinds)
    if plan.layout == "folded":
        placed += [(0, p) for p in _folded(frame, page)]
        rest = kinds[2:]
    x, y, number, high = left, top, 1 if placed else 0, 0.0
    for kind in rest:
        if x > left and x + w > left + wide + 1e-9:
            x, y, high = left, y - high - LABEL_MM - BETWEEN_MM, 0.0
        if y - h - LABEL_MM < page.margin_mm - 1e-9 and (y < top or x > left):
            x, y, high, number = left, top, 0.0, number + 1
        placed.append((number, Placed(kind, x, y - h, w, h)))
        x, high = x + max(w, len(labels[kind]) * LETTER_MM) + BETWEEN_MM, max(high, h)
    return placed


def _folded(frame: Frame, page: Page) -> list[Placed]:
    """Put front and back on both sides of a fold, so that it lays each hole on itself.

    About an upright fold the second picture is the first one's mirror; about a lying one it stands on its head as well.
    """
    w, h = frame.width_mm, frame.height_mm
    wide, tall = page.room
    middle = page.margin_mm + wide / 2
    if wide >= tall:
        y = page.top_mm - h
        return [
            Placed("front", middle - FOLD_MM - w, y, w, h),
            Placed("back", middle + FOLD_MM, y, w, h),
        ]
    fold = page.margin_mm + LABEL_MM + tall / 2
    x = middle - w / 2
    return [Placed("front", x, fold + FOLD_MM, w, h), Placed("back", x, fold - FOLD_MM - h, w, h, True)]


def _sheet(
    design: Design,
    plan: ArtPlan,
    page: Page,
    frame: Frame,
    some: list[Placed],
    drawn: dict[Kind, BaseGeometry],
    stops: Sequence[str],
) -> Sheet:
    ink: list[BaseGeometry] = []
    labels: list[tuple[float, float, str]] = []
    for p in some:
        shape = drawn[p.kind]  # type: ignore[index]
        if p.turned:
            shape = affinity.rotate(shape, 180, origin=(p.width_mm / 2, p.height_mm / 2))
        ink.append(affinity.translate(shape, p.x_mm, p.y_mm))
        labels.append((p.x_mm, p.y_mm - LABEL_MM + 1, _label(design, plan, p.kind)))  # type: ignore[arg-type]
    if plan.layout == "folded" and {p.kind for p in some} >= {"front", "back"}:
        ink.append(_fold_line(some, page))
    return Sheet(
        f"{design.name} {' '.join(p.kind for p in some)}",
        page,
        tuple(ink),
        ruler(page),
        _captions(design, plan, frame, some, stops),
        tuple(labels),
        tuple(some),
    )


def _title(design: Design, kind: str) -> str:
    if kind == "legend":
        return "legend of the front, to be ironed on"
    if kind == "template":
        return f"drill template, glued on the {drilled_from(design)}"
    return f"{kind} copper"


def _fold_line(some: list[Placed], page: Page) -> BaseGeometry:
    front, back = some[0], some[1]
    if front.y_mm == back.y_mm:
        x = (front.x_mm + front.width_mm + back.x_mm) / 2
        ends = ((x, front.y_mm - 2), (x, front.y_mm + front.height_mm))
    else:
        y = (front.y_mm + back.y_mm + back.height_mm) / 2
        ends = ((page.margin_mm, y), (page.margin_mm + page.room[0], y))
    return LineString(ends).buffer(0.1, cap_style="flat")


def _captions(
    design: Design, plan: ArtPlan, frame: Frame, some: list[Placed], stops: Sequence[str]
) -> tuple[str, ...]:
    method = plan.method
    sides = [p.kind for p in some if p.kind in ("front", "back")]
    lines = [f"{design.name} · {', '.join(_title(design, p.kind) for p in some)} · {method.title}"]
    if stops:
        few = "; ".join(stops[:2]) + (" …" if len(stops) > 2 else "")
        lines.append(f"■ {len(stops)} stop{'' if len(stops) == 1 else 's'} open: {few}")
    if plan.ink.words:
        lines += [proof(method, side) for side in sides]  # type: ignore[arg-type]
    if method.negative and sides:
        lines.append("The picture is inverted: on this sheet copper is white.")
    if plan.layout == "folded" and len(sides) == 2:
        head = " The back stands on its head." if any(p.turned for p in some) else ""
        lines.append(f"Fold on the line: every hole of the front must lie on its hole of the back.{head}")
    elif sides and (pair := meeting_holes(design)) is not None:
        (a, ax, ay), (b, bx, by) = pair
        lines.append(
            f"Front and back held against the light as they will lie: holes {a} ({ax:.1f}, {ay:.1f}) "
            f"and {b} ({bx:.1f}, {by:.1f}) must meet."
        )
    if plan.ink.words and frame.beside and sides:
        lines.append(
            "The word stands beside the board, since it has no room on it: it goes when the board is cut out."
        )
    if method.name in BY_HAND and sides:
        off = len(off_grid(design))
        lines.append(
            "Ticks: rows of perforated board, pitch 2.54 mm. "
            + (f"{off} holes lie beside its holes." if off else "Every hole lies on one.")
        )
    lines.append(
        f"The ruler must measure {RULER_MM:g} mm both ways. Print at 100 %, without fitting to the page."
    )
    return tuple(lines)


def pdf(design: Design, plan: ArtPlan, stops: Sequence[str] = (), bits_mm: Sequence[float] = ()) -> bytes:
    """Write the artwork as PDF: its sheets, then the drill list, wires and cautions.

    Lengths are exact: 1 mm is 72/25.4 points, times the correction for the printer.
    """
    last = drill_page(design, bits_mm)
    return write_pdf(f"{design.name}: artwork", sheets(design, plan, stops), plan.scale, last)


def sheet_of(design: Design, plan: ArtPlan, number: int, stops: Sequence[str] = ()) -> Sheet:
    """Give one sheet, counted from 1.

    Raises
    ------
    InputError
        When there is none of that number.
    """
    made = sheets(design, plan, stops)
    if not 1 <= number <= len(made):
        raise InputError(
            f"There is no sheet {number}.",
            where="sheet",
            value=number,
            allowed=f"1 to {len(made)}" if len(made) > 1 else "1",
        )
    return made[number - 1]


def svg(design: Design, plan: ArtPlan, number: int = 1, stops: Sequence[str] = ()) -> str:
    """Write one sheet as SVG in millimetres."""
    return write_svg(sheet_of(design, plan, number, stops), plan.scale)


def bitmap(design: Design, plan: ArtPlan, number: int = 1, dpi: int = 1200) -> bytes:
    """Write one sheet as a PNG of one bit a dot."""
    return write_bitmap(sheet_of(design, plan, number), dpi, plan.scale)


def drill_page(design: Design, bits_mm: Sequence[float] = ()) -> tuple[str, ...]:
    """Give the drill list, wires and the cautions as lines of text."""
    rows = [
        f"{letter_of(k)}   {r.count:4d} holes   {r.drill_mm:.2f} mm   "
        + (f"bit {r.bit} ({r.bit_mm:.2f} mm)" if r.at_hand else "NO DRILL AT HAND")
        + ("" if r.ring_left_mm is None else f", ring left {r.ring_left_mm:.2f} mm")
        + (f"; {r.in_rows}" if r.slots else "")
        for k, r in enumerate(drill_plan(design, bits_mm))
    ]
    joints = both_sides(design)
    hand = [line for f in plating_findings(design) for line in ("", f"STOP: {f.message}.", f"({f.source})")]
    if wires := wire_list(design):
        hand += ["", "Wire jumpers on the front", *wires]
    if joints.pins:
        few = [", ".join(joints.pins[k : k + 14]) for k in range(0, len(joints.pins), 14)]
        hand += ["", "Solder on both sides: no hole is plated", *few]
    if joints.vias:
        spots = [f"{id} at {x:.1f}, {y:.1f}" for id, x, y in joints.vias]
        hand += ["", "Pieces of wire, soldered on both sides"]
        hand += [", ".join(spots[k : k + 5]) for k in range(0, len(spots), 5)]
    return (f"{design.name}: drill list", "", *rows, *hand, "", "Cautions", *CAUTIONS)


def wire_list(design: Design) -> list[str]:
    """List the wire jumpers with their length and where they go."""
    found = []
    for name in sorted(design.jumpers, key=natural):
        wire = design.jumpers[name]
        (xa, ya), (xb, yb) = ((x / 1e6, y / 1e6) for x, y in (wire.a, wire.b))
        long = ((xa - xb) ** 2 + (ya - yb) ** 2) ** 0.5
        found.append(f"{name}  {wire.net}  {long:.1f} mm, from {xa:.1f}, {ya:.1f} to {xb:.1f}, {yb:.1f}")
    return found
