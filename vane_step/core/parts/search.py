"""A search of the catalogue as words and figures, and how well a part meets them; the parts are in ``catalogue``."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from vane_step.core.errors import InputError
from vane_step.core.parts.parameters import PARAMETERS
from vane_step.core.quantity import parse_value

MAX_WORDS = 12


@dataclass(frozen=True)
class Wish:
    """One figure of a search: a value with its unit, or a named parameter held to a limit."""

    value: float
    unit: str
    key: str = ""
    compare: str = ""

    def misfit(self, params: Mapping[str, float]) -> float | None:
        """Tell how far a part of these figures is from the wish, 0 for a perfect fit; ``None`` when it does not fit."""
        if self.key:
            have = params.get(self.key)
            fits = have is not None and (have <= self.value if self.compare == "<" else have >= self.value)
            return 0.0 if fits else None
        best: float | None = None
        for key, have in params.items():
            known = PARAMETERS[key]
            if known.unit != self.unit:
                continue
            if known.sense == "value":
                # A part whose very value has this unit is meant by its value, not by some rating.
                return 0.0 if abs(have - self.value) <= 0.01 * abs(self.value) else None
            if known.sense == "least" and key.startswith(("vout", "supply")):
                top = params.get(key.replace("_min_", "_max_"), have)
                # A fixed part that meets the figure goes before one that has to be set to it.
                fits, off = have <= self.value <= top, 0.2
            elif known.sense == "rating":
                fits, off = (
                    have >= self.value * (1 - 1e-9),
                    math.log(max(have, 1e-30) / max(self.value, 1e-30)),
                )
            else:
                continue
            if fits and (best is None or off < best):
                best = off
        return best


_UNITS: Final = {"V": "V", "A": "A", "W": "W", "F": "F", "H": "H", "Hz": "Hz", "ohm": "Ω", "Ω": "Ω", "R": "Ω"}


_FIGURE = re.compile(r"^(\d+(?:[.,]\d+)?)([pnuµmkMG]?)(V|A|W|F|H|Hz|ohm|Ω|R)?$|^(\d+)([pnuµmkMR])(\d+)$")


_NAMED = re.compile(r"^([a-z][a-z_0-9]*)(<=|>=|<|>|=)(\S+)$", re.I)


def read_search(text: str) -> tuple[list[str], list[Wish]]:
    """Divide a search into words and figures; a unit may stand apart from its number.

    Raises
    ------
    InputError
        For too many words, or a parameter that does not exist.
    """
    parts = re.sub(r"(?<=\d)\s+(?=[pnuµmkMG]?(?:V|A|W|F|H|Hz|ohm|Ω)(?:\s|$))", "", text).split()
    if len(parts) > MAX_WORDS:
        raise InputError(
            "These are many words.", where="search", value=len(parts), allowed=f"up to {MAX_WORDS}"
        )
    words: list[str] = []
    wishes: list[Wish] = []
    for word in parts:
        if named := _NAMED.match(word):
            wishes.append(_named(named[1], named[2], named[3]))
        elif figure := _FIGURE.match(word):
            unit = _UNITS.get(figure[3] or "", "")
            prefix = figure[2] or figure[5] or ""
            if not unit:
                unit = (
                    "Ω"
                    if prefix in ("k", "M", "R") and prefix
                    else "F"
                    if prefix in ("p", "n", "u", "µ")
                    else ""
                )
            if unit and (unit != "Ω" or prefix or figure[3]):
                wishes.append(
                    Wish(
                        parse_value(word.replace("ohm", "").replace("Hz", "").rstrip("VAWFHΩ"), "search"),
                        unit,
                    )
                )
            else:
                words.append(word.lower())
        else:
            words.append(word.lower())
    return words, wishes


def _named(name: str, sign: str, value: str) -> Wish:
    key = next((k for k in PARAMETERS if k == name or k.rpartition("_")[0] == name.lower()), None)
    if key is None:
        raise InputError(
            f"There is no parameter {name}.", where="search", value=name, allowed=", ".join(PARAMETERS)
        )
    return Wish(parse_value(value, name), PARAMETERS[key].unit, key, "<" if sign in ("<", "<=") else ">")
