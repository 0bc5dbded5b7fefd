"""Verbs of the ask line for where parts, holes and texts lie; the bare board is in ``bare``, copper in ``copper``."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
import shapely.affinity
from shapely.geometry.base import BaseGeometry

from vane_step.core.ask.group import some_parts
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Action, Proposal, few, need, no_more, number, side_of
from vane_step.core.board.geometry.breadboard import pin_rows
from vane_step.core.board.geometry.marks import sides_with_fine_parts
from vane_step.core.board.geometry.mouth import OUTWARDS
from vane_step.core.board.geometry.shapes import copper_items, courtyards, outline
from vane_step.core.board.geometry.sides import home_side
from vane_step.core.board.placement.edge import free_on_edge, place_on_edge, row_on_edge
from vane_step.core.board.placement.fiducials import fiducials
from vane_step.core.board.placement.gate_swap import banks, exchanged, with_channels
from vane_step.core.board.placement.placer import arrange
from vane_step.core.board.placement.room import areas
from vane_step.core.circuit.pins import find_pin
from vane_step.core.design import edits
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import (
    Design,
    LegendText,
    MountingHole,
    Part,
    PartPlace,
    Side,
)
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.quantity import nm, parse_length_nm


@verb("place", "place REF X Y [TURN] · place REF by PIN", "put a part on the board", ("ref", "by", "pin"))
def place_part(design: Design, words: Sequence[str]) -> Proposal:
    """Put a part on the board, by numbers or by a pin."""
    need(words, 2, "place REF X Y [TURN], or place REF by PIN")
    part = part_of(design, words[0])
    old = part.place or PartPlace(x_nm=0, y_nm=0, side=home_side(design, part))
    if " ".join(words[1:3]) in ("next to", "close to"):
        words = [words[0], "by", *words[3:]]
    if words[1] in ("by", "near", "beside"):
        need(words, 3, "place REF by PIN")
        place, gap = beside(design, part, find_pin(design, words[2]))
        at = f"{place.x_nm / 1e6:.2f}, {place.y_nm / 1e6:.2f}"
        says = f"moves {part.ref} to {at}; copper {gap:.2f} mm from {words[2]}"
    elif words[1] == "off":
        return Proposal(
            f"takes {part.ref} off the board", edits.PlaceParts(places={part.ref: None}), about=(part.ref,)
        )
    else:
        need(words, 3, "place REF X Y [TURN]")
        turn = number(words[3], "turn") % 360 if len(words) > 3 else old.turn_deg
        place = old.model_copy(
            update={
                "x_nm": parse_length_nm(words[1], "x"),
                "y_nm": parse_length_nm(words[2], "y"),
                "turn_deg": turn,
            }
        )
        says = f"puts {part.ref} at {place.x_nm / 1e6:g}, {place.y_nm / 1e6:g} mm, turned {turn:g} degrees"
    return Proposal(
        says,
        edits.PlaceParts(places={part.ref: PartPlace.model_validate(place.model_dump())}),
        about=(part.ref,),
    )


def beside(design: Design, part: Part, pin: str) -> tuple[PartPlace, float]:
    """Find the free place for a part whose pad of the pin's net comes nearest to that pin.

    Tries four turns on a lattice of 0.25 mm round the pin; gives the place and the gap of the copper in mm.
    """
    pads = {i.id: i for i in copper_items(design) if i.kind == "pad"}
    if pin not in pads:
        raise EditRefused(f"{pin} is not on the board yet.", where=pin, next_step="Place its part first.")
    target, net = pads[pin], design.net_of(pin)
    tree = shapely.STRtree([y for r, y in courtyards(design).items() if r != part.ref])
    side = home_side(design, part)
    inner = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6)
    shapely.prepare(inner)
    steps = np.arange(-48, 49) * 0.25
    grid = np.array([(x, y) for x in steps for y in steps])
    spots = grid[np.argsort(np.hypot(*grid.T), kind="stable")]
    best: tuple[float, PartPlace] | None = None
    for turn in (0, 90, 180, 270):
        origin = part.model_copy(update={"place": PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side)})
        alone = design.replaced(parts={part.ref: origin}, tracks={}, vias={}, jumpers={}, holes={})
        mine = [i for i in copper_items(alone) if net is not None and design.net_of(i.id) == net]
        if not mine:
            continue
        x0, y0, x1, y1 = courtyards(alone)[part.ref].buffer(0.05).bounds
        pad = mine[0]
        # The pad goes to the spots, nearest first in growing rings; the first that is free is taken.
        shift = np.array([target.x_mm - pad.x_mm, target.y_mm - pad.y_mm])
        at = np.round((spots + shift) / 0.05) * 0.05
        spot = _first_free(tree, inner, at, (x0, y0, x1, y1))
        if spot is not None:
            x, y = spot
            gap = (
                shapely.affinity.translate(pad.spine, x, y).distance(target.spine)
                - pad.radius_mm
                - target.radius_mm
            )
            if best is None or gap < best[0] - 1e-9:
                best = (
                    max(0.0, float(gap)),
                    PartPlace(x_nm=nm(float(x)), y_nm=nm(float(y)), turn_deg=turn, side=side),
                )
    if best is None:
        raise EditRefused(
            f"There is no free place for {part.ref} by {pin}, or they share no net.",
            where=part.ref,
            next_step="Make room first.",
        )
    return best[1], best[0]


def _first_free(
    tree: shapely.STRtree, board: BaseGeometry, at: np.ndarray, frame: tuple[float, float, float, float]
) -> tuple[float, float] | None:
    """Give the first of some places where a frame on the board touches none of the tree's shapes, some at a time."""
    x0, y0, x1, y1 = frame
    begin, count = 0, 200
    while begin < len(at):
        some = at[begin : begin + count]
        frames = shapely.box(some[:, 0] + x0, some[:, 1] + y0, some[:, 0] + x1, some[:, 1] + y1)
        free = shapely.covers(board, frames)
        free[tree.query(frames, predicate="intersects")[0]] = False
        if free.any():
            x, y = some[int(np.argmax(free))]
            return float(x), float(y)
        begin, count = begin + count, count * 2
    return None


@verb(
    "arrange",
    "arrange · arrange all · arrange tidy",
    "place what waits; or propose places for all parts",
    ("arrange",),
)
def arrange_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Put all waiting parts on the board, or propose arrangements of all that are not locked."""
    if words:
        if words[0] not in ("all", "tidy") or len(words) > 1:
            raise InputError(
                f"{words[0]!r} says nothing of what to arrange.",
                where="arrange",
                value=words[0],
                allowed="all, tidy",
            )
        if words[0] == "tidy" and any(p.place is None for p in design.parts.values()):
            raise EditRefused(
                "Parts without a place cannot be tidied.", where="board", next_step="Type: arrange"
            )
        says = "proposes arrangements of all parts" if words[0] == "all" else "proposes a tidier arrangement"
        return Proposal(f"{says} that are not kept in place", action=Action("arrange", how=words[0]))
    edit = arrange(design)
    rows = {p.ref for p in pin_rows(design)} if design.brief.breadboard else set()
    under = [r for r, p in edit.places.items() if p and p.side == "back" and design.board.copper_layers > 1]
    under = [r for r in under if r not in rows]
    have, want = areas(design, {r for r in edit.places if r not in rows}, both=False)
    full = (
        f"they would take {100 * want / have:.0f} % of the front" if 0 < want < have else "the front is full"
    )
    where = f"; {few(under)} on the underside, since {full}" if under else ""
    return Proposal(f"puts {len(edit.places)} parts on the board{where}", edit)


@verb("fiducials", "fiducials [front|back]", "add marks for placement machines")
def add_fiducials(design: Design, words: Sequence[str]) -> Proposal:
    """Add marks by which a placement machine finds the board; without a side to all that have fine parts."""
    form = "fiducials [front|back]"
    no_more(words, 1, form)
    sides: list[Side] = [side_of(words, form)] if words else list(sides_with_fine_parts(design)) or ["front"]
    now, adds = design, list[edits.Single]()
    for side in sides:
        fresh = fiducials(now, side)
        now = edits.apply(now, edits.Together(edits=tuple(fresh)))[0]
        adds += fresh
    says = f"adds {len(adds)} marks for placement machines on the {' and the '.join(sides)}"
    return Proposal(says, edits.Together(edits=tuple(adds)))


@verb(
    "exchange",
    "exchange REF · exchange all",
    "exchange equal channels or pins of a bank",
    ("ref",),
)
def exchange_channels(design: Design, words: Sequence[str]) -> Proposal:
    """Exchange equal channels of a part, or of all, for shorter connections."""
    need(words, 1, "exchange REF, or exchange all")
    refs = list(with_channels(design)) if words[0] == "all" else [part_of(design, words[0]).ref]
    made: list[edits.Single] = []
    says = []
    now = design
    for ref in refs:
        found = exchanged(now, ref)
        if found:
            made += found.edit.edits
            now, _ = edits.apply(now, found.edit)
            fewer = f", {found.crossings} crossings fewer" if found.crossings > 0 else ""
            of = "pins" if banks(design.parts[ref]) else "channels"
            moved = ", ".join(f"{net} from {old} to {new}" for net, old, new in found.moves[:6])
            more = f" and {len(found.moves) - 6} more" if len(found.moves) > 6 else ""
            says.append(
                f"{ref}: {found.channels} {of}, connections {found.link_mm:.1f} mm shorter{fewer}; {moved}{more}"
            )
    if not made:
        raise EditRefused(
            "Nothing can be exchanged for shorter connections."
            if refs
            else "No part has equal channels or a bank of pins.",
            where="board",
            next_step="Nothing has to be done.",
        )
    return Proposal(f"exchanges {'; '.join(says)}", edits.Together(edits=tuple(made)), about=tuple(refs))


EDGE_FORM = f"edge REF… {'|'.join(OUTWARDS)} [ALONG | FROM TO]"


@verb(
    "edge",
    f"edge REF… {'|'.join(OUTWARDS)} [ALONG | FROM TO]",
    "put parts on an edge of the board, mouths flush and outwards",
    ("some", "edge"),
)
def on_edge(design: Design, words: Sequence[str]) -> Proposal:
    """Put parts on an edge of the board, mouths flush and outwards, rows along it; several with equal gaps."""
    need(words, 2, EDGE_FORM)
    at = next((k for k, w in enumerate(words) if w in OUTWARDS), len(words))
    if not 0 < at < len(words):
        raise InputError(
            f"{words[-1]!r} is no edge.", where="edge", value=words[-1], allowed=", ".join(OUTWARDS)
        )
    parts = [design.parts[r] for r in some_parts(design, words[:at])]
    edge, *more = words[at:]
    no_more(more, 2, EDGE_FORM)
    lengths = [parse_length_nm(w, "along") / 1e6 for w in more]
    refs = tuple(p.ref for p in parts)
    if len(parts) == 1 and len(lengths) < 2:
        side = home_side(design, parts[0])
        under: tuple[str, ...] = ()
        if lengths:
            place = place_on_edge(design, parts[0], edge, lengths[0], side)
        else:
            place, under = free_on_edge(design, parts[0], edge, side)
        says = f"puts {refs[0]} on the {edge} edge at {place.x_nm / 1e6:.2f}, {place.y_nm / 1e6:.2f} mm"
        if under:
            says += f"; it lies on {few(under)}, arrange those anew"
        return Proposal(says, edits.PlaceParts(places={refs[0]: place}), about=refs)
    if len(lengths) == 1:
        raise InputError(
            "Several parts lie from somewhere to somewhere along an edge.",
            where="edge",
            value=more[0],
            allowed="two lengths, or none for the whole edge",
        )
    places = row_on_edge(design, parts, edge, (min(lengths), max(lengths)) if lengths else None)
    says = f"puts {few(refs)} on the {edge} edge with equal gaps"
    return Proposal(says, edits.PlaceParts(places=dict(places)), about=refs)


@verb("move", "move ID X Y", "shift a hole or a text", ("item",))
def move_item(design: Design, words: Sequence[str]) -> Proposal:
    """Shift a hole or a text."""
    need(words, 3, "move ID X Y")
    name = words[0]
    spot = {"x_nm": parse_length_nm(words[1], "x"), "y_nm": parse_length_nm(words[2], "y")}
    says = f"moves {name} to {spot['x_nm'] / 1e6:g}, {spot['y_nm'] / 1e6:g} mm"
    if name in design.holes:
        hole = MountingHole.model_validate({**design.holes[name].model_dump(), **spot})
        return Proposal(says, edits.SetItem(hole=hole), about=(name,))
    if name in design.texts:
        text = LegendText.model_validate({**design.texts[name].model_dump(), **spot})
        return Proposal(says, edits.SetItem(text=text), about=(name,))
    known = ", ".join([*design.holes, *design.texts])
    raise NotFound(f"There is no hole or text {name}.", where=name, allowed=known or "none yet")
