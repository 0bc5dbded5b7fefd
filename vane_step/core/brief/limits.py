"""Limits of the brief that bind other steps: size, height, who makes it, skills; requirements are in ``needs``."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.board.drc.heights import stack_nm, tallest
from vane_step.core.board.drc.layout import Layout
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, natural
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.patterns.skills import skill_misfits

BRIEF = "the brief"


@derived("parts", "packages", "board", "brief")
def limit_findings(design: Design) -> tuple[Finding, ...]:
    """Hold the board and its parts against what the brief allows."""
    laid = Layout(design)
    return (*_size(laid), *_manufacturing(laid), *_skills(laid), *_sides(laid), *_heights(laid))


def _size(laid: Layout) -> Iterator[Finding]:
    brief = laid.design.brief
    x0, y0, x1, y1 = laid.outline.bounds
    have, allowed = (
        sorted((x1 - x0, y1 - y0)),
        sorted(v / 1e6 for v in (brief.max_width_nm, brief.max_height_nm) if v),
    )
    if len(allowed) == 2:
        # A board may be turned to fit its case.
        pairs = zip(have, allowed, ("shorter", "longer"), strict=True)
    else:
        pairs = zip(have[1:] if allowed else [], allowed, ("longer",), strict=False)
    for size, limit, which in pairs:
        if size > limit + 1e-6:
            yield tell(
                "brief-size",
                f"The {which} side of the board is {size:g} mm",
                size,
                limit,
                Place(step="board"),
            )


def _manufacturing(laid: Layout) -> Iterator[Finding]:
    brief, rules = laid.design.brief, laid.rules
    wrong = (brief.manufacturing == "etch" and not rules.etched) or (
        brief.manufacturing == "order" and rules.etched
    )
    if wrong:
        etch = brief.manufacturing == "etch"
        want, use = ("etched at home", "of a manufacturer") if etch else ("ordered", "for etching at home")
        yield tell(
            "brief-manufacturing",
            f"The brief wants the board {want}, its rules are those {use}: {rules.title}",
            place=Place(step="board"),
        )


def _skills(laid: Layout) -> Iterator[Finding]:
    by_package: dict[str, list[str]] = {}
    for part in sorted(laid.design.parts.values(), key=lambda p: natural(p.ref)):
        by_package.setdefault(part.package, []).append(part.ref)
    for name, refs in by_package.items():
        for text in skill_misfits(laid.design.packages[name], laid.design.brief):
            yield tell(
                "brief-skill",
                f"{text}: {', '.join(refs[:6])}",
                len(refs),
                0,
                Place(step="parts", refs=tuple(refs)),
                source="tools and skills of the brief",
            )


def _sides(laid: Layout) -> Iterator[Finding]:
    """Find parts on the underside of a board that is to be fitted on its front alone, if it has copper there."""
    if laid.design.brief.parts_on != "front" or laid.design.board.copper_layers == 1:
        return
    under = [r for r, p in laid.design.parts.items() if p.place and p.place.side == "back"]
    if under:
        yield tell(
            "brief-underside",
            f"Parts lie on the underside, where the brief wants none: {', '.join(sorted(under, key=natural)[:6])}",
            len(under),
            0,
            Place(step="board", refs=tuple(under)),
        )


def _heights(laid: Layout) -> Iterator[Finding]:
    limit = laid.design.brief.max_tall_nm
    for part in laid.design.parts.values():
        tall = laid.design.packages[part.package].height_nm
        if limit and tall > limit:
            yield tell(
                "brief-height",
                f"{part.ref} ({part.package}) is too tall for the case",
                tall / 1e6,
                limit / 1e6,
                Place(step="parts", refs=(part.ref,)),
            )
    yield from _whole(laid)


def _whole(laid: Layout) -> Iterator[Finding]:
    """Front, board and back together against the height inside the case, where each part alone fits."""
    limit = laid.design.brief.max_tall_nm
    front, back = tallest(laid.design, "front"), tallest(laid.design, "back")
    total = stack_nm(laid.design)
    if (
        not limit
        or max(front[0], back[0]) > limit
        or not any(p.place for p in laid.design.parts.values())
        or total <= limit
    ):
        return
    parts = [f"{ref} {tall / 1e6:g} mm" for tall, ref in (front, back) if tall]
    yield tell(
        "brief-height",
        f"Front, board and back together are too tall for the case: {' and '.join(parts)}, "
        f"board {laid.rules.board_mm:g} mm",
        total / 1e6,
        limit / 1e6,
        Place(step="parts", refs=tuple(ref for tall, ref in (front, back) if tall)),
    )
