"""The catalogue's pages: what a search shows, that it stays, sliders, orders, parts side by side, adding by words."""

from __future__ import annotations

import re
import unittest
from typing import Any

from tests.support import BEEPER, FROST, PANEL
from tests.web.support import Served
from vane_step.core.design.rulefigures import FIGURES, shown, with_figures
from vane_step.data.shipped import catalogue, catalogue_with


class Pages(Served):
    """A search from a design's pages."""

    def numbers(self, address: str) -> list[str]:
        """Give the parts a search shows, in its order."""
        answer = self.client.get(f"/d/{FROST}/{address}")
        self.assertEqual(answer.status_code, 200, address)
        return re.findall(r'data-part="([^"]+)"', answer.text)

    def test_a_search_stays(self) -> None:
        """What was searched is in the page's address, and the page shows the same again; adding takes nothing away."""
        answer = self.client.get(f"/d/{FROST}/search", params={"q": "red LED", "sort": "size"})
        address = answer.headers["HX-Replace-Url"]
        self.assertIn("q=red+LED", address)
        before = re.findall(r'data-part="([^"]+)"', answer.text)
        self.assertEqual(re.findall(r'data-part="([^"]+)"', self.client.get(address).text), before)
        words = {"text": f"add 3 {before[0]}", "version": self.version(), "commit": True}
        said = self.client.post(f"/d/{FROST}/ask", json=words)
        self.assertEqual(said.status_code, 200, said.text)
        self.assertIn("3 parts", said.json()["says"])
        self.assertEqual(set(re.findall(r'data-part="([^"]+)"', self.client.get(address).text)), set(before))

    def test_sliders_narrow(self) -> None:
        """Each end of a slider leaves just the parts within, whatever the other says; another category forgets them."""
        mine = [p for p in catalogue().parts.values() if p.category == "N-channel FET"]
        values = sorted({p.params["vds_v"] for p in mine})
        for low, high in ((0, len(values) - 1), (2, len(values) - 1), (0, 1), (3, 3), (4, 1)):
            shown = self.numbers(
                f"search?category=N-channel+FET&was=N-channel+FET&lo_vds_v={low}&hi_vds_v={high}"
            )
            first, last = values[min(low, high)], values[max(low, high)]
            self.assertEqual(set(shown), {p.number for p in mine if first <= p.params["vds_v"] <= last})
        self.assertTrue(self.numbers("search?category=fuse&was=N-channel+FET&lo_vds_v=3&hi_vds_v=3"))

    def test_every_branch_is_shown(self) -> None:
        """Every branch and one category of each show parts with their pictures, and nothing else than their own."""
        branches = {c.branch: name for name, c in catalogue().categories.items()}
        for branch, name in branches.items():
            for asked in (branch, name):
                shown = self.numbers(f"search?category={asked.replace('&', '%26')}")
                self.assertTrue(shown, asked)
                for number in shown:
                    kind = catalogue().categories[catalogue().get(number).category]
                    self.assertIn(asked, (kind.name, kind.branch))

    def test_side_by_side(self) -> None:
        """Parts compared show every figure of each, and what differs is marked; too many are refused."""
        text = self.client.get(f"/d/{FROST}/compare", params={"numbers": "HK-20-1,HK-40-1"}).text
        self.assertIn('class="differs"', text)
        for number in ("HK-20-1", "HK-40-1"):
            for _, figure in catalogue().get(number).told():
                self.assertIn(figure, text)
        self.assertEqual(
            self.client.get(f"/d/{FROST}/compare", params={"numbers": ",".join(["HK-20-1"] * 6)}).status_code,
            422,
        )
        self.assertEqual(self.client.get(f"/d/{FROST}/catalogue/NOPE-1").status_code, 404)

    def test_few_finds(self) -> None:
        """The short list beside the sheet adds what it shows, asks for a value where there is a series, suggests for a slip."""
        text = self.client.get(f"/d/{FROST}/found", params={"q": "resistor"}).text
        self.assertIn('data-form="add QR-16 {value}"', text)
        text = self.client.get(f"/d/{FROST}/found", params={"q": "relley"}).text
        self.assertIn('data-search="relay"', text)


class Own(Served):
    """Parts of one's own."""

    def keep(self, **more: str) -> Any:
        """Send the form."""
        form = {
            "number": "MY-7",
            "title": "schottky, 5 A, odd",
            "category": "schottky diode",
            "package": "SMC",
            "pins": "1 K\n2 A",
            "figures": "reverse voltage 45 V\nforward current 5 A, forward voltage 0.5 V",
        }
        return self.client.post(f"/d/{FROST}/own-part", data={**form, **more}, follow_redirects=False)

    def test_it_serves_all_designs(self) -> None:
        """A part made in one design is found in another, added with its ratings, downloaded and known to the terminal."""
        self.assertEqual(self.keep().status_code, 303)
        self.assertIn(
            "MY-7", self.client.get(f"/d/{BEEPER}/search", params={"q": "schottky 45V 5A odd"}).text
        )
        words = {"text": "add D9 MY-7", "version": self.version(BEEPER), "commit": True}
        self.assertEqual(self.client.post(f"/d/{BEEPER}/ask", json=words).status_code, 200)
        part = self.design(BEEPER).parts["D9"]
        self.assertEqual((part.kind, part.params["vr_v"], part.params["if_a"]), ("diode", 45.0, 5.0))
        self.assertEqual([p.name for p in part.pins], ["K", "A"])
        text = self.client.get("/own-parts.json").text
        known = catalogue_with((text,))
        self.assertEqual(known.search("schottky odd").found[0].part.number, "MY-7")
        again = {"file": ("own-parts.json", text, "application/json")}
        self.assertEqual(
            self.client.post(f"/d/{FROST}/own-parts/import", files=again, follow_redirects=False).status_code,
            303,
        )
        self.client.post(f"/d/{FROST}/own-part/remove", data={"number": "MY-7"})
        self.assertNotIn("MY-7", self.client.get(f"/d/{BEEPER}/search", params={"q": "odd"}).text)

    def test_a_package_alone(self) -> None:
        """A package of one's own is kept for all designs, downloaded with the parts, and known to others by its name."""
        words = {"text": "pattern OWN-3 moulded L=6..6.4", "version": self.version(), "commit": True}
        self.client.post(f"/d/{FROST}/ask", json=words)
        shown = self.client.get(f"/d/{FROST}/parts?show=patterns").text
        self.assertIn("Keep it for all designs", shown)
        refused = self.client.post(f"/d/{FROST}/own-package", data={"name": "SOT-23"}, follow_redirects=False)
        self.assertEqual(refused.status_code, 404)
        add = {"text": "add D9 OWN-3", "version": self.version(BEEPER), "commit": True}
        self.assertEqual(self.client.post(f"/d/{BEEPER}/ask", json=add).status_code, 404)
        self.client.post(f"/d/{FROST}/own-package", data={"name": "OWN-3"}, follow_redirects=False)
        self.assertEqual(self.client.post(f"/d/{BEEPER}/ask", json=add).status_code, 200)
        self.assertEqual(self.design(BEEPER).packages["OWN-3"], self.design(FROST).packages["OWN-3"])
        text = self.client.get("/own-parts.json").text
        self.assertIn("OWN-3", catalogue_with((text,)).packages)
        self.client.post(f"/d/{FROST}/own-package/remove", data={"name": "OWN-3"}, follow_redirects=False)
        self.assertNotIn("OWN-3", self.client.get("/own-parts.json").text)
        again = {"file": ("own-parts.json", text, "application/json")}
        self.client.post(f"/d/{FROST}/own-parts/import", files=again, follow_redirects=False)
        self.assertIn("OWN-3", self.client.get("/own-parts.json").text)

    def test_rules_of_ones_own(self) -> None:
        """A house's figures changed are rules of one's own: kept, used by another design, brought again, removed."""

        def said(text: str, name: str) -> int:
            words = {"text": text, "version": self.version(name), "commit": True}
            return self.client.post(f"/d/{name}/ask", json=words).status_code

        for wrong in (
            "rule track 0.3mm",
            "rule via 0.4mm",
            "rule foo 1",
            "rule etched perhaps",
            "rule price 3/1x1",
        ):
            self.assertEqual(said(wrong, FROST), 422, wrong)
        self.assertEqual(said('rule track 0.2mm name "standard house"', FROST), 422)
        self.assertEqual(said('rule track 0.2mm fills yes price 2/30x30/5/9.5 name "Shed press"', FROST), 200)
        mine = self.design(FROST).board.rules
        self.assertEqual((mine.name, mine.min_width_nm, mine.fills_vias), ("shed-press", 200_000, True))
        self.assertEqual(
            with_figures(mine, {w: shown(mine, f) for w, f in FIGURES.items() if w != "price"}), mine
        )
        self.assertIn("Keep them on the shelf", self.client.get(f"/d/{FROST}/board").text)
        self.assertEqual(said("rules shed-press 2", BEEPER), 404)
        self.client.post(f"/d/{FROST}/own-rules", follow_redirects=False)
        self.assertEqual(said("rules shed-press 2", BEEPER), 200)
        self.assertEqual(self.design(BEEPER).board.rules, mine)
        text = self.client.get(f"/d/{FROST}/rules.json").text
        self.client.post(f"/d/{FROST}/own-rules/remove", follow_redirects=False)
        self.assertEqual(said("rules shed-press 2", PANEL), 404)
        for content, answer in ((text, 303), (text.replace("shed-press", "standard-house"), 422)):
            files = {"file": ("rules.json", content, "application/json")}
            sent = self.client.post(f"/d/{PANEL}/own-parts/import", files=files, follow_redirects=False)
            self.assertEqual(sent.status_code, answer)
        self.assertIn("Shed press", self.client.get(f"/d/{PANEL}/board").text)

    def test_what_cannot_be_right_is_refused(self) -> None:
        """A part is held to the rules of those that ship, and a package of the design serves it elsewhere, too."""
        for more, says in (
            ({"pins": "1 K"}, "lacks 2"),
            ({"figures": "forward current 5 A"}, "vr_v"),
            ({"figures": "weight 3 kg"}, "is no figure"),
            ({"category": "shotky diode"}, "schottky"),
            ({"package": "SMZ"}, "There is no package SMZ"),
            ({"number": "HK-20-1"}, "already"),
            ({"pins": "1 K teapot\n2 A"}, "is no pin"),
        ):
            answer = self.keep(**more)
            self.assertIn(answer.status_code, (404, 422), more)
            self.assertIn(says, answer.text)
        words = {"text": "pattern OWN-2 moulded L=6..6.4", "version": self.version(), "commit": True}
        self.assertEqual(self.client.post(f"/d/{FROST}/ask", json=words).status_code, 200)
        self.assertEqual(self.keep(package="OWN-2").status_code, 303)
        words = {"text": "add D9 MY-7", "version": self.version(BEEPER), "commit": True}
        self.assertEqual(self.client.post(f"/d/{BEEPER}/ask", json=words).status_code, 200)
        self.assertIn("OWN-2", self.design(BEEPER).packages)


if __name__ == "__main__":
    unittest.main()
