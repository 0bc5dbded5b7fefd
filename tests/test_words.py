"""What the program says, held against a list of words not to be used: pages, sentences, help and documentation."""

from __future__ import annotations

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

from tests.support import ROOT
from vane_step.core.ask import VERBS
from vane_step.core.glossary import TERMS, parted
from vane_step.core.rules import RULES

# The field has its own words; these are private ones, or quaint, each with what is written instead.
INSTEAD = {
    r"ways? back": "return path",
    r"links?": "connection",
    r"(?<!two-)(?<!three-)(?<!of )wires?(?! jumper|-to-board| as thick| soldered)": "wire jumper",
    r"lift(s|ed|ing)?": "remove tracks, unroute",
    r"(lay|lays|laid|laying) (a|the|more|one|out a) ?(track|tracks|vias?|copper|wires?)?": "draw or route a track",
    r"take (this|the) (one|outline|release|new)|(?-i:Take [A-Z{]\w*)|taken instead": "choose, use, replace by, download",
    r"bring (a|the|your|it) ?\w*": "import",
    r"forgets? (it|the|a|net)|Forget": "delete",
    r"lives? with": "accept with a reason",
    r"make it so|say so|put it in|note it|it worked": "the verb with its object",
    r"prov(ed|es) on": "proven on",
    r"in space|from below": "3D view, view from the back",
    r"roads?": "manufacturing",
    r"drawers?": "stock at hand",
    r"stand-?ins?|talking nonsense": "alternate, simulated",
    r"divider tap|\btap\b": "divider",
    r"slips?|ledgers?|stairs?": "selection panel, findings panel, step bar",
    r"board houses?": "board manufacturer",
}
FORBIDDEN = re.compile("|".join(rf"\b(?:{p})\b" for p in INSTEAD), re.I)
# A name of a control that is read out, or shown when pointed at.
SPOKEN = re.compile(r'\b(?:title|placeholder|aria-label|alt)="([^"]*)"')


def in_templates() -> Iterator[tuple[str, str]]:
    """Give what pages show: text, names of controls, and the literals of expressions."""
    for path in sorted((ROOT / "vane_step/web/templates").glob("*.html")):
        text = re.sub(r"{#.*?#}|{%.*?%}", " ", path.read_text(encoding="utf-8"), flags=re.S)
        shown = " ".join(SPOKEN.findall(text)) + re.sub(r"<[^>]*>", " ", text)
        literals = " ".join(a or b for a, b in re.findall(r'{{[^}]*?"([^"]*)"|\'([^\']*)\'[^}]*?}}', shown))
        yield path.name, re.sub(r"{{.*?}}", " ", shown, flags=re.S) + literals


def in_code() -> Iterator[tuple[str, str]]:
    """Give the sentences of the code: literals of more than one word; of the terminal also what its help says."""
    for path in sorted((ROOT / "vane_step").rglob("*.py")):
        if path.name == "migrations.py":
            continue
        tree = ast.parse(path.read_text(encoding="utf-8"))
        documented = (ast.Module, ast.FunctionDef, ast.ClassDef, ast.AsyncFunctionDef)
        told = {
            id(n.body[0].value)
            for n in ast.walk(tree)
            if isinstance(n, documented) and n.body and isinstance(n.body[0], ast.Expr)
        }
        for node in ast.walk(tree):
            help_text = path.parent.name == "cli" or id(node) not in told
            if not (help_text and isinstance(node, ast.Constant) and isinstance(node.value, str)):
                continue
            if " " in node.value.strip() and not re.search(r"SELECT|INSERT|DELETE FROM", node.value):
                yield f"{path.relative_to(ROOT)}:{node.lineno}", node.value


def in_scripts() -> Iterator[tuple[str, str]]:
    """Give the sentences of the pages' scripts."""
    for path in sorted((ROOT / "vane_step/web/static/js").rglob("*.js")):
        script = path.read_text(encoding="utf-8")
        for a, b in re.findall(r'"([^"\n]* [^"\n]*)"|`([^`\n]* [^`\n]*)`', script):
            yield path.name, re.sub(r"\$\{.*?\}|[.#][\w-]+|\[[^\]]*\]", " ", a or b)


def in_documents() -> Iterator[tuple[str, str]]:
    """Give what the README and the documentation say; names of files and code are left out."""
    for path in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))):
        text = re.sub(
            r"```.*?```|`[^`]*`|\]\([^)]*\)", " ", Path(path).read_text(encoding="utf-8"), flags=re.S
        )
        yield path.name, text


class Words(unittest.TestCase):
    """Present-day words, and the field's own."""

    def test_none_of_the_list_is_said(self) -> None:
        """No page, sentence, script, help or document uses a word of the list."""
        for source in (in_templates, in_code, in_scripts, in_documents):
            for where, text in source():
                said = " ".join(text.split())
                for found in FORBIDDEN.finditer(said):
                    around = said[max(0, found.start() - 40) : found.end() + 40]
                    with self.subTest(where=where, word=found.group(0)):
                        self.fail(f"“{found.group(0)}” in: {around}")

    def test_the_list_finds_what_is_on_it(self) -> None:
        """Each word of the list is found in a sentence that has it."""
        for said in (
            "two open links",
            "lift the copper",
            "the ways back",
            "Take FD-7 instead",
            "live with it",
        ):
            self.assertTrue(FORBIDDEN.search(said), said)
        for said in ("a wire jumper", "wire-to-board plug", "unrouted connections", "taken from the file"):
            self.assertFalse(FORBIDDEN.search(said), said)

    def test_verbs_say_what_they_do(self) -> None:
        """Every verb of the ask line is listed by a present name, with a form that begins with it."""
        for name, verb in VERBS.items():
            self.assertTrue(verb.form.startswith(name), name)
            self.assertFalse(FORBIDDEN.search(f"{verb.form} {verb.does}"), name)


class Terms(unittest.TestCase):
    """The glossary, and terms marked in sentences."""

    def test_sentences_stay_whole(self) -> None:
        """Whatever is marked, the pieces are the sentence; each term is marked once, the longest that fits."""
        sentences = [rule.title for rule in RULES.values()] + list(TERMS.values())
        for text in sentences:
            pieces = parted(text)
            self.assertEqual("".join(piece for piece, _ in pieces), text)
            meanings = [means for _, means in pieces if means]
            self.assertEqual(len(meanings), len(set(meanings)), text)
        self.assertEqual(
            [(p, bool(m)) for p, m in parted("a bypass capacitor is far; no via")],
            [("a ", False), ("bypass capacitor", True), (" is far; no ", False), ("via", True)],
        )
        self.assertEqual([m for _, m in parted("viable nets-of pad")], [""])


if __name__ == "__main__":
    unittest.main()
