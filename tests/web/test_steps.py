"""Brief, parts and circuit through the addresses the pages use: the supplier and its failures, drawer, blocks, waivers."""

from __future__ import annotations

import json
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

import httpx
from fastapi.testclient import TestClient

from tests.support import BEEPER, FROST, PANEL, demo
from tests.web.support import Here
from vane_step.core.circuit.blocks import block_from, block_json
from vane_step.core.errors import EditRefused
from vane_step.data.shipped import blocks
from vane_step.simulated.host import Hosted
from vane_step.simulated.supplier import create_supplier
from vane_step.store.designs import DesignStore
from vane_step.suppliers.client import SupplierSilent, ask_supplier
from vane_step.web.app import create_app
from vane_step.web.jobs import Jobs
from vane_step.web.settings import Settings


class Served(unittest.TestCase):
    """An application of its own, with a supplier of its own, and a clock that can be turned."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.now = datetime(2026, 11, 25, 8, 0, tzinfo=UTC)
        with patch("vane_step.web.app.Jobs", lambda: Jobs(Here(), {})):
            self.app = create_app(Settings(data=Path(folder.name)), demo=True)
        self.app.state.store.shared._clock = lambda: self.now
        self.client = TestClient(self.app, base_url="http://127.0.0.1")
        self.addCleanup(self.app.state.store.close)
        self.addCleanup(self.app.state.jobs.close)
        self.addCleanup(self.app.state.supplier.close)

    def post(self, path: str, **data: Any) -> Any:
        """Send JSON to a design's address."""
        return self.client.post(f"/d/{FROST}/{path}", json=data)

    def ask(self, text: str, id: str = FROST) -> Any:
        """Carry a sentence out."""
        version = self.app.state.store.get(id).version
        return self.client.post(f"/d/{id}/ask", json={"text": text, "version": version, "commit": True})

    def page(self, path: str, id: str = FROST) -> str:
        """Get a page of a design."""
        answer = self.client.get(f"/d/{id}/{path}")
        self.assertEqual(answer.status_code, 200, path)
        return " ".join(answer.text.split())


class Supplier(Served):
    """Prices over HTTP."""

    def test_asked_dated_stale_and_usable_when_down(self) -> None:
        """Prices come dated, are stale after a day, stay usable when the supplier is down, and are renewed when it is back."""
        self.assertIn("no prices asked yet", self.page("parts"))
        self.assertEqual(self.post("offers", version=1).status_code, 200)
        text = self.page("parts")
        self.assertIn("2026-11-25 08:00 UTC", text)
        self.assertNotIn("more than a day old", text)
        self.assertIn("Not enough of HK-40-3A", text)
        self.assertIn("Replace by HK-60-3A", text)
        for boards in ("1 board", "5 boards", "10 boards", "50 boards"):
            self.assertIn(boards, text)
        self.assertEqual(self.ask("swap D1 D2 D5 HK-60-3A").status_code, 200)
        self.assertNotIn("Not enough of", self.page("parts"))
        self.now += timedelta(hours=25)
        self.assertIn("more than a day old", self.page("parts"))
        for mode in ("down", "rejecting", "malformed"):
            self.assertIn(f"is {mode}", self.client.post("/simulation", data={"mode": mode}).text)
            answer = self.post("offers", version=1)
            self.assertEqual((answer.status_code, answer.json()["code"]), (502, "supplier-silent"), mode)
            self.assertIn("2026-11-25 08:00 UTC", self.page("parts"))
        self.client.post("/simulation", data={"mode": "responding"})
        self.assertEqual(self.post("offers", version=1).status_code, 200)
        self.assertIn("2026-11-26 09:00 UTC", self.page("parts"))
        rows = self.client.get(f"/d/{FROST}/parts.csv").text.splitlines()
        self.assertTrue(rows[0].startswith("refs,value,package,number"))
        self.assertTrue(all(r.count(",") >= 10 for r in rows))
        self.assertNotIn("NU-6", self.client.get(f"/d/{FROST}/parts.csv?variant=accu").text)

    def test_cost_is_evidence(self) -> None:
        """A wish about cost waits until prices are known, then is shown or not; the budget is held against it."""
        self.assertIn("does not know “cost” yet", self.page("brief"))
        self.post("offers", version=1)
        self.assertNotIn("does not know “cost” yet", self.page("brief"))
        self.ask("brief budget 3")
        self.ask('need Q8 must "Cheap" cost<=4')
        panel = self.page("findings?step=parts")
        self.assertIn("cost more than the brief allows", panel)
        self.assertIn("Q8 is not met", self.page("findings?step=brief"))

    def test_slow_and_strange_answers(self) -> None:
        """A supplier slower than the patience is given up; unasked answers and endless ones are refused."""
        hosted = Hosted(create_supplier())
        self.addCleanup(hosted.close)
        address = hosted.address()
        self.assertEqual(set(ask_supplier(address, ["OW-32T", "NOPE"])), {"OW-32T", "NOPE"})
        httpx.post(f"{address}/v1/behaviour", json={"delay_ms": 800}).raise_for_status()
        with self.assertRaises(SupplierSilent):
            ask_supplier(address, ["OW-32T"], timeout_s=0.2)
        with self.assertRaises(SupplierSilent):
            ask_supplier("http://127.0.0.1:9", ["OW-32T"])
        self.assertEqual(httpx.post(f"{address}/v1/behaviour", json={"mode": "asleep"}).status_code, 422)
        self.assertEqual(self.client.post("/simulation", data={"mode": "asleep"}).status_code, 422)

    def test_alternates_and_controllers(self) -> None:
        """The selection lists stand-ins with prices; candidates carry price and stock, and a proof of their own page."""
        self.post("offers", version=1)
        self.assertIn("Replace by HK-60-3A", self.page("alternates?ref=D2"))
        self.ask("value R13 330")
        self.assertIn("QR-16-330R", self.page("alternates?ref=R13"))
        text = self.page("parts?show=controller")
        self.assertIn("OW-32T", text)
        self.assertIn("no pin left for", text)
        proof = self.page("candidate/OP-48T")
        self.assertIn("The best assignment there is", proof)
        self.assertIn("PUMP_ON", proof)
        self.assertEqual(self.client.get(f"/d/{FROST}/candidate/NOPE").status_code, 404)


class Drawer(Served):
    """What lies at hand."""

    def test_reservations(self) -> None:
        """Designs reserve what is free; what is reserved cannot be taken out; only the rest is bought."""
        shared = self.app.state.store.shared
        for number, count in (("QR-16-10K", "30"), ("LMF-10K", "1")):
            answer = self.client.post(
                "/stock", data={"number": number, "quantity": count, "back": FROST}, follow_redirects=False
            )
            self.assertEqual(answer.status_code, 303)
        self.assertEqual(self.post("reserve", version=1).json()["says"], "reserved 20 parts of 1 kinds")
        self.assertEqual(shared.available(FROST)["QR-16-10K"], 30)
        self.assertEqual(shared.available(BEEPER)["QR-16-10K"], 10)
        self.assertEqual(
            shared.reserve(BEEPER, {"QR-16-10K": 50, "LMF-10K": 2}), {"QR-16-10K": 10, "LMF-10K": 1}
        )
        refused = self.client.post("/stock", data={"number": "QR-16-10K", "quantity": "5", "back": FROST})
        self.assertEqual(refused.status_code, 409)
        with self.assertRaises(EditRefused):
            shared.set_stock("QR-16-10K", 29)
        self.assertEqual(shared.reserve(BEEPER, {}), {})
        self.assertIn("30", self.page("parts?show=stock"))
        self.assertEqual(
            self.client.post("/stock", data={"number": "NOPE", "quantity": "5", "back": FROST}).status_code,
            404,
        )

    def test_kept_over_a_restart(self) -> None:
        """Drawer, offers and own blocks are on disk."""
        with tempfile.TemporaryDirectory() as folder:
            first = DesignStore(Path(folder) / "x.sqlite3", lambda: self.now)
            first.add("a", demo(BEEPER))
            first.shared.set_stock("LMF-10K", 4)
            first.shared.reserve("a", {"LMF-10K": 3})
            first.shared.keep_offers({"X": None, "Y": "{}"}, self.now)
            first.shared.keep_block("Mine", "{}")
            first.close()
            again = DesignStore(Path(folder) / "x.sqlite3", lambda: self.now)
            self.addCleanup(again.close)
            [kept] = again.shared.stock()
            self.assertEqual((kept.number, kept.free, kept.reserved), ("LMF-10K", 1, {"a": 3}))
            self.assertEqual(again.shared.offers(), {"X": (None, self.now), "Y": ("{}", self.now)})
            self.assertEqual(again.shared.blocks(), {"Mine": "{}"})


class Blocks(Served):
    """The library."""

    def test_kept_used_elsewhere_and_exchanged(self) -> None:
        """A block of one design is kept, put into another by its port, saved as a file, brought back, forgotten."""
        told = self.post("keep-block", block="Horn", name="Barn horn", note="loud", version=1)
        self.assertEqual(told.json()["says"], "kept “Barn horn”, 4 parts")
        self.assertEqual(self.ask('use "Barn horn" HORN=TX', PANEL).status_code, 200)
        self.assertIn("BZ1", self.app.state.store.get(PANEL).design.parts)
        file = self.client.get("/blocks/Barn horn.json")
        self.assertEqual(block_from(file.text).note, "loud")
        self.assertEqual(self.post("delete-block", name="Barn horn", version=1).status_code, 200)
        self.assertEqual(self.client.get("/blocks/Barn horn.json").status_code, 404)
        self.client.post(f"/d/{FROST}/import-block", files={"file": ("b.json", file.content)})
        self.assertIn("Barn horn", self.page("circuit?show=blocks"))
        for content in (b"{", b'{"format": "vane-step-block"}', block_json(blocks()["LED"]).encode()):
            answer = self.client.post(f"/d/{FROST}/import-block", files={"file": ("b.json", content)})
            self.assertIn(answer.status_code, (409, 422))
        self.assertEqual(self.post("keep-block", block="Horn", name="LED", version=1).status_code, 409)
        self.assertEqual(self.post("keep-block", block="Nowhere", name="X", version=1).status_code, 404)


class Findings(Served):
    """Waivers and reasons on the page."""

    def test_accepted_with_a_reason(self) -> None:
        """A finding waived on the page is among the accepted ones; without a reason it stays."""
        self.ask("remove R10")
        self.assertIn("Nothing holds Q1 off", self.page("findings?step=circuit"))
        body = {"code": "start-up", "place": "Q1 U1", "version": 2}
        self.assertEqual(self.post("waive", **body, reason="x").status_code, 422)
        self.assertEqual(self.post("waive", **body, reason="switched by hand").status_code, 200)
        text = self.page("findings?step=circuit")
        self.assertIn("1 accepted finding", text)
        self.assertIn("switched by hand", text)

    def test_reasons_show_old_and_new(self) -> None:
        """A stale reason stands first, with what the input was and both values."""
        self.ask("input FROST_LIGHT current_a=8m")
        text = self.page("circuit?show=reasons")
        self.assertLess(text.index("FROST_LIGHT"), text.index("ALIVE_LIGHT"))
        self.assertIn("was 5 mA", text)
        self.assertIn("<s>300</s> <b>180</b>", text)
        self.assertIn("FROST_LIGHT no longer holds", self.page("findings?step=circuit"))
        selection = self.page("selection?kind=part&key=R13")
        self.assertIn("Apply the new values", selection)
        net = self.page("selection?kind=net&key=3V3")
        self.assertIn("Counts on its voltage", net)

    def test_every_key_is_answered(self) -> None:
        """The beginning of any sentence and of any search has an answer; how soon is measured in bench/."""
        for text in (
            "add R41 QR-16-",
            "use LED LIGHT=TX",
            "rename 3V3 3V0",
            "calc X led supply_v=3V3 current_a=5m r_ohm=R13",
            "assign U1",
        ):
            for k in range(4, len(text), 5):
                told = self.client.post(f"/d/{FROST}/ask", json={"text": text[:k], "version": 1}).json()
                self.assertTrue(told["says"] or told["refused"] or told["completions"], text[:k])
        for k in range(1, 18, 4):
            answer = self.client.get(f"/d/{FROST}/search", params={"q": "schottky 40 V 2 A"[:k]})
            self.assertTrue(answer.is_success and "data-part" in answer.text, k)

    def test_pages_are_json_safe(self) -> None:
        """Errors keep their form: a sentence for people, the same fields in JSON."""
        for path in (
            "parts?show=attic",
            "circuit?show=attic",
            "parts?variant=nowhere",
            "patterns.pdf?name=NOPE",
            "sheet.svg?page=Cellar",
        ):
            answer = self.client.get(f"/d/{FROST}/{path}")
            self.assertIn(answer.status_code, (404, 422), path)
            self.assertLessEqual(
                {"code", "message", "where", "allowed", "next_step"}, set(json.loads(answer.text))
            )
        self.assertTrue(self.client.get(f"/d/{FROST}/patterns.pdf").content.startswith(b"%PDF"))
