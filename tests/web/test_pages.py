"""What every page of every design holds, and what becomes of the answers to the seven questions."""

from __future__ import annotations

import json
import re
from typing import Any

from tests.support import BEEPER, FROST, PANEL, ROOT, demo, texts_of
from tests.web.support import Served
from vane_step.core.ask import ask
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import to_json
from vane_step.data.shipped import resources


class Pages(Served):
    """What pages hold."""

    def test_what_a_net_shows_is_what_it_has(self) -> None:
        """The fields of a net, pressed as they are, lose nothing: no rise, no pulse, no gap, no neck, on any demo's nets."""
        for id in (FROST, "5-crate-scale", "6-comb-blade"):
            design = demo(id)
            for net, rule in ((n.name, n.rule) for n in design.nets.values() if n.rule and n.rule.current):
                shown = self.client.get(f"/d/{id}/selection", params={"kind": "net", "key": net}).text
                for verb in ("width", "clearance", "neck"):
                    said = re.search(
                        rf'data-form="{verb} [^"]*".*?name="v" value="([^"]*)"', shown, re.DOTALL
                    )
                    assert said is not None, (id, net, verb)
                    if verb == "neck" and not rule.neck_width_nm:
                        continue
                    edit = ask(design, f'{verb} "{net}" {said[1]}', resources()).edit
                    assert edit is not None
                    after = apply(design, edit)[0].nets[net].rule
                    assert after is not None
                    # By its current a track may become as wide as that needs.
                    kept = after.model_copy(update={"width_nm": rule.width_nm}) if verb == "width" else after
                    self.assertEqual(kept, rule, (id, net, verb, said[1]))

    def test_every_step_of_every_design(self) -> None:
        """All steps of all demo designs and of an empty one answer."""
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
                "findings?step=board",
                "verbs",
                "sheet",
                "power/rows",
                "power/state",
                "power/state?given=1&mode=reset",
                "power/states",
                "power/copper",
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
            ("net", "PUMP", ["2.3 A", "0.948 mm", "IPC-2221"]),
            ("pins", "U1.1,R9.1", ["Join these pins", "PUMP_ON"]),
            ("pins", "U1.12", ["PA8", "io"]),
            ("copper", track, ["mm", "Remove this piece"]),
        ):
            text = " ".join(
                self.client.get(f"/d/{FROST}/selection", params={"kind": kind, "key": key}).text.split()
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
        for path in ("circuit", "board", "board.json", "findings?step=circuit"):
            self.assertEqual(self.client.get(f"/d/large/{path}").status_code, 200)
        for k in range(1, 12):
            self.assertEqual(self.ask(f"join R{k}.1 R{k + 1}.2", "large").status_code, 200)
