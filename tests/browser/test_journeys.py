"""Journeys through the real interface in Debian's chromium, as somebody at the bench would make them."""

from __future__ import annotations

import math
import re
import tempfile
import unittest
import zipfile
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.support import InBrowser
from tests.support import BEEPER, FROST, ROOT, demo
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.fab.reader import read_gerber
from vane_step.core.fab.release import release


class WholeWay(InBrowser):
    """From the shelf to files a maker can use."""

    def test_join_route_check_and_take_the_zip(self) -> None:
        """Two pins joined on the sheet show as an open link on the board, are routed, pass the check, and are in the zip."""
        page = self.page("/")
        page.get_by_role("link", name=re.compile("^Frost Sentinel")).click()
        expect(page.locator("#board .part").first).to_be_visible()
        page.locator(".step-link", has_text="Circuit").click()
        page.locator('[data-pin="U1.19"]').first.click()
        page.locator('[data-pin="J7.3"]').first.click()
        expect(page.locator("#chosen")).to_contain_text("2 pins")
        page.keyboard.press("j")
        expect(page.locator("#version")).to_have_text("2")
        expect(page.locator(".step-link", has_text="Board")).to_contain_text("1 stop")
        page.locator(".step-link", has_text="Board").click()
        expect(page.locator("#board .connection")).to_have_count(1)
        expect(page.locator(".finding.stop").first).to_contain_text("U1.19")
        page.get_by_role("button", name="Route all connections").first.click()
        expect(page.locator("#board .connection")).to_have_count(0, timeout=120_000)
        expect(page.locator(".step-link", has_text="Board")).to_contain_text("clean")
        expect(page.locator(".finding.stop")).to_have_count(0)
        page.locator(".step-link", has_text="Make").click()
        expect(page.locator(".verdict")).to_contain_text("The files say what the design says")
        with page.expect_download() as download, tempfile.TemporaryDirectory() as folder:
            page.locator("#take-release").click()
            path = Path(folder) / "r.zip"
            download.value.save_as(path)
            with zipfile.ZipFile(path) as archive:
                front = next(n for n in archive.namelist() if n.endswith("copper-front.gbr"))
                flashes = read_gerber(archive.read(front).decode(), front).flashes
        nets = {
            f.attributes["P"]: f.attributes["N"][0]
            for f in flashes
            if f.attributes.get("P", ("",))[0] in ("U1", "J7")
        }
        self.assertEqual(nets["U1", "19"], nets["J7", "3"])

    def test_etch(self) -> None:
        """Method and copies change the sheet shown at once; a ruler is kept for its printer; a board goes through the bath."""
        page = self.page(f"/d/{BEEPER}/make")
        expect(page.locator("figcaption")).to_contain_text("printed as is")
        page.select_option("select[name=method]", "pen")
        expect(page.locator("figcaption")).to_contain_text("printed mirrored")
        page.fill("input[name=copies]", "99")
        page.get_by_role("button", name="Show the sheets").click()
        expect(page.locator(".about.stop").first).to_contain_text("99 copies")
        page.fill("input[name=copies]", "2")
        page.get_by_role("button", name="Show the sheets").click()
        page.fill("input[name=across]", "49.6")
        expect(page.locator("#scale-says")).to_contain_text("0.80 %: more than 0.2 %")
        page.get_by_label("Printer and paper").fill("laser")
        page.get_by_role("button", name="Keep for this printer").click()
        page.wait_for_url("**printer=laser")
        self.assertIn(
            "printer=laser",
            page.get_by_role("link", name="Print the artwork (PDF)").get_attribute("href") or "",
        )
        page.get_by_role("link", name="Bath, steps and log").click()
        expect(page.locator(".caution")).to_contain_text("Goggles")
        page.get_by_role("button", name="Begin another one").click()
        page.get_by_role("button", name="Clean the copper not done").click()
        expect(page.get_by_role("button", name="Clean the copper done")).to_be_visible()
        page.locator("#board-seen").click(position={"x": 90, "y": 90})
        self.assertRegex(page.input_value("#fault-form input[name=x]"), r"^\d+\.\d$")
        page.get_by_role("button", name="Write it down").click()
        expect(page.locator(".faults li")).to_contain_text("before the bath: draw it with the pen")
        page.get_by_label("Warm, °C").fill("hot")
        page.get_by_role("button", name="It goes into the bath").click()
        expect(page.locator("#notice")).to_contain_text("temperature")
        # The refusal was asked for; nothing else may fail.
        self.assertEqual([f[:3] for f in self.faults], ["422"])
        self.faults.clear()
        page.get_by_label("Warm, °C").fill("38")
        page.get_by_role("button", name="It goes into the bath").click()
        expect(page.locator(".clock")).to_have_text("0:02")
        page.reload()
        expect(page.locator(".clock")).not_to_have_text("0:00")
        page.get_by_label("What do you see?").select_option("clean")
        page.get_by_role("button", name="It is out").click()
        expect(page.locator("#timer")).to_contain_text("Clean: bare areas clear")
        answer = page.request.get(
            f"{self.server.address}/d/{BEEPER}/etch.pdf?method=pen&copies=2&across=49.6&upwards=50"
        )
        self.assertTrue(answer.body().startswith(b"%PDF"))

    def test_a_circuit_from_nothing(self) -> None:
        """A new design: parts added by form and by button, joined, named, placed, routed - and the board checks clean."""
        page = self.page("/")
        page.get_by_role("link", name="Begin with the questions").click()
        page.fill("input[name=name]", "Two resistors")
        page.get_by_role("button", name="Begin the design").click()
        expect(page.locator(".empty")).to_contain_text("No requirement yet")
        page.locator(".step-link", has_text="Circuit").click()
        expect(page.locator(".empty")).to_contain_text("An empty circuit")
        page.get_by_role("button", name="Add R1, 10k").click()
        expect(page.locator('[data-ref="R1"]').first).to_be_visible()
        page.fill('input[aria-label="Value of Pin header"]', "1x2")
        page.get_by_role("button", name="Pin header").click()
        expect(page.locator('[data-ref="J1"]').first).to_be_visible()
        self.type(page, "join R1.1 J1.1 LOOP")
        self.type(page, "join R1.2 J1.2 BACK")
        page.locator('.wire-catch[data-net="LOOP"]').first.dispatch_event("click")
        page.fill("#net-name", "OUT")
        page.get_by_role("button", name="Rename the net").click()
        expect(page.locator('.wire-catch[data-net="OUT"]').first).to_be_attached()
        page.keyboard.press("Escape")
        page.goto(page.url.split("/circuit")[0] + "/board")
        expect(page.locator("#findings-panel")).to_contain_text("Without a place on the board yet: J1, R1")
        page.get_by_role("button", name="Arrange the parts").first.click()
        expect(page.locator("#board .part")).to_have_count(2)
        page.get_by_role("button", name="Route all connections").first.click()
        expect(page.locator("#board .connection")).to_have_count(0, timeout=120_000)
        expect(page.locator(".step-link", has_text="Board")).to_contain_text("clean")


class Board(InBrowser):
    """Taking hold of things on the board."""

    def centre(self, page: Page, ref: str) -> tuple[float, float]:
        """Give the middle of a part on the screen."""
        box = page.locator(f'#board .part[data-ref="{ref}"]').bounding_box()
        assert box is not None
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def place(self, page: Page, ref: str) -> dict[str, float]:
        """Ask the server where a part lies."""
        data = page.evaluate(
            "() => fetch(location.pathname.replace(/board$/, 'board.json')).then(r => r.json())"
        )
        return next(p["place"] for p in data["parts"] if p["ref"] == ref)

    def test_drag_turn_keep_and_undo(self) -> None:
        """A part follows the pointer with its readings, turns, goes under, is kept, and all of it is undone."""
        page = self.page(self.fresh("drag") + "/board")
        expect(page.locator('#board .part[data-ref="R13"]')).to_be_visible()
        before = self.place(page, "R13")
        x, y = self.centre(page, "R13")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 30, y + 4, steps=5)
        expect(page.locator("#tip")).to_contain_text("R13")
        expect(page.locator("#tip")).to_contain_text("its connections")
        self.assertGreater(page.locator("#connections .connection").count(), 0)
        page.mouse.up()
        expect(page.locator("#version")).to_have_text("2")
        self.assertGreater(self.place(page, "R13")["x_nm"], before["x_nm"] + 1_000_000)
        expect(page.locator("#chosen")).to_contain_text("R13")
        for key, says in (
            ("t", "turn R13"),
            ("u", "flip R13"),
            ("ArrowLeft", "place R13"),
            ("k", "lock R13"),
        ):
            page.keyboard.press(key)
            expect(page.locator("#last")).to_contain_text(says)
        moved = self.version(page)
        page.keyboard.press("ArrowRight")
        expect(page.locator("#notice")).to_contain_text("unlock R13")
        self.assertEqual(self.version(page), moved)
        for k in range(5):
            page.keyboard.press("Control+z")
            expect(page.locator("#version")).to_have_text(str(moved + k + 1))
        self.assertEqual(self.place(page, "R13"), before)
        page.keyboard.press("Control+y")
        expect(page.locator("#last")).to_contain_text("place R13")
        page.reload()
        expect(page.locator("#last")).to_contain_text("place R13")

    def test_take_an_arrangement_stop_a_route_and_undo(self) -> None:
        """Proposals are shown on the board before one is taken; a running route stops; both are undone."""
        page = self.page(self.fresh("propose") + "/board")
        before = self.place(page, "R13")
        page.get_by_role("button", name="Propose arrangements").click()
        expect(page.locator("[data-proposal]")).to_have_count(3, timeout=120_000)
        expect(page.locator("#version")).to_have_text("1")
        page.locator('[data-proposal="0"]').focus()
        expect(page.locator("#board .proposed")).to_have_count(len(demo(FROST).parts))
        page.locator('[data-take="0"]').click()
        expect(page.locator("#version")).to_have_text("2")
        expect(page.locator("#board .connection").first).to_be_visible()
        expect(page.locator("[data-proposal]")).to_have_count(0)
        page.get_by_role("button", name="Route all connections").first.click()
        page.locator("#stop-route").click(timeout=60_000)
        expect(page.locator("#last")).to_contain_text("route")
        for k in (4, 5):
            page.keyboard.press("Control+z")
            expect(page.locator("#version")).to_have_text(str(k))
        expect(page.locator(".score em").first).to_be_visible()
        self.assertEqual(self.place(page, "R13"), before)

    def test_lay_a_track_by_hand(self) -> None:
        """A lifted net is laid again by pointing, with the gap shown; laying over foreign copper is refused."""
        page = self.page(self.fresh("lay") + "/board")
        self.type(page, "lift PUMP_G")
        expect(page.locator("#board .connection")).to_have_count(2)
        # The board is drawn anew once more when the answer is there; a place taken from the old one is none.
        page.wait_for_function(
            "() => ['R9.2', 'R10.1'].every(p => document.querySelector(`#board [data-pin=\"${p}\"]`)?.getBoundingClientRect().width)"
        )
        page.wait_for_timeout(300)
        ends = [page.locator(f'#board [data-pin="{pin}"]').bounding_box() for pin in ("R9.2", "R10.1")]
        spots = [(b["x"] + b["width"] / 2, b["y"] + b["height"] / 2) for b in ends if b]
        page.keyboard.press("l")
        page.mouse.click(*spots[0])
        page.mouse.move((spots[0][0] + spots[1][0]) / 2, spots[0][1], steps=4)
        expect(page.locator("#tip")).to_contain_text("PUMP_G on the front")
        expect(page.locator("#tip")).to_contain_text("at least 0.20")
        wall = page.locator('#board [data-pin="Q1.2"]').bounding_box()
        assert wall is not None
        version = self.version(page)
        page.mouse.click(wall["x"] + wall["width"] / 2, wall["y"] + wall["height"] / 2)
        expect(page.locator("#notice")).to_contain_text("is needed. The track was not drawn there")
        page.keyboard.press("Escape")
        self.assertEqual(self.version(page), version)
        page.mouse.click(*spots[0])
        page.mouse.move(*spots[1], steps=4)
        page.mouse.click(*spots[1])
        expect(page.locator("#last")).to_contain_text("draw PUMP_G by hand")
        expect(page.locator("#board .connection")).to_have_count(1)
        expect(page.locator(".finding.stop", has_text="Gap")).to_have_count(0)
        # Past the pump's transistor there is no straight way: the track walks round it; where, hangs on the copper there.
        page.mouse.click(*spots[0])
        for k in range(48):
            far, turn = 25 + 15 * (k // 8), k % 8 * math.pi / 4 + k // 8
            page.mouse.move(spots[0][0] + far * math.cos(turn), spots[0][1] + far * math.sin(turn), steps=2)
            page.wait_for_timeout(250)
            if "round what is in the way" in (page.locator("#tip").text_content() or ""):
                break
        expect(page.locator("#tip")).to_contain_text("round what is in the way", timeout=30_000)
        page.keyboard.press("Escape")
        page.keyboard.press("l")
        # The longest track that nothing lies over in its middle.
        *spot, net = page.evaluate(
            "() => { const m = document.getElementById('board').getScreenCTM();"
            " const all = [...document.querySelectorAll('#board .track')];"
            " const spots = all.sort((a, b) => b.getTotalLength() - a.getTotalLength()).map((t) => {"
            " const q = t.getPointAtLength(t.getTotalLength() / 2), p = new DOMPoint(q.x, -q.y).matrixTransform(m);"
            " return [p.x, p.y, document.elementFromPoint(p.x, p.y) === t ? t.dataset.net : '']; });"
            " return spots.find((s) => s[2] && !['GND', '12V'].includes(s[2])); }"
        )
        page.mouse.move(*spot)
        page.mouse.down()
        # Not every place has a way through; one near by has.
        for dx, dy in ((8, 8), (-8, -8), (8, -8), (-8, 8), (20, 14), (-20, -14)):
            page.mouse.move(spot[0] + dx, spot[1] + dy, steps=5)
            page.wait_for_function("() => /gap|no way/.test(document.getElementById('tip').textContent)")
            if "gap" in (page.locator("#tip").text_content() or ""):
                break
        expect(page.locator("#tip")).to_contain_text("gap")
        page.mouse.up()
        expect(page.locator("#last")).to_contain_text(f"bend {net}")
        expect(page.locator(".finding.stop", has_text="Gap")).to_have_count(0)

    def test_several_parts_at_once(self) -> None:
        """Chosen with Shift, lined up by a button, dragged together, and chosen by a sentence."""
        page = self.page(self.fresh("several") + "/board")
        spots = [
            page.locator(f'#board .part[data-ref="{ref}"] .yard').bounding_box() for ref in ("R15", "R16")
        ]
        middles = [(b["x"] + b["width"] / 2, b["y"] + b["height"] / 2) for b in spots if b]
        for spot in middles:
            page.keyboard.down("Shift")
            page.mouse.click(*spot)
            page.keyboard.up("Shift")
        expect(page.locator("#chosen")).to_contain_text("R15, R16")
        page.get_by_role("button", name="Left sides").click()
        expect(page.locator("#last")).to_contain_text("align R15 R16 left")
        before = [self.place(page, ref) for ref in ("R15", "R16")]
        page.mouse.move(*middles[0])
        page.mouse.down()
        page.mouse.move(middles[0][0] + 30, middles[0][1] + 20, steps=4)
        expect(page.locator("#tip")).to_contain_text("2 parts")
        page.mouse.up()
        expect(page.locator("#last")).to_contain_text("shift R15 R16")
        self.assertNotEqual(before, [self.place(page, ref) for ref in ("R15", "R16")])
        page.keyboard.press("/")
        page.keyboard.type("choose kind=led")
        page.keyboard.press("Enter")
        expect(page.locator("#chosen")).to_contain_text("LED1, LED2")

    def test_in_space(self) -> None:
        """The board is drawn in space with its parts, or says why it is not; pointing at nothing and back to the plan."""
        page = self.page(self.fresh("space") + "/board")
        page.keyboard.press("s")
        drawn = page.locator("#space[data-parts]")
        expect(drawn.or_(page.locator("#space p:not([hidden])"))).to_be_visible(timeout=30_000)
        if drawn.count():
            self.assertGreater(int(drawn.get_attribute("data-parts") or 0), 50)
            with page.expect_download() as kept:
                page.get_by_role("button", name="Save the picture").click()
            self.assertTrue(kept.value.suggested_filename.endswith(".png"))
        page.get_by_role("button", name="Back to the plan").click()
        expect(page.locator("#space")).to_be_hidden()

    def test_measure_from_below_on_a_grid(self) -> None:
        """Distances are those of the design from either side; fitting shows the chosen part large; moves keep to the grid."""
        page = self.page(self.fresh("measure") + "/board")
        expect(page.locator("#board .part").first).to_be_visible()
        items = {i.id: i for i in copper_items(demo(FROST)) if i.kind == "pad"}
        a, b = items["J5.1"], items["J5.4"]
        said = f"{math.dist((a.x_mm, a.y_mm), (b.x_mm, b.y_mm)):.3f} mm  J5.1 to J5.4"
        for keys in ("m", "bgm"):
            for key in keys:
                page.keyboard.press(key)
            for pin in ("J5.1", "J5.4"):
                spot = page.locator(f'#board [data-pin="{pin}"]').first.bounding_box()
                assert spot is not None
                page.mouse.click(spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
            expect(page.locator("#tip")).to_contain_text(said)
            expect(page.locator("#tip")).to_contain_text("copper to copper")
            page.keyboard.press("Escape")
        expect(page.locator("#grid")).to_have_text("Grid: 0.5 mm")
        x, y = self.centre(page, "J5")
        page.mouse.click(x, y)
        page.keyboard.press("f")
        expect(page.locator("#chosen")).to_contain_text("J5")
        box = page.locator('#board .part[data-ref="J5"]').bounding_box()
        assert box is not None
        self.assertGreater(max(box["width"], box["height"]), 150)
        for size in ("1 mm", "1.27 mm", "2.54 mm"):
            page.keyboard.press("g")
            expect(page.locator("#grid")).to_have_text(f"Grid: {size}")
        page.keyboard.press("0")
        first = self.first_pin(page, "R13")
        self.assertTrue(any(abs(v / 2.54 - round(v / 2.54)) > 0.01 for v in first))
        x, y = self.centre(page, "R13")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 45, y - 12, steps=4)
        page.mouse.up()
        expect(page.locator("#last")).to_contain_text("place R13")
        dropped = self.first_pin(page, "R13")
        for value in dropped:
            self.assertAlmostEqual(value / 2.54, round(value / 2.54), places=3)
        version = self.version(page)
        page.keyboard.press("ArrowUp")
        expect(page.locator("#version")).to_have_text(str(version + 1))
        self.assertAlmostEqual(abs(self.first_pin(page, "R13")[1] - dropped[1]), 2.54, places=3)

    def first_pin(self, page: Page, ref: str) -> tuple[float, float]:
        """Give where the first pin of a part lies, in mm."""
        data = page.request.get(f"{page.url.rsplit('/', 1)[0]}/board.json").json()
        pad = next(p for p in data["pads"] if p["pin"].startswith(f"{ref}."))
        return pad["x"], pad["y"]

    def test_findings_lead_to_their_place(self) -> None:
        """The next finding by a key is ringed in the view and a click goes there; its remedy can be carried out."""
        page = self.page(self.fresh("find") + "/board")
        self.type(page, "width RX 0.3mm")
        expect(page.locator(".finding.stop").first).to_contain_text("thinner than its rule")
        before = page.get_attribute("#board", "viewBox")
        page.locator(".finding.stop").first.hover()
        expect(page.locator("#board .place-mark")).to_have_count(1)
        page.keyboard.press(".")
        self.assertNotEqual(page.get_attribute("#board", "viewBox"), before)
        expect(page.locator(".finding.at")).to_have_count(1)
        expect(page.get_by_role("button", name="Route RX again").first).to_be_visible()
        page.get_by_role("button", name="Route RX again").first.click()
        expect(page.locator(".finding.stop")).to_have_count(0, timeout=120_000)

    def test_outline_holes_texts_and_pours_by_pointing(self) -> None:
        """The forms of the board make and remove what the verbs do; a hole can be dragged."""
        # High enough that no fold lies under the ask line, where a press would wait for it to be scrolled.
        page = self.page(self.fresh("forms", BEEPER) + "/board", height=1300)
        page.locator("summary", has_text="Holes").click()
        for name, value in (("x", "5"), ("y", "22"), ("size", "3")):
            page.locator('form[data-form^="hole"]').locator(f"input[name={name}]").fill(value)
        page.get_by_role("button", name="Drill a hole").click()
        expect(page.locator('#board [data-item="H1"]')).to_be_visible()
        box = page.locator('#board [data-item="H1"]').bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2 + 15, box["y"] + box["height"] / 2 + 25, steps=4)
        page.mouse.up()
        expect(page.locator("#last")).to_contain_text("move H1")
        page.locator("summary", has_text="Legend").click()
        for name, value in (("words", "DRY SOIL"), ("x", "22"), ("y", "40")):
            page.locator('form[data-form^="text"]').locator(f"input[name={name}]").fill(value)
        page.get_by_role("button", name="Print the text").click()
        expect(page.locator('#board [data-item="text1"]')).to_be_attached()
        page.locator("summary", has_text="Pours").click()
        page.get_by_role("button", name="Pour copper").click()
        expect(page.locator("#board .pour-back").first).to_be_attached()
        page.get_by_role("button", name="Remove the pour of GND").click()
        expect(page.locator("#board .pour-back")).to_have_count(0)
        page.locator("summary", has_text="Cut-outs").click()
        for name, value in (("x", "3"), ("y", "30"), ("size", "3x2")):
            page.locator('form[data-form^="cutout"]').locator(f"input[name={name}]").fill(value)
        page.get_by_role("button", name="Mill an opening").click()
        expect(page.get_by_role("button", name="Remove CUT1")).to_be_visible()
        page.locator("summary", has_text="Outline").click()
        page.set_input_files('form[action$="/outline"] input[type=file]', ROOT / "tools" / "weathercock.png")
        page.locator('form[action$="/outline"] input[name=width]').fill("120")
        page.get_by_role("button", name="Use this outline").click()
        expect(page.locator("#last")).to_contain_text("outline from a drawing", timeout=20_000)
        (rim,) = page.request.get(page.url.partition("#")[0] + ".json").json()["rims"]
        self.assertGreater(len(rim), 20)
        self.assertAlmostEqual(max(x for x, _ in rim) - min(x for x, _ in rim), 120, delta=0.2)
        page.locator("summary", has_text="Outline").click()
        files = release(demo(FROST), "2026-11-26T00:00:00Z").zipped()
        page.set_input_files(
            'form[action$="/outline"] input[type=file]',
            {"name": "frost.zip", "mimeType": "application/zip", "buffer": files},
        )
        page.get_by_role("button", name="Use this outline").click()
        expect(page.locator("#last")).to_contain_text("4 holes and", timeout=20_000)
        expect(page.locator('#board [data-item="H4"]')).to_be_attached()


if __name__ == "__main__":
    unittest.main()
