"""How artwork is wanted: method, paper, copies, which pictures; read from words and checked, drawn nowhere here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal, cast

from vane_step.core.errors import InputError
from vane_step.core.etch.methods import EtchMethod, method_of
from vane_step.core.etch.picture import Ink
from vane_step.core.etch.sheets import MARGIN_MM, PAPERS_MM, TURNS, scale_of
from vane_step.core.quantity import parse_length_nm, parse_value

Layout = Literal["apart", "together", "folded"]
LAYOUTS: Final[dict[str, str]] = {
    "apart": "a sheet for each side",
    "together": "all on one page, in the order they are cut",
    "folded": "front and back on both sides of a fold",
}


_PLAIN: Final = Ink()


@dataclass(frozen=True)
class ArtPlan:
    """How artwork is wanted.

    Parameters
    ----------
    copies
        How many; 0 for as many as fit.
    blank
        Size of the laminate the copies are to fill, in millimetres; None where they are put on paper alone.
    pins
        Marks are drilled for pins.
    scale
        Correction for the printer, across and upwards.
    """

    ink: Ink = _PLAIN
    paper: str = "A4"
    turn: str = "auto"
    margin_mm: float = MARGIN_MM
    copies: int = 1
    blank: tuple[float, float] | None = None
    layout: Layout = "apart"
    pins: bool = False
    legend: bool = False
    template: bool = False
    scale: tuple[float, float] = (1.0, 1.0)

    @property
    def method(self) -> EtchMethod:
        """The method the artwork is for."""
        return method_of(self.ink.method)


# What is farther off leaves nothing standing on a board that was worth its rims.
MOST_ISOLATION_MM: Final = 20.0
WORDS: Final = (
    "method",
    "paper",
    "turn",
    "margin",
    "copies",
    "blank",
    "layout",
    "pins",
    "legend",
    "template",
    "pads",
    "factor",
    "words",
    "isolation",
    "across",
    "upwards",
)


def art_plan(said: Mapping[str, str], fallback: str = "toner") -> ArtPlan:
    """Read a plan from words, as the page's form or the terminal says them; what is not said is as usual.

    Parameters
    ----------
    fallback : str
        The method where none is said.

    Raises
    ------
    InputError
        Naming the word that is none, or its value and what is allowed.
    """
    for word in said:
        if word not in WORDS:
            raise InputError(
                f"{word!r} says nothing of artwork.", where=word, value=word, allowed=", ".join(WORDS)
            )
    method = method_of(said.get("method") or fallback)
    paper = _one_of(said, "paper", PAPERS_MM, "A4")
    margin = said.get("margin", "")
    plan = ArtPlan(
        Ink(
            method.name,
            _factor(said.get("factor", "")),
            "large" if _yes(said, "pads", ("large", "yes", "as they are")) else "as they are",
            said.get("words", "yes") not in ("no", "off"),
            _isolation(said.get("isolation", ""), method),
        ),
        paper,
        _one_of(said, "turn", TURNS, "auto"),
        parse_length_nm(margin, "margin") / 1e6 if margin else MARGIN_MM,
        _count(said.get("copies", "")),
        _size(said.get("blank", "")),
        cast(Layout, _one_of(said, "layout", LAYOUTS, "apart")),
        _yes(said, "pins"),
        _yes(said, "legend"),
        _yes(said, "template"),
        scale_of(_mm(said, "across"), _mm(said, "upwards")),
    )
    return plan


def _isolation(text: str, method: EtchMethod) -> float:
    """Read how wide it is etched bare round the nets; nothing, where all goes that no net needs."""
    if text.strip() in ("", "no", "off"):
        return 0.0
    wide = parse_length_nm(text, "isolation") / 1e6
    least = method.gap_mm[0]
    if not least <= wide <= MOST_ISOLATION_MM:
        raise InputError(
            f"{text} bare round the nets is {'too little' if wide < least else 'too much'} for this method.",
            where="isolation",
            value=text,
            allowed=f"{least:g} to {MOST_ISOLATION_MM:g} mm, or no",
        )
    return wide


def _one_of(
    said: Mapping[str, str], word: str, known: Mapping[str, object] | tuple[str, ...], usual: str
) -> str:
    value = said.get(word) or usual
    if value not in known:
        raise InputError(f"{word} is no {value!r}.", where=word, value=value, allowed=", ".join(known))
    return value


def _yes(said: Mapping[str, str], word: str, yes: tuple[str, ...] = ("yes", "on", "true")) -> bool:
    value = said.get(word, "").lower()
    if value in ("", "no", "off", "false", "as they are"):
        return False
    if value not in yes:
        raise InputError(f"{word} is yes or no.", where=word, value=value, allowed=f"{yes[0]}, no")
    return True


def _mm(said: Mapping[str, str], word: str) -> float:
    text = said.get(word, "")
    return parse_length_nm(text.replace(",", "."), f"ruler {word}") / 1e6 if text else 50.0


def _factor(text: str) -> float:
    if not text:
        return 2.0
    if text in ("none", "0"):
        return 0.0
    value = parse_value(text, "factor")
    if not 0.5 <= value <= 10:
        raise InputError(
            f"An etch factor of {value:g} is none.", where="factor", value=text, allowed="0.5 to 10, none"
        )
    return value


def _count(text: str) -> int:
    if text in ("fill", "0"):
        return 0
    if text and not (text.isdigit() and 1 <= int(text) <= 1000):
        raise InputError(f"{text!r} copies are none.", where="copies", value=text, allowed="1 to 1000, fill")
    return int(text or 1)


def _size(text: str) -> tuple[float, float] | None:
    if not text or text == "none":
        return None
    wide, cross, tall = text.lower().replace("×", "x").partition("x")
    if not cross:
        raise InputError(f"{text!r} is no size.", where="blank", value=text, allowed="100x160 in mm")
    size = (parse_length_nm(wide, "blank") / 1e6, parse_length_nm(tall, "blank") / 1e6)
    if not all(10 <= v <= 500 for v in size):
        raise InputError(
            f"A blank of {text} is none.", where="blank", value=text, allowed="10 to 500 mm each way"
        )
    return size
