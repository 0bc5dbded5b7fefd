"""Things of the bench that every design uses: drill bits, printers, baths, and how fitting houses count turns."""

from __future__ import annotations

import re
from datetime import date

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.ask.words import pairs
from vane_step.core.design.fileformat import input_error
from vane_step.core.errors import InputError, NotFound
from vane_step.core.etch.bath import ACID_PCT, CRYSTALS_G_L, Bath
from vane_step.core.fab.conventions import FittingHouse, convention_of
from vane_step.core.quantity import parse_length_nm, parse_value
from vane_step.store.bench import Bench

# What may be said of a bit, and how it is kept.
BIT_STATES: dict[str, bool | None] = {"whole": False, "broken": True, "off": None}
BITS_UM = (200, 13_000)


class Printer(BaseModel):
    """A printer with the paper in it: what its ruler measures, and what it leaves white."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=60)
    across: float = Field(ge=45, le=55)
    upwards: float = Field(ge=45, le=55)
    margin_mm: float = Field(ge=0, le=40)


def printers(bench: Bench) -> dict[str, Printer]:
    """Give the printers of the bench by name."""
    return {name: Printer.model_validate_json(text) for name, text in bench.kept("printer").items()}


def keep_printer(bench: Bench, name: str, across: str, upwards: str, margin: str) -> Printer:
    """Keep what a printer's ruler of 50 mm measures, and what it leaves white, as typed.

    Raises
    ------
    InputError
        Naming what is out of its range.
    """
    said = {
        "name": name.strip(),
        "across": parse_length_nm(across, "across") / 1e6,
        "upwards": parse_length_nm(upwards, "upwards") / 1e6,
        "margin_mm": parse_length_nm(margin, "margin") / 1e6,
    }
    try:
        made = Printer.model_validate(said)
    except ValidationError as error:
        raise input_error(error, "printer") from error
    bench.keep("printer", made.name, made.model_dump_json())
    return made


def bits_at_hand(bench: Bench) -> tuple[float, ...]:
    """Give the bits of the bench that are not broken, in millimetres."""
    return tuple(size / 1e3 for size, broken in bench.bits().items() if not broken)


def set_bits(bench: Bench, sizes: str, state: str = "whole") -> None:
    """Put bits on the list of the bench, strike them off as broken, or take them off the list.

    Raises
    ------
    InputError
        When nothing is known by that state, or a size is none.
    """
    if state not in BIT_STATES:
        raise InputError(
            f"A bit is not {state!r}.", where="state", value=state, allowed=", ".join(BIT_STATES)
        )
    for one in sizes.replace(",", ".").split():
        um = round(parse_length_nm(one, "size") / 1e3)
        if not BITS_UM[0] <= um <= BITS_UM[1]:
            raise InputError(f"There is no bit of {one}.", where="size", value=one, allowed="0.2 to 13 mm")
        bench.set_bit(um, BIT_STATES[state])


def baths_of(bench: Bench) -> dict[str, Bath]:
    """Give the baths of the bench by id."""
    return {key: Bath.model_validate_json(text) for key, text in bench.kept("bath").items()}


def keep_bath(bench: Bench, name: str, school: str, volume: str, strength: str, made: str | date) -> Bath:
    """Keep a bath as typed: its volume in ml, its strength in percent of acid or grams of crystals a litre.

    Raises
    ------
    InputError
        When there is no such bath.
    """
    key = "-".join(re.findall(r"[a-z0-9]+", name.lower()))[:40] or "bath"
    low, high = ACID_PCT if school == "acid" else CRYSTALS_G_L
    value = parse_value(strength.removesuffix("%").removesuffix("g/l"), "strength")
    if not low <= value <= high:
        raise InputError(
            f"A strength of {value:g} is none for this bath.",
            where="strength",
            value=strength,
            allowed=f"{low:g} to {high:g} {'%' if school == 'acid' else 'g of crystals a litre'}",
        )
    said = {
        "id": key,
        "name": name.strip(),
        "school": school,
        "made": made,
        "volume_ml": parse_value(volume.lower().removesuffix("ml"), "volume"),
        "strength": value,
    }
    try:
        bath = Bath.model_validate(said)
    except ValidationError as error:
        raise input_error(error, "bath") from error
    bench.keep("bath", key, bath.model_dump_json())
    return bath


def bath_of(bench: Bench, key: str) -> Bath:
    """Give a bath by its id, or raise :class:`NotFound` with those there are."""
    baths = baths_of(bench)
    if key not in baths:
        raise NotFound(f"There is no bath {key}.", where="bath", allowed=", ".join(baths) or "none is kept")
    return baths[key]


def bath_gone(bench: Bench, key: str, day: date) -> None:
    """Say that a bath was handed in: it is not offered any more, its history stays."""
    bath = bath_of(bench, key)
    bench.keep("bath", key, bath.model_copy(update={"gone": day}).model_dump_json())


def fitting_houses(bench: Bench) -> dict[str, FittingHouse]:
    """Give the houses whose way of counting turns is kept, by name."""
    return {name: FittingHouse.model_validate_json(text) for name, text in bench.kept("fitting").items()}


def turns_said(said: str) -> dict[str, float]:
    """Read a table of turns as it is typed: ``SOT-23-3=90 SOIC-8=180``, in degrees."""
    return {
        name: parse_value(text.removesuffix("°"), "turns")
        for name, text in pairs(said.replace(",", " ").split(), "SOT-23-3=90").items()
    }


def keep_fitting_house(bench: Bench, name: str, convention: str, turns: str) -> FittingHouse:
    """Keep how a house counts turns, for every design it fits.

    Raises
    ------
    InputError
        When nobody counts so, or a turn is none.
    """
    said = {"name": name.strip(), "convention": convention_of(convention).name, "turns": turns_said(turns)}
    try:
        made = FittingHouse.model_validate(said)
    except ValidationError as error:
        raise input_error(error, "house") from error
    bench.keep("fitting", made.name, made.model_dump_json())
    return made


def fitting_house(bench: Bench, name: str) -> FittingHouse:
    """Give a house by name, or raise :class:`NotFound` with those whose way of counting is kept."""
    known = fitting_houses(bench)
    if name not in known:
        raise NotFound(
            f"There is no house {name}.",
            where="house",
            value=name,
            allowed=", ".join(known) or "none is kept",
            next_step="Keep its way of counting first.",
        )
    return known[name]
