"""Hints, refused forms and narrow windows: what the platform's own script does, as a user meets it."""

from __future__ import annotations

import unittest

from playwright.sync_api import expect

from tests.browser.support import FROST, InBrowser


class Hints(InBrowser):
    """What is explained, what is marked, and what comes in from the side."""

    def test_terms_are_explained(self) -> None:
        """A term says what it means by pointing and by focus; Escape hides it, and nothing is left when its part goes."""
        page = self.page(f"/d/{FROST}/board")
        term = page.locator("#score .term", has_text="unrouted").first
        term.hover()
        expect(page.locator(".tooltip")).to_contain_text("not yet by copper")
        page.keyboard.press("Escape")
        expect(page.locator(".tooltip")).to_have_count(0)
        page.mouse.move(640, 400)
        term.focus()
        expect(page.locator(".tooltip")).to_have_count(1)
        page.evaluate("htmx.trigger('#score', 'refresh')")
        expect(page.locator(".tooltip")).to_have_count(0)

    def test_a_measurement_with_its_unit(self) -> None:
        """A requirement is written by the form with a limit in seconds; a form with a field missing marks it."""
        page = self.page(self.fresh("units") + "/brief")
        page.get_by_role("button", name="Add the requirement").click()
        expect(page.locator("form.was-validated [name=text]:invalid")).to_have_count(1)
        page.get_by_label("What it must do").fill("Warns in time")
        page.get_by_label("Shown by").select_option(label="a measurement, at most")
        page.get_by_label("Limit, with its unit").fill("10 s")
        page.get_by_role("button", name="Add the requirement").click()
        expect(page.locator("#view")).to_contain_text("Warns in time")
        expect(page.locator("#view")).to_contain_text("10 s")

    def test_narrow(self) -> None:
        """At 800 px the view has the whole width; findings come in from the side by a button and go by Escape."""
        page = self.page(f"/d/{FROST}/board", width=800)
        self.assertGreater(page.locator("#view").bounding_box()["width"], 780)
        expect(page.locator("#findings-panel")).not_to_be_visible()
        page.locator(".panel-keys").get_by_role("button", name="Findings").click()
        expect(page.locator("#findings-panel .finding").first).to_be_visible()
        expect(page.locator("#findings-panel")).to_be_focused()
        page.keyboard.press("Escape")
        expect(page.locator("#findings-panel")).not_to_be_visible()
        self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 800)


if __name__ == "__main__":
    unittest.main()
