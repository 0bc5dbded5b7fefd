"""The tree of categories: branches, categories, and the everyday words each is known by; parts are in tables."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from vane_step.core.errors import InputError


@dataclass(frozen=True)
class Category:
    """A kind of parts as people look for it: its branch, the words it is called by, and figures to narrow it down.

    Words in ``every`` are true of all its members, though only some of their titles say so.
    """

    name: str
    branch: str
    words: str
    figures: tuple[str, ...] = ()
    loose: bool = False
    every: str = ""


def read_tree(data: Mapping[str, Any], where: str) -> dict[str, Category]:
    """Read the tree: branch, then category, then its words; ``figures`` apart by ``|``; ``loose`` has no pattern.

    A word after ``=`` is true of every member; another that some titles say is true of those alone.

    Raises
    ------
    InputError
        When a category stands in two branches or has no words.
    """
    found: dict[str, Category] = {}
    for branch, categories in data.items():
        for name, text in categories.items():
            words, _, rest = str(text).partition("|")
            keys = rest.split()
            if name in found or not words.strip():
                raise InputError(
                    f"{name!r} comes twice or has no words.", where=where, next_step="Give it words, once."
                )
            figures = tuple(k for k in keys if k != "loose")
            every = " ".join(w[1:] for w in words.split() if w.startswith("="))
            found[name] = Category(
                name, branch, words.strip().replace("=", ""), figures, "loose" in keys, every
            )
    return found
