"""The shelf, the bin, damaged designs, and errors that say the same on page and in JSON."""

from __future__ import annotations

from tests.support import BEEPER, FROST, demo
from tests.web.support import Served


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
            ("get", f"/d/{FROST}/selection?kind=part&key=U77", None, 404),
            ("get", f"/d/{FROST}/selection?kind=cake&key=U1", None, 404),
            ("get", f"/d/{FROST}/selection?kind=copper&key=T0", None, 404),
            ("get", f"/d/{FROST}/make?manufacturing=sea", None, 404),
            ("get", f"/d/{FROST}/etch.svg?sheet=9", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?method=stencil", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?copies=99", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?across=20", None, 422),
            ("get", f"/d/{FROST}/etch.png?dpi=300", None, 422),
            ("get", f"/d/{FROST}/etch.pdf?printer=nobody", None, 422),
            ("get", f"/d/{FROST}/make/cellar", None, 404),
            ("post", f"/d/{FROST}/etching/7/tick", None, 422),
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
