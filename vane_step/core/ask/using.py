"""The verb that puts a block into the circuit, or a controller with its minimum as the brief and the demand want it."""

from __future__ import annotations

import re
from collections.abc import Sequence

from rapidfuzz import fuzz, process

from vane_step.core.ask.parts import told
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, Resources, need, pairs
from vane_step.core.circuit.blocks import use_block
from vane_step.core.controllers.choose import apply_assignment, solve_for
from vane_step.core.controllers.demand import Demand, read_demand
from vane_step.core.design import edits
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, NotFound
from vane_step.core.patterns.skills import wants_leaded
from vane_step.core.quantity import typed
from vane_step.core.reasons.minimum import minimum_block

FORM = "use BLOCK [PORT=NET …] · use controller NUMBER [CRYSTAL] [leaded]"
# A clock that most programs are written for, where the demand names none.
USUAL_HZ = 16e6


@verb("use", FORM, "insert a block, or a controller", ("saved", "number"))
def use(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Put a block into the circuit, its ports on nets by name; ``use controller OW-32T`` works one out."""
    need(words, 1, FORM)
    if words[0].lower() == "controller":
        need(words, 2, FORM)
        return _controller(design, words[1], list(words[2:]), resources)
    name, rest = _block(words, resources)
    saved = resources.blocks[name]
    ports = pairs(rest, FORM)
    edit = use_block(design, saved, ports)
    refs = [e.part.ref for e in edit.edits if isinstance(e, edits.AddPart)]
    says = f"adds “{saved.name}”: {', '.join(refs[:8])}{' …' if len(refs) > 8 else ''}"
    open_ports = [p for p in saved.ports if p not in ports and p not in design.nets]
    if open_ports:
        says += f"; new nets {', '.join(open_ports)}"
    return Proposal(says, edit, about=tuple(refs))


def _block(words: Sequence[str], resources: Resources) -> tuple[str, list[str]]:
    """Find the block that a sentence names, with or without quotation marks; give it and the words behind."""
    names = {n.lower(): n for n in resources.blocks}
    plain = next((k for k, w in enumerate(words) if "=" in w), len(words))
    for count in range(plain, 0, -1):
        if found := names.get(" ".join(words[:count]).lower()):
            return found, list(words[count:])
    said = " ".join(words[:plain]) or words[0]
    near = process.extract(said, list(resources.blocks), scorer=fuzz.WRatio, limit=5)
    raise NotFound(
        f"There is no block {said}.",
        where="use",
        value=said,
        allowed=", ".join(n for n, *_ in near) or "none",
        next_step="Blocks are on the circuit's page, with what each is for.",
    )


def _controller(design: Design, number: str, more: list[str], resources: Resources) -> Proposal:
    """Put a controller in with its minimum: technique, supply, clock and pins as the brief and the demand want them."""
    plain = [w for w in more if "=" not in w]
    demand = read_demand(design.brief.demands)
    leaded = "leaded" in plain or wants_leaded(design)
    crystal = next((w for w in plain if w != "leaded"), "")
    if not crystal and any(s.function.startswith("XTAL") for s in demand.signals):
        crystal = _crystal(demand, leaded, resources)
    saved = minimum_block(resources.catalogue, number, design, crystal, leaded, _supply(demand))
    ports = pairs([w for w in more if "=" in w], FORM)
    edit = use_block(design, saved, ports)
    edit = edits.Together(edits=tuple(_numbered(e, resources) for e in edit.edits))
    refs = [e.part.ref for e in edit.edits if isinstance(e, edits.AddPart)]
    says = f"adds “{saved.name}”: {', '.join(refs[:8])}{' …' if len(refs) > 8 else ''}"
    if crystal:
        says += f"; clock {crystal}"
    mine = next(
        (e.part.ref for e in edit.edits if isinstance(e, edits.AddPart) and e.part.catalogue == number), ""
    )
    if demand.signals and mine:
        try:
            solved = solve_for(apply(design, edit)[0], mine, demand)
            pins = apply_assignment(apply(design, edit)[0], mine, solved)
            edit = edits.Together(edits=(*edit.edits, *pins.edits))
            says += f"; {told(solved)}"
        except InputError as error:
            says += f"; pins are not assigned: {error.message}"
    return Proposal(says, edit, about=tuple(refs))


def _numbered(edit: edits.Single, resources: Resources) -> edits.Single:
    """Give a part whose value was worked out the number of the part that has it, where there is one."""
    if not isinstance(edit, edits.AddPart) or edit.part.catalogue or not edit.part.value:
        return edit
    alike = resources.catalogue.like(edit.part)
    if not alike:
        return edit
    update = {"catalogue": alike[0].number, "params": dict(alike[0].params)}
    return edit.model_copy(update={"part": edit.part.model_copy(update=update)})


def _supply(demand: Demand) -> str:
    """Call the rail by the voltage the demand wants: ``5V``, ``3V3``; 3.3 V where it says none."""
    if demand.supply_v is None:
        return "3V3"
    low, high = demand.supply_v
    volts = next((v for v in (3.3, 5.0, 3.0, 2.5, 1.8) if low <= v <= high), (low + high) / 2)
    text = typed(volts).replace("R", "V")
    return text if "V" in text else f"{text}V"


def _crystal(demand: Demand, leaded: bool, resources: Resources) -> str:
    """Choose the ordinary crystal of the clock the demand wants, in the board's technique; none where there is none."""
    watch = any(re.search(r"32K|LF", s.function) for s in demand.signals)
    hertz = 32768.0 if watch else demand.clock_hz or USUAL_HZ
    kinds = ("crystal", "watch crystal") if leaded else ("crystal, four pads", "crystal", "watch crystal")
    parts = resources.catalogue.parts.values()
    for kind in kinds:
        for part in parts:
            if part.category == kind and abs(part.params["freq_hz"] - hertz) <= 1e-6 * hertz:
                return part.number
    return ""
