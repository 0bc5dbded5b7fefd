"""The flow of power in a browser: sources turned by keyboard, a circuit nobody prepared from nothing to a finding."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.support import InBrowser
from tests.support import FROST


class Power(InBrowser):
    """The Power step."""

    def test_a_source_is_turned(self) -> None:
        """A source is connected with Enter, everything follows; the table of states chooses one; rails can be asked."""
        page = self.page(f"/d/{FROST}/power?given=1&on=BATT&mode=alarm")
        expect(page.locator(".flow-sum b").first).to_contain_text("W")
        expect(page.locator(".flow")).to_contain_text("J2 off")
        page.locator('.flow a[aria-label="Connect J2"]').focus()
        page.keyboard.press("Enter")
        expect(page.locator(".flow")).to_contain_text("J2 2")
        page.locator("#states").get_by_role("button", name="night", exact=True).click()
        expect(page.locator("#state-mode")).to_have_value("watch")
        page.locator('.rail [data-key="3V3"]').click()
        expect(page.locator("#selection")).to_contain_text("What it is at")
        page.locator("#state-called").fill("dusk")
        page.keyboard.press("Enter")
        expect(page.locator("#states").get_by_role("button", name="dusk", exact=True)).to_be_visible()
        page.get_by_role("button", name="Remove state dusk").click()
        expect(page.locator("#states").get_by_role("button", name="dusk", exact=True)).to_have_count(0)
        before = page.locator("#selection .reads").inner_text()
        page.locator("#state-mode").select_option("alarm")
        expect(page.locator("#selection .reads")).not_to_have_text(before)
        page.goto(f"{self.server.address}/d/{FROST}/circuit")
        page.locator('#sheet [data-ref="U3"] rect').first.click(force=True)
        for state, heat in (("bench", "36.3 mW"), ("night", "36.1 mW")):
            page.locator("[data-probe]").select_option(state)
            expect(page.locator("#selection .reads b")).to_have_text(heat)
        page.locator('#sheet [data-pin="U3.2"]').first.click()
        expect(page.locator("#selection .at-pin")).to_have_count(1)
        expect(page.locator("[data-probe]")).to_have_value("night")
        expect(page.locator("#selection .at-pin")).to_have_text("3.3 V · -9.81 mA")

    def test_curves_and_heat(self) -> None:
        """A curve is drawn and read with the keys; the picture follows the state; heat lies over the board while asked for."""
        page = self.page(f"/d/{FROST}/power?given=1&on=BATT&mode=watch")
        page.locator("#curve").get_by_role("button", name="Draw the curve").click()
        page.locator(".plot svg").focus()
        expect(page.locator("[data-at]")).to_have_text("20 ms")
        page.keyboard.press("Home")
        expect(page.locator("[data-at]")).not_to_have_text("20 ms")
        expect(page.locator("#picture h2")).to_contain_text("BATT, watch")
        page.locator("#state-mode").select_option("alarm")
        expect(page.locator("#picture h2")).to_contain_text("BATT, alarm")
        page.goto(f"{self.server.address}/d/{FROST}/board")
        expect(page.locator("#board .part").first).to_be_visible()
        for shown in (1, 0):
            page.keyboard.press("h")
            expect(page.locator("#board .warmth")).to_have_count(shown)

    def test_from_nothing_to_a_finding(self) -> None:
        """Without a source the page says what to do; a source and a load by the forms, and what is too much is told."""
        address = self.fresh("feeding")
        page = self.page(address + "/circuit")
        for sentence in (
            "add U90 AL-33",
            "add J90 NT-2",
            "add J91 NT-2",
            "join U90.IN J90.1 FEEDS",
            "join U90.OUT J91.1 GETS",
            "join U90.GND J90.2 J91.2 GND",
        ):
            page.locator("#ask").fill(sentence)
            page.locator("#ask").press("Enter")
            expect(page.locator("#last")).to_have_text(sentence)
        page.keyboard.press("Escape")
        page.keyboard.press("4")
        page.wait_for_url("**/power")
        form = page.locator("form", has=page.locator("text=Set the source"))
        for name, text in (("name", "PLUG"), ("plus", "J90.1"), ("minus", "J90.2"), ("volts", "9 V")):
            form.locator(f"[name={name}]").fill(text)
        form.get_by_role("button", name="Set the source").click()
        expect(page.locator("#state-form")).to_contain_text("PLUG")
        page.locator("summary", has_text="A load outside").click()
        form = page.locator("form", has=page.locator("text=Set the load"))
        for name, text in (("name", "LAMP"), ("plus", "J91.1"), ("minus", "J91.2"), ("draws", "200mA")):
            form.locator(f"[name={name}]").fill(text)
        form.get_by_role("button", name="Set the load").click()
        expect(page.locator("#findings-panel")).to_contain_text("The junction of U90 AL-33 comes to")
        expect(page.locator(".flow")).to_contain_text("GETS")
