"""Files of any board looked at in a browser: sent, corrected, followed, measured, compared, refused."""

from __future__ import annotations

import io
import random
import zipfile

from playwright.sync_api import expect

from tests.browser.support import InBrowser
from tests.core.test_inspect import older, older_drill, written
from tests.support import FROST, demo, said


def zipped(files: dict[str, str]) -> bytes:
    """Pack files."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in files.items():
            archive.writestr(name, text)
    return out.getvalue()


class Inspect(InBrowser):
    """The page for files of any board."""

    def test_a_strangers_zip(self) -> None:
        """A zip without attributes: guesses are shown and corrected, a net followed, a distance measured, a change found."""
        files = written(demo(FROST))
        luck = random.Random(7)
        side = {"front": "top", "back": "bottom", "profile": "edges"}
        foreign = {
            f"{' '.join(side.get(w, w) for w in name.removesuffix('.gbr').split('-')[2:])}.pho": older(
                text, luck
            )
            for name, text in files.items()
            if name.endswith(".gbr")
        } | {f"{n[:-4]}.txt": older_drill(t, luck) for n, t in files.items() if n.endswith(".xnc")}
        page = self.page("/inspect")
        page.locator("input[type=file]").set_input_files(
            {"name": "stranger.zip", "mimeType": "application/zip", "buffer": zipped(foreign)}
        )
        page.get_by_role("button", name="Look at the files").click()
        expect(page.locator("h1")).to_have_text("stranger.zip")
        expect(page.locator("#drawing[data-ready]")).to_be_visible()
        expect(page.locator(".file-role.guess").first).to_contain_text("a guess")
        expect(page.locator("#measured")).to_contain_text("narrowest gap in copper")
        expect(page.locator(".who-makes summary")).to_have_count(5)
        row = page.locator(".file-role", has_text="legend top.pho")
        expect(row.locator("select")).to_have_value("legend front")
        row.locator("select").select_option("other")
        expect(page.locator(".file-role", has_text="legend top.pho")).to_contain_text("a person said so")
        expect(page.locator("#drawing[data-ready]")).to_be_visible()
        # The narrowest ring is where copper is: the click that follows is on it.
        page.get_by_role("button", name="narrowest ring").click()
        box = page.locator("#drawing").bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        scale = 0.08
        page.mouse.click(x + 0.21 * 1000 * scale, y)
        expect(page.locator("#told")).to_contain_text("pieces on")
        page.locator("#drawing").focus()
        page.keyboard.press("m")
        expect(page.get_by_role("button", name="Measure")).to_have_attribute("aria-pressed", "true")
        page.mouse.click(x, y)
        page.mouse.click(x + 80, y + 40)
        expect(page.locator("#told")).to_contain_text("mm apart")
        page.keyboard.press("v")
        expect(page.get_by_role("button", name="From the back")).to_have_attribute("aria-pressed", "true")
        changed = {
            n: t for n, t in written(said(demo(FROST), "lift PUMP_G")).items() if not n.endswith(".ipc")
        }
        page.locator(".inspect-against input").set_input_files(
            {"name": "changed.zip", "mimeType": "application/zip", "buffer": zipped(changed)}
        )
        page.get_by_role("button", name="Show what differs").click()
        expect(page.locator(".apart")).to_contain_text("copper front")
        page.locator("select[name=against]").select_option(label="changed.zip")
        page.get_by_role("button", name="Compare with it").click()
        expect(page.locator(".apart")).to_contain_text("copper front")

    def test_what_cannot_be_read(self) -> None:
        """A file of the old kind is refused with its reason; a design's own files are one click from Make."""
        page = self.page("/inspect")
        page.locator("input[type=file]").set_input_files(
            {"name": "old.pho", "mimeType": "text/plain", "buffer": b"G54D10*\nX100Y100D03*\nM02*\n"}
        )
        page.get_by_role("button", name="Look at the files").click()
        expect(page.locator(".inspect-choose")).to_contain_text("RS-274-D")
        page.goto(f"{self.server.address}/d/{FROST}/make")
        page.get_by_role("link", name="Look at these files").click()
        expect(page.locator("h1")).to_contain_text("Frost Sentinel")
        # The house its rules are of makes it; one of coarser tracks does not, and says by which measures.
        expect(page.locator(".who-makes summary").first).to_contain_text("✓ class standard")
        expect(page.locator(".who-makes summary").nth(1)).to_contain_text("not as drawn: copper to the edge")
        expect(page.locator("#measured .stop-text").first).to_contain_text("Hazelford")
