"""Making a board at home through the addresses the pages use: plans, printers, bits, baths, and a board from cut to tinned."""

from __future__ import annotations

import io
import re
import zipfile
from datetime import UTC, datetime, timedelta
from typing import Any

import pypdfium2

from tests.support import BEEPER, FROST, PANEL
from tests.web.support import Served
from vane_step.store.designs import DesignStore
from vane_step.workbench.etchings import runs_of
from vane_step.workbench.things import baths_of

HOME = f"/d/{BEEPER}"
PAGE = f"{HOME}/make?manufacturing=etch"


class AtHome(Served):
    """One bench, one board."""

    def setUp(self) -> None:
        """Give the store a clock that is set by hand, and clear the bench of what ships with the demo."""
        super().setUp()
        bench = self.app.state.store.bench
        for design in (BEEPER, PANEL):
            for number in runs_of(bench, design):
                bench.change("etching", design, number, None)
        for key in baths_of(bench):
            bench.drop("bath", key)
        self.now = datetime(2026, 4, 1, 9, 0, tzinfo=UTC)
        store: DesignStore = self.app.state.store
        store.shared._clock = lambda: self.now

    def post(self, path: str, status: int = 303, **fields: Any) -> str:
        """Send a form and give where it leads, or what it is refused with."""
        answer = self.client.post(f"{HOME}/{path}", data=fields, follow_redirects=False)
        self.assertEqual(answer.status_code, status, answer.text[:300])
        return answer.headers["location"] if status == 303 else answer.text

    def shown(self, part: str = "", **query: str) -> str:
        """Give a part of the page."""
        params = {"manufacturing": "etch", **({"part": part} if part else {}), **query}
        answer = self.client.get(f"{HOME}/make", params=params)
        self.assertEqual(answer.status_code, 200)
        return re.sub(r"\s+", " ", re.sub(r' d="[^"]*"', "", answer.text.split('id="etched"')[1]))

    def rows(self) -> list[str]:
        """Give the rows of the drill list."""
        return re.findall(r"<tr><td><b>\w</b>.*?</tr>", self.shown("drilling"))

    def test_plans(self) -> None:
        """What is wished for comes on the sheets; a plan that cannot be is refused in place; files come in every kind."""
        page = self.shown(method="dry-film", copies="fill", blank="100x160", pads="large")
        self.assertIn("printed mirrored" if "front copper" in page else "printed as is", page)
        self.assertIn("copper is white", page)
        self.assertIn("does not fit", self.shown(copies="1", blank="40x40"))
        self.assertIn("Allowed: A4", self.shown(paper="A9"))
        for kind, begins in (("pdf", b"%PDF"), ("svg", b"<svg"), ("png?dpi=600", b"\x89PNG")):
            self.assertTrue(self.client.get(f"{HOME}/etch.{kind}").content.startswith(begins))
        # Stops are named on the page and on the sheet.
        self.ask("unroute GND", id=BEEPER)
        self.assertIn("stops are open", self.shown())
        text = (
            pypdfium2.PdfDocument(self.client.get(f"{HOME}/etch.pdf").content)[0]
            .get_textpage()
            .get_text_range()
        )
        self.assertRegex(text, r"\d+ stops open")
        # The method is kept, and offered no more once it is.
        self.assertIn('data-ask="method film"', self.shown(method="film"))
        self.ask("method film", id=BEEPER)
        self.assertNotIn('data-ask="method film"', self.shown())
        self.assertIn("Milled isolation", self.shown(method="mill"))

    def test_printers_and_bits(self) -> None:
        """What a printer's ruler measures is kept for it and corrects its prints; broken bits are passed over."""
        where = self.post(
            "bench/printer", name="laser, toner paper", across="49.5", upwards="50.25", margin="6"
        )
        self.assertIn("printer=laser", where)
        self.assertIn("laser, toner paper", self.client.get(where).text)
        svg = self.client.get(f"{HOME}/etch.svg?printer=laser, toner paper").text
        self.assertIn(f"scale({50 / 49.5:.6f} {50 / 50.25:.6f})", svg)
        self.assertIn("at least 45", self.post("bench/printer", 422, name="bad", across="20", upwards="50"))
        self.post("bench/bit", size="0.8 1.0 1.3")
        self.assertIn("0.8 mm", self.rows()[0])
        self.post("bench/bit", size="0.8", state="broken")
        self.assertIn(">1 mm", self.rows()[0])
        self.assertIn("0.80 mm, broken", self.shown("drilling"))
        for wrong in ({"size": "40"}, {"size": "0.8", "state": "lost"}):
            self.post("bench/bit", 422, **wrong)
        self.post("bench/bit", size="0.8", state="off")
        self.assertNotIn("0.80 mm, broken", self.shown("drilling"))
        self.assertIn("Small before large", self.shown("drilling", tool="hand"))

    def test_a_board_from_cut_to_tinned(self) -> None:
        """Steps are ticked off, the timer runs by the store's clock, what came of it teaches the next, the bath has eaten."""
        page = self.shown("bath")
        self.assertIn("by guidance alone", page)
        self.assertLess(page.index("hexahydrate"), page.index("Goggles"))
        self.post("bench/bath", name="Ferric, spring", school="ferric", volume="500", strength="400")
        self.assertIn(
            "100 to 600", self.post("bench/bath", 422, name="x", school="ferric", volume="500", strength="4")
        )
        where = self.post("etching", copies="2")
        run = f"etching/{re.findall('run=([0-9]+)', where)[0]}"
        self.post(f"{run}/tick", step="clean")
        self.assertIn('class="done"', self.shown("bath"))
        self.post(f"{run}/fault", side="back", x="12.5", y="20", kind="gap")
        self.assertIn("before the bath: draw it with the pen", self.shown("bath"))
        self.post(f"{run}/fault", 422, side="back", x="12", y="20", kind="ghost")
        self.post(f"{run}/start", 422, bath="ferric-spring", temperature="300")
        self.post(f"{run}/start", bath="ferric-spring", temperature="38", moved="true")
        self.assertIn(f'data-since="{self.now.isoformat()}"', self.shown("bath"))
        self.post(f"{run}/start", 409)
        self.now += timedelta(minutes=17)
        self.post(f"{run}/stop", 422, seen="magic")
        self.post(f"{run}/stop", seen="clean", note="corner slow")
        page = self.shown("bath")
        self.assertIn("17 minutes", page)
        self.assertIn("corner slow", page)
        self.post(f"{run}/fault", side="back", x="13", y="21", kind="gap", note="thin")
        self.post(f"{run}/mend/0")
        self.assertIn("after the bath: solder over it", self.shown("bath"))
        self.post("etching")
        page = self.shown("bath")
        self.assertIn("learned from 1 of your boards", page)
        bench = self.app.state.store.bench
        (first, second), (bath,) = runs_of(bench, BEEPER).values(), baths_of(bench).values()
        self.assertEqual((first.copies, first.seconds, first.ticks.keys()), (2, 1020, {"clean"}))
        self.assertAlmostEqual(first.removed_g, 2 * second.removed_g, places=3)
        self.assertIn(f"has eaten {first.removed_g:.2f} of", page)
        self.post(f"bench/bath/{bath.id}/gone")
        self.assertIn("handed in 2026-04-01", self.shown("bath"))
        self.post(f"{run}/delete")
        self.assertEqual(len(runs_of(bench, BEEPER)), 1)
        # Another design's etchings are not reached through this one's address.
        self.client.post(f"/d/{FROST}/etching", data={})
        other = next(iter(runs_of(bench, FROST)))
        self.post(f"etching/{other}/delete", 404)
        self.assertIn("acid of 10 %", self.shown("bath", school="acid"))


class Ordered(Served):
    """Quotes, orders, both ways."""

    def post(self, path: str, status: int = 303, **fields: Any) -> str:
        """Send a form and give where it leads, or what it is refused with."""
        answer = self.client.post(f"/d/{FROST}/{path}", data=fields, follow_redirects=False)
        self.assertEqual(answer.status_code, status, answer.text[:300])
        return answer.headers["location"] if status == 303 else answer.text

    def shown(self, part: str, manufacturing: str = "order") -> str:
        """Give a part of the page."""
        answer = self.client.get(f"/d/{FROST}/make?manufacturing={manufacturing}&part={part}")
        self.assertEqual(answer.status_code, 200)
        return re.sub(r"\s+", " ", answer.text.split('id="etched"')[1])

    def test_quotes_and_orders(self) -> None:
        """Houses are asked and compared, one dead is told; an order is of the board asked for, and is inspected when it comes."""
        self.assertIn("ask the houses", self.shown("both", "both"))
        self.assertIn("Five houses", self.shown("quotes"))
        self.client.post("/simulation/houses", data={"hazelford": "down", "tarnbrook": "malformed"})
        self.post("quotes", 422, quantity="some")
        self.post("quotes", quantity="5", colour="blue")
        page = self.shown("quotes")
        for words in (
            "Hazelford Quick Boards: It refuses (503).",
            "Its answer cannot be read.",
            "Brindlecroft Boards",
            "in hand on",
            "h of soldering",
        ):
            self.assertIn(words, page)
        details = self.client.get(f"/d/{FROST}/quotes/brindlecroft").text
        for words in ("2 mm less each way", "10 boards more", "1 layer instead of 2", "colour blue"):
            self.assertIn(words, details)
        self.post("orders", 404, house="brindlecroft", way="pigeon")
        self.post("orders", house="brindlecroft", way="letter")
        page = self.shown("orders")
        # Two orders shipped with the demo, the first of an earlier board.
        self.assertEqual(page.count("<section"), 3)
        self.assertEqual(page.count("The design has changed since this order"), 1)
        self.assertIn("ordered ·", page)
        number = max(int(n) for n in re.findall(r'id="order-(\d+)"', page))
        self.post(f"orders/{number}", 409, act="right", key="count")
        self.post(f"orders/{number}", act="received")
        self.post(f"orders/{number}", act="wrong", key="count", reading="4")
        self.post(f"orders/{number}", act="complaint", text="one short")
        self.post(f"orders/{number}", 422, act="burned")
        self.assertIn("one short", self.shown("orders"))
        self.post(f"orders/{number}", act="again")
        self.assertIn(f"as order {number}", self.shown("orders"))
        self.post(f"orders/{number}", act="delete")
        both = self.shown("both", "both")
        self.assertIn("Ordered from", both)
        self.assertIn("At home, ironed toner paper", both)
        self.assertIn("no hole is plated", both)
        # A changed board has to be asked for again; one with stops is not ordered.
        self.ask("move H1 4.2 4.2")
        self.assertIn("The board has changed since", self.shown("quotes"))
        self.post("orders", 409, house="brindlecroft", way="letter")
        self.assertIn("ask the houses", self.shown("both", "both"))
        self.ask("unroute 3V3")
        self.post("quotes", quantity="5")
        self.assertIn("stops forbid it", self.post("orders", 409, house="brindlecroft", way="letter"))


class Assembled(Served):
    """How houses that fit parts count turns."""

    def test_a_house_is_kept(self) -> None:
        """A way of counting is kept for every design, chosen again, changed beside it, and forgotten; nonsense is refused."""
        there = "make?manufacturing=order&part=assembly"
        post = self.client.post
        said = {"name": "Low Mill", "convention": "lower-left", "turns": "SOT-23=90"}
        answer = post(f"/d/{FROST}/bench/fitting", data=said, follow_redirects=False)
        self.assertTrue(answer.headers["location"].endswith("house=Low%20Mill"))
        page = self.client.get(f"/d/{BEEPER}/{there}&house=Low+Mill").text
        self.assertIn('value="SOT-23=90"', page)
        self.assertIn('<option value="lower-left" selected', re.sub(r"\s+", " ", page))
        changed = self.client.get(
            f"/d/{FROST}/{there}&house=Low+Mill&was=Low+Mill&turns=SOT-23=45&convention=lower-left"
        ).text
        self.assertIn('value="SOT-23=45"', changed)
        packed = self.client.get(f"/d/{FROST}/assembly.zip?house=Low+Mill").content
        names = zipfile.ZipFile(io.BytesIO(packed)).namelist()
        self.assertIn("frost-sentinel-placement-lower-left.csv", names)
        self.assertIn("frost-sentinel-assembly.pdf", names)
        self.assertEqual(self.client.get(f"/d/{FROST}/assembly.pdf").content[:4], b"%PDF")
        for bad in (
            {"convention": "sideways"},
            {"turns": "SOT-23=lots"},
            {"turns": "SOT-23=900"},
            {"name": " "},
        ):
            self.assertEqual(post(f"/d/{FROST}/bench/fitting", data={**said, **bad}).status_code, 422, bad)
        self.assertEqual(self.client.get(f"/d/{FROST}/{there}&house=Nobody").status_code, 200)
        post(f"/d/{FROST}/bench/fitting/Low%20Mill/drop")
        self.assertNotIn("Low Mill", self.client.get(f"/d/{FROST}/{there}").text)
