"""Calculations bound to values of parts: what they come to now, and what no longer follows from them.

The formulas are in ``core.power.formulas``; what accepting a result changes is an edit like any other.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from vane_step.core.circuit.electrics import forward_volts, value_of, volts
from vane_step.core.derive import derived
from vane_step.core.design.edits import SetItem, SetValue, Single, Together
from vane_step.core.design.model import Calculation, Design, Part, natural
from vane_step.core.design.operation import OPERATION
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.network.state_reading import is_reading, state_reading
from vane_step.core.power.formulas import Formula, Quantity, formula
from vane_step.core.quantity import format_value, parse_value, typed

State = Literal["holds", "stale", "overruled", "broken"]
SAME = 1e-6
# What the solver reads moves in its last digits with anything: an input of its moves when it differs by this share.
READ = 2e-3


@dataclass(frozen=True)
class Told:
    """An input as typed, what it is now, and what it was when the result was accepted."""

    quantity: Quantity
    text: str
    now: float | None
    was: float | None

    @property
    def moved(self) -> bool:
        """Whether the input differs from what was accepted."""
        if self.now is None or self.was is None:
            return self.now is not self.was
        share = READ if is_reading(self.text) else SAME
        return abs(self.now - self.was) > share * max(abs(self.now), abs(self.was))


@dataclass(frozen=True)
class NewValue:
    """A part's value as it is and as the calculation would have it."""

    ref: str
    old: str
    new: str


@dataclass(frozen=True)
class Reason:
    """A calculation as it stands in the design."""

    calculation: Calculation
    formula: Formula
    inputs: tuple[Told, ...]
    outputs: dict[str, float]
    values: tuple[NewValue, ...]
    state: State
    says: str

    @property
    def changes(self) -> tuple[NewValue, ...]:
        """Values that would change."""
        return tuple(v for v in self.values if v.old != v.new)


def resolve(design: Design, text: str, unit: str = "", depth: int = 0) -> float:
    """Give what an input stands for: a rail, a part's value or parameter, a calculation's output, a reading or a value.

    A reading is what the circuit does in a state, ``I(U3.OUT)@pumping``, with its sources at their nominal voltages.

    What begins with a letter is a name and never a value: ``R16`` is a part, or one that is gone, and not 0.16 ohm.

    Raises
    ------
    InputError, NotFound
        When it names something that is gone, or calculations lean on each other in a ring.
    """
    text = text.strip()
    if depth > 8:
        raise InputError(
            "Calculations lean on each other in a ring.",
            where=text,
            next_step="Give one of them a value instead.",
        )
    if is_reading(text):
        _, _, values_read = state_reading(design, text)
        if not values_read:
            raise InputError(
                f"Nothing holds {text} at a value.",
                where=text,
                next_step="Ask in a state in which something does.",
            )
        return values_read[0]
    if text == "ambient":
        return design.brief.ambient_c
    if (net := design.nets.get(text)) is not None:
        rail = volts(net)
        if rail is None:
            raise InputError(
                f"The name of net {text} tells no voltage.", where=text, allowed="a rail such as 3V3"
            )
        return rail
    name, dot, rest = text.partition(".")
    if name in design.calculations and dot:
        found = design.calculations[name]
        values, _, wrong = _read(design, found, depth + 1)
        if wrong:
            raise InputError(
                f"{name} cannot be worked out: {wrong[0]}",
                where=text,
                next_step="Mend that calculation first.",
            )
        outputs = formula(found.formula).run(values)
        if rest not in outputs:
            raise NotFound(f"{name} has no output {rest}.", where=text, allowed=", ".join(outputs))
        return outputs[rest]
    if name in design.parts:
        return _of_part(design.parts[name], rest, text)
    if text[:1].isalpha() or text[:1] == "_":
        raise NotFound(
            f"There is no {name}.",
            where=text,
            allowed="a rail, a part, a calculation's output, a reading such as V(3V3)@STATE, or a value",
            next_step="Give another input, or put it back.",
        )
    return parse_value(text, "input", unit)


def _of_part(part: Part, key: str, where: str) -> float:
    if not key:
        value = value_of(part)
        if value is None:
            raise InputError(
                f"The value of {part.ref} is no number.",
                where=where,
                value=part.value,
                next_step="Give the part a value that begins with a number.",
            )
        return value
    if key in part.params:
        return part.params[key]
    if key == "vf_v" and (forward := forward_volts(part)) is not None:
        return forward
    raise NotFound(
        f"{part.ref} has no parameter {key}.", where=where, allowed=", ".join(part.params) or "none known"
    )


def _read(
    design: Design, found: Calculation, depth: int = 0
) -> tuple[dict[str, float], list[Told], list[str]]:
    values: dict[str, float] = {}
    told, wrong = [], []
    for asked in formula(found.formula).inputs:
        text = found.inputs.get(asked.key, asked.usual)
        now: float | None = None
        try:
            if not text:
                raise InputError(
                    f"It needs the {asked.title}.", where=asked.key, next_step="Give it as INPUT=VALUE."
                )
            now = values[asked.key] = resolve(design, text, asked.unit, depth)
        except VaneStepError as error:
            wrong.append(error.line())
        # An input that came to the formula later stands at its usual value: nobody moved it.
        usual = now if asked.key not in found.inputs and found.was else None
        told.append(Told(asked, text, now, found.was.get(asked.key, usual)))
    return values, told, wrong


@derived("parts", "nets", "calculations", *OPERATION)
def reasons(design: Design) -> tuple[Reason, ...]:
    """Work every calculation of a design out anew and tell which values no longer follow from it."""
    return tuple(
        _reason(design, c) for c in sorted(design.calculations.values(), key=lambda c: natural(c.id))
    )


def _reason(design: Design, found: Calculation) -> Reason:
    try:
        known = formula(found.formula)
    except NotFound as error:
        empty = Formula(found.formula, found.formula, "", (), (), (), lambda _: {})
        return Reason(found, empty, (), {}, (), "broken", error.line())
    values, told, wrong = _read(design, found)
    outputs: dict[str, float] = {}
    if not wrong:
        try:
            outputs = known.run(values)
        except InputError as error:
            wrong = [error.line()]
    if wrong:
        return Reason(found, known, tuple(told), {}, (), "broken", wrong[0])
    new = tuple(
        _new_value(design.parts[ref], outputs[key]) for key, ref in found.sets.items() if key in outputs
    )
    moved = [t for t in told if t.moved]
    if any(v.old != v.new for v in new):
        state: State = "stale" if moved else "overruled"
    else:
        state = "stale" if moved and not new else "holds"
    return Reason(found, known, tuple(told), outputs, new, state, _says(state, moved, new))


def _says(state: State, moved: list[Told], new: tuple[NewValue, ...]) -> str:
    names = ", ".join(
        f"{t.quantity.title} from {format_value(t.was, t.quantity.unit) if t.was is not None else 'nothing'}"
        f" to {format_value(t.now or 0, t.quantity.unit)}"
        for t in moved[:3]
    )
    values = ", ".join(f"{v.ref} {v.old or 'no value'} → {v.new}" for v in new if v.old != v.new)
    if state == "stale":
        return f"{names}: {values or 'look at the result again'}"
    return f"changed by hand: {values}" if state == "overruled" else ""


def _new_value(part: Part, value: float) -> NewValue:
    """Write a computed value for a part, keeping what else its value says; equal values keep their spelling."""
    words = part.value.split()
    have = value_of(part)
    if have is not None and abs(have - value) <= 1e-4 * abs(value):
        return NewValue(part.ref, part.value, part.value)
    rest = words[1:] if have is not None else []
    return NewValue(part.ref, part.value, " ".join([typed(value), *rest]))


def bind(design: Design, found: Calculation) -> Together:
    """Add a calculation and let the parts it sets take its results.

    Raises
    ------
    InputError, NotFound
        When an input or a part cannot be used.
    """
    known = formula(found.formula)
    for key, ref in found.sets.items():
        if key not in known.sets:
            raise InputError(
                f"{known.title} sets no {key}.", where=key, allowed=", ".join(known.sets) or "no part"
            )
        if ref not in design.parts:
            raise NotFound(f"There is no part {ref}.", where=ref, next_step="Add it first, or name another.")
    strange = found.inputs.keys() - {q.key for q in known.inputs}
    if strange:
        names = ", ".join(q.key for q in known.inputs)
        raise InputError(f"{known.title} has no input {min(strange)}.", where=found.id, allowed=names)
    reason = _reason(design, found)
    if reason.state == "broken":
        raise InputError(reason.says, where=found.id, next_step="Give other inputs.")
    return Together(edits=tuple(_accepting(reason)))


def accept(design: Design, ids: list[str]) -> Together:
    """Let parts take the results of stale calculations.

    Raises
    ------
    NotFound, InputError
        When there is no such calculation, or it cannot be worked out.
    """
    known = {r.calculation.id: r for r in reasons(design)}
    edits: list[Single] = []
    for id in ids:
        if id not in known:
            raise NotFound(f"There is no calculation {id}.", where=id, allowed=", ".join(known) or "none yet")
        if known[id].state == "broken":
            raise InputError(
                known[id].says, where=id, next_step="Give other inputs. Type: input ID INPUT=VALUE"
            )
        edits += _accepting(known[id])
    if not edits:
        raise InputError("No calculation is stale.", where="accept", next_step="Nothing has to be accepted.")
    return Together(edits=tuple(edits))


def _accepting(reason: Reason) -> Iterator[Single]:
    for value in reason.changes:
        yield SetValue(ref=value.ref, value=value.new)
    was = {t.quantity.key: t.now for t in reason.inputs if t.now is not None}
    yield SetItem(calculation=reason.calculation.model_copy(update={"was": was}))
