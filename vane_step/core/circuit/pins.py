"""Pins and names as people type them: by number or name, and in counted runs; what is done with them is elsewhere."""

from __future__ import annotations

import re

from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design, Part, pin_name
from vane_step.core.errors import InputError, NotFound

MAX_RUN = 256
# A net that nobody has named yet.
UNNAMED = re.compile(r"N[0-9]+")
_RUN = re.compile(r"(.*?)(\d{1,6})\.\.(.*?)(\d{1,6})")


# What pins are called in full, and how parts name them.
CALLED: dict[str, tuple[str, ...]] = {
    "base": ("B",),
    "collector": ("C",),
    "emitter": ("E",),
    "gate": ("G",),
    "drain": ("D",),
    "source": ("S",),
    "anode": ("A", "+"),
    "cathode": ("K", "-"),
    "plus": ("+", "OUT+", "IN+"),
    "positive": ("+",),
    "minus": ("-", "OUT-", "IN-"),
    "negative": ("-",),
    "wiper": ("W",),
    "output": ("OUT",),
    "input": ("IN",),
    "ground": ("GND", "VSS", "V-"),
    "supply": ("VDD", "VCC", "V+"),
    "vcc": ("VDD", "V+"),
    "vdd": ("VCC", "V+"),
}


def find_pin(design: Design, text: str) -> str:
    """Find a pin by number or name: ``U1.5`` or ``U1.PB3``; of several called so the first.

    Raises
    ------
    NotFound
        Listing the pins there are.
    """
    return find_pins(design, text)[0]


def find_pins(design: Design, text: str) -> list[str]:
    """Find the pins of a number or a name: ``U1.VDD`` are all that are called so.

    Raises
    ------
    NotFound
        Listing the pins there are.
    """
    ref, dot, rest = text.partition(".")
    part = part_of(design, ref if ref in design.parts else ref.upper())
    if not dot:
        raise NotFound(
            f"Which pin of {part.ref}?",
            where=part.ref,
            allowed=", ".join(pin_words(part)[:40]),
            next_step="Name one of its pins.",
        )
    named = [p for p in part.pins if p.number == rest] or [
        p for p in part.pins if p.name.lower() == rest.lower()
    ]
    if not named:
        short = CALLED.get(rest.lower())
        named = [p for p in part.pins if short and p.name.upper() in short]
    if not named:
        raise NotFound(
            f"{part.ref} has no pin {rest}.",
            where=text,
            allowed=", ".join(pin_words(part)[:40]),
            next_step="Name one of its pins.",
        )
    return [pin_name(part.ref, pin.number) for pin in named]


def pin_words(part: Part) -> list[str]:
    """List the pins of a part as they are typed, by name where they have one."""
    return [f"{part.ref}.{p.name or p.number}" for p in part.pins]


# The same pin of a run of parts.
_SAME_PIN = re.compile(r"(?P<refs>[A-Za-z_]+\d+\.\.\d+)\.(?P<pin>[^.]+)")


def counted(text: str) -> list[str]:
    """Write a counted run out: ``ROW0..4``, ``U1.PB0..PB4``, ``R3..1`` and ``R1..4.1`` are the names they stand for.

    Raises
    ------
    InputError
        When the two ends of a run do not belong together, or it is longer than :data:`MAX_RUN`.
    """
    if same := _SAME_PIN.fullmatch(text):
        return [f"{ref}.{same['pin']}" for ref in counted(same["refs"])]
    run = _RUN.fullmatch(text)
    if run is None:
        return [text]
    stem, first, again, last = run.groups()
    if not stem.endswith(again):
        raise InputError(
            f"{text!r} is no run: its ends differ in more than a number.", where=text, allowed="ROW0..4"
        )
    a, b = int(first), int(last)
    if abs(a - b) >= MAX_RUN:
        raise InputError(
            f"{text!r} is a long run.", where=text, value=abs(a - b) + 1, allowed=f"up to {MAX_RUN}"
        )
    return [f"{stem}{k}" for k in (range(a, b + 1) if a <= b else range(a, b - 1, -1))]
