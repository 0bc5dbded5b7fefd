"""A hand that points and types on the pages as a newcomer does, and counts what it does; what it builds is the tests'."""

from __future__ import annotations

import contextlib
import re
import time

from playwright.sync_api import Locator, Page, expect


class Hand:
    """A hand that points and types, and counts what it does."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.clicks = self.keys = 0
        self.waited = 0.0

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
        if not (self.seen(at) and self.seen(to)):
            return self.pick(one, two)
        self.page.mouse.move(*at)
        self.page.mouse.down()
        self.page.mouse.move((at[0] + to[0]) / 2, (at[1] + to[1]) / 2)
        self.page.mouse.move(*to, steps=2)
        self.page.wait_for_function(
            "() => /then has|becomes part/.test(document.querySelector('.wire-tip').textContent)"
        )
        told = self.page.locator(".wire-tip").inner_text()
        self.page.mouse.up()
        self.clicks += 1
        self.drawn()
        return told

    def seen(self, at: tuple[float, float]) -> bool:
        """Tell whether a place on the screen can be pointed at, not under what lies over the sheet."""
        return bool(
            self.page.evaluate(
                "([x, y]) => Boolean(document.elementFromPoint(x, y)?.closest('#sheet'))",
                list(at),
            )
        )

    def pick(self, one: str, two: str) -> str:
        """Connect what is not on the screen together: both are clicked one after the other, then joined."""
        for end in (one, two):
            place = self.page.locator(f'#sheet [data-pin="{end}"], #sheet [data-net="{end}"]').first
            place.scroll_into_view_if_needed()
            self.page.mouse.click(*self.spot(end))
            self.clicks += 1
        if "." in one and "." in two:
            self.press("Join these pins")
        self.drawn()
        return ""

    def press(self, name: str, exact: bool = True) -> None:
        """Click a button or a link by what it says."""
        one, other = (self.page.get_by_role(role, name=name, exact=exact) for role in ("button", "link"))
        one.or_(other).first.click()
        self.clicks += 1

    def search(self, words: str, value: str = "") -> None:
        """Look for a part beside the sheet in words, and add the first that is found."""
        self.mark()
        box = self.page.locator("#q")
        box.click()
        box.fill("")
        self.page.keyboard.type(words)
        # What was found for the words before is not what was meant.
        form = self.page.locator(f'#few form[data-for="{words}"]').first
        expect(form).to_be_visible()
        self.page.wait_for_function("() => !document.querySelector('.htmx-request')")
        if value:
            form.locator("input").fill(value)
        form.get_by_role("button").click()
        self.clicks += 2 + bool(value)
        self.keys += len(words) + len(value)
        self.drawn()

    def step(self, name: str) -> None:
        """Go to a step of the stair."""
        self.page.locator(".step-link", has_text=name).click()
        self.clicks += 1
        self.page.wait_for_load_state()

    def begin(
        self, name: str, *, maker: str = "", skills: str = "", size: str = "", kits: tuple[str, ...] = ()
    ) -> None:
        """Answer the questions of a new design; end on its circuit."""
        page = self.page
        page.fill("input[name=name]", name)
        self.clicks += 1
        self.keys += len(name)
        for answer in (maker, skills):
            if answer:
                page.get_by_text(answer, exact=True).click()
                self.clicks += 1
        if size:
            page.fill("input[name=size]", size)
            self.clicks += 1
            self.keys += len(size)
        for kit in kits:
            label = page.locator(f'.kits input[value="{kit}"]')
            if not label.is_visible():
                page.locator(".more-kits summary").click()
                self.clicks += 1
            label.check()
            self.clicks += 1
        self.press("Begin the design")
        page.wait_for_url(re.compile("/d/"))
        if "/circuit" not in page.url:
            self.step("Circuit")
        page.locator("#sheet").wait_for()

    def settled(self, what: str, least_seconds: float = 0.0) -> None:
        """Wait until something is on the page, and count the seconds."""
        begun = time.monotonic()
        expect(self.page.locator(what).first).to_be_visible(timeout=90_000)
        self.waited += max(least_seconds, time.monotonic() - begun)

    def open_palette(self) -> None:
        """Show the tiles that people use less."""
        self.page.locator('[data-fold="palette"] > summary').click()
        self.clicks += 1

    def connect(self, pairs: str) -> None:
        """Draw connections, each from one end to another, apart by commas."""
        for pair in pairs.split(","):
            self.drag(*pair.split())

    def until(self, place: Locator, begins: str) -> None:
        """Wait until a place says something that begins so."""
        begun = time.monotonic()
        expect(place).to_have_text(re.compile(f"^{begins}"), timeout=120_000)
        self.waited += time.monotonic() - begun

    def name_net(self, pin: str, name: str) -> None:
        """Name the net of a card's pin: the pin is clicked, the name typed."""
        self.mark()
        self.page.mouse.click(*self.spot(pin))
        field = self.page.locator("#net-name")
        expect(field).to_be_visible()
        field.fill(name)
        self.page.keyboard.press("Enter")
        self.clicks += 2
        self.keys += len(name) + 1
        self.drawn()
        self.page.keyboard.press("Escape")

    def feed(self, pin: str, name: str) -> None:
        """Name a supply, and press the remedy that says where it comes from, where one is offered."""
        self.name_net(pin, name)
        remedy = self.page.get_by_role("button", name=re.compile("^Say that .* feeds"))
        with contextlib.suppress(AssertionError):
            expect(remedy.first).to_be_visible(timeout=3_000)
            self.mark()
            remedy.first.click()
            self.clicks += 1
            self.drawn()
