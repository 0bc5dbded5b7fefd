"""Words of parts, titles and categories, and how far each is from its part; parts are found by them in ``index``."""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import pairwise

from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.search import TOLD, counts_in, tokens
from vane_step.core.catalogue.tree import Category

# How far a word is from a part by where it stands, 0 the nearest: its category's name, the words of the category,
# later ones a little farther, its title, its package, its maker.
NAME, WORD, LATER, TITLE, PACKAGE, MAKER = 0.0, 0.3, 0.02, 0.5, 0.6, 1.0
# Nearer where the branch of the tree is called so, and where the category is called so and nothing else.
BRANCH, WHOLE = -0.3, -0.6
# Words after which a number is one of pins.
PINS = frozenset(["pin", "way", "pole", "position"])
# Other words for how many of something there are in one part.
TIMES = {"two": "dual", "three": "triple", "four": "quad", "six": "hex", "eight": "octal"}


@lru_cache(maxsize=8192)
def words_of(text: str) -> tuple[str, ...]:
    """Divide a text into words, remembering it: titles and packages come again and again."""
    return tuple(tokens(text))


def told_counts(part: CataloguePart) -> frozenset[tuple[str, str]]:
    """Give how many of what a title tells of."""
    return frozenset(counts_in(list(words_of(sizes_whole(part.title))), TOLD | PINS))


def ways_of(part: CataloguePart, told: frozenset[tuple[str, str]]) -> float:
    """Give the ways a part says it has; 0 where it says none."""
    said = next((float(number) for number, word in told if word in PINS and word != "pin"), 0.0)
    return part.params.get("ways", said)


def sizes_whole(title: str) -> str:
    """Keep a package's number at its letters: what is as large as a DIP-4 has not four ways."""
    return re.sub(r"\b([A-Za-z]{2,})-(\d+)\b", r"\1 \1\2", title)


def begins(longer: str, word: str) -> bool:
    """Tell whether a word is another, or its beginning: ``m2.5`` of ``m2.5x8``, not ``m2`` of ``m25``."""
    return longer == word or (longer.startswith(word) and not re.match(r"[\d.]", longer[len(word) :]))


def title_words(title: str) -> tuple[str, ...]:
    """Divide a title into words; of a size by two lengths each is one as well: a plug of 5.5 x 2.1 mm.

    What has four of something is also called quad.
    """
    words = (*words_of(sizes_whole(title)), *(many for word, many in TIMES.items() if f"{word} " in title))
    sides = [m for w in words if (m := re.fullmatch(r"([\d.]+)x([\d.]+)mm", w))]
    return (*words, *(f"{side}mm" for m in sides for side in m.groups()))


def category_words(category: Category, whole: frozenset[str]) -> dict[str, float]:
    """Give the words of a category, each with how far it is from it; ``whole`` are names of categories of one word."""
    found: dict[str, float] = {}
    for k, word in enumerate(tokens(category.words)):
        found[word] = WORD + LATER * min(k, 10)
    found |= dict.fromkeys(tokens(category.name), NAME)
    branch = tokens(category.branch)
    for word in branch:
        # What is a category itself is none of its neighbours: no relay is found where a fuse is looked for.
        if word in whole and word not in found:
            continue
        found[word] = found.get(word, MAKER) + BRANCH
    return found


def phrases(category: Category) -> dict[str, tuple[str, ...]]:
    """Give two words of a category that follow each other as one, as they are also typed: op amp, opamp."""
    pairs = pairwise(category.words.lower().split())
    return {one + two: tuple(tokens(f"{one} {two}")) for one, two in pairs if one.isalpha() and two.isalpha()}
