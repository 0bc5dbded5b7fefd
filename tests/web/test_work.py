"""Edits, routing, panels and outputs through the addresses the pages use; the log and the health of the program."""

from __future__ import annotations

import asyncio
import io
import json
import re
import time
import unittest
import zipfile
from typing import Any
from unittest import mock

from tests.support import BEEPER, FROST, demo
from tests.web.support import Served
from vane_step.core.board.drc.check import copper_findings
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.errors import StoreFailed, VaneStepError
from vane_step.core.fab.reader import read_gerber
from vane_step.core.glossary import TERMS
from vane_step.core.route.router import route
from vane_step.web.pages.changes import _fits_still


class Busy(Served):
    """Work that ends otherwise than hoped costs nobody anything else."""

    def test_a_note_while_routing(self) -> None:
        """A route finished on an older version is laid all the same when nothing it read has changed."""
        self.ask("lift HORN")
        kept = self.app.state.store.get(FROST)
        routed = route(kept.design, nets={"HORN"})
        self.ask('note R1 "typed meanwhile"')
        self.assertTrue(_fits_still(kept.design, self.design(), routed.edit))
        self.ask("place R7 31.2 12.1")
        moved = self.design()
        self.assertEqual(
            _fits_still(kept.design, moved, routed.edit),
            not {f.key() for f in copper_findings(apply(moved, routed.edit)[0])}
            - {f.key() for f in copper_findings(moved)},
        )
        self.ask("lift all")
        self.assertFalse(_fits_still(kept.design, self.design().replaced(nets={}), routed.edit))


class Operated(Served):
    """What whoever runs the program is told."""

    def test_health(self) -> None:
        """The program is well while designs can be read and work begun; else it says what fails, with 503."""
        answer = self.client.get("/health")
        self.assertEqual((answer.status_code, answer.json()["status"]), (200, "ok"))
        with mock.patch.object(self.app.state.jobs, "failing", return_value=True):
            answer = self.client.get("/health")
        self.assertEqual((answer.status_code, answer.json()["status"]), (503, "failing"))
        self.assertIn("worker", answer.json())
        broken = StoreFailed("The disk is full.", where="x")
        with mock.patch.object(self.app.state.store, "ids", side_effect=broken):
            answer = self.client.get("/health")
        self.assertEqual((answer.status_code, answer.json()["store"]), (503, "The disk is full."))

    def test_the_log_tells_what_was_done(self) -> None:
        """Requests, imports and routing stand in the log, one JSON object a line."""
        self.client.post("/import", files=[("files", ("x.json", to_json(demo(BEEPER)).encode()))])
        lines = self.app.state.settings.log_file.read_text(encoding="utf-8").splitlines()
        events = [json.loads(line) for line in lines]
        self.assertTrue({"request", "import"} <= {e["event"] for e in events})
        done = next(e for e in events if e["event"] == "request")
        self.assertTrue({"method", "path", "status", "ms"} <= done.keys())

    def test_terms_are_explained(self) -> None:
        """The glossary lists every term; a finding marks the first of each it uses."""
        page = self.client.get("/glossary").text
        self.assertTrue(all(f'id="{term.replace(" ", "-")}"' in page for term in TERMS))
        self.ask("unroute PUMP_ON")
        shown = self.client.get(f"/d/{FROST}/score").text
        self.assertIn(f'data-bs-title="{TERMS["unrouted"]}"', shown)


class Work(Served):
    """Edits, routing and outputs through the address the page uses."""

    def test_ask_proposes_before_it_does(self) -> None:
        """While typing nothing changes: what it will do, what is refused and how it may go on are told."""
        told = self.client.post(f"/d/{FROST}/ask", json={"text": "join U1.19 HORN", "version": 1}).json()
        self.assertIn("HORN then has 3 pins", told["says"])
        told = self.client.post(f"/d/{FROST}/ask", json={"text": "join U1.19 A,B", "version": 1}).json()
        self.assertTrue(told["refused"])
        self.assertEqual(self.version(), 1)

    def test_route_in_the_background(self) -> None:
        """Lifting a net opens links; routing them is a job whose result is one edit that can be undone."""
        self.ask("lift PUMP_ON")
        heard: list[dict[str, Any]] = []
        self.app.state.events.publish = lambda design, kind, data: heard.append({"kind": kind, **data})
        self.assertEqual(self.ask("route").json()["action"]["name"], "route")
        for _ in range(200):
            if any(h.get("state") in ("done", "failed") for h in heard):
                break
            time.sleep(0.1)
        self.assertEqual(
            [h["state"] for h in heard if h["kind"] == "job" and h["state"] in ("done", "failed")],
            ["done"],
            heard,
        )
        self.assertIn("1 of 1 connections routed", next(h["says"] for h in heard if h.get("state") == "done"))
        self.assertEqual(self.app.state.store.get(FROST).undo, "route 1 of 1 connections")
        self.client.post(f"/d/{FROST}/undo", json={"version": self.version()})
        self.assertFalse([t for t in self.design().tracks.values() if t.net == "PUMP_ON"])

    def test_a_route_that_comes_late_waits(self) -> None:
        """A route for an earlier state of the board waits beside it; what still fits is applied, or it is discarded."""
        self.ask("unroute PUMP_ON")
        edit = route(self.design()).edit
        self.ask("value R9 4k7")
        self.app.state.late[FROST] = edit
        self.assertIn("A route waits", self.client.get(f"/d/{FROST}/score").text)
        late = {"version": self.version(), "apply": True}
        answer = self.client.post(f"/d/{FROST}/late", json=late)
        self.assertEqual((answer.status_code, answer.json()["says"]), (200, "all of it fits"))
        self.assertTrue([t for t in self.design().tracks.values() if t.net == "PUMP_ON"])
        self.app.state.late[FROST] = edit
        again = self.client.post(f"/d/{FROST}/late", json={**late, "version": self.version()})
        self.assertEqual((again.status_code, again.json()["code"]), (409, "edit-refused"))
        self.app.state.late[FROST] = edit
        gone = {"version": self.version(), "apply": False}
        self.assertEqual(self.client.post(f"/d/{FROST}/late", json=gone).status_code, 200)
        self.assertEqual(self.client.post(f"/d/{FROST}/late", json=gone).status_code, 404)

    def test_zip_and_layers_as_read(self) -> None:
        """The zip holds files that read as Gerber; the page draws what was read and counts shorts and opens."""
        page = self.made("get", f"/d/{FROST}/release")
        self.assertIn("The files say what the design says", page)
        answer = self.client.post(f"/d/{FROST}/release.zip")
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            for name in archive.namelist():
                if name.endswith(".gbr"):
                    read_gerber(archive.read(name).decode(), name)
        self.assertEqual(
            self.client.get(f"/d/{FROST}/read/frost-sentinel-copper-back.gbr.svg").status_code, 200
        )
        self.assertIn("Downloaded before", self.client.get(f"/d/{FROST}/release").text)

    def made(self, method: str, path: str, **asked: Any) -> str:
        """Ask for what takes long until it is there."""
        while 'class="working"' in (text := self.client.request(method, path, **asked).text):
            time.sleep(0.05)
        return " ".join(text.split())

    def test_files_held_to_their_standards(self) -> None:
        """Files from anywhere are told line by line; what is none is refused with what would do."""
        old = b"%FSLAX24Y24*%\n%MOMM*%\n%ADD10C,0.1*%\nD10*\nX0Y0D03*\nM02*\n"
        for files, told in (
            ([("file", ("old.gbr", old))], "does not say its .FileFunction"),
            ([("file", ("letter.txt", b"Dear sirs"))], "no Gerber or drill file"),
            ([("file", ("a.zip", b"PK nothing"))], "no zip archive"),
        ):
            answer = self.client.post(f"/d/{FROST}/standards", files=files)
            self.assertEqual(answer.status_code, 200)
            self.assertIn(told, answer.text)

    def test_panels_are_made_apart(self) -> None:
        """A panel is under way, then there, drawn and to be downloaded; stopped it says so; a fault inside has a reference."""
        plan = {"columns": "3", "rows": "2", "gap": "2", "rail": "5", "joint": "tabs"}
        page = self.made("post", f"/d/{BEEPER}/panel", data=plan)
        self.assertIn("6 boards on", page)
        self.assertEqual(page.count("<use "), 6)
        answer = self.client.post(f"/d/{BEEPER}/panel.zip", data=plan)
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            self.assertTrue(any(n.endswith("-mask-front.gbr") for n in archive.namelist()))
        self.assertEqual(
            self.client.post(f"/d/{BEEPER}/panel", data={**plan, "joint": "score"}).status_code, 409
        )
        works = self.app.state.works
        waiting = works.of("test", 1, time.sleep, 30)
        works.of("test", 2, time.sleep, 0)
        self.assertTrue(waiting.done.wait(5))
        with self.assertRaisesRegex(VaneStepError, "stopped"):
            waiting.answer()
        broken = works.of("test", 3, divmod, 1, 0)
        self.assertTrue(broken.done.wait(10))
        with self.assertRaisesRegex(VaneStepError, "inside the program") as caught:
            broken.answer()
        self.assertIn(caught.exception.where, self.app.state.settings.log_file.read_text())

    def test_artwork(self) -> None:
        """PDF and SVG come with the method asked for."""
        self.assertTrue(
            self.client.get(f"/d/{BEEPER}/etch.pdf?method=film&copies=2").content.startswith(b"%PDF")
        )
        self.assertIn("printed mirrored", self.client.get(f"/d/{BEEPER}/etch.svg?method=pen").text)

    def test_milling(self) -> None:
        """Ways are drawn with their time and what the tool cannot part; the zip holds them; wrong figures are refused."""
        shown = self.client.get(f"/d/{BEEPER}/mill?cut=0.2mm&tabs=0").text
        self.assertIn("3-edge.ngc", shown)
        self.assertIn("parts every net", shown)
        self.assertIn("does not fit between", self.client.get(f"/d/{BEEPER}/mill?cut=0.9mm").text)
        for query, says in (
            ("cut=9mm", "0.05 to 3 mm"),
            ("cake=1", "Milling has no cake"),
            ("passes=x", "passes"),
        ):
            self.assertIn(says, self.client.get(f"/d/{BEEPER}/mill?{query}").text)
            self.assertEqual(self.client.get(f"/d/{BEEPER}/mill.zip?{query}").status_code, 422)
        with zipfile.ZipFile(io.BytesIO(self.client.get(f"/d/{BEEPER}/mill.zip").content)) as archive:
            self.assertEqual(archive.namelist(), ["1-copper-back.ngc", "2-holes.ngc", "3-edge.ngc"])

    def test_files_are_kept_and_asked_for_again(self) -> None:
        """Files of a board are kept by their content; a role that is said stays; an unknown set and a wrong role are refused."""
        shown = self.client.get(f"/d/{BEEPER}/inspect")
        key = shown.url.path.rpartition("/")[2]
        self.assertIn("narrowest copper", shown.text)
        # Nobody sees the beeper's one layer as too much or too fine; all five houses stand there.
        for house in ("Brindlecroft", "Hazelford", "Osterby", "Quillmarsh", "Tarnbrook"):
            self.assertIn(house, shown.text)
        self.assertIn("not as drawn: copper layers", re.sub(r"\s+", " ", shown.text))
        self.assertEqual(self.client.get(f"/inspect/{key}/board.json").json()["layers"][0]["kind"], "legend")
        name = next(n for n in re.findall(r'name="file" value="([^"]+)"', shown.text) if "legend-front" in n)
        said = self.client.post(f"/inspect/{key}/role", data={"file": name, "role": "other"})
        self.assertIn("a person said so", said.text)
        wrong = self.client.post(f"/inspect/{key}/role", data={"file": name, "role": "cake"})
        self.assertEqual((wrong.status_code, "copper" in wrong.text), (422, True))
        self.client.post(f"/inspect/{key}/role", data={"file": name, "role": ""})
        for path in (
            "/inspect/0123456789abcdef",
            "/inspect/..%2f..%2fetc",
            f"/inspect/{key}?against=ffffffffffffffff",
        ):
            self.assertEqual(self.client.get(path).status_code, 404, path)
        self.assertIn("The same board", self.client.get(f"/inspect/{key}?against={key}").text)
        empty = self.client.post(f"/inspect/{key}/against", files={"files": ("none", b"")})
        self.assertEqual((empty.status_code, "nothing in these files" in empty.text), (422, True))


class Tabs(unittest.IsolatedAsyncioTestCase):
    """Two open tabs follow each other."""

    async def test_a_tab_hears_of_the_others_edit(self) -> None:
        """A stream carries the changes of every design, each under its name, until the server closes."""
        from vane_step.web.event_stream import EventStream

        events = EventStream()
        streams = [events.stream() for _ in range(2)]
        for s in streams:
            await anext(s)
        for design in ("other", "d"):
            waiting = [asyncio.create_task(anext(s)) for s in streams]  # type: ignore[arg-type]
            await asyncio.sleep(0)
            await asyncio.to_thread(events.publish, design, "version", {"version": 2})
            for heard in await asyncio.gather(*waiting):
                self.assertEqual(heard, f'event: version\ndata: {{"version": 2, "design": "{design}"}}\n\n')
        waiting = [asyncio.create_task(anext(s)) for s in streams]  # type: ignore[arg-type]
        await asyncio.sleep(0)
        events.close()
        self.assertEqual(await asyncio.gather(*waiting), ["", ""])
        for s in streams:
            with self.assertRaises(StopAsyncIteration):
                await anext(s)
