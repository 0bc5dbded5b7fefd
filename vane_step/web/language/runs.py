"""Runs of text in a template and what is made of them; where they begin and end is found in ``marking``."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Final

from jinja2 import nodes

# (kind, what it holds): text, expr, open or close; a tag with attributes is held as its pieces.
Token = tuple[str, str | nodes.Expr | list[nodes.Expr]]
# Signs of units and the like: the same in every language.
_UNITS: Final = (
    "mm",
    "mm²",
    "cm²",
    "µm",
    "Ω",
    "kΩ",
    "V",
    "A",
    "W",
    "K",
    "Hz",
    "s",
    "ms",
    "°",
    "°C",
    "€",
    "MB",
    "x",
)
_FILES: Final = ("PDF", "SVG", "STL", "glTF", "DXF", "CSV", "JSON", "zip")
SIGNS: Final = frozenset((*_UNITS, *_FILES))
_FORMAT = re.compile(r"%[-+ #0]*\d*(?:\.\d+)?[sdgfi]|%%|\{\w*\}|</?\d+>|<[^>]*>|&#?\w+;")


@dataclass
class Message:
    """What a template says in one place: the text, its plural where it counts, and the line it stands in."""

    text: str
    line: int
    plural: str = ""


@dataclass
class Run:
    """Tokens of a run that may become a message: (kind, text or expression), kind being text, expr, open or close."""

    line: int = 0
    tokens: list[Token] = field(default_factory=list)


def says(text: str) -> bool:
    """Tell whether a text has words in it: more than figures, signs and units."""
    words = re.findall(r"[^\W\d_]+[²°]?", _FORMAT.sub(" ", text))
    return any(w not in SIGNS and len(w) > 1 for w in words)


def peeled(tokens: list[Token]) -> tuple[list[Token], list[Token], list[Token]]:
    """Part off a tag that holds all of a run, with what is blank round it."""
    i, j = 0, len(tokens)
    while i < j and tokens[i][0] == "text" and not str(tokens[i][1]).strip():
        i += 1
    while j > i and tokens[j - 1][0] == "text" and not str(tokens[j - 1][1]).strip():
        j -= 1
    if j - i > 2 and tokens[i][0] == "open" and tokens[j - 1][0] == "close":
        depth = 0
        for kind, _ in tokens[i : j - 1]:
            depth += {"open": 1, "close": -1}.get(kind, 0)
            if depth == 0:
                break
        else:
            head, inner, tail = peeled(tokens[i + 1 : j - 1])
            return [*tokens[: i + 1], *head], inner, [*tail, *tokens[j - 1 :]]
    return tokens[:i], tokens[i:j], tokens[j:]


def data_of(text: str) -> list[nodes.Expr]:
    """Give a text as a node, none for nothing."""
    return [nodes.TemplateData(text)] if text else []


def around(text: str) -> tuple[str, str, str]:
    """Part off what is blank round a text."""
    body = text.strip()
    at = text.index(body)
    return text[:at], body, text[at + len(body) :]


def safe(piece: nodes.Expr) -> nodes.Expr:
    """Make a piece of a tag ready to be joined: what is filled in is escaped."""
    if isinstance(piece, nodes.TemplateData):
        return piece
    return nodes.Filter(piece, "e", [], [], None, None)


def name_of(node: nodes.Expr) -> str:
    """Name what is filled in by what the template calls it."""
    if isinstance(node, nodes.Name):
        return node.name
    if isinstance(node, nodes.Getattr):
        return node.attr
    if isinstance(node, nodes.Filter) and node.node is not None:
        if node.name in ("format", "join") and node.args and node.name == "format":
            return name_of(node.args[0])
        return name_of(node.node)
    if isinstance(node, nodes.CondExpr):
        return name_of(node.test) if not isinstance(node.test, nodes.Const) else "value"
    if isinstance(node, nodes.Call):
        return name_of(node.node)
    for part in node.iter_child_nodes():
        if isinstance(part, nodes.Expr) and (name := name_of(part)) != "value":
            return name
    return "value"


def fresh(name: str, taken: set[str]) -> str:
    """Give a name that is not taken yet."""
    found, k = name, 2
    while found in taken or re.fullmatch(r"[te]\d+", found):
        found, k = f"{name}{k}", k + 1
    return found
