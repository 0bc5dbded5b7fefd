"""What is told of whatever is selected: a part, pins, a net, copper, several parts; and what it reads in a state."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from vane_step.core.ask import ask
from vane_step.core.board.copper.figures import steps_of
from vane_step.core.board.drc.via_current import carried_a, via_groups
from vane_step.core.board.geometry.necks import copper_rule
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.placement.align import LINES, WAYS
from vane_step.core.circuit.bearing import pin_says
from vane_step.core.design.edits import net_of, part_of
from vane_step.core.design.model import Design, NetRole, PinRole, Via, pin_name, split_pin
from vane_step.core.errors import NotFound, VaneStepError
from vane_step.core.network.outside import all_sources
from vane_step.core.network.readings import Reading, reading_at
from vane_step.core.operation.probed import probe_net, probe_part, probe_pins, probed_state, probed_states
from vane_step.core.power import trace
from vane_step.core.reasons.calculations import reasons
from vane_step.core.reasons.mentions import where_it_counts
from vane_step.web.pages.power_states import asked, setting_of_page
from vane_step.web.render import page, store_of
from vane_step.web.view import findings_of

router = APIRouter()


@router.get("/d/{id}/selection", response_class=HTMLResponse)
def selection(
    request: Request, id: str, kind: str, key: str, step: str = "", state: str = ""
) -> HTMLResponse:
    """Give all that is known of a part, pins, a net or a piece of copper, and what it reads in a state.

    ``state`` is one by name; the Power page asks for that of its form instead, which need not have one.
    """
    kept = store_of(request).get(id)
    if kind not in SELECTIONS:
        raise NotFound(f"There is nothing of kind {kind}.", where=kind, allowed=", ".join(SELECTIONS))
    about = SELECTIONS[kind](kept.design, key)
    if kind in PROBED and all_sources(kept.design):
        about |= _probed(request, kept.design, kind, key, state)
    mine = [
        f
        for f in findings_of(kept.design)
        if kind in ("part", "net") and (key in f.place.refs or key == f.place.net)
    ]
    told = {"kind": kind, "key": key, "step": step, "findings": mine[:4]}
    data = {"kept": kept, "design": kept.design, **told, **about}
    return page(request, "_selection.html", data)


def _probed(request: Request, design: Design, kind: str, key: str, state: str) -> dict[str, Any]:
    """Read a net or part in the state asked for: one by name, or as the Power page's form sets it."""
    by_form = "given" in request.query_params
    reading = (
        reading_at(design, setting_of_page(design, *asked(request)))
        if by_form
        else probed_state(design, state)
    )
    if reading is None or not reading.settled:
        return {}
    return {"probed": PROBED[kind](design, key, reading), "states": () if by_form else probed_states(design)}


@router.get("/d/{id}/pin")
def pin(request: Request, id: str, name: str) -> dict[str, str]:
    """Say what a pin is, what it bears and what it is on."""
    return {"says": pin_says(store_of(request).get(id).design, name)}


def _about_part(design: Design, key: str) -> dict[str, Any]:
    part = part_of(design, key)
    pins = [(p, design.net_of(pin_name(key, p.number))) for p in part.pins]
    mine = [r for r in reasons(design) if key in r.calculation.sets.values()]
    return {
        "part": part,
        "package": design.packages[part.package],
        "pins": pins,
        "why": mine,
    }


def _about_pins(design: Design, key: str) -> dict[str, Any]:
    """Look up the pins chosen, separated by commas; those that are gone meanwhile are left out."""
    pins = []
    for name in key.split(","):
        ref, number = split_pin(name)
        pin = design.parts[ref].pin(number) if ref in design.parts else None
        if pin is not None:
            pins.append((name, pin, design.net_of(name), pin_says(design, name)))
    refs = list(dict.fromkeys(split_pin(name)[0] for name, *_ in pins))
    return {"pins": pins, "roles": get_args(PinRole), "refs": refs, "joined": _joined(design, pins)}


def _joined(design: Design, pins: Sequence[tuple[str, Any, str | None, str]]) -> str:
    """Say what joining some pins would make of their nets, before anybody does it: which become one, or why not."""
    if len(pins) < 2:
        return ""
    nets = list(dict.fromkeys(net for _, _, net, _ in pins if net))
    to = f" {nets[0]}" if len(pins) > 2 and nets else ""
    try:
        return ask(design, f"join {' '.join(name for name, *_ in pins)}{to}").says
    except VaneStepError as error:
        return error.message


def _about_group(design: Design, key: str) -> dict[str, Any]:
    """Look up several parts, separated by commas; those that are gone meanwhile are left out."""
    some = [design.parts[r] for r in key.split(",") if r in design.parts]
    return {"some": some, "lines": LINES, "ways": WAYS}


def _about_net(design: Design, key: str) -> dict[str, Any]:
    net, rule = net_of(design, key), copper_rule(design, key)
    steps = set(steps_of(design, {key}))
    tracks = [i for i in copper_items(design) if i.kind == "track" and i.net == key and i.id not in steps]
    length = sum(i.spine.length for i in tracks)
    answer = None
    if rule.current:
        amps, rise, copper = rule.current.current_a, rule.current.rise_k, design.board.rules.copper_um
        width = rule.width_nm / 1e6
        seconds = rule.current.seconds
        answer = trace.trace(
            amps, rise, copper, "outer", width=width, length=max(length, 0.01), seconds=seconds
        )
    counts = where_it_counts(design, key) if net.role == "supply" else []
    carried = []
    if (current := rule.current) is not None:
        groups = via_groups(design, key)
        carried = [(carried_a(design, g, current.rise_k, current.seconds), len(g)) for g in groups]
    return {
        "net": net,
        "rule": rule,
        "length": length,
        "answer": answer,
        "net_roles": get_args(NetRole),
        "counts": counts,
        "weakest": min(carried, default=None),
        "steps": len(steps),
        "tracks": len(tracks),
        "poured": any(p.net == key for p in design.pours.values()),
    }


def _about_copper(design: Design, key: str) -> dict[str, Any]:
    found = design.tracks.get(key) or design.vias.get(key) or design.jumpers.get(key)
    if found is None:
        raise NotFound(f"There is no copper {key}.", where=key, next_step="Choose it on the board.")
    rule = design.rule_of(found.net)
    group = (
        next((g for g in via_groups(design, found.net) if found in g), []) if isinstance(found, Via) else []
    )
    carried = carried_a(
        design, group, *((rule.current.rise_k, rule.current.seconds) if rule.current else (10.0, None))
    )
    return {"copper": found, "rule": rule, "group": len(group), "carried": carried}


PROBED: dict[str, Callable[[Design, str, Reading], Any]] = {
    "part": probe_part,
    "net": probe_net,
    "pins": lambda design, key, state: probe_pins(design, key.split(","), state),
}
SELECTIONS: dict[str, Callable[[Design, str], dict[str, Any]]] = {
    "group": _about_group,
    "part": _about_part,
    "pins": _about_pins,
    "net": _about_net,
    "copper": _about_copper,
}
