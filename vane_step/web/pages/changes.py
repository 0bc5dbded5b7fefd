"""Changes from any page: edits, sentences, undo, redo, routing jobs; and the stream that tells of them."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.ask import VERBS, Proposal, ask, complete
from vane_step.core.board.analysis.score import scoreboard
from vane_step.core.board.drc.check import copper_findings
from vane_step.core.board.placement.placer import Arrangement
from vane_step.core.design.edits import LayCopper, apply, edit_from
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, StaleEdit, VaneStepError
from vane_step.core.judge import waive, waived_findings
from vane_step.core.route.advice import LayerOffer
from vane_step.store.designs import Kept
from vane_step.web.findings_view import findings_with_offers
from vane_step.web.jobs import RouteDone
from vane_step.web.log import log
from vane_step.web.render import page, resources_of, store_of
from vane_step.web.view import panel, step_bar

router = APIRouter()


class Sentence(BaseModel):
    """A sentence of the ask line; ``commit`` carries it out."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=500)
    version: int
    commit: bool = False


class Change(BaseModel):
    """An edit, the version it was made on, and what to call it in the list of changes."""

    model_config = ConfigDict(extra="forbid")
    edit: dict[str, Any]
    version: int
    label: str = Field(default="change", max_length=120)


class OnVersion(BaseModel):
    """The version a page shows."""

    model_config = ConfigDict(extra="forbid")
    version: int


def answer(request: Request, kept: Kept, label: str) -> dict[str, Any]:
    """Tell all pages of a design that it changed, and give what the asking page is told."""
    data = {"version": kept.version, "undo": kept.undo, "redo": kept.redo, "label": label}
    request.app.state.events.publish(kept.id, "version", data)
    return data


@router.post("/d/{id}/edit")
def change(request: Request, id: str, body: Change) -> dict[str, Any]:
    """Apply an edit."""
    return answer(
        request, store_of(request).edit(id, edit_from(body.edit), body.label, body.version), body.label
    )


class Waiving(BaseModel):
    """A finding to be accepted, named by its rule and place, and why."""

    model_config = ConfigDict(extra="forbid")
    code: str = Field(max_length=80)
    place: str = Field(max_length=300)
    reason: str = Field(max_length=200)
    version: int


@router.post("/d/{id}/waive")
def live_with(request: Request, id: str, body: Waiving) -> dict[str, Any]:
    """Waive a finding for a reason."""
    edit = waive(store_of(request).get(id).design, body.code, body.place, body.reason)
    label = f"accept {body.code}"
    return answer(request, store_of(request).edit(id, edit, label, body.version), label)


@router.post("/d/{id}/undo")
def undo(request: Request, id: str, body: OnVersion) -> dict[str, Any]:
    """Take the last change back."""
    return answer(request, store_of(request).undo(id, body.version), "undo")


@router.post("/d/{id}/redo")
def redo(request: Request, id: str, body: OnVersion) -> dict[str, Any]:
    """Do the last undone change again."""
    return answer(request, store_of(request).redo(id, body.version), "redo")


@router.post("/d/{id}/ask")
def sentence(request: Request, id: str, body: Sentence) -> dict[str, Any]:
    """Understand a sentence: say what it will do and how it may go on, or carry it out."""
    store = store_of(request)
    kept = store.get(id)
    if not body.commit:
        told: dict[str, Any] = {
            "completions": complete(kept.design, body.text, resources_of(request)),
            "says": "",
            "refused": "",
            "about": [],
        }
        if body.text.strip():
            try:
                proposal = ask(kept.design, body.text, resources_of(request))
                told |= {"says": proposal.says, "about": proposal.about}
            except VaneStepError as error:
                told["refused"] = error.line()
        return told
    if body.version != kept.version:
        raise StaleEdit(
            "The design was changed elsewhere meanwhile; nothing was done.",
            where=id,
            value=f"version {body.version}",
            allowed=f"version {kept.version}",
            next_step="Look at what changed and do it again.",
        )
    proposal = ask(kept.design, body.text, resources_of(request))
    if proposal.action:
        return _act(request, kept, proposal)
    assert proposal.edit is not None
    return {
        **answer(request, store.edit(id, proposal.edit, body.text, body.version), body.text),
        "says": proposal.says,
        "about": proposal.about,
    }


def _act(request: Request, kept: Kept, proposal: Proposal) -> dict[str, Any]:
    store = store_of(request)
    action = proposal.action
    assert action is not None
    if action.name == "undo":
        return answer(request, store.undo(kept.id, kept.version), "undo")
    if action.name == "redo":
        return answer(request, store.redo(kept.id, kept.version), "redo")
    if action.name == "route":
        _start_routing(request, kept, list(action.objects), action.how == "fresh")
    if action.name == "arrange":
        _start_arranging(request, kept, action.how == "tidy")
    if action.name == "advise":
        _start_advising(request, kept)
    return {
        "version": kept.version,
        "undo": kept.undo,
        "redo": kept.redo,
        "says": proposal.says,
        "about": proposal.about,
        "action": asdict(action),
    }


def _start_routing(request: Request, kept: Kept, nets: list[str], fresh: bool) -> None:
    """Route in the worker; the result is an edit on the version it started from."""
    events, store = request.app.state.events, store_of(request)

    def tell(data: dict[str, Any]) -> None:
        events.publish(kept.id, "job", data)

    def done(result: RouteDone) -> None:
        label = f"route {result.links_made} of {result.links_wanted} connections"
        log.info("job", work="route", design=kept.id, made=result.links_made, wanted=result.links_wanted)
        now = store.get(kept.id)
        if now.version != kept.version and not _fits_still(kept.design, now.design, result.edit):
            request.app.state.late[kept.id] = result.edit
            tell(
                {
                    "state": "done",
                    "says": "The board was changed while it was routed. The route found waits beside the board.",
                    "proposals": 1,
                }
            )
            return
        after = store.edit(kept.id, result.edit, label, now.version)
        answer(request, after, label)
        remember_board(request, after)
        tell(
            {
                "state": "done",
                "says": f"{result.links_made} of {result.links_wanted} connections routed in {result.seconds:.1f} s"
                + (f". {result.why}" if result.why else ""),
                "version": after.version,
            }
        )

    if not request.app.state.jobs.route(kept.id, kept.design, nets, fresh, tell, done, _failing(tell)):
        raise _busy(kept)


# What routing and arranging read of a design; whatever else changes meanwhile, their results hold.
BOARD = ("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes")


def board_state(design: Design) -> tuple[str, ...]:
    """Give what tells whether a board is still the one that was worked on."""
    parts = {ref: (p.package, p.place, p.pins) for ref, p in design.parts.items()}
    return (
        *(design.digest(s) for s in BOARD if s != "parts"),
        hashlib.blake2b(repr(parts).encode()).hexdigest(),
    )


def _fits_still(before: Design, now: Design, edit: LayCopper) -> bool:
    """Tell whether tracks worked out for one state of a board can be laid on a later one without any new stop."""
    if board_state(before) == board_state(now):
        return True
    try:
        after, _ = apply(now, edit)
    except VaneStepError:
        return False
    return {f.key() for f in copper_findings(after)} <= {f.key() for f in copper_findings(now)}


def _failing(tell: Callable[[dict[str, Any]], None]) -> Callable[[Exception], None]:
    def failed(error: Exception) -> None:
        if isinstance(error, VaneStepError):
            says = error.line()
        else:
            reference = secrets.token_hex(4)
            log.error("job", reference=reference, error=repr(error), exc_info=error)
            says = f"The work ended with a fault; nothing was changed. Look for {reference} in the log."
        tell({"state": "failed", "says": says})

    return failed


def _busy(kept: Kept) -> EditRefused:
    return EditRefused(
        "This design is being routed or arranged already.",
        where=kept.id,
        next_step="Wait for it, or stop it.",
    )


def remember_board(request: Request, kept: Kept) -> None:
    """Keep the figures of the board as the last accepted proposal left them; later ones are held against them."""
    store_of(request).accept(kept.id, {f.name: f.value for f in scoreboard(kept.design)})


def _start_arranging(request: Request, kept: Kept, tidy: bool) -> None:
    """Arrange in the worker; what it proposes waits on the board page until it is taken or the design changes."""
    events, proposals = request.app.state.events, request.app.state.proposals

    def tell(data: dict[str, Any]) -> None:
        events.publish(kept.id, "job", data)

    def done(found: list[Arrangement]) -> None:
        proposals[kept.id] = (board_state(kept.design), found)
        log.info("job", work="arrange", design=kept.id, proposals=len(found))
        count = f"{len(found)} arrangements are" if len(found) > 1 else "An arrangement is"
        tell({"state": "done", "says": f"{count} proposed beside the board", "proposals": len(found)})

    if not request.app.state.jobs.arrange(kept.id, kept.design, tidy, tell, done, _failing(tell)):
        raise _busy(kept)


def _start_advising(request: Request, kept: Kept) -> None:
    """Route on other numbers of layers in the worker; what it gave is shown until the design changes."""
    events, advice = request.app.state.events, request.app.state.advice

    def tell(data: dict[str, Any]) -> None:
        events.publish(kept.id, "job", data)

    def done(found: list[LayerOffer]) -> None:
        advice[kept.id] = (kept.version, found)
        log.info("job", work="advise", design=kept.id, boards=len(found))
        tell(
            {
                "state": "done",
                "says": "What other numbers of layers would gain is shown beside the board",
                "proposals": len(found),
            }
        )

    if not request.app.state.jobs.advise(kept.id, kept.design, tell, done, _failing(tell)):
        raise _busy(kept)


@router.post("/d/{id}/route/stop")
def stop_routing(request: Request, id: str) -> dict[str, bool]:
    """Stop routing and keep what is done."""
    request.app.state.jobs.stop(id)
    return {"stopping": request.app.state.jobs.running(id)}


@router.get("/events")
async def events(request: Request) -> StreamingResponse:
    """Tell of new versions and running jobs of all designs: one stream for all tabs of a browser."""
    stream = request.app.state.events.stream()
    return StreamingResponse(stream, media_type="text/event-stream", headers={"Cache-Control": "no-store"})


@router.get("/d/{id}/version")
def version(request: Request, id: str) -> dict[str, Any]:
    """Give the version of a design as it stands, and what can be undone and done again."""
    kept = store_of(request).get(id)
    return {"version": kept.version, "undo": kept.undo, "redo": kept.redo, "design": id}


@router.get("/d/{id}/findings", response_class=HTMLResponse)
def findings_fragment(request: Request, id: str, step: str) -> HTMLResponse:
    """Give findings and step bar as they stand."""
    kept = store_of(request).get(id)
    found = findings_with_offers(request, kept)
    data = {
        "kept": kept,
        "design": kept.design,
        "panel": panel(step, found),
        "step_bar": step_bar(kept.design, step, found),
        "waived": waived_findings(kept.design),
        "step": step,
    }
    return page(request, "_findings.html", data)


@router.get("/d/{id}/verbs", response_class=HTMLResponse)
def verbs(request: Request, id: str) -> HTMLResponse:
    """List what can be typed, and the shortcuts."""
    return page(request, "_help.html", {"verbs": VERBS.values(), "design_id": id})
