"""A search as people type it, read into words and figures; which parts meet it is found in ``index``."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_value

MAX_WORDS = 12
# The voltage a clamp stands without conducting.
STANDS: Final = "vso_v"
# Words that say nothing of a part.
EMPTY: Final = frozenset(
    [
        "a",
        "an",
        "the",
        "of",
        "for",
        "with",
        "and",
        "or",
        "to",
        "in",
        "on",
        "from",
        "my",
        "some",
        "type",
        "kind",
        "part",
        "component",
        "electronic",
    ]
)
# Other spellings of a word, as the catalogue writes it.
SPELLINGS: Final = {
    "analog": "analogue",
    "color": "colour",
    "aluminum": "aluminium",
    "polarized": "polarised",
    "gray": "grey",
    "meter": "metre",
    "volt": "v",
    "smt": "smd",
    "pth": "tht",
    "one": "1",
    "two": "2",
    "three": "3",
    "four": "4",
    "five": "5",
    "six": "6",
    "seven": "7",
    "eight": "8",
    "nine": "9",
    "ten": "10",
    "twelve": "12",
    "sixteen": "16",
}
# Numbers of hertz are said without what follows their first digits: 32 kHz is 32.768 kHz.
CUT_SHORT: Final = 0.3


@dataclass(frozen=True)
class Wish:
    """One figure of a search: a value with its unit, or a named parameter held to a limit.

    Where a unit was left out, ``unit`` has those it can be, apart by ``|``: ``10u`` is a capacitance or an inductance.
    A ``sign`` that was typed, 1 or -1, is minded by what has a value or a range on one side of zero: -12 V is not 12 V.
    """

    value: float
    unit: str
    key: str = ""
    compare: str = ""
    text: str = ""
    sign: int = 0

    @property
    def last_place(self) -> float:
        """What one more of the last digit that was typed would add; nothing where fewer than two were."""
        digits = re.match(r"\d+(?:[.,](\d+))?", self.text.lstrip("-+−–±"))
        shown = float(digits[0].replace(",", ".")) if digits else 0.0
        if digits is None or not shown or len(digits[0].replace(".", "").replace(",", "")) < 2:
            return 0.0
        return self.value / shown * 10.0 ** -len(digits[1] or "")

    def misfit(self, params: Mapping[str, float], exact: str = "") -> float | None:
        """Tell how far a part of these figures is from the wish, 0 for a perfect fit; ``None`` when it does not fit.

        The rating called ``exact`` must be what is asked for.
        """
        if self.key:
            have = params.get(self.key)
            fits = have is not None and (have <= self.value if self.compare == "<" else have >= self.value)
            return 0.0 if fits else None
        best: float | None = None
        units = self.unit.split("|")
        for key, have in params.items():
            known = PARAMETERS[key]
            if known.unit not in units:
                continue
            if known.sense == "value" or key == exact:
                if self.sign * have < 0:
                    return None
                # A part whose very value has this unit is meant by its value, not by some rating; a clamp by either
                # the voltage it holds or the one it stands.
                if abs(abs(have) - self.value) <= 0.01 * abs(self.value):
                    return 0.0
                if known.unit == "Hz" and 0 < abs(have) - self.value < self.last_place:
                    return CUT_SHORT
                if STANDS not in params:
                    return None
                continue
            off = self._off(key, have, params)
            if off is not None and (best is None or off < best):
                best = off
        return best

    def _off(self, key: str, have: float, params: Mapping[str, float]) -> float | None:
        """Tell how far a rating or a range is from the wish; ``None`` when it does not hold it."""
        sense = PARAMETERS[key].sense
        if sense == "typical" and PARAMETERS[key].unit in SHARES:
            # A tolerance: at most so much, the nearest first.
            spare = math.log(max(self.value, 1e-9) / max(have, 1e-9))
            return spare if have <= self.value * (1 + 1e-9) else None
        if sense == "rating":
            spare = math.log(max(have, 1e-30) / max(self.value, 1e-30))
            return spare if have >= self.value * (1 - 1e-9) else None
        if sense == "least" and key.startswith(("vout", "supply", "vin")):
            top = params.get(key.replace("_min_", "_max_"), have)
            holds = any(have <= side * self.value <= top for side in ((self.sign,) if self.sign else (1, -1)))
            # A fixed part that meets the figure goes before one that has to be set to it, and that before an input.
            return (0.3 if key.startswith("vin") else 0.2) if holds else None
        return None


@dataclass(frozen=True)
class Query:
    """A search that was read: words, figures, bare numbers that may be either, and how many of what a part has."""

    words: tuple[str, ...]
    wishes: tuple[Wish, ...]
    numbers: tuple[str, ...] = ()
    counts: tuple[tuple[str, str], ...] = ()


_UNIT_WORDS: Final = {
    "v": "V",
    "volt": "V",
    "a": "A",
    "amp": "A",
    "ampere": "A",
    "w": "W",
    "watt": "W",
    "f": "F",
    "farad": "F",
    "h": "H",
    "henry": "H",
    "hz": "Hz",
    "hertz": "Hz",
    "ohm": "Ω",
    "Ω": "Ω",
    "ω": "Ω",
    "r": "Ω",
    "%": "%",
    "percent": "%",
    "ppm": "ppm",
}
# Units of shares: what is said of a tolerance.
SHARES: Final = ("%", "ppm")
# What a prefix means where no unit follows.
_BARE: Final = {"p": "F", "n": "F|H", "u": "F|H", "k": "Ω|Hz", "M": "Ω|Hz", "m": "Ω|H"}
_PREFIXES: Final = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "M": 1e6, "G": 1e9}
_FIGURE = re.compile(
    r"(?P<sign>[-+−–±])?(?P<number>\d+(?:[.,]\d+)?|[.,]\d+|\d+/\d+)"
    r"(?P<prefix>[pnuµmkg]|meg)?(?P<unit>volts?|v|amps?|amperes?|a|watts?|w|farads?|f|henrys?|h|hertz|hz|ohms?|[Ωω]|r|%|percent|ppm)?",
    re.I,
)
_INSIDE = re.compile(
    r"(?P<sign>[-+−–±])?(?P<whole>\d+)(?P<letter>[pnuµmkvr])(?P<rest>\d{1,3})(?:f|h|ohm)?", re.I
)
_NAMED = re.compile(r"^([a-z][a-z_0-9]*)(<=|>=|<|>|=)(\S+)$", re.I)
# Metric chip names are no figures: 2012M is a size.
_CHIP = re.compile(r"\d{4}M")
# What a part has some of.
COUNTED: Final = frozenset(
    (
        "pin",
        "mm",
        "way",
        "pole",
        "position",
        "channel",
        "digit",
        "bit",
        "contact",
        "cell",
        "turn",
        "lead",
        "port",
        "band",
        "segment",
        "axis",
        "axes",
        "phase",
        "colour",
        "color",
        "input",
        "output",
        "wire",
        "line",
        "row",
        "leg",
        "layer",
    )
)
# What stands between a number and what there are so many of.
OFF: Final = ("x", "×", "pcs", "pieces", "off", "pc")
WOUND: Final = frozenset(("transformer", "winding", "secondary"))
# What titles tell how many of it a part has; pins and ways are counted on the part itself.
TOLD: Final = frozenset(("channel", "digit", "cell", "turn", "port", "band", "contact"))
_APART = re.compile(
    r"(?<![\w-])([-+−–±]?\d+(?:[.,/]\d+)?(?:[pnuµmkMG](?=\s+(?:V|A|W|F|H|Hz|ohms?|Ω)\b))?)\s+(?=(?:[pnuµmkMG]|meg)?(?:V|A|W|F|H|Hz|ohms?|Ω|volts?|amps?|watts?|farads?|%|percent|ppm)(?:\s|$)|k(?:\s|$))",
    re.I,
)


def read_search(text: str) -> Query:
    """Divide a search into words and figures; a unit may stand apart from its number.

    Raises
    ------
    InputError
        For too many words, or a parameter that does not exist.
    """
    parts = together(text).split()
    if len(parts) > MAX_WORDS:
        raise InputError(
            "These are many words.", where="search", value=len(parts), allowed=f"up to {MAX_WORDS}"
        )
    rest: list[str] = []
    wishes: list[Wish] = []
    for word in parts:
        if named := _NAMED.match(word):
            wishes.append(_named(named[1], named[2], named[3]))
        elif wish := figure(word):
            wishes.append(wish)
        else:
            rest.append(word)
    found = tokens(" ".join(rest))
    counts = tuple(counts_in(found, TOLD))
    told = {word for count in counts for word in count}
    left = [w for w in found if w not in told]
    return Query(
        tuple(w for w in left if not _bare(w)), tuple(wishes), tuple(w for w in left if _bare(w)), counts
    )


def counts_in(found: list[str], of: frozenset[str]) -> Iterator[tuple[str, str]]:
    """Find how many of what a text tells of: ``four channels``, ``4-channel``, both as ``("4", "channel")``."""
    for number, word in pairwise(found):
        if word in of and _bare(number):
            yield number, word


def together(text: str) -> str:
    """Write numbers and the units that stand apart behind them as one word: ``100 nF``, ``10k ohm``."""
    return _APART.sub(r"\1", text)


def how_many(words: list[str]) -> tuple[int | None, list[str]]:
    """Read how many of something are wanted, before it or behind it: ``4 100n``, ``four``, ``100n x 4``, ``4 pcs``.

    Returns
    -------
    tuple of int or None, and list of str
        The number, and what is wanted; None where no number says how many, as in ``8 pin header`` or ``2 x 12 V``.
    """
    if len(words) < 2:
        return None, words
    match = re.fullmatch(r"(\d+)([x×]?)", SPELLINGS.get(words[0].lower(), words[0]), re.I)
    if match:
        said, rest = bool(match[2]), words[1:]
        if rest[0].lower() in OFF and len(rest) > 1:
            said, rest = True, rest[1:]
        # Two times 12 V are two windings of a transformer, and a number before what parts have some of counts that.
        wish = figure(rest[0])
        windings = wish is not None and wish.unit == "V" and not WOUND.isdisjoint(map(stem, words))
        sides = said and rest[0].isdigit() and not counts_of("".join(rest[1:2]))
        if not windings and not sides and (said or not counts_of(rest[0])):
            return int(match[1]), rest
    last = re.fullmatch(r"[x×](\d+)", "".join(words[-2:]) if words[-2] in ("x", "×") else words[-1], re.I)
    before = words[:-2] if words[-2] in ("x", "×") else words[:-1]
    # A size by two numbers is none; a chip's size is one number of four digits.
    if last and before and (not before[-1].isdigit() or len(before[-1]) == 4):
        return int(last[1]), before
    if len(words) > 2 and words[-1].lower() in OFF[2:] and words[-2].isdigit():
        return int(words[-2]), words[:-2]
    return None, words


def counts_of(word: str) -> bool:
    """Tell whether a number before a word says how many of it a part has: ``8 pin``, ``2 ways``."""
    return stem(word.lower()) in COUNTED


def _bare(word: str) -> bool:
    return re.fullmatch(r"\d+(?:\.\d+)?", word) is not None


def figure(word: str) -> Wish | None:
    """Read a value in any writing: ``.1uF``, ``100nF``, ``3V3``, ``2k2``, ``1/4W``; ``None`` when it is none."""
    if _CHIP.fullmatch(word):
        return None
    if inside := _INSIDE.fullmatch(word):
        letter = inside["letter"].lower().replace("µ", "u")
        letter = "M" if inside["letter"] == "M" else letter
        number = float(f"{inside['whole']}.{inside['rest']}")
        unit = {"v": "V", "r": "Ω"}.get(letter) or _BARE[letter]
        value = number * _PREFIXES.get(letter if letter not in "vr" else "", 1.0)
        return Wish(value, unit, text=word, sign=_sign(inside["sign"]))
    match = _FIGURE.fullmatch(word)
    if match is None or not (match["prefix"] or match["unit"]):
        return None
    unit = _UNIT_WORDS.get((match["unit"] or "").lower().rstrip("s"), "")
    prefix = _prefix(match["prefix"] or "", unit)
    if prefix is None or (not unit and prefix not in _BARE):
        return None
    top, _, below = match["number"].replace(",", ".").partition("/")
    if below and not float(below):
        return None
    number = float(top) / float(below or 1)
    return Wish(number * _PREFIXES[prefix], unit or _BARE[prefix], text=word, sign=_sign(match["sign"]))


def _sign(text: str | None) -> int:
    """Read a sign: both, or none, are no sign."""
    return {"+": 1, "-": -1, "−": -1, "–": -1}.get(text or "", 0)


def _prefix(text: str, unit: str) -> str | None:
    """Read a prefix as it is meant: a large M of a small current is milli, a small m of a frequency is mega."""
    low = text.lower().replace("µ", "u")
    if low == "meg":
        return "M"
    if low == "m":
        return "M" if unit == "Hz" or (text == "M" and unit in ("", "Ω")) else "m"
    return "G" if low == "g" else low


def _named(name: str, sign: str, value: str) -> Wish:
    key = next((k for k in PARAMETERS if k == name or k.rpartition("_")[0] == name.lower()), None)
    if key is None:
        raise InputError(
            f"There is no parameter {name}.", where="search", value=name, allowed=", ".join(PARAMETERS)
        )
    compare = "<" if sign in ("<", "<=") else ">"
    return Wish(parse_value(value, name), PARAMETERS[key].unit, key, compare, f"{name}{sign}{value}")


def tokens(text: str) -> list[str]:
    """Divide a text into words as the index has them: small letters, singular; ``2 x 4``, ``32-bit`` are one."""
    low = text.lower().replace("µ", "u").replace("×", "x").replace("&", " and ")
    low = re.sub(r"(\d)\s*x\s*(?=\d)", r"\1x", low)
    low = re.sub(r"(\d)\s*mm\b", r"\1mm", low)
    low = re.sub(r"(\d)[\s-]*bits?\b", r"\1bit", low)
    found: list[str] = []
    for word in re.findall(r"[a-z0-9äöüß]+(?:[./+][a-z0-9]+)*\+?", low):
        for piece in word.split("/") if not re.fullmatch(r"i/o|a/d|d/a", word) else [word.replace("/", "")]:
            piece = SPELLINGS.get(stem(piece), stem(piece))
            # The A of a USB-A connector is a word, that of "a resistor" is none.
            if piece and (piece not in EMPTY or (piece == "a" and found[-1:] == ["usb"])):
                found.append(piece)
    return list(dict.fromkeys(found))


def stem(word: str) -> str:
    """Give the singular of an English word as far as its ending tells: ``switches``, ``batteries``, ``diodes``."""
    if len(word) < 4 or not word.isalpha():
        return word
    if word.endswith("ies"):
        return word[:-3] + "y"
    if word.endswith(("ches", "shes", "xes", "sses")):
        return word[:-2]
    if word.endswith("s") and not word.endswith(("ss", "us", "is", "ens")):
        return word[:-1]
    return word
