"""Readings by name: the voltage of a net or between two, the current into a pin, the power of a part."""

from __future__ import annotations

import difflib
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, Protocol

from vane_step.core.circuit.pins import find_pin
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, NotFound
from vane_step.core.network.solve import PartReading

_CALL = re.compile(r"^([VIP])\((.+)\)$", re.I)
UNITS = {"V": "V", "I": "A", "P": "W"}


class Held(Protocol):
    """What a probe reads from: a solved state, whole or what is kept of it."""

    @property
    def volts(self) -> Mapping[str, float | None]:
        """Voltages of nets."""

    @property
    def amps(self) -> Mapping[str, float]:
        """Currents into pins."""

    @property
    def parts(self) -> Mapping[str, PartReading]:
        """Heat of parts."""


@dataclass(frozen=True)
class Probe:
    """What is read: ``V`` of a net (against another), ``I`` into a pin, ``P`` of a part."""

    kind: Literal["V", "I", "P"]
    of: str
    against: str = ""

    @property
    def unit(self) -> str:
        """Its unit."""
        return UNITS[self.kind]

    @property
    def label(self) -> str:
        """How it is written."""
        return f"{self.kind}({self.of}{',' + self.against if self.against else ''})"

    def of_reading(self, reading: Held) -> float:
        """Give it of a solved state; not a number where nothing holds the net or the part has no model."""
        if self.kind == "V":
            at, base = reading.volts.get(self.of), reading.volts.get(self.against) if self.against else 0.0
            return math.nan if at is None or base is None else at - base
        if self.kind == "I":
            return reading.amps.get(self.of, math.nan)
        part = reading.parts.get(self.of)
        return part.watts if part is not None else math.nan


def probe(design: Design, text: str) -> Probe:
    """Read a probe as it is typed: ``V(5V0)``, ``V(BATT,12V)``, ``I(U3.2)``, ``P(U3)``, or only ``5V0``, ``U3.2``,
    ``U3``.

    Raises
    ------
    InputError, NotFound
        When it is none, or of something the design does not have.
    """
    text = text.strip()
    match = _CALL.match(text)
    kind, name = (match[1].upper(), match[2].strip()) if match else ("", text)
    if not kind:
        kind = "V" if name in design.nets else "I" if "." in name else "P"
    if kind == "V":
        first, _, second = (w.strip() for w in name.partition(","))
        for net in (first, second) if second else (first,):
            if net not in design.nets:
                like = difflib.get_close_matches(net, [*design.nets, *design.parts], n=3, cutoff=0.4)
                raise NotFound(
                    f"There is no net {net}.",
                    where=text,
                    allowed=", ".join(like) or "V(NET), I(REF.PIN), P(REF)",
                    next_step="Write V(NET), I(REF.PIN) or P(REF).",
                )
        return Probe("V", first, second)
    if kind == "I":
        return Probe("I", find_pin(design, name))
    if name not in design.parts:
        like = difflib.get_close_matches(name, [*design.parts, *design.nets], n=3, cutoff=0.4)
        raise NotFound(
            f"There is no part {name}.",
            where=text,
            allowed=", ".join(like) or "V(NET), I(REF.PIN), P(REF)",
            next_step="Write V(NET), I(REF.PIN) or P(REF).",
        )
    return Probe("P", name)


def probes(design: Design, texts: list[str]) -> list[Probe]:
    """Read several probes.

    Raises
    ------
    InputError
        When there is none.
    """
    if not texts:
        nets = ", ".join(n.name for n in design.nets.values() if n.role == "supply")[:80]
        raise InputError(
            "Nothing is asked for.",
            where="--read",
            allowed="V(NET), I(REF.PIN), P(REF)",
            next_step=f"Say what to read, such as {nets.partition(',')[0] or 'V(NET)'}.",
        )
    return [probe(design, text) for text in texts]
