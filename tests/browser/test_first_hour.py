"""The first hour, by pointing: what a newcomer builds without knowing our words, with clicks and keys counted."""

from __future__ import annotations

import os
import unittest

from playwright.sync_api import Page, expect

from tests.browser.support import InBrowser
from vane_step.core.circuit.review import review
from vane_step.core.design.fileformat import from_json

MOST_CLICKS_AND_KEYS = 60


class Hand:
    """A hand that points and types, and counts what it does."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.clicks = self.keys = 0

    def tile(self, name: str, value: str = "") -> None:
        """Add a part from the palette, with its value typed in place where it has one."""
        self.mark()
        if value:
            self.page.locator(f'input[aria-label="Value of {name}"]').click()
            self.page.keyboard.type(value)
            self.page.keyboard.press("Enter")
            self.keys += len(value) + 1
        else:
            self.page.get_by_role("button", name=name, exact=True).click()
        self.clicks += 1
        self.drawn()

    def mark(self) -> None:
        """Mark the sheet as it is, to see when it is drawn anew."""
        self.page.evaluate("document.getElementById('sheet').firstElementChild.dataset.old = 1")

    def drawn(self) -> None:
        """Wait until the sheet is drawn anew."""
        self.page.wait_for_function(
            "() => !('old' in document.getElementById('sheet').firstElementChild.dataset)"
        )

    def spot(self, what: str) -> tuple[float, float]:
        """Give where a pin is on the screen."""
        place = self.page.locator(f'#sheet [data-pin="{what}"], #sheet [data-net="{what}"]').first
        for _ in range(50):
            # The sheet is drawn anew after each change; a place taken from the old one is none.
            if box := place.bounding_box():
                return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            self.page.wait_for_timeout(100)
        raise AssertionError(f"{what} is not on the sheet")

    def drag(self, one: str, two: str) -> str:
        """Draw a connection from one end to another; give what was said beforehand."""
        self.mark()
        to = self.spot(two)
        at = self.spot(one)
        self.page.mouse.move(*at)
        self.page.mouse.down()
        self.page.mouse.move((at[0] + to[0]) / 2, (at[1] + to[1]) / 2, steps=2)
        self.page.mouse.move(*to, steps=3)
        expect(self.page.locator(".wire-tip")).to_contain_text("then has")
        told = self.page.locator(".wire-tip").inner_text()
        self.page.mouse.up()
        self.clicks += 1
        self.drawn()
        return told


class FirstHour(InBrowser):
    """From the empty shelf."""

    def test_the_blinking_timer(self) -> None:
        """Nine parts and seven nets by pointing: within 60 clicks and keys, every pin where it belongs, nothing refused."""
        page = self.page("/new", width=1600, height=1300)
        page.fill("input[name=name]", "Blinking light")
        page.get_by_role("button", name="Begin the design").click()
        page.locator(".step-link", has_text="Circuit").click()
        expect(page.locator(".empty")).to_contain_text("An empty circuit")
        hand = Hand(page)
        page.locator('[data-fold="palette"] > summary').click()
        hand.clicks += 1
        hand.tile("Timer")
        hand.tile("Screw terminal", "2")
        for name, value in (("Resistor", "10k"), ("Resistor", "68k"), ("Resistor", "1k"), ("LED", "red")):
            hand.tile(name, value)
        for name, value in (("Capacitor", "10u"), ("Capacitor", "10n"), ("Capacitor", "100n")):
            hand.tile(name, value)
        # Supply, then ground, the timing chain, the light; a pin is named on the sheet by what it does.
        for one, two in (
            ("J1.1", "U1.8"),
            ("U1.4", "U1.8"),
            ("R1.1", "U1.8"),
            ("C3.1", "U1.8"),
            ("J1.2", "U1.1"),
            ("C1.2", "U1.1"),
            ("C2.2", "U1.1"),
            ("C3.2", "U1.1"),
            ("LED1.1", "U1.1"),
            ("R1.2", "U1.7"),
            ("R2.1", "U1.7"),
            ("R2.2", "U1.6"),
            ("U1.2", "U1.6"),
            ("C1.1", "U1.6"),
            ("C2.1", "U1.5"),
            ("U1.3", "R3.1"),
            ("R3.2", "LED1.2"),
        ):
            hand.drag(one, two)
        text = page.request.get(f"{self.server.address}/d/blinking-light/design.json").text()
        d = from_json(text, "blinking-light")
        nets = {frozenset(net.pins) for net in d.nets.values()}
        self.assertEqual(
            nets,
            {
                frozenset(("J1.1", "U1.8", "U1.4", "R1.1", "C3.1")),
                frozenset(("J1.2", "U1.1", "C1.2", "C2.2", "C3.2", "LED1.1")),
                frozenset(("R1.2", "U1.7", "R2.1")),
                frozenset(("R2.2", "U1.6", "U1.2", "C1.1")),
                frozenset(("C2.1", "U1.5")),
                frozenset(("U1.3", "R3.1")),
                frozenset(("R3.2", "LED1.2")),
            },
        )
        self.assertFalse([f for f in review(d) if f.code == "open-pin"])
        self.assertTrue(all(p.catalogue for p in d.parts.values()), "a part without a number to order")
        if os.environ.get("FIRST_HOUR"):
            print(f"\n{hand.clicks} clicks, {hand.keys} keys")
        self.assertLessEqual(hand.clicks + hand.keys, MOST_CLICKS_AND_KEYS)

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


if __name__ == "__main__":
    unittest.main()
