"""What the sheet asks and answers while a newcomer points: questions, several parts at once, copies."""

from __future__ import annotations

import unittest

from playwright.sync_api import expect

from tests.browser.hand import Hand
from tests.browser.support import InBrowser
from vane_step.core.design.fileformat import from_json


class FirstHour(InBrowser):
    """From the empty shelf."""

    def test_a_question_before_two_nets_are_one(self) -> None:
        """A pin of one named net dragged to another: the page asks, and the answer that is chosen is carried out."""
        page = self.page(f"{self.fresh('Asked')}/circuit")
        self.type(page, "add R91..93 1k")
        self.type(page, "join R91.1 R92.1 ONE")
        self.type(page, "join R93.1 R91.2 TWO")
        page.locator("#ask").fill("join R91.1 TWO")
        page.keyboard.press("Enter")
        notice = page.locator("#notice")
        expect(notice).to_contain_text("Is ONE one net with TWO")
        notice.get_by_role("button", name="merge ONE TWO").click()
        expect(notice).to_be_hidden()
        expect(page.locator("#last")).to_contain_text("merge ONE TWO")

    def test_several_at_once(self) -> None:
        """Parts caught by a box are copied and set in here and on another design's sheet; cut, they come back by a key."""
        page = self.page(f"{self.fresh('Copied')}/circuit", height=1200)
        page.locator('[data-pin="U3.3"]').hover()
        expect(page.locator(".pin-tip")).to_have_text("U3.3 IN, takes its supply, 4.4 V to 15 V, on 5V0")
        one, two = (page.locator(f'.symbol[data-ref="{r}"]') for r in ("F1", "D1"))
        first, last = one.bounding_box(), two.bounding_box()
        assert first
        assert last
        page.mouse.move(last["x"] + last["width"] + 4, last["y"] + last["height"] + 14)
        page.mouse.down()
        page.mouse.move(first["x"] - 4, first["y"] - 6, steps=4)
        page.mouse.up()
        expect(page.locator(".selection-head").first).to_contain_text("2 parts")
        self.assertEqual(page.locator(".picked").count(), 2)
        for _ in range(2):
            with page.expect_response("**/clip?*"):
                page.locator('.symbol[data-ref="F1"]').click(modifiers=["Shift"])
        page.wait_for_timeout(200)
        page.keyboard.press("Control+c")
        expect(page.locator("#notice")).to_contain_text("Copied D1, F1")
        with page.expect_response("**/clip?*"):
            page.keyboard.press("Control+v")
        expect(page.locator("#notice")).to_contain_text("joined by name to")
        expect(page.locator("#last")).to_contain_text("set in 2 parts")
        other = page.context.new_page()
        other.goto(f"{self.server.address}/d/2-seedling-thirst-beeper/circuit")
        other.locator("#sheet-svg").wait_for()
        other.keyboard.press("Control+v")
        expect(other.locator("#notice")).to_contain_text("sets in D1, F1")
        other.close()
        expect(page.locator("#counts")).to_contain_text("54 parts")
        page.keyboard.press("Control+x")
        expect(page.locator("#counts")).to_contain_text("52 parts")
        page.keyboard.press("Control+v")
        expect(page.locator("#counts")).to_contain_text("54 parts")

    def test_dropped_where_it_goes(self) -> None:
        """A part dragged from beside the sheet is connected where it is dropped: to one net, or held over one to both."""
        page = self.page(f"{self.fresh('Dropped')}/circuit", height=1200)
        hand = Hand(page)
        value = page.get_by_label("Value of Resistor")
        value.fill("10k")
        tile = page.get_by_role("button", name="Resistor", exact=True).bounding_box()
        assert tile
        for held in (False, True):
            value.fill("4k7")
            hand.mark()
            page.mouse.move(tile["x"] + 20, tile["y"] + 10)
            page.mouse.down()
            if held:
                page.mouse.move(*hand.spot("U3.1"), steps=3)
                page.wait_for_timeout(600)
            page.mouse.move(*hand.spot("U3.3"), steps=3)
            expect(page.locator(".drop-tip:visible")).to_contain_text(
                "U3.1, U3.3" if held else "Resistor at U3.3"
            )
            page.mouse.up()
            hand.drawn()
        text = page.request.get(page.url.replace("/circuit", "/design.json")).text()
        d = from_json(text, "mine")
        self.assertEqual(d.net_of("R17.1"), "5V0")
        self.assertIsNone(d.net_of("R17.2"))
        self.assertEqual((d.net_of("R18.1"), d.net_of("R18.2")), ("GND", "5V0"))

    def test_begun_with_a_copy(self) -> None:
        """A design on the shelf is copied, and the copy named anew on its brief; the first stays as it was."""
        page = self.page("/")
        page.get_by_role("button", name="Begin with a copy of Seedling Thirst Beeper").click()
        expect(page).to_have_url(f"{self.server.address}/d/seedling-thirst-beeper-copy/brief")
        field = page.get_by_label("Name of the design")
        expect(field).to_have_value("Seedling Thirst Beeper copy")
        field.fill("Marrow Alarm")
        page.get_by_role("button", name="Name the design").click()
        expect(page.locator("#last")).to_contain_text("call")
        page.goto(self.server.address + "/")
        expect(page.locator(".design-card h2", has_text="Marrow Alarm")).to_be_visible()
        expect(page.locator(".design-card h2", has_text="Seedling Thirst Beeper")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
