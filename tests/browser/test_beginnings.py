"""Five first boards, by pointing only and in a newcomer's words: each from the empty shelf to files or artwork."""

from __future__ import annotations

import json
import os
import re
import unittest

from playwright.sync_api import Page, expect

from tests.browser.hand import Hand
from tests.browser.support import InBrowser
from vane_step.core.circuit.review import review
from vane_step.core.design.fileformat import from_json
from vane_step.core.design.model import Design

# What each may cost at most: clicks and drags, keys.
MOST = {
    "Blinking light": (45, 60),
    "Two-button light": (45, 60),
    "Key pad": (50, 70),
    "USB controller kit": (75, 120),
    "Fan dimmer": (70, 110),
}
# Nine parts and seven nets, clicks and keys together.
NINE_PARTS = 60
COUNT_REFUSALS = """
new MutationObserver(() => {
  const n = document.getElementById("notice");
  if (n && !n.hidden && !n.classList.contains("good") && n.dataset.seen !== n.textContent) {
    n.dataset.seen = n.textContent;
    const all = JSON.parse(sessionStorage.getItem("refused") || "[]");
    sessionStorage.setItem("refused", JSON.stringify([...all, n.textContent]));
  }
}).observe(document, { subtree: true, childList: true, attributes: true, attributeFilter: ["hidden"] });
"""


class Beginnings(InBrowser):
    """From the empty shelf to a board."""

    def begin(self, name: str, **answers: object) -> tuple[Page, Hand]:
        """Open the questions and answer them."""
        page = self.page("/new", width=1600, height=1300)
        page.add_init_script(COUNT_REFUSALS)
        page.reload()
        hand = Hand(page)
        hand.begin(name, **answers)  # type: ignore[arg-type]
        return page, hand

    def design(self, page: Page) -> Design:
        """Give the design of a page as it stands."""
        text = page.request.get(f"{self.id(page)}/design.json").text()
        return from_json(text, "mine")

    def id(self, page: Page) -> str:
        """Give the address of a page's design."""
        found = re.match(r".*/d/[^/]+", page.url)
        assert found
        return found[0]

    def finish(self, page: Page, hand: Hand, name: str, etch: bool = False) -> Design:
        """Arrange, route, and take what is made; hold what it cost against what it may."""
        circuit = self.design(page)
        told = review(circuit)
        self.assertEqual([f.message for f in told if f.level == "stop" or f.code == "bridged-part"], [])
        self.assertTrue(all(p.catalogue for p in circuit.parts.values()), "a part without a number to order")
        hand.step("Board")
        hand.press("Arrange the parts")
        hand.until(page.locator("#last"), "arrange")
        hand.press("Route all connections")
        hand.until(page.locator("#last"), "route")
        hand.step("Make")
        if etch:
            hand.press("Make it at home")
            with page.context.expect_page() as opened:
                hand.press("Print the artwork (PDF)")
            self.assertIn("etch.pdf", opened.value.url)
            artwork = page.request.get(opened.value.url).body()
            self.assertEqual(artwork[:5], b"%PDF-")
        else:
            expect(page.locator("#take-release")).to_be_visible(timeout=60_000)
            with page.expect_download() as taken:
                hand.press("Download the release (zip)")
            self.assertTrue(taken.value.suggested_filename.endswith(".zip"))
        d = self.design(page)
        told = page.locator("body").inner_text()
        counts = re.search(r"(\d+) stop · (\d+) look · (\d+) note", told)
        assert counts, "no count of findings"
        refused = json.loads(page.evaluate("sessionStorage.getItem('refused')") or "[]")
        if os.environ.get("FIRST_HOUR"):
            print(
                f"\n{name}: {len(d.parts)} parts, {len(d.nets)} nets; {hand.clicks} clicks and drags, {hand.keys} keys,"
                f" {len(refused)} refused, {hand.waited:.1f} s waited; {counts[0]}"
            )
        self.assertEqual(counts[1], "0", counts[0])
        self.assertEqual(refused, [])
        clicks, keys = MOST[name]
        self.assertLessEqual(hand.clicks, clicks)
        self.assertLessEqual(hand.keys, keys)
        return d

    def test_the_blinking_light(self) -> None:
        """A timer, what sets its pace, a light and a terminal."""
        page, hand = self.begin("Blinking light")
        asked = hand.clicks + hand.keys
        hand.open_palette()
        hand.tile("Timer")
        hand.tile("Screw terminal", "2")
        for name, value in (("Resistor", "10k"), ("Resistor", "68k"), ("Resistor", "1k"), ("LED", "red")):
            hand.tile(name, value)
        for name, value in (("Capacitor", "10u"), ("Capacitor", "10n"), ("Capacitor", "100n")):
            hand.tile(name, value)
        hand.connect(
            "J1.1 U1.8, U1.4 U1.8, R1.1 U1.8, C3.1 U1.8, J1.2 U1.1, C1.2 U1.1, C2.2 U1.1, C3.2 U1.1, LED1.1 U1.1,"
            "R1.2 U1.7, R2.1 U1.7, R2.2 U1.6, U1.2 U1.6, C1.1 U1.6, C2.1 U1.5, U1.3 R3.1, R3.2 LED1.2"
        )
        nets = {frozenset(net.pins) for net in self.design(page).nets.values()}
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
        self.assertLessEqual(hand.clicks + hand.keys - asked, NINE_PARTS)
        hand.feed("J1.1", "5V")
        hand.name_net("J1.2", "GND")
        self.finish(page, hand, "Blinking light")

    def test_the_two_button_light(self) -> None:
        """One button on, one off; leaded, etched at home."""
        page, hand = self.begin(
            "Two-button light", maker="I etch it at home, one layer", skills="Through-hole only"
        )
        hand.open_palette()
        hand.tile("Timer")
        hand.tile("Screw terminal", "2")
        hand.tile("Push button")
        hand.tile("Push button")
        for name, value in (("Resistor", "10k"), ("Resistor", "10k"), ("Resistor", "470"), ("LED", "green")):
            hand.tile(name, value)
        hand.tile("Capacitor", "100n")
        hand.connect(
            "J1.1 U1.8, R1.1 U1.8, R2.1 U1.8, C1.1 U1.8, J1.2 U1.1, U1.6 U1.1, C1.2 U1.1, S1.2 U1.1, S2.2 U1.1,"
            "LED1.1 U1.1, R1.2 U1.2, S1.1 U1.2, R2.2 U1.4, S2.1 U1.4, U1.3 R3.1, R3.2 LED1.2"
        )
        hand.feed("J1.1", "5V")
        hand.name_net("J1.2", "GND")
        self.finish(page, hand, "Two-button light", etch=True)

    def test_the_fan_dimmer(self) -> None:
        """A jack, fuse and diode, a timer that makes pulses, a transistor and its diode at the fan."""
        page, hand = self.begin("Fan dimmer")
        hand.open_palette()
        hand.tile("Barrel jack")
        hand.tile("Resettable fuse", "2A")
        hand.tile("Timer")
        hand.tile("Potentiometer", "100k")
        hand.tile("N-channel FET", "30V")
        hand.tile("Screw terminal", "2")
        for value in ("1k", "100", "10k"):
            hand.tile("Resistor", value)
        for value in ("1n", "10n", "100n"):
            hand.tile("Capacitor", value)
        hand.search("signal diode")
        hand.search("signal diode")
        hand.search("schottky 3A")
        self.finish_fan(page, hand)

    def finish_fan(self, page: Page, hand: Hand) -> None:
        """Connect what the fan dimmer has."""
        hand.connect(
            "J1.1 F1.1, F1.2 U1.8, U1.4 U1.8, R1.1 U1.8, C3.1 U1.8, D3.1 U1.8, J2.1 U1.8, J1.2 U1.1, C1.2 U1.1,"
            "C2.2 U1.1, C3.2 U1.1, Q1.2 U1.1, R3.2 U1.1, R1.2 U1.7, RV1.2 U1.7, RV1.1 D1.2, RV1.3 D2.1,"
            "D1.1 U1.6, D2.2 U1.6, U1.2 U1.6, C1.1 U1.6, C2.1 U1.5, U1.3 R2.1, R2.2 Q1.1, R3.1 Q1.1, Q1.3 D3.2, J2.2 Q1.3"
        )
        hand.feed("U1.8", "12V")
        hand.name_net("J1.2", "GND")
        self.finish(page, hand, "Fan dimmer")

    def test_the_key_pad(self) -> None:
        """A matrix of keys ready made, a controller, and a plug to where the keys are told."""
        page, hand = self.begin("Key pad", size="100x70", kits=("Key matrix 3 x 5",))
        hand.search("microcontroller 28 pin")
        hand.open_palette()
        hand.tile("Pin header", "1x4")
        for value in ("100n", "100n", "100n"):
            hand.tile("Capacitor", value)
        hand.tile("Resistor", "10k")
        d = self.design(page)
        rows = [n for n in d.nets if n.startswith(("ROW", "COL"))]
        pins = [p.number for p in d.parts["U1"].pins if p.role == "io"]
        hand.connect(", ".join(f"U1.{p} {n}" for p, n in zip(pins, sorted(rows), strict=False)))
        hand.connect(
            "J1.1 U1.9, U1.23 U1.9, U1.28 U1.9, C1.1 U1.9, C2.1 U1.23, C3.1 U1.28, R1.1 U1.9, J1.2 U1.8, U1.22 U1.8,"
            f"C1.2 U1.8, C2.2 U1.22, C3.2 U1.8, R1.2 U1.1, J1.3 U1.{pins[10]}, J1.4 U1.{pins[11]}"
        )
        hand.feed("J1.1", "5V")
        hand.name_net("J1.2", "GND")
        self.finish(page, hand, "Key pad")

    def test_the_usb_controller_kit(self) -> None:
        """USB with data and a serial bridge as kits, a controller, lights, a button and a header."""
        page, hand = self.begin(
            "USB controller kit", size="80x60", kits=("USB-C 5 V and data", "USB to serial")
        )
        hand.search("microcontroller 28 pin")
        hand.open_palette()
        hand.tile("Pin header", "1x6")
        hand.tile("LED", "red")
        hand.tile("Push button")
        for value in ("330", "10k", "10k"):
            hand.tile("Resistor", value)
        for value in ("100n", "100n", "100n"):
            hand.tile("Capacitor", value)
        self.finish_usb(page, hand)

    def finish_usb(self, page: Page, hand: Hand) -> None:
        """Connect what the kit has."""
        d = self.design(page)
        mcu = next(r for r, p in d.parts.items() if any(x.functions for x in p.pins))
        io = [p.number for p in d.parts[mcu].pins if p.role == "io"]
        r = sorted((x for x in d.parts if x.startswith("R")), key=lambda x: int(x[1:]))[-3:]
        c = sorted((x for x in d.parts if x.startswith("C")), key=lambda x: int(x[1:]))[-3:]
        header = sorted(x for x in d.parts if x.startswith("J"))[-1]
        hand.connect(
            f"{mcu}.9 5V0, {mcu}.23 5V0, {mcu}.28 5V0, {mcu}.8 GND, {mcu}.22 GND,"
            + ",".join(f"{x}.1 5V0, {x}.2 GND" for x in c)
            + f",{r[0]}.1 {mcu}.{io[0]}, {r[0]}.2 LED1.2, LED1.1 GND, {r[1]}.1 5V0, {r[1]}.2 {mcu}.1,"
            f"{r[2]}.1 5V0, {r[2]}.2 {mcu}.{io[1]}, S1.1 {mcu}.{io[1]}, S1.2 GND,"
            f"{mcu}.{io[2]} TO_MCU, {mcu}.{io[3]} FROM_MCU,"
            f"{header}.1 5V0, {header}.2 GND,"
            + ",".join(f"{header}.{k + 3} {mcu}.{io[k + 4]}" for k in range(4))
        )
        self.finish(page, hand, "USB controller kit")


if __name__ == "__main__":
    unittest.main()
