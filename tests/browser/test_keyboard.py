"""Without a mouse, at every width, and in the dark."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.support import InBrowser
from tests.support import BEEPER, BEEPER_TYPED, FROST, demo


class Keyboard(InBrowser):
    """Without a mouse."""

    def test_ask_line_completes_and_says(self) -> None:
        """Typing completes with Tab, says what it will do before Enter, and refuses in words with what was typed kept."""
        page = self.page(self.fresh("ask") + "/circuit")
        page.keyboard.press("/")
        page.keyboard.type("jo")
        expect(page.locator("#completions li").first).to_have_text("join")
        page.keyboard.press("Tab")
        page.keyboard.type("U1.11 HORN only")
        expect(page.locator("#says")).to_contain_text("HORN then has 3 pins")
        page.keyboard.press("Enter")
        expect(page.locator("#last")).to_have_text("join U1.11 HORN only")
        page.keyboard.type("join U1.99 HORN")
        expect(page.locator("#says")).to_contain_text("U1 has no pin 99")
        page.keyboard.press("Enter")
        expect(page.locator("#notice")).to_contain_text("U1 has no pin 99")
        expect(page.locator("#ask")).to_have_value("join U1.99 HORN")

    def test_the_beeper_typed(self) -> None:
        """From an empty design the whole beeper is typed without a mouse; a fast typist loses nothing."""
        page = self.page("/new")
        page.keyboard.type("Typed beeper")
        page.keyboard.press("Enter")
        page.wait_for_url("**/typed-beeper/brief")
        page.keyboard.press("3")
        page.wait_for_url("**/typed-beeper/circuit")
        page.keyboard.press("/")
        for sentence in BEEPER_TYPED:
            page.keyboard.type(sentence)
            page.keyboard.press("Enter")
        expect(page.locator("#version")).to_have_text(str(len(BEEPER_TYPED) + 1))
        data = page.evaluate("() => fetch('/d/typed-beeper/design.json').then(r => r.json())")
        wanted = {frozenset(n.pins) for n in demo(BEEPER).nets.values()}
        self.assertEqual({frozenset(n["pins"]) for n in data["nets"].values()}, wanted)
        page.locator("summary", has_text="Connections from a list").focus()
        page.keyboard.press("Enter")
        page.keyboard.press("Tab")
        page.keyboard.type("SPARE: U1.99")
        page.get_by_role("button", name="Connect the list").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#notice")).to_contain_text("line 1: U1 has no pin 99")
        expect(page.locator("textarea")).to_have_value("SPARE: U1.99")
        self.faults.clear()

    def test_every_control_is_reached_and_named(self) -> None:
        """Tab reaches parts and pins on the sheet; Enter chooses; every control has a name for a screen reader."""
        page = self.page(f"/d/{FROST}/circuit")
        page.locator('.tab[data-pin="U1.1"]').focus()
        page.keyboard.press("Enter")
        expect(page.locator("#chosen")).to_contain_text("U1.1")
        page.locator('.tab[data-pin="U1.2"]').focus()
        page.keyboard.press("Enter")
        expect(page.locator("#chosen")).to_contain_text("2 pins")
        page.keyboard.press("5")
        expect(page).to_have_url(f"{self.server.address}/d/{FROST}/board")
        page.locator('#board .part[data-ref="C8"]').focus()
        page.keyboard.press("Enter")
        expect(page.locator("#chosen")).to_contain_text("C8")
        page.locator("summary", has_text="Placement list").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#placement")).to_contain_text("OW-32T")
        page.keyboard.press("?")
        expect(page.locator("#helpbox")).to_contain_text("What can be typed")
        page.keyboard.press("Escape")
        for path in Looks.PATHS:
            page.goto(self.server.address + path)
            nameless = page.evaluate(
                """() => [...document.querySelectorAll('button, input:not([type=hidden]), select, textarea, a, [role=button], summary')]
                .filter(e => !(e.getAttribute('aria-label') || e.title || e.textContent.trim() || e.closest('label') || (e.labels && e.labels.length) || e.querySelector('img[alt]')))
                .map(e => e.outerHTML.slice(0, 120))"""
            )
            self.assertEqual(nameless, [], path)


class Looks(InBrowser):
    """What any page must keep to."""

    PATHS = (
        "/",
        "/new",
        f"/d/{FROST}/brief",
        f"/d/{FROST}/parts",
        f"/d/{FROST}/parts?show=catalogue&q=fet",
        f"/d/{FROST}/parts?show=controller",
        f"/d/{FROST}/parts?show=patterns",
        f"/d/{FROST}/parts?show=stock",
        f"/d/{FROST}/circuit",
        f"/d/{FROST}/circuit?show=reasons",
        f"/d/{FROST}/circuit?show=blocks",
        f"/d/{FROST}/circuit?show=fit",
        f"/d/{FROST}/circuit?show=list",
        f"/d/{FROST}/power",
        f"/d/{FROST}/board",
        f"/d/{FROST}/make?manufacturing=order",
        f"/d/{BEEPER}/make?manufacturing=etch",
        "/inspect",
        f"/d/{BEEPER}/inspect",
    )
    CONTRAST = """() => {
      const rgb = (s) => { const m = s.match(/[\\d.]+/g).map(Number); return m.length < 4 ? [...m, 1] : m; };
      const lum = (c) => { const v = c.slice(0, 3).map((x) => { x /= 255; return x <= 0.03928 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4; }); return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2]; };
      const back = (e) => { for (; e; e = e.parentElement) { const c = rgb(getComputedStyle(e).backgroundColor); if (c[3] > 0.9) return c; } return [255, 255, 255]; };
      const bad = [];
      for (const e of document.querySelectorAll('body *')) {
        if (e.closest('svg') || e.disabled || !e.checkVisibility() || ![...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim())) continue;
        const s = getComputedStyle(e), a = lum(rgb(s.color)), b = lum(back(e)), ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
        const large = parseFloat(s.fontSize) >= 24 || (parseFloat(s.fontSize) >= 18.66 && s.fontWeight >= 700);
        if (ratio < (large ? 3 : 4.5)) bad.push(`${e.tagName}.${e.className} ${e.textContent.trim().slice(0, 30)} ${ratio.toFixed(2)}`);
      }
      return bad; }"""

    def test_nothing_scrolls_sideways(self) -> None:
        """At 1024, 1280 and 1920 wide nothing is wider than the window, nor any table than its place."""
        for width in (1024, 1280, 1920):
            page = self.page(self.PATHS[0], width)
            for path in self.PATHS:
                page.goto(self.server.address + path)
                page.wait_for_selector(".verdict") if "order" in path else None
                with self.subTest(path, width=width):
                    self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), width)
                    wide = page.evaluate(
                        "[...document.querySelectorAll('.sheet-holder, .pane, .findings-panel, .selection, .bar-top')].filter(e => e.scrollWidth > e.clientWidth + 1).map(e => `${e.className} ${e.scrollWidth} > ${e.clientWidth}: ` + [...e.querySelectorAll('*')].filter(i => i.getBoundingClientRect().right > e.getBoundingClientRect().right).map(i => `${i.className} ${i.textContent.trim().slice(0, 40)}`).slice(0, 3))"
                    )
                    self.assertEqual(wide if width > 1024 or not path.endswith("circuit") else [], [])
            page.context.close()

    def test_contrast(self) -> None:
        """All text reaches WCAG 2.2 AA, light and dark."""
        for scheme in ("light", "dark"):
            page = self.page(self.PATHS[0], color_scheme=scheme)
            for path in self.PATHS:
                page.goto(self.server.address + path)
                with self.subTest(path, scheme=scheme):
                    self.assertEqual(page.evaluate(self.CONTRAST), [])
            page.context.close()
