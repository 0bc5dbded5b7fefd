"""Several tabs, people and servers on one design, and what is left when one is killed."""

from __future__ import annotations

import os
import signal
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Route, expect

from tests.browser.support import CHROMIUM, FLAGS, InBrowser, Server
from tests.support import FROST


class Together(InBrowser):
    """More than one tab, and a program that dies."""

    def test_many_tabs_and_the_back_button(self) -> None:
        """Nine tabs of one browser all load and all hear of an edit; a page come back to is the design as it is now."""
        address = self.server.address + self.fresh("many")
        browser = self.playwright.chromium.launch(
            executable_path=CHROMIUM, args=FLAGS, ignore_default_args=["--disable-back-forward-cache"]
        )
        self.addCleanup(browser.close)
        context = browser.new_context()
        tabs = [context.new_page() for _ in range(9)]
        for tab in tabs:
            tab.goto(address + "/circuit", timeout=20_000)
        self.type(tabs[0], "value R9 330")
        for tab in tabs:
            expect(tab.locator("#version")).to_have_text("2")
        tabs[1].goto(self.server.address)
        self.type(tabs[2], "value R9 470")
        tabs[1].go_back(wait_until="commit")
        expect(tabs[1].locator("#version")).to_have_text("3")
        self.type(tabs[1], "value R10 22k")
        expect(tabs[8].locator("#version")).to_have_text("4")

    def test_clicks_before_the_scripts_run(self) -> None:
        """Pins clicked and a form sent while the page's scripts are still on their way count as soon as they run."""
        page = self.page("/")
        held: list[Route] = []
        page.route("**/js/circuit.js", lambda route: held.append(route))
        page.goto(f"{self.server.address}{self.fresh('early')}/circuit", wait_until="commit")
        for pin in ("U1.12", "J7.3"):
            page.locator(f'[data-pin="{pin}"]').first.click()
        expect(page.locator("#chosen")).to_be_empty()
        self.assertEqual(len(held), 1)
        held[0].continue_()
        expect(page.locator("#chosen")).to_contain_text("2 pins")
        page.unroute("**/js/circuit.js")
        page.route("**/js/frame.js", lambda route: held.append(route))
        page.reload(wait_until="commit")
        page.locator("summary", has_text="Connections from a list").click()
        page.locator("textarea").fill("EARLY: U1.12 J7.3")
        page.get_by_role("button", name="Connect the list").click()
        held[1].continue_()
        expect(page.locator("#version")).to_have_text("2")

    def test_a_fault_inside_is_said(self) -> None:
        """What the server cannot answer is told on the page, which does not stay at saving."""
        page = self.page(self.fresh("fault") + "/circuit")
        for status, body, says in (
            (500, '{"message": "Something failed inside"}', "Something failed"),
            (502, "<html>", "502"),
        ):
            page.route("**/ask", lambda r, _, s=status, b=body: r.fulfill(status=s, body=b))
            self.faults.clear()
            page.keyboard.press("/")
            page.keyboard.type("value R9 330")
            page.keyboard.press("Enter")
            expect(page.locator("#notice")).to_contain_text(says)
            expect(page.locator("#saved")).to_have_text("not saved")
            page.unroute("**/ask")
        self.faults.clear()

    def test_two_tabs_follow_each_other(self) -> None:
        """An edit in one tab shows in the other, where the hand stays; a tab that missed it is told, nothing is merged."""
        address = self.fresh("tabs")
        one, two, deaf = self.page(address + "/circuit"), self.page(address + "/board"), self.page("/")
        # Without the shared stream a tab has its own, which is cut off here.
        deaf.add_init_script("delete window.SharedWorker")
        deaf.route("**/events", lambda r: r.abort())
        deaf.goto(self.server.address + address + "/circuit")
        self.faults.clear()
        self.type(one, "value R9 330")
        expect(two.locator("#version")).to_have_text("2")
        expect(two.locator("#last")).to_have_text("value R9 330")
        deaf.keyboard.press("/")
        deaf.keyboard.type("value R9 470")
        deaf.keyboard.press("Enter")
        expect(deaf.locator("#notice")).to_contain_text("changed elsewhere meanwhile")
        expect(deaf.locator("#ask")).to_have_value("value R9 470")
        self.type(two, "value R10 22k")
        expect(one.locator("#sheet")).to_contain_text("22k")
        two.locator("summary", has_text="Holes").click()
        field = two.locator('form[data-form^="hole"] input[name=x]')
        field.press_sequentially("1")
        field.evaluate("field => { field.dataset.before = 'yes'; }")
        self.type(one, "value R9 470")
        expect(two.locator("[data-before]")).to_have_count(0)
        two.keyboard.type("2")
        expect(field).to_have_value("12")
        self.faults.clear()

    def test_nothing_is_left_behind(self) -> None:
        """A server that is stopped or killed, just started or at work, takes its worker with it."""
        for seconds, how in ((0.0, signal.SIGTERM), (6.0, signal.SIGTERM), (4.0, signal.SIGKILL)):
            with self.subTest(how, seconds=seconds), tempfile.TemporaryDirectory() as folder:
                server = Server(Path(folder))
                time.sleep(seconds)
                server.end(how)
                for _ in range(300):
                    try:
                        os.killpg(server.process.pid, 0)
                    except ProcessLookupError:
                        break
                    time.sleep(0.1)
                else:
                    self.fail("processes of the server live on")

    def test_killed_in_the_middle_of_edits(self) -> None:
        """What the page saw answered is there after a kill and a new start."""
        with tempfile.TemporaryDirectory() as folder:
            server = Server(Path(folder))
            page = self.page("/")
            page.goto(f"{server.address}/d/{FROST}/circuit")
            for k in range(4):
                self.type(page, f"value R9 {k}k{k}")
            server.end(signal.SIGKILL)
            page.keyboard.press("/")
            page.keyboard.type("value R9 lost")
            page.keyboard.press("Enter")
            expect(page.locator("#notice")).to_contain_text("does not answer")
            again = Server(Path(folder))
            page.goto(f"{again.address}/d/{FROST}/circuit")
            expect(page.locator("#version")).to_have_text("5")
            expect(page.locator("#sheet")).to_contain_text("3k3")
            again.end()
            self.faults.clear()
