"""Texts of pages in another language: all that pages say is found, looked up and filled in, and nothing else changes."""

from __future__ import annotations

import re
import tempfile
import unittest
from html.parser import HTMLParser
from pathlib import Path
from unittest.mock import patch

from babel.messages import Catalog
from babel.messages.pofile import write_po
from hypothesis import given, strategies as st
from jinja2 import Environment, nodes
from markupsafe import escape

from tests.web.support import Served
from vane_step.web.language import catalogue as texts
from vane_step.web.language.catalogue import Catalogue, chosen, in_use, message
from vane_step.web.language.gathering import as_file, everything, of_script
from vane_step.web.language.marking import PageEnvironment, messages_of
from vane_step.web.render import templates

# Phrases of templates that are what the core says too.
# What etching says holds the last four.
DATA = frozenset(
    ("left out", "Fits the lid of the meter box", "one of", "both sides", "wire jumper", "your own")
)
DEMO = "1-frost-sentinel"
STEPS = (
    "brief",
    "parts",
    "parts?show=catalogue",
    "parts?show=controller",
    "parts?show=patterns",
    "parts?show=stock",
)
STEPS += (
    "circuit",
    "circuit?show=reasons",
    "circuit?show=blocks",
    "circuit?show=fit",
    "power",
    "board",
    "make",
)
STEPS += (
    "make?manufacturing=etch",
    "make?manufacturing=order&part=assembly",
    "make?manufacturing=order&part=quotes",
    "make?manufacturing=order&part=orders",
    "make?manufacturing=both",
    "make?manufacturing=etch&part=drilling",
    "make?manufacturing=etch&part=bath",
    "inspect",
    "mill",
    "findings?step=board",
    "selection?kind=net&key=GND",
    "selection?kind=part&key=U1",
)


def bracketed() -> Catalogue:
    """Make a language in which every text stands in brackets."""
    said = everything(templates.env)
    single = {str(m.id): f"⟦{m.id}⟧" for m in said if m.id and not m.pluralizable}
    plural = {m.id[0]: (f"⟦{m.id[0]}⟧", f"⟦{m.id[1]}⟧") for m in said if m.id and m.pluralizable}
    return Catalogue("en", single, plural)


class Words(HTMLParser):
    """What of a page is read or read out, code and drawings left out."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self.silent: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in ("script", "style", "code", "svg", "option"):
            self.silent.append(tag)
        self.found += [v or "" for k, v in attrs if k in ("aria-label", "title")]

    def handle_endtag(self, tag: str) -> None:
        if self.silent and self.silent[-1] == tag:
            self.silent.pop()

    def handle_data(self, data: str) -> None:
        if not self.silent:
            self.found.append(data)


class Pages(Served):
    """Every page in a language of brackets."""

    def test_the_catalogue_is_current(self) -> None:
        """`pages.pot` holds what templates, scripts and modules say now; tools/write_texts.py writes it."""
        self.assertEqual((texts.FOLDER / "pages.pot").read_bytes(), as_file(everything(templates.env)))

    def test_brackets_change_nothing_else(self) -> None:
        """Every page with each text in brackets is, less the brackets, the page in English."""
        for path in (
            "/",
            "/new",
            "/rules",
            "/glossary",
            "/simulation",
            "/inspect",
            *(f"/d/{DEMO}/{s}" for s in STEPS),
        ):
            with self.subTest(path):
                plain = self.client.get(path)
                with patch("vane_step.web.guards.chosen", lambda _: bracketed_once()):
                    other = self.client.get(path)
                self.assertEqual((plain.status_code, other.status_code), (200, 200))
                self.assertGreater(other.text.count("⟦"), 2)
                stripped = re.sub(
                    "[⟦⟧]", "", re.sub(r'<script type="application/json".*?</script>\n', "", other.text)
                )
                self.assertEqual(_calm(stripped), _calm(plain.text))

    def test_no_text_is_forgotten(self) -> None:
        """No phrase that stands in a template is shown outside of the brackets, on the demo or on an empty design."""
        phrases = {
            c.value
            for path in sorted(Path(templates.env.loader.searchpath[0]).glob("*.html"))  # type: ignore[union-attr]
            for c in Environment._parse(templates.env, path.read_text("utf-8"), None, None).find_all(
                nodes.Const
            )
            if isinstance(c.value, str) and re.fullmatch(r"[A-Za-z]{2,}(?: [A-Za-z]{2,})+", c.value)
        }
        self.assertGreater(len(phrases), 100)
        answers = {"name": "Qzx", "size": "40x30", "manufacturing": "order", "skills": "anything"}
        made = str(self.client.post("/new", data=answers).url).split("/d/")[1].split("/")[0]
        empty = [f"/d/{made}/{s}" for s in STEPS if "selection" not in s]
        for path in ("/", "/new", *empty, *(f"/d/{DEMO}/{s}" for s in STEPS)):
            with self.subTest(path), patch("vane_step.web.guards.chosen", lambda _: bracketed_once()):
                page = Words()
                page.feed(self.client.get(path).text)
                outside = "\n".join(page.found)
                while outside != (inner := re.sub(r"⟦[^⟦⟧]*⟧", "", outside)):
                    outside = inner
                self.assertEqual([p for p in phrases if p in outside and not _is_data(p)], [])


class Messages(unittest.TestCase):
    """One message: found, filled in, counted, with figures as the language writes them."""

    OTHER = Catalogue(
        "x",
        {"Gap to {name} is <1>{gap}</1>": "<1>{gap}</1>, {name}"},
        {"{n} part": ("{n} Teil", "{n} Teile")},
        point=",",
    )

    def rendered(self, source: str, **data: object) -> str:
        env = PageEnvironment(autoescape=True)
        env.globals.update(_=texts.text, _message=message, _number=texts.number)
        env.filters.update(count_of=texts.counted, mm=lambda v: f"{v:.2f}")
        return env.from_string(source).render(**data)

    @given(st.text(max_size=8), st.text(max_size=8), st.booleans())
    def test_marked_is_as_written(self, one: str, two: str, yes: bool) -> None:
        """In English what is marked is what would be without marking, whatever is filled in."""
        for source in (
            "<p>Gap to {{ one }} is <b class='{{ two }}'>{{ two }}</b> wide</p>",
            "<a title='Go to {{ one }}' href='{{ two }}'>Open {{ one }} &amp; more</a> after",
            "<td>{{ 'locked ' ~ one if yes else 'not locked' }}</td><td>{% if yes %}some words{% endif %} {{ two }}</td>",
            "<option {% if yes %}selected{% endif %}>front side</option><p>{one} <i>of {{ two }}</i></p>",
        ):
            plain = Environment(autoescape=True).from_string(source).render(one=one, two=two, yes=yes)
            self.assertEqual(self.rendered(source, one=one, two=two, yes=yes), plain)

    def test_looked_up(self) -> None:
        """Values and tags go where the language wants them, plurals and the decimal sign are the language's own."""
        token = in_use.set(self.OTHER)
        try:
            said = self.rendered(
                "<p>Gap to {{ name }} is <b id='{{ name }}'>{{ gap|mm }}</b></p>", name="<x>", gap=1.5
            )
            self.assertEqual(said, f"<p><b id='{escape('<x>')}'>1,50</b>, {escape('<x>')}</p>")
            self.assertEqual([texts.counted(n, "part") for n in (1, 3)], ["1 Teil", "3 Teile"])
            kept = self.rendered("<input value='{{ gap|mm }}'><option>front side</option>", gap=1.5)
            self.assertEqual(
                kept, "<input value='1.50'><option>front side</option>", "what is sent back stays"
            )
        finally:
            in_use.reset(token)

    def test_found(self) -> None:
        """Sentences are found whole, units and what forms send are none; scripts say theirs by `t`."""
        source = "<p title='Key {{ k }}'>Of <b>{{ n }}</b> parts {{ w|mm }} mm</p><i>{{ n }} mm</i><option>back</option>"
        found = [m.text for m in messages_of(PageEnvironment(), source)]
        self.assertEqual(found, ["Key {k}", "Of <b>{n}</b> parts {w} mm"])
        script = "tell(t`Gap to ${a.b} is ${f(`x`)} mm`); say(`not ${this}`)"
        self.assertEqual([m.text for m in of_script(script)], ["Gap to {0} is {1} mm"])

    def test_another_language_is_a_file(self) -> None:
        """A file beside the catalogue is chosen by what the browser accepts, and brings plural rule and decimal sign."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            other = Catalog(locale="de")
            other.add("Undo", "Rückgängig")
            other.add(("{n} part", "{n} parts"), ("{n} Teil", "{n} Teile"))
            other.add("saved", "gespeichert", locations=[("static/js/frame/session.js", 1)])
            with (folder / "de.po").open("wb") as file:
                write_po(file, other)
            found = chosen("fr;q=0.4,de-AT,en;q=0.5", folder)
            self.assertEqual((found.language, found.point, found.texts["Undo"]), ("de", ",", "Rückgängig"))
            self.assertEqual((found.scripts, found.plural(2)), ({"saved": "gespeichert"}, 1))
            for header, language in (
                ("fr", "en"),
                ("en;q=0.4,de;q=0.9", "de"),
                ("de;q=0.2,en", "en"),
                ("*;q=x,,;", "en"),
            ):
                self.assertEqual(chosen(header, folder).language, language, header)


_BRACKETED: list[Catalogue] = []


def bracketed_once() -> Catalogue:
    """Give the language of brackets, gathered once."""
    if not _BRACKETED:
        _BRACKETED.append(bracketed())
    return _BRACKETED[0]


def _is_data(phrase: str) -> bool:
    """Tell whether a phrase also stands in what the core or a design says."""
    return phrase in DATA


def _calm(page: str) -> str:
    """Take out what differs from one answer to the next."""
    return re.sub(r"\d+ ms|[0-9a-f]{16}", "", page)


if __name__ == "__main__":
    unittest.main()
