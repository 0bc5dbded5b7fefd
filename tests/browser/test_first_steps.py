"""Brief, parts and circuit in Debian's chromium: by pointing, by the keyboard alone, with a supplier that fails."""

from __future__ import annotations

import unittest

from playwright.sync_api import expect

from tests.browser.support import InBrowser


class FirstSteps(InBrowser):
    """From a list of needs to a circuit with reasons and a list that can be bought."""

    def test_from_questions_to_a_circuit_by_pointing(self) -> None:
        """Questions, a need, a controller with its pins proved, a block, a stale value taken, a variant: all by pointing."""
        page = self.page("/new")
        page.fill("input[name=name]", "Vent opener")
        page.fill("textarea[name=purpose]", "Opens the vent of the seedling house.")
        page.get_by_label("With an iron: no hidden joints").check()
        page.fill("textarea[name=wanted]", "Opens above 26 °C\nRings a bell?")
        page.get_by_role("button", name="Begin the design").click()
        expect(page.locator(".purpose")).to_contain_text("seedling house")
        expect(page.locator(".need")).to_have_count(2)
        page.locator("form", has=page.get_by_role("button", name="Add the requirement")).locator(
            "input[name=text]"
        ).fill("Fits the frame")
        page.select_option("select[name=figure]", "width<=")
        page.fill("input[name=limit]", "50")
        page.get_by_role("button", name="Add the requirement").click()
        expect(page.locator(".need.fails")).to_contain_text("Fits the frame")
        expect(page.locator(".finding.stop")).to_contain_text("Q3 is not met")
        page.locator(".need", has_text="Opens above").get_by_role("button", name="Seen", exact=True).click()
        expect(page.locator(".need.shown")).to_contain_text("Opens above")

        page.locator(".step-link", has_text="Parts").click()
        page.get_by_role("link", name="Choose a controller").click()
        page.fill("textarea[name=v]", "TEMP: adc\nMOTOR: pwm\nLAMP_ON: gpio\nflash 10k")
        page.get_by_role("button", name="Find controllers").click()
        row = page.locator("tr", has_text="OW-14S")
        expect(row).to_contain_text("✓")
        row.locator("[data-candidate]").click()
        expect(page.locator("#chosen")).to_contain_text("The best assignment there is")
        page.get_by_role("button", name="Use OW-14S").first.click()
        expect(page.locator(".pin-map")).to_contain_text("PA0")
        page.get_by_role("button", name="Assign the pins of U1").click()
        expect(page.locator(".pin-map .used")).to_have_count(3)
        page.get_by_role("button", name="Keep MOTOR").click()
        expect(page.get_by_role("button", name="Let MOTOR")).to_have_text("kept")

        page.locator(".step-link", has_text="Circuit").click()
        page.get_by_role("link", name="Blocks").click()
        card = page.locator('.block-card:has(form[data-use-block="LED"])')
        card.locator("input[name=LIGHT]").fill("LAMP_ON")
        card.get_by_role("button", name="Insert the block").click()
        expect(page.locator(".block-card.used", has_text="LED1")).to_be_visible()
        page.get_by_role("link", name="Reasons").click()
        field = page.get_by_label("current wanted of LAMP")
        field.fill("2m")
        page.locator("form", has=field).get_by_role("button", name="Set").click()
        expect(page.locator(".reason.stale")).to_contain_text("300")
        expect(page.locator(".finding.look", has_text="LAMP no longer holds")).to_be_visible()
        page.locator(".reason.stale").get_by_role("button", name="Apply the new values").click()
        expect(page.locator(".reason.stale")).to_have_count(0)
        page.get_by_role("link", name="Fit").click()
        page.fill("input[name=id] >> nth=0", "dark")
        page.fill("input[name=title]", "without a light")
        page.get_by_role("button", name="Name the variant").click()
        # The option is there once the form was drawn anew: what is filled in before might go into the old one.
        page.select_option("select[name=variant]", "in dark")
        page.locator(".fit-form input[name=refs]").fill("LED1")
        page.get_by_role("button", name="Set what is fitted").click()
        expect(page.get_by_role("button", name="LED1 in without a light: not fitted")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="LED1 in without a light: not fitted")).to_have_count(0)

    def test_prices_come_and_stay(self) -> None:
        """Prices are asked for and dated; the simulated supplier closes, and the old prices stay on the page."""
        page = self.page(f"{self.fresh('Priced')}/parts")
        page.get_by_role("button", name="Ask the supplier").click()
        expect(page.locator(".sums .mine b")).to_contain_text("€")
        before = page.locator(".sums .mine b").inner_text()
        self.assertGreater(float(before.split()[0]), 5)
        expect(page.locator(".finding", has_text="Not enough of HK-40-3A")).to_be_visible()
        page.get_by_role("button", name="Replace by HK-60-3A").click()
        expect(page.locator(".finding", has_text="Not enough of HK-40-3A")).to_have_count(0)
        parts = page.url
        page.get_by_role("link", name="Simulation").click()
        page.get_by_label("down").check()
        page.get_by_role("button", name="Apply").click()
        expect(page.locator("[role=status]")).to_contain_text("is down")
        page.goto(parts)
        page.get_by_role("button", name="Ask the supplier").click()
        expect(page.locator("#notice")).to_contain_text("Older prices are shown")
        expect(page.locator(".sums .mine b")).to_contain_text("€")
        page.get_by_role("link", name="Simulation").click()
        page.get_by_label("responding").check()
        page.get_by_role("button", name="Apply").click()
        expect(page.locator("[role=status]")).to_contain_text("is responding")
        page.goto(parts)
        page.locator("[data-others]", has_text="R3").first.click()
        expect(page.locator("#chosen")).to_contain_text("QR-16-43K")

    def test_search_and_patterns_by_keyboard(self) -> None:
        """The catalogue is searched while typing and a part added; a pattern drawn from dimensions is held against its drawing."""
        page = self.page(f"{self.fresh('Keyed')}/parts?show=catalogue")
        page.locator("input[type=search]").focus()
        # The answer to the last key replaces the list, with whatever has the focus in it.
        with page.expect_response(
            lambda answer: "/search?" in answer.url and "+2+A" in answer.url.replace("%20", "+")
        ):
            page.keyboard.type("schottky 40 V 2 A")
        page.wait_for_timeout(300)
        expect(page.locator("#hits tr", has_text="HK-40-2")).to_be_visible()
        page.get_by_role("button", name="Add D4").first.focus()
        page.keyboard.press("Enter")
        expect(page.locator("#version")).to_have_text("2")
        self.type(page, "pattern OWN-8 gull pins=8 L=5.8..6.2")
        page.goto(page.url.split("?")[0] + "?show=patterns")
        mine = page.locator(".pattern", has=page.locator("h3", has_text="OWN-8"))
        expect(mine).to_contain_text("not checked yet")
        mine.locator("select[name=sense]").focus()
        page.keyboard.press("c")
        mine.locator("select[name=pin2]").focus()
        page.keyboard.press("b")
        mine.get_by_role("button", name="Compare").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#notice")).to_contain_text("it would be mirrored")
        mine.locator("select[name=sense]").focus()
        page.keyboard.press("a")
        mine.get_by_role("button", name="Compare").focus()
        page.keyboard.press("Enter")
        expect(mine).to_contain_text("as in the drawing")

    def test_a_finding_is_accepted(self) -> None:
        """A finding is accepted with a reason, stands among the accepted ones, and is no longer accepted."""
        page = self.page(f"{self.fresh('Waived')}/circuit")
        self.type(page, "remove R10")
        mine = page.locator(".finding", has_text="Nothing holds Q1 off")
        mine.locator("summary").click()
        mine.locator("input[name=reason]").fill("the pump is switched by hand")
        mine.get_by_role("button", name="Accept with this reason").click()
        expect(mine).to_have_count(0)
        page.locator(".waived summary").click()
        expect(page.locator(".waived")).to_contain_text("switched by hand")
        page.get_by_role("button", name="no longer accept").click()
        expect(page.locator(".finding", has_text="Nothing holds Q1 off")).to_be_visible()

    def test_views_stay_in_step(self) -> None:
        """A connection made in one tab shows in the sheet, the connection list, the brief and the parts of another."""
        address = self.fresh("In step")
        one, other = self.page(f"{address}/circuit"), self.page(f"{address}/parts?show=list")
        rows = other.locator("#parts-view tr").count()
        self.type(one, "add R40 QR-16-47K")
        expect(other.locator("#parts-view tr")).to_have_count(rows + 1)
        expect(other.locator(".step-link", has_text="Board")).to_contain_text("1 stop")
        other.goto(f"{self.server.address}{address}/circuit?show=list")
        self.type(one, "join R40.1 R40.2 LOOP")
        expect(other.locator("tr", has_text="LOOP")).to_contain_text("R40.1")


if __name__ == "__main__":
    unittest.main()
