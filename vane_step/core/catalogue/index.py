"""Finds parts by words: exact, beginnings and near misses, ranked so that the ordinary part comes first."""

from __future__ import annotations

import bisect
import math
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypedDict

import numpy as np
from rapidfuzz import fuzz, process

from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import EXACT, PARAMETERS, VALUED
from vane_step.core.catalogue.search import Query, Wish, read_search, tokens
from vane_step.core.catalogue.tree import Category
from vane_step.core.catalogue.vocabulary import (
    MAKER,
    NAME,
    PACKAGE,
    PINS,
    TITLE,
    WHOLE,
    WORD,
    begins,
    category_words,
    phrases,
    title_words,
    told_counts,
    ways_of,
    words_of,
)
from vane_step.core.errors import NotFound
from vane_step.core.patterns.nicknames import nicknames, through_hole_name
from vane_step.core.quantity import format_value

BEGINNING, LETTER = 0.4, 0.05
NEAR_CUTOFF, NEAR_ADDS, SUGGESTIONS = 82.0, 2.0, 5
# One letter is the beginning of too many words to say much.
ONE_LETTER = 1.0
# Parts that the brief does not solder come later.
OTHER_MOUNT = 0.35
ORDER = 1e-4
# How far parts of another number of pins are.
OTHER_COUNT = 1.0
# How far a part is from the word of what is counted, where it is not called by it.
UNSAID = 0.7
# Words that name no kind of part: where no part has them nothing is amiss.
# What a part is for in a circuit says nothing of which it is.
IDLE = frozenset(
    (
        *("ic", "chip", "board", "style", "standard", "generic", "simple", "normal", "basic"),
        *("module", "breakout", "axis"),
        *("load", "terminating", "termination", "terminator", "decoupling", "bypass", "smoothing", "bulk"),
        *("coupling", "limiting", "status", "indicator", "reverse", "polarity", "protection"),
    )
)


@dataclass(frozen=True)
class Found:
    """A part that was found, how far it is from what was asked, and how many values of its series are meant.

    ``ends`` are the least and the greatest of these values, ``own`` is the part's, as people read them.
    """

    part: CataloguePart
    score: float
    values: int = 1
    ends: tuple[str, ...] = ()
    own: str = ""


@dataclass(frozen=True)
class Answer:
    """What a search found.

    ``read_as`` has words that were taken for a near one, ``left_out`` those that nothing is like, or that no part has
    beside the rest. ``categories`` counts all that was found, the best category first; ``named`` is the one the words
    are the name of.
    """

    found: tuple[Found, ...] = ()
    count: int = 0
    categories: tuple[tuple[str, int], ...] = ()
    read_as: tuple[tuple[str, str], ...] = ()
    left_out: tuple[str, ...] = ()
    named: str = ""


class Wanted(TypedDict, total=False):
    """How a search is narrowed and ordered; what is left out narrows nothing.

    ``fold`` shows a series of values as one part where no value was asked for. ``leaded`` puts parts whose leads go
    through the board first, as a brief for hand soldering wants it. ``letters`` keeps parts of these reference letters,
    ``category`` those of a category or of a branch, ``ranges`` those whose figures lie within. ``favour`` brings parts
    nearer by number, such as those at hand. ``order`` sorts by what it gives, the least first.
    """

    fold: bool
    leaded: bool
    letters: str
    category: str
    ranges: Mapping[str, tuple[float, float]]
    favour: Mapping[str, float]
    order: Callable[[CataloguePart], float]


class Index:
    """The words of all parts, and for each how far every part that has it is from it; the first of each category."""

    def __init__(self, parts: Sequence[CataloguePart], categories: Mapping[str, Category]) -> None:
        self.parts = tuple(parts)
        self._places: dict[str, list[int]] = {}
        for k, part in enumerate(self.parts):
            self._places.setdefault(part.category, []).append(k)
        self.firsts = {name: self.parts[places[0]] for name, places in self._places.items()}
        self._branches = {name: c.branch for name, c in categories.items()}
        order = {name: k for k, name in enumerate(categories)}
        last = len(order)
        # The tree's order decides between categories that fit alike, a table's order between parts that do.
        self._order = np.array([ORDER * order.get(p.category, last) for p in self.parts], dtype=np.float64)
        self._told = [told_counts(p) for p in self.parts]
        self._ways = np.array([ways_of(p, told) for p, told in zip(self.parts, self._told, strict=True)])
        self._counts = np.array([len(p.pins) for p in self.parts])
        self._named = {frozenset(tokens(name)): name for name in self._places}
        self._surface = np.array(
            [0.0 if not p.package or through_hole_name(p.package) else OTHER_MOUNT for p in self.parts]
        )
        entries: dict[str, dict[int, float]] = {}
        whole = frozenset(name for name in categories if " " not in name)
        for name, places in self._places.items():
            titles = {k: frozenset(title_words(self.parts[k].title)) for k in places}
            about = categories.get(name, Category(name, "", ""))
            # What the category is called is true of all its members, whether they say so or not.
            common = {*tokens(f"{name} {about.branch} {about.every}")}
            alone: dict[str, list[int]] = {}
            for word, weight in category_words(about, whole).items():
                # A size or a type that some members name is theirs alone: a 25-way connector is not any of its kind,
                # nor is a fast fuse a slow one.
                told = any(map(str.isdigit, word))
                own = [k for k in places if any(t == word or (told and begins(t, word)) for t in titles[k])]
                alone[word] = own if told or word not in common else []
                _nearer(entries.setdefault(word, {}), alone[word] or places, weight)
            for phrase, pair in phrases(about).items():
                few = [alone[w] for w in pair if alone.get(w)]
                both = [k for k in places if all(k in some for some in few)]
                _nearer(entries.setdefault(phrase, {}), both, WORD + 1.0)
        for k, part in enumerate(self.parts):
            for text, weight in (
                (part.title, TITLE),
                (nicknames(part.package), PACKAGE),
                (part.number.replace("-", " "), PACKAGE),
                (part.maker, MAKER),
            ):
                for word in title_words(text) if weight == TITLE else words_of(text):
                    has = entries.setdefault(word, {})
                    has[k] = min(has.get(k, weight), weight)
        self._words = {
            word: (np.fromiter(has, dtype=np.int64), np.fromiter(has.values(), dtype=np.float64))
            for word, has in entries.items()
        }
        self._sorted = sorted(self._words)
        self._numbers = {p.number.upper(): k for k, p in enumerate(self.parts)}
        self.known = frozenset(self._words)
        self._plain = [w for w in self._sorted if len(w) > 2 and w.isalpha()]

    def answer(self, text: str, limit: int, wanted: Wanted) -> Answer:
        """Find parts by a text; see :meth:`vane_step.core.catalogue.catalogue.Catalogue.search`."""
        exact = self._numbers.get(text.strip().upper())
        query = read_search(text)
        read_as: list[tuple[str, str]] = []
        left_out: list[str] = []
        far: list[tuple[str, np.ndarray]] = []
        for word in (w for written in query.words for w in self._apart(written)):
            scores, taken = self._word(word)
            if word in PINS and query.numbers:
                # The number counts what many a part has no word for.
                scores = np.minimum(np.full(len(self.parts), UNSAID) if scores is None else scores, UNSAID)
            if scores is None:
                left_out.append(word)
                continue
            if taken != word:
                read_as.append((word, taken))
            far.append((word, scores))
        base = self._narrowed(wanted)
        # Figures are held against what the words leave; only when nothing has all, against every part.
        rest = np.flatnonzero(np.isfinite(_total(base, far)))
        figures = self._figures(query, rest)
        if len(far) + len(figures) > 1 and not np.isfinite(_total(base, far + figures)).any():
            figures = self._figures(query, np.arange(len(self.parts)))
        far += figures
        total = _total(base, far)
        if text.strip() and not far:
            total = np.full(len(self.parts), np.inf)
        while len(far) > 1 and not np.isfinite(total).any():
            left_out.append(far.pop(_least_missed(base, far))[0])
            total = _total(base, far)
        if wanted.get("leaded"):
            total = total + self._surface
        for number, nearer in wanted.get("favour", {}).items():
            if (place := self._numbers.get(number)) is not None:
                total[place] -= nearer
        if whole := self._named.get(frozenset(query.words)):
            total[self._places[whole]] += WHOLE
        if exact is not None:
            total[exact] = -1.0
        hits = np.flatnonzero(np.isfinite(total))
        order = wanted.get("order")
        keys = np.array([order(self.parts[k]) for k in hits] if order else np.zeros(len(hits)))
        ranked = hits[np.lexsort((hits, total[hits], keys))]
        counts: dict[str, int] = {}
        for k in ranked:
            counts[self.parts[k].category] = counts.get(self.parts[k].category, 0) + 1
        return Answer(
            tuple(self._shown(ranked, total, limit, wanted.get("fold", False), query)),
            len(hits),
            tuple(counts.items()),
            tuple(read_as),
            tuple(word for word in left_out if word not in IDLE),
            self._kind(query.words),
        )

    def _kind(self, words: Iterable[str]) -> str:
        """Give the category that words name, whatever else they say; of several the one they say most of."""
        said = frozenset(words)
        return max(
            (n for tokens_, n in self._named.items() if tokens_ <= said),
            key=lambda n: (len(tokens(n)), n),
            default="",
        )

    def _narrowed(self, wanted: Wanted) -> np.ndarray:
        """Give the tree's order, infinite for parts that are outside of what is wanted."""
        letters, category, ranges = wanted.get("letters"), wanted.get("category"), wanted.get("ranges", {})
        if not (letters or category or ranges):
            return self._order
        inside = [
            (not letters or p.letters == letters)
            and (not category or category in (p.category, self._branches.get(p.category)))
            and all(low <= p.params.get(key, -math.inf) <= high for key, (low, high) in ranges.items())
            for p in self.parts
        ]
        return np.where(inside, self._order, np.inf)

    def near(self, word: str) -> list[str]:
        """List what is known and like a search that found nothing: the next values of a figure, else words."""
        if values := self._next_values(word):
            return values
        found = process.extract(word, self._plain, scorer=fuzz.ratio, limit=SUGGESTIONS, score_cutoff=60.0)
        return [near for near, *_ in found]

    def _next_values(self, text: str) -> list[str]:
        """List the values there are next below and above the first figure of a search."""
        query = read_search(text)
        wish = next((w for w in query.wishes if not w.key and w.value > 0), None)
        if wish is None:
            return []
        exact = EXACT.get(named := self._kind(query.words))
        of = [self.parts[k] for k in self._places[named]] if exact else self.parts
        keys = [k for k in (exact,) if k] or list(VALUED.values())
        keys = [k for k in keys if PARAMETERS[k].unit in wish.unit.split("|")]
        have = {(abs(p.params[k]), PARAMETERS[k].unit) for p in of for k in keys if p.params.get(k)}
        if any(abs(v - wish.value) <= 0.01 * wish.value for v, _ in have):
            return []
        below = max((v for v in have if v[0] < wish.value), default=None)
        above = min((v for v in have if v[0] > wish.value), default=None)
        return [format_value(*v) for v in (below, above) if v is not None]

    def _shown(
        self, ranked: np.ndarray, total: np.ndarray, limit: int, fold: bool, query: Query
    ) -> Iterable[Found]:
        """Give the best hits; members of a series stand for it where no value was asked for."""
        asked = fold and not any(
            PARAMETERS[key].unit in wish.unit.split("|") for wish in query.wishes for key in VALUED.values()
        )
        series: dict[str, list[float]] = {}
        if asked:
            for k in ranked:
                if name := self.parts[k].series:
                    series.setdefault(name, []).append(self.parts[k].params[VALUED[self.parts[k].kind]])
        seen: set[str] = set()
        shown = 0
        for k in ranked:
            part = self.parts[k]
            values = series.get(part.series, []) if part.series else []
            if len(values) > 1:
                if part.series in seen:
                    continue
                seen.add(part.series)
            if shown == limit:
                return
            shown += 1
            if len(values) < 2:
                yield Found(part, round(float(total[k]), 6))
                continue
            unit = PARAMETERS[VALUED[part.kind]].unit
            ends = (format_value(min(values), unit), format_value(max(values), unit))
            own = format_value(part.params[VALUED[part.kind]], unit)
            yield Found(part, round(float(total[k]), 6), len(values), ends, own)

    def _word(self, word: str) -> tuple[np.ndarray | None, str]:
        """Give how far each part is from a word, and the word it was taken for; ``None`` when nothing is like it."""
        scores = self._beginning(word)
        if scores is not None:
            return scores, word
        near = process.extractOne(word, self._plain, scorer=fuzz.ratio, score_cutoff=NEAR_CUTOFF)
        if near is None or len(word) < 4:
            return None, word
        scores = self._beginning(near[0])
        return (None if scores is None else scores + NEAR_ADDS), near[0]

    def _beginning(self, word: str) -> np.ndarray | None:
        scores = np.full(len(self.parts), np.inf)
        if word in self._words:
            places, far = self._words[word]
            scores[places] = far
        at = bisect.bisect_left(self._sorted, word)
        while at < len(self._sorted) and self._sorted[at].startswith(word):
            longer = self._sorted[at]
            at += 1
            if longer != word:
                places, far = self._words[longer]
                cost = (BEGINNING if len(word) > 1 else ONE_LETTER) + LETTER * min(
                    10, len(longer) - len(word)
                )
                scores[places] = np.minimum(scores[places], far + cost)
        return scores if np.isfinite(scores).any() else None

    def _figures(self, query: Query, places: np.ndarray) -> list[tuple[str, np.ndarray]]:
        """Give how far the parts at some places are from each number and figure of a query."""
        counted = next((w for w in query.words if w in PINS), "")
        numbers = [(number, self._number(number, places, counted)) for number in query.numbers]
        numbers += [(f"{number} {word}", self._has(number, word)) for number, word in query.counts]
        return numbers + [(wish.text, self._wish(wish, places)) for wish in query.wishes]

    def _apart(self, word: str) -> tuple[str, ...]:
        """Take letters and a number apart that no part has as one word: ``qfp32``, ``2xaa``; of a square one side."""
        if square := re.fullmatch(r"(\d+)x(\d+)(?:mm)?", word):
            side = f"{square[1]}mm"
            return (
                (side,)
                if square[1] == square[2] and word not in self._words and side in self._words
                else (word,)
            )
        if several := re.fullmatch(r"(\d+)x([a-z]+)", word):
            return several.groups() if several[2] in self._words and word not in self._words else (word,)
        halves = re.fullmatch(r"([a-z]{2,})(\d+)", word)
        if halves is None or word in self._words or self._beginning(word) is not None:
            return (word,)
        return halves.groups() if all(half in self._words for half in halves.groups()) else (word,)

    def _number(self, text: str, places: np.ndarray, counted: str) -> np.ndarray:
        """Give how far parts are from a bare number: a word of theirs, the value they are told by, or, where it
        counts pins, how many they have."""
        scores = np.full(len(self.parts), np.inf)
        # A size is often said without its unit: an audio jack of 3.5.
        for word in (f"{text}mm", text):
            if word in self._words:
                named, far = self._words[word]
                scores[named] = np.minimum(scores[named], far + (OTHER_COUNT if counted else 0.0))
        value = float(text)
        if counted:
            # Ways of a switch or a plug are as many as it says; its pins may be more.
            first, second = (self._counts, self._ways) if counted == "pin" else (self._ways, self._counts)
            scores[np.where(first > 0, first, second) == value] = NAME
        for k in places:
            for key, have in self.parts[k].params.items():
                if (PARAMETERS[key].sense == "value" or key == "channels") and abs(
                    abs(have) - value
                ) <= 1e-6 * value:
                    scores[k] = min(scores[k], 0.1)
        return scores

    def _has(self, number: str, word: str) -> np.ndarray:
        """Give how far parts are from having so many of something: as they say, or one of more channels."""
        scores = np.full(len(self.parts), np.inf)
        for k, part in enumerate(self.parts):
            channels = part.params.get("channels", 0.0) if word == "channel" else 0.0
            if (number, word) in self._told[k]:
                scores[k] = NAME
            elif number == "1":
                scores[k] = UNSAID  # Most have one, and say nothing of it.
            elif channels >= float(number):
                scores[k] = math.log(max(channels, 1.0) / max(float(number), 1.0))
        return scores

    def _wish(self, wish: Wish, places: np.ndarray) -> np.ndarray:
        scores = np.full(len(self.parts), np.inf)
        for k in places:
            off = wish.misfit(self.parts[k].params, EXACT.get(self.parts[k].category, ""))
            if off is not None:
                scores[k] = off
        return scores


def _total(base: np.ndarray, far: Sequence[tuple[str, np.ndarray]]) -> np.ndarray:
    """Add up how far parts are from all words and figures; infinite for those that lack one."""
    total: np.ndarray = base.copy()
    for _, scores in far:
        total += scores
    return total


def _least_missed(base: np.ndarray, far: Sequence[tuple[str, np.ndarray]]) -> int:
    """Tell which word to leave out: one after which parts are left, the fewest; a number before a word."""
    counts = []
    for k, (word, _) in enumerate(far):
        count = int(np.isfinite(_total(base, [f for j, f in enumerate(far) if j != k])).sum())
        counts.append((count == 0, word.isalpha(), count, k))
    return min(counts)[3]


def nothing_found(text: str, near: Sequence[str]) -> NotFound:
    """Make the error of a search that found nothing, with words that are alike as the next step."""
    return NotFound(
        f"No part is known by {text!r}.",
        where="search",
        value=text,
        allowed=", ".join(near),
        next_step="Say it in another word, or browse the categories.",
    )


def _nearer(has: dict[int, float], places: Iterable[int], weight: float) -> None:
    for k in places:
        has[k] = min(has.get(k, weight), weight)
