"""Texts in a language: read from its file, filled with what belongs in, figures written as the language writes them.

English is what the templates and scripts say. Another language is a file ``locale/<language>.po`` beside this folder,
made from ``locale/pages.pot``; what it lacks is shown in English.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass, field
from functools import cache, lru_cache
from gettext import c2py
from pathlib import Path
from typing import Final

from babel import Locale, negotiate_locale
from babel.messages.pofile import read_po
from markupsafe import Markup, escape

FOLDER: Final = Path(__file__).parent.parent / "locale"
SOURCE: Final = "en"


@dataclass(frozen=True)
class Catalogue:
    """The texts of one language by what they are in English; plurals by (one, many)."""

    language: str
    texts: Mapping[str, str] = field(default_factory=dict)
    plurals: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    scripts: Mapping[str, str] = field(default_factory=dict)
    plural: Callable[[int], int] = lambda n: int(n != 1)
    point: str = "."


ENGLISH: Final = Catalogue(SOURCE)
in_use: ContextVar[Catalogue] = ContextVar("in_use", default=ENGLISH)


def languages(folder: Path = FOLDER) -> tuple[str, ...]:
    """Name the languages there are: English and those that have a file."""
    return (SOURCE, *sorted(p.stem for p in folder.glob("*.po")))


@cache
def catalogue(language: str, folder: Path = FOLDER) -> Catalogue:
    """Read the texts of a language."""
    if language == SOURCE:
        return ENGLISH
    with (folder / f"{language}.po").open("rb") as file:
        read = read_po(file, locale=language)
    texts: dict[str, str] = {}
    plurals: dict[str, tuple[str, ...]] = {}
    scripts: dict[str, str] = {}
    for said in read:
        if not said.id or not said.string or said.fuzzy:
            continue
        if said.pluralizable:
            plurals[said.id[0]] = tuple(said.string)
            continue
        texts[str(said.id)] = str(said.string)
        if any(file.endswith(".js") for file, _ in said.locations):
            scripts[str(said.id)] = str(said.string)
    point = Locale.parse(language, sep="-" if "-" in language else "_").number_symbols["latn"]["decimal"]
    return Catalogue(language, texts, plurals, scripts, c2py(read.plural_expr), point)


def chosen(accepted: str, folder: Path = FOLDER) -> Catalogue:
    """Choose among the languages there are by what a browser accepts, such as ``de-AT,de;q=0.9``."""
    have = languages(folder)
    if len(have) == 1:
        return ENGLISH
    parts = [re.match(r"\s*([\w-]+)\s*(?:;\s*q=([01](?:\.\d+)?))?", w) for w in accepted.split(",")[:20]]
    named = sorted((m for m in parts if m), key=lambda m: -float(m[2] or 1))
    wanted = [m[1].replace("-", "_") for m in named]
    return catalogue(negotiate_locale(wanted, list(have)) or SOURCE, folder)


def text(message: str) -> str:
    """Give a text in the language of the request."""
    return in_use.get().texts.get(message, message)


def counted(count: int, thing: str) -> str:
    """Give a count with what is counted, in the plural where it is not one."""
    used = in_use.get()
    forms = used.plurals.get(f"{{n}} {thing}", (f"{{n}} {thing}", f"{{n}} {thing}s"))
    # A file may lack a form that its plural rule asks for.
    return forms[min(used.plural(count), len(forms) - 1)].replace("{n}", str(count))


def number(figure: object) -> str:
    """Write a figure that is already formatted as the language writes it; what is safe to show stays so."""
    point = in_use.get().point
    if point == ".":
        return figure if isinstance(figure, str) else str(figure)
    said = re.sub(r"(?<=\d)\.(?=\d)", point, str(figure))
    return Markup(said) if isinstance(figure, Markup) else said


@lru_cache(maxsize=4096)
def _pieces(said: str) -> tuple[str, ...]:
    return tuple(re.split(r"\{(\w+)\}|<(/?\d+)>", said))


def message(said: str, **filled: object) -> Markup:
    """Give a message of a template with what is filled in: values by name, tags by number."""
    pieces = _pieces(text(said))
    if len(pieces) == 1:
        return Markup(pieces[0])
    out = [pieces[0]]
    for k in range(1, len(pieces), 3):
        name, tag = pieces[k], pieces[k + 1]
        if name is None:
            name = f"e{tag[1:]}" if tag[0] == "/" else f"t{tag}"
        # Braces that a template shows as they are are no place to fill in.
        out += [str(escape(filled[name])) if name in filled else f"{{{name}}}", pieces[k + 2]]
    return Markup("".join(out))


def texts_of_scripts() -> dict[str, str]:
    """Give the texts of the scripts in the language of the request; none in English."""
    return dict(in_use.get().scripts)
