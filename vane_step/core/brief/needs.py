"""Requirements and their evidence: figures the program knows, measurements, observations; limits are in ``limits``."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from vane_step.core.board.drc.heights import stack_nm
from vane_step.core.board.drc.layout import Layout
from vane_step.core.brief.state_figures import state_figure
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Requirement, natural
from vane_step.core.design.operation import OPERATION
from vane_step.core.errors import InputError
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.patterns.skills import is_through_hole
from vane_step.core.reasons.calculations import reasons

State = Literal["shown", "fails", "waits"]
# Figures that come from outside of the design, when somebody asked for them.
OUTSIDE = ("cost",)
MARKS: dict[State, str] = {"shown": "✓", "fails": "■", "waits": "○"}


@dataclass(frozen=True)
class Figure:
    """A number the program knows of a design."""

    key: str
    title: str
    unit: str
    value: float


@dataclass(frozen=True)
class Evidence:
    """How a requirement stands: the reading held against its limit, or what is missing."""

    requirement: Requirement
    state: State
    reading: float | None
    unit: str
    says: str


@derived(*COPPER, "calculations", *OPERATION)
def known_figures(design: Design) -> dict[str, Figure]:
    """Give every figure of a design by key: board, parts, links, currents of nets, results of calculations."""
    laid = Layout(design)
    x0, y0, x1, y1 = laid.outline.bounds
    counted = laid.figures
    placed = [p for p in design.parts.values() if p.place]
    tall = {
        side: max(
            (design.packages[p.package].height_nm for p in placed if p.place and p.place.side == side),
            default=0,
        )
        / 1e6
        for side in ("front", "back")
    }
    smd = sum(1 for p in design.parts.values() if not is_through_hole(design.packages[p.package]))
    found = [
        Figure("width", "board width", "mm", round(x1 - x0, 3)),
        Figure("height", "board height", "mm", round(y1 - y0, 3)),
        Figure("area", "board area", "cm²", round(laid.outline.area / 100, 3)),
        Figure("tallest", "tallest part", "mm", tall["front"]),
        Figure("tallest-back", "tallest part on the back", "mm", tall["back"]),
        Figure("stack", "front, board and back together", "mm", round(stack_nm(design) / 1e6, 3)),
        Figure("layers", "copper layers", "", design.board.copper_layers),
        Figure("parts", "parts", "", counted["parts"]),
        Figure("surface", "surface-mount parts", "", smd),
        Figure("vias", "vias", "", counted["vias"]),
        Figure("jumpers", "wire jumpers", "", counted["jumpers"]),
        Figure("unrouted", "unrouted connections", "", counted["links_open"]),
    ]
    for net in design.nets.values():
        if net.rule and net.rule.current:
            found.append(
                Figure(f"current.{net.name}", f"current of {net.name}", "A", net.rule.current.current_a)
            )
    for reason in reasons(design):
        units = {q.key: (q.title, q.unit) for q in reason.formula.outputs}
        for key, value in reason.outputs.items():
            title, unit = units.get(key, (key, ""))
            found.append(
                Figure(f"{reason.calculation.id}.{key}", f"{reason.calculation.id}: {title}", unit, value)
            )
    return {f.key: f for f in found}


def evidence(design: Design, more: Mapping[str, Figure] | None = None) -> list[Evidence]:
    """Tell how every requirement stands, in their order.

    Parameters
    ----------
    more : mapping, optional
        Figures from outside the design, such as the cost a supplier's prices make.
    """
    known = {**known_figures(design), **(more or {})}
    return [
        _evidence(design, r, known) for r in sorted(design.requirements.values(), key=lambda r: natural(r.id))
    ]


def _evidence(design: Design, need: Requirement, known: Mapping[str, Figure]) -> Evidence:
    if need.shown_by == "observation":
        state: State = {"yes": "shown", "no": "fails", "": "waits"}[need.seen]  # type: ignore[assignment]
        says = {"yes": "seen", "no": "seen to fail", "": "to be seen"}[need.seen]
        return Evidence(need, state, None, "", f"{says}{f': {need.note}' if need.note else ''}")
    if need.shown_by == "figure":
        figure = known.get(need.figure)
        if figure is None and (read := state_figure(design, need.figure, need.sense)) is not None:
            figure = Figure(need.figure, *read)
        if figure is None:
            return Evidence(need, "waits", None, need.unit, f"the program does not know “{need.figure}” yet")
        reading, unit = figure.value, figure.unit
    else:
        if need.reading is None:
            return Evidence(need, "waits", None, need.unit, "to be measured")
        reading, unit = need.reading, need.unit
    if need.limit is None:
        return Evidence(need, "waits", reading, unit, "has no limit yet")
    slack = 1e-9 * abs(need.limit)
    met = reading <= need.limit + slack if need.sense == "at most" else reading >= need.limit - slack
    return Evidence(
        need,
        "shown" if met else "fails",
        reading,
        unit,
        "the program's figure" if need.figure else "measured",
    )


def need_findings(design: Design, more: Mapping[str, Figure] | None = None) -> Iterator[Finding]:
    """Give a finding for every requirement that fails: stop for a must, look for a wish."""
    for e in evidence(design, more):
        need = e.requirement
        if e.state == "fails":
            yield tell(
                "requirement",
                f"{need.id} is not met: {need.text}",
                e.reading,
                need.limit,
                Place(net=need.about or None),
                level="stop" if need.level == "must" else "look",
                sense=need.sense,
                unit=e.unit,
                source=f"requirement {need.id} ({need.level})",
            )


def checked(need: Requirement, known: Mapping[str, Figure]) -> Requirement:
    """Refuse a requirement that could never be shown.

    Raises
    ------
    InputError
        When its figure is unknown, or a limit is missing.
    """
    if need.shown_by == "figure" and need.figure not in known and need.figure not in OUTSIDE:
        raise InputError(
            f"The program knows no figure {need.figure!r}.",
            where=need.id,
            value=need.figure,
            allowed=", ".join(list(known)[:24]),
            next_step="Choose a figure, or show it by a measurement.",
        )
    if need.shown_by != "observation" and need.limit is None:
        raise InputError(
            f"{need.id} has no limit to hold a reading against.", where=need.id, allowed="a number"
        )
    return need
