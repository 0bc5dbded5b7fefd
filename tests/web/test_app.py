"""The application without a browser: guards, pages, errors in the format asked for, and tabs that follow each other."""

from __future__ import annotations

import asyncio
import io
import json
import socket
import tempfile
import threading
import time
import unittest
import zipfile
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any
from unittest import mock

import uvicorn
from fastapi.testclient import TestClient
from PIL import Image

from tests.support import BEEPER, FROST, PANEL, ROOT, demo, texts_of
from vane_step.core.board.drc.check import copper_findings
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.reader import read_gerber
from vane_step.core.route.router import route
from vane_step.data.shipped import resources
from vane_step.web import app as app_module, serve
from vane_step.web.app import create_app
from vane_step.web.jobs import Jobs
from vane_step.web.pages.changes import _fits_still
from vane_step.web.settings import Settings


class Here(Executor):
    """Does the work at once, in this process, as an executor."""

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run and give the finished future."""
        future: Future[Any] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


class Served(unittest.TestCase):
    """An application with the demo designs in a folder of its own, its router in this process."""

    key = ""
    host = "127.0.0.1"

    def setUp(self) -> None:
        """Start it."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        before = app_module.Jobs
        app_module.Jobs = lambda: Jobs(Here(), {})  # type: ignore[assignment,misc]
        self.addCleanup(setattr, app_module, "Jobs", before)
        settings = Settings(host=self.host, data=Path(folder.name), access_key=self.key)
        self.app = create_app(settings, demo=True)
        self.client = TestClient(self.app, base_url="http://127.0.0.1")
        self.client.__enter__()
        self.addCleanup(self.client.__exit__, None, None, None)

    def version(self, id: str = FROST) -> int:
        """Give the version of a design."""
        return int(self.app.state.store.get(id).version)

    def design(self, id: str = FROST) -> Design:
        """Give a design as it stands."""
        found: Design = self.app.state.store.get(id).design
        return found

    def ask(self, text: str, id: str = FROST, version: int | None = None) -> Any:
        """Carry out a sentence."""
        return self.client.post(
            f"/d/{id}/ask", json={"text": text, "version": version or self.version(id), "commit": True}
        )


class Guards(Served):
    """Who may ask, and what a page may do."""

    def test_host_and_origin(self) -> None:
        """Other names for this machine and requests from other sites are turned away."""
        self.assertEqual(self.client.get("/", headers={"host": "evil.example"}).status_code, 421)
        body = {"text": "undo", "version": 1, "commit": True}
        self.assertEqual(
            self.client.post(
                f"/d/{FROST}/ask", json=body, headers={"origin": "http://evil.example"}
            ).status_code,
            403,
        )
        self.assertEqual(self.version(), 1)

    def test_no_inline_script(self) -> None:
        """Every page forbids inline script and style, and has none."""
        for path in (
            "/",
            f"/d/{FROST}/circuit",
            f"/d/{FROST}/board",
            f"/d/{FROST}/power",
            f"/d/{FROST}/make",
        ):
            answer = self.client.get(path)
            policy = answer.headers["content-security-policy"]
            self.assertNotIn("unsafe", policy)
            self.assertIn("script-src 'self'", policy)
            for piece in answer.text.split("<script")[1:]:
                self.assertTrue(
                    piece.split(">")[0].strip().startswith("src=")
                    and piece.split(">")[1].startswith("</script"),
                    piece[:80],
                )
            for word in (" style=", " onclick=", "javascript:", "http://", "https://"):
                self.assertNotIn(word, answer.text.replace("http://www.w3.org/", ""), path)

        for host in ("[::1", "testserver", "127.0.0.1.evil.example", ""):
            self.assertEqual(self.client.get("/", headers={"host": host}).status_code, 421, host)
        here = {"host": "127.0.0.1"}
        for headers in (
            {"origin": "null"},
            {"origin": "http://["},
            {"origin": "ftp://127.0.0.1"},
            {"sec-fetch-site": "cross-site"},
        ):
            for path in (
                f"/d/{FROST}/release.zip",
                f"/d/{FROST}/panel",
                f"/d/{FROST}/delete",
                f"/d/{FROST}/undo",
            ):
                self.assertEqual(
                    self.client.post(path, headers={**here, **headers}).status_code, 403, (path, headers)
                )
        picture = {**here, "sec-fetch-site": "cross-site", "sec-fetch-dest": "image"}
        self.assertEqual(self.client.get(f"/d/{FROST}/release", headers=picture).status_code, 403)
        self.assertEqual(
            self.client.get("/", headers={**picture, "sec-fetch-dest": "document"}).status_code, 200
        )
        for path in (
            f"/d/{FROST}/release.zip",
            f"/d/{FROST}/panel",
            f"/d/{FROST}/panel.zip",
            f"/d/{FROST}/delete",
        ):
            self.assertEqual(self.client.get(path).status_code, 405, path)

    def test_half_sent(self) -> None:
        """A connection that never sends its first request is closed; one that does is served, and its stream stays open."""
        with mock.patch.object(serve, "PATIENCE_S", 0.3):
            server = uvicorn.Server(
                uvicorn.Config(self.app, http=serve.Patient, port=0, log_level="error", lifespan="off")
            )
            thread = threading.Thread(target=server.run, daemon=True)
            thread.start()
            while not server.started:
                time.sleep(0.02)
            port = server.servers[0].sockets[0].getsockname()[1]
            half = [socket.create_connection(("127.0.0.1", port), 5) for _ in range(20)]
            for one in half:
                one.sendall(b"POST /d/x/ask HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-")
            whole = socket.create_connection(("127.0.0.1", port), 5)
            whole.sendall(b"GET /events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            self.assertTrue(whole.recv(40).startswith(b"HTTP/1.1 "))
            self.assertEqual([one.recv(10) for one in half], [b""] * 20)
            server.should_exit = True
            thread.join(5)
            for one in (*half, whole):
                one.close()

    def test_large_bodies(self) -> None:
        """A body beyond the limit is refused before it is read, also when it does not say how long it is."""
        answer = self.client.post(f"/d/{FROST}/ask", content=b"{}", headers={"content-length": str(10**9)})
        self.assertEqual(answer.status_code, 413)
        seen = 0

        def endless() -> Any:
            nonlocal seen
            while True:
                seen += 1 << 20
                if seen > 100 << 20:
                    return
                yield b"x" * (1 << 20)

        answer = self.client.post(
            f"/d/{FROST}/ask", content=endless(), headers={"content-type": "application/json"}
        )
        self.assertEqual((answer.status_code, answer.json()["code"]), (413, "too-large"))

    def test_headers_on_every_answer(self) -> None:
        """Refusals and faults carry the headers too, and a fault inside is answered in JSON with a reference the log knows."""
        broken = self.app.state.store.get
        self.addCleanup(setattr, self.app.state.store, "get", broken)
        self.app.state.store.get = lambda id: 1 / 0
        for answer in (
            self.client.get("/", headers={"host": "evil.example"}),
            self.client.get("/nowhere"),
            self.client.post("/d/x/undo", json={"version": 1}),
            self.client.post("/", headers={"content-length": str(10**9)}),
        ):
            self.assertIn("script-src 'self'", answer.headers["content-security-policy"])
            self.assertEqual(answer.headers["x-content-type-options"], "nosniff")
        told = self.client.get(f"/d/{FROST}/version", headers={"accept": "application/json"})
        self.assertEqual((told.status_code, told.json()["code"]), (500, "fault"))
        logged = [json.loads(x) for x in self.app.state.settings.log_file.read_text().splitlines()]
        [fault] = [x for x in logged if x.get("reference") == told.json()["where"]]
        self.assertIn("ZeroDivisionError", fault["exception"])
        self.assertEqual(self.client.get("/").status_code, 200)


class Key(Served):
    """Bound to an address that others can reach."""

    key = "plum tree über öl"
    host = "0.0.0.0"

    def test_key_is_asked_for(self) -> None:
        """Without the key nothing is told; with it once, a signed cookie lets the browser in."""
        self.assertEqual(self.client.get("/").status_code, 401)
        self.assertEqual(self.client.get("/?key=pear").status_code, 401)
        self.assertEqual(self.client.get("/?key=%ff%fe").status_code, 401)
        self.assertEqual(self.client.get("/", headers={"cookie": b"vane-step-key=\xfc"}).status_code, 401)
        self.assertEqual(self.client.get("/", params={"key": self.key}).status_code, 200)
        self.assertEqual(self.client.get("/").status_code, 200)
        self.assertNotIn("plum", str(dict(self.client.cookies)))

    def test_guessing_and_going_astray(self) -> None:
        """After five wrong keys in a minute even the right one waits; the way in leads to this program only."""
        answer = self.client.get(
            "http://127.0.0.1//evil.example/x", params={"key": self.key}, follow_redirects=False
        )
        self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/evil.example/x"))
        self.client.cookies.clear()
        for k in range(5):
            self.assertEqual(self.client.get(f"/?key={k}").status_code, 401)
        waits = self.client.get("/", params={"key": self.key})
        self.assertEqual((waits.status_code, waits.json()["code"]), (429, "too-many-keys"))
        self.assertGreater(int(waits.headers["retry-after"]), 30)


class Shelf(Served):
    """No design takes the shelf down, and none is deleted by one press."""

    def test_a_damaged_design(self) -> None:
        """Its card names it and offers what there is; the others are as they were."""
        store = self.app.state.store
        self.ask("value R1 9k")
        store._db.execute("UPDATE journal SET edit = 'x' WHERE design = ?", (FROST,))
        store._cache.clear()
        page = self.client.get("/")
        self.assertEqual(page.status_code, 200)
        self.assertIn("■ damaged", page.text)
        self.assertIn("Seedling Thirst Beeper", page.text)
        for path in ("board", "circuit", "make", "version"):
            self.assertEqual(self.client.get(f"/d/{FROST}/{path}").json()["code"], "damaged-design")
        shown = self.client.get(f"/d/{FROST}/board", headers={"accept": "text/html"}).text
        self.assertIn(f'action="/d/{FROST}/last-good"', shown)
        self.assertIn(f'href="/d/{FROST}/rescue.json"', shown)
        self.assertEqual(self.client.get(f"/d/{FROST}/rescue.json").json()["journal"][0]["edit"], "x")
        answer = self.client.post(f"/d/{FROST}/last-good")
        self.assertIn("1-frost-sentinel-rescued", str(answer.url))
        self.assertEqual(self.design("1-frost-sentinel-rescued"), demo(FROST))

    def test_the_bin(self) -> None:
        """Deleted is in the bin, comes back, and goes for good only from there."""
        self.assertEqual(self.client.post(f"/d/{BEEPER}/delete-for-good").status_code, 409)
        page = self.client.post(f"/d/{BEEPER}/delete").text
        self.assertIn(f"/d/{BEEPER}/put-back", page)
        self.assertNotIn(f'href="/d/{BEEPER}/board"', page)
        self.assertIn(f'href="/d/{BEEPER}/board"', self.client.post(f"/d/{BEEPER}/put-back").text)
        self.client.post(f"/d/{BEEPER}/delete")
        self.assertNotIn("Seedling", self.client.post(f"/d/{BEEPER}/delete-for-good").text)


class Hostile(Served):
    """Files made to hang, to grow or to break a reader are refused in one line, and nobody else waits."""

    def test_each_reader(self) -> None:
        """Every kind of upload with a file against it: 422 with a reason and the design as it was, within the limits."""
        nested = (
            b'<svg xmlns:x="http://www.w3.org/1999/xlink"><defs><rect id="a0" width="9" height="9"/>'
            + b"".join(
                b'<g id="a%d"><use x:href="#a%d"/><use x:href="#a%d"/></g>' % (k, k - 1, k - 1)
                for k in range(1, 22)
            )
            + b'</defs><use x:href="#a21"/></svg>'
        )
        noise = io.BytesIO()
        Image.effect_noise((1200, 1200), 120).save(noise, "PNG")
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            for k in range(8):
                archive.writestr(f"{k}.gbr", b"%FSLAX46Y46*%" + b"0" * 30_000_000)
        deep, digits = b'{"a":' * 50_000, b'{"format": "vane-step-design", "version": ' + b"9" * 5000 + b"}"
        cases = [
            ("outline", "file", "a.gbr", b"%FSLAX46Y46*%" + b"a" * 400_000),
            ("outline", "file", "n.svg", nested),
            (
                "outline",
                "file",
                "s.svg",
                b'<svg xmlns:x="http://www.w3.org/1999/xlink"><g id="a"><use x:href="#a"/></g></svg>',
            ),
            ("outline", "file", "d.svg", b"<svg>" + b"<g>" * 100_000 + b"</g>" * 100_000 + b"</svg>"),
            ("outline", "file", "h.svg", b'<svg><rect width="1e12" height="1e12"/></svg>'),
            ("outline", "file", "z.zip", bomb.getvalue()),
            (
                "outline",
                "file",
                "c.dxf",
                b"0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n1e11\n0\nENDSEC\n0\nEOF\n",
            ),
            ("outline", "file", "b.zip", b"PK\x03\x04" + b"\xff" * 400),
            ("outline", "file", "e.png", b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 9 9\n"),
            ("outline", "file", "p.png", noise.getvalue()),
            ("picture", "file", "p.png", noise.getvalue()),
            ("packages", "file", "p.json", deep),
            ("packages", "file", "q.json", b'{"packages": [{"name": "X", "body_mm": [1e999, 1]}]}'),
            ("part", "file", "p.csv", b"1," * 900_000),
            ("part", "file", "u.bsd", b"entity x is " + b"(" * 400_000),
            ("import-block", "file", "b.json", digits),
        ]
        more = {"width": "60", "x": "5", "y": "5", "ref": "U77", "package": "SOIC-8"}
        for path, field, name, content in cases:
            with self.subTest(path, name=name):
                answer = self.client.post(
                    f"/d/{FROST}/{path}",
                    files={field: (name, content)},
                    data={**more, "version": str(self.version())},
                    headers={"accept": "application/json"},
                    follow_redirects=False,
                )
                self.assertEqual(answer.status_code, 422, answer.text[:300])
                self.assertLess(len(answer.json()["message"]), 700)
        for name, content in (("d.json", deep), ("e.json", digits), ("s.json", b'{"format": "\\ud83d"}')):
            self.assertEqual(
                self.client.post("/import", files={"files": (name, content)}).status_code, 422, name
            )
        self.assertEqual(self.version(), 1)


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


class Errors(Served):
    """The same failure, the same answer, as page and as JSON."""

    def test_page_and_json(self) -> None:
        """A design that does not exist gives the same words in the format asked for."""
        page = self.client.get("/d/nobody/board", headers={"accept": "text/html"})
        data = self.client.get("/d/nobody/board", headers={"accept": "application/json"})
        self.assertEqual((page.status_code, data.status_code), (404, 404))
        self.assertIn(data.json()["message"], page.text)
        self.assertIn(data.json()["next_step"], page.text)

    def test_bad_requests(self) -> None:
        """Wrong fields, unknown kinds and nonsense never give a fault of the program."""
        cases = [
            ("post", f"/d/{FROST}/edit", {"edit": {"kind": "explode"}, "version": 1}, 422),
            (
                "post",
                f"/d/{FROST}/edit",
                {"edit": {"kind": "join", "pins": ["U1.1"], "net": "A B"}, "version": 1},
                422,
            ),
            ("post", f"/d/{FROST}/edit", {"edit": {"kind": "remove-part", "ref": "U77"}, "version": 1}, 404),
            ("post", f"/d/{FROST}/ask", {"text": "x" * 501, "version": 1}, 422),
            ("post", f"/d/{FROST}/ask", {"text": "undo", "version": 1, "commit": True}, 409),
            ("post", f"/d/{FROST}/undo", {}, 422),
            ("get", f"/d/{FROST}/slip?kind=part&key=U77", None, 404),
            ("get", f"/d/{FROST}/slip?kind=cake&key=U1", None, 404),
            ("get", f"/d/{FROST}/slip?kind=copper&key=T0", None, 404),
            ("get", f"/d/{FROST}/make?manufacturing=sea", None, 404),
            ("get", f"/d/{FROST}/etch.svg?side=left", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?method=stencil", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?copies=99", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?across=20", None, 422),
            ("get", f"/d/{FROST}/read/none.svg", None, 404),
        ]
        for method, path, body, status in cases:
            with self.subTest(path, body=body):
                answer = self.client.request(method, path, json=body)
                self.assertEqual(answer.status_code, status, answer.text[:200])
                self.assertTrue(answer.json()["message"])
        self.assertEqual(self.version(), 1)

    def test_late_edit(self) -> None:
        """The second of two tabs that edit the same version is told, and nothing of its edit is merged."""
        self.assertEqual(self.ask("value R9 1k", version=1).status_code, 200)
        late = self.ask("value R9 2k", version=1)
        self.assertEqual((late.status_code, late.json()["code"]), (409, "stale-edit"))
        self.assertEqual(self.design().parts["R9"].value, "1k")


class Pages(Served):
    """What pages hold."""

    def test_every_step_of_every_design(self) -> None:
        """All steps of all demo designs and of an empty one answer, within 100 ms once warm."""
        self.client.post("/new", data={"name": "Empty one", "size": "50x40", "manufacturing": "etch"})
        for id in (FROST, BEEPER, PANEL, "empty-one"):
            for path in (
                "brief",
                "brief/rows",
                "parts",
                "parts?show=catalogue&q=fet",
                "parts?show=controller",
                "parts?show=patterns",
                "parts?show=stock",
                "parts/view?show=list",
                "parts.csv",
                "search?q=10k",
                "circuit?show=reasons",
                "circuit?show=blocks",
                "circuit?show=fit",
                "sheets.pdf",
                "sheet.svg",
                "circuit",
                "circuit?show=list",
                "power",
                "board",
                "board.json",
                "score",
                "make?manufacturing=order",
                "make?manufacturing=etch",
                "design.json",
                "ledger?step=board",
                "verbs",
                "sheet",
                "power/rows",
            ):
                url = f"/d/{id}/{path}"
                with self.subTest(url):
                    self.assertEqual(self.client.get(url).status_code, 200)

    def test_new_design(self) -> None:
        """The answers become brief, needs and rules; a second of the same name has its own address; nonsense is refused."""
        for wanted in ("greenhouse-vent", "greenhouse-vent-2"):
            answer = self.client.post(
                "/new",
                data={
                    "name": "Greenhouse vent",
                    "size": "60x40",
                    "manufacturing": "etch",
                    "skills": "through-hole",
                    "quantity": "3",
                    "supply": "12 V",
                    "budget": "12,50",
                    "date": "2027-01-31",
                    "wanted": "Opens above 26 °C\nRings a bell?",
                    "purpose": "Lets warm air out.",
                },
                follow_redirects=False,
            )
            self.assertEqual(answer.headers["location"], f"/d/{wanted}/brief")
        made = self.design("greenhouse-vent")
        self.assertEqual((made.board.rules.name, made.board.copper_layers), ("kitchen-table", 1))
        self.assertEqual(
            (made.brief.through_hole_only, made.brief.quantity, made.brief.budget), (True, 3, 12.5)
        )
        needs = [(r.text, r.level) for r in made.requirements.values()]
        self.assertEqual(
            needs, [("Runs from 12 V", "must"), ("Opens above 26 °C", "must"), ("Rings a bell", "wish")]
        )
        for wrong in (
            {"size": "60"},
            {"size": "axb"},
            {"manufacturing": "3"},
            {"skills": "x"},
            {"name": ""},
            {"date": "soon"},
            {"budget": "x"},
            {"quantity": "0"},
        ):
            data = {"name": "X", "size": "60x40", "manufacturing": "order", **wrong}
            self.assertIn(self.client.post("/new", data=data).status_code, (404, 409, 422), wrong)
        data = {"name": "Kept", "size": "60", "manufacturing": "etch", "purpose": "what was typed"}
        again = self.client.post("/new", data=data, headers={"Accept": "text/html"})
        self.assertEqual(again.status_code, 422)
        for word in ("is no size", "what was typed", 'value="Kept"', 'value="etch" checked'):
            self.assertIn(word, " ".join(again.text.split()))

    def test_import(self) -> None:
        """A design file comes back as it left; the five files of an exchange folder make a design; others are refused by name."""
        text = to_json(demo(BEEPER).replaced(name="Back again"))
        self.client.post("/import", files=[("files", ("x.json", text.encode()))])
        self.assertEqual(self.client.get("/d/back-again/design.json").text, text)
        parts = [("files", (name, content.encode())) for name, content in texts_of("smd2L_015_s1").items()]
        self.assertEqual(self.client.post("/import", files=parts).status_code, 200)
        self.assertEqual(len(self.design("smd2l-015-s1").parts), 15)
        for name, content in (
            ("x.json", b"{"),
            ("x.json", b"\xff\xfe"),
            ("parts.csv", b"a,b"),
            ("parts.csv", b"\xff"),
        ):
            answer = self.client.post("/import", files=[("files", (name, content))])
            self.assertEqual(answer.status_code, 422)
            self.assertIn("message", answer.json())

    def test_outline_and_packages(self) -> None:
        """An SVG becomes the outline, a JSON a package that can be added at once."""
        svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="70mm" height="50mm" viewBox="0 0 70 50"><path d="M0 0H70V50H0Z"/></svg>'
        self.client.post(
            f"/d/{BEEPER}/outline",
            files={"file": ("o.svg", svg)},
            data={"version": str(self.version(BEEPER))},
        )
        xs = [x for x, _ in self.design(BEEPER).board.outline]
        self.assertAlmostEqual((max(xs) - min(xs)) / 1e6, 70, places=2)
        pad = {
            "number": "1",
            "x_mm": 0,
            "y_mm": 0,
            "width_mm": 1.5,
            "height_mm": 1.5,
            "shape": "round",
            "layers": "through",
            "drill_mm": 0.8,
        }
        packs = json.dumps({"packages": [{"name": "POST-1", "pads": [pad], "body_mm": [2, 2]}]}).encode()
        version = {"version": str(self.version(BEEPER))}
        self.client.post(f"/d/{BEEPER}/packages", files={"file": ("p.json", packs)}, data=version)
        late = self.client.post(f"/d/{BEEPER}/packages", files={"file": ("p.json", packs)}, data=version)
        self.assertEqual((late.status_code, late.json()["code"]), (409, "stale-edit"))
        self.assertEqual(self.ask("add TP1 POST-1", BEEPER).status_code, 200)

    def test_part_with_pins_from_a_file(self) -> None:
        """A BSDL file makes a part on the sheet; one that does not fit, or another version of the design, is refused."""
        content = (ROOT / "tests" / "samples" / "tern32.bsd").read_bytes()

        def bring(package: str, version: int) -> Any:
            data = {"ref": "U9", "package": package, "version": str(version)}
            return self.client.post(f"/d/{BEEPER}/part", files={"file": ("tern32.bsd", content)}, data=data)

        self.assertEqual(bring("SOIC-8", 1).status_code, 422)
        self.assertIn("TERN32", bring("TQFP-32", 1).text)
        self.assertEqual(self.design(BEEPER).parts["U9"].pins[3].role, "supply-in")
        self.assertEqual(bring("TQFP-32", 1).status_code, 409)

    def test_connections_from_a_list(self) -> None:
        """A pasted list is one edit that can be undone; a fault names its line and changes nothing."""
        url = f"/d/{FROST}/connections"
        told = self.client.post(
            url, json={"text": "SPARE: U1.11 J7.3\nOTHER U1.12 R9.1", "version": 1}
        ).json()
        self.assertEqual((told["version"], told["label"]), (2, "2 nets from a list"))
        self.assertEqual(self.design().nets["SPARE"].pins, ("U1.11", "J7.3"))
        wrong = self.client.post(url, json={"text": "A U1.13\nB U1.99", "version": 2})
        self.assertEqual((wrong.status_code, wrong.json()["where"]), (422, "line 2"))
        self.client.post(f"/d/{FROST}/undo", json={"version": 2})
        self.assertEqual(self.design(), demo(FROST))

    def test_slips(self) -> None:
        """Part, pins, net and copper tell what is known of them, with units."""
        track = next(iter(self.design().tracks))
        for kind, key, words in (
            ("part", "U1", ["OW-32T", "Flip", "PUMP_ON"]),
            ("net", "PUMP", ["2 A", "0.781 mm", "IPC-2221"]),
            ("pins", "U1.1,R9.1", ["Join these pins", "PUMP_ON"]),
            ("pins", "U1.12", ["PA8", "io"]),
            ("copper", track, ["mm", "Remove this piece"]),
        ):
            text = " ".join(
                self.client.get(f"/d/{FROST}/slip", params={"kind": kind, "key": key}).text.split()
            )
            for word in words:
                self.assertIn(word, text)

    def test_ten_times_larger(self) -> None:
        """A design of 500 parts is shown, asked and changed without trouble."""
        self.client.post("/new", data={"name": "Large", "size": "400x300", "manufacturing": "order"})
        sentences = [f"add R{k} CHIP-1608M {k}k" for k in range(1, 500)]
        store = self.app.state.store
        from vane_step.core.ask import ask

        for text in sentences:
            edit = ask(store.get("large").design, text, resources()).edit
            assert edit is not None
            store.edit("large", edit, text)
        for path in ("circuit", "board", "board.json", "ledger?step=circuit"):
            self.assertEqual(self.client.get(f"/d/large/{path}").status_code, 200)
        for k in range(1, 12):
            self.assertEqual(self.ask(f"join R{k}.1 R{k + 1}.2", "large").status_code, 200)


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
        self.assertIn("printed mirrored", self.client.get(f"/d/{BEEPER}/etch.svg?method=pen&side=back").text)


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
