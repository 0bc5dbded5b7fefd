"""Who may ask, how much may be sent, and what hostile files are answered."""

from __future__ import annotations

import io
import json
import socket
import threading
import time
import zipfile
from typing import Any
from unittest import mock

import uvicorn
from PIL import Image

from tests.support import FROST
from tests.web.support import Served
from vane_step.web import serve


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
