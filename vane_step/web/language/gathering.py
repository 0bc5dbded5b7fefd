"""Gathers all that pages say into one catalogue, from which another language is made; nothing is looked up here."""

from __future__ import annotations

import ast
import io
import re
from collections.abc import Iterator
from pathlib import Path

from babel.messages import Catalog
from babel.messages.pofile import write_po
from jinja2 import Environment

from vane_step.web.language.marking import messages_of
from vane_step.web.language.runs import Message

WEB = Path(__file__).parent.parent
_TAGGED = re.compile(r"\bt`((?:[^`$]|\$\{(?:[^{}`]|`[^`]*`|\{[^{}]*\})*\})*)`")
_FILLED = re.compile(r"\$\{(?:[^{}`]|`[^`]*`|\{[^{}]*\})*\}")


def of_script(source: str) -> Iterator[Message]:
    """Give what a script says: its templates tagged with ``t``."""
    for match in _TAGGED.finditer(source):
        count = iter(range(99))
        said = _FILLED.sub(lambda _, count=count: f"{{{next(count)}}}", match[1])
        yield Message(said, source.count("\n", 0, match.start()) + 1)
        # A text may stand in what is filled into another.
        for filled in _FILLED.findall(match[1]):
            yield from of_script(filled)


def of_module(source: str) -> Iterator[Message]:
    """Give what a module of the pages says: strings given to ``text`` and ``counted``."""
    for node in ast.walk(ast.parse(source)):
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.args):
            continue
        last = node.args[-1]
        if not (isinstance(last, ast.Constant) and isinstance(last.value, str)):
            continue
        if node.func.id == "text":
            yield Message(last.value, node.lineno)
        elif node.func.id == "counted":
            yield Message(f"{{n}} {last.value}", node.lineno, f"{{n}} {last.value}s")


def everything(environment: Environment) -> Catalog:
    """Give all messages with the places they stand in, in the order of files and lines."""
    found = Catalog(project="Vane Step", charset="utf-8", header_comment="# What the pages of Vane Step say.")
    sources = [
        *((p, messages_of(environment, p.read_text("utf-8"))) for p in sorted(WEB.glob("templates/*.html"))),
        *((p, of_script(p.read_text("utf-8"))) for p in sorted(WEB.glob("static/js/**/*.js"))),
        *((p, of_module(p.read_text("utf-8"))) for p in sorted(WEB.glob("**/*.py"))),
    ]
    for path, messages in sources:
        for said in messages:
            key = (said.text, said.plural) if said.plural else said.text
            found.add(key, locations=[(str(path.relative_to(WEB)), said.line)])
    return found


def as_file(catalogue: Catalog) -> bytes:
    """Write a catalogue as the template of other languages: files without lines, so that it rarely changes."""
    out = io.BytesIO()
    write_po(out, catalogue, width=110, include_lineno=False, omit_header=True)
    return out.getvalue()
