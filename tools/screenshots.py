"""Takes one picture of each main view from the demo data into docs/screenshots; starts its own server."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
FROST = "/d/1-frost-sentinel"
# Software drawing, for the view in space.
ARGUMENTS = ["--no-sandbox", "--enable-unsafe-swiftshader", "--use-gl=angle", "--use-angle=swiftshader"]
VIEWS = {
    "shelf": "/",
    "brief": f"{FROST}/brief",
    "prices": f"{FROST}/parts",
    "catalogue": f"{FROST}/parts?show=catalogue&category=N-channel+FET",
    "controller": f"{FROST}/parts?show=controller",
    "patterns": "/d/3-packing-bench-panel/parts?show=patterns",
    "circuit": f"{FROST}/circuit",
    "reasons": f"{FROST}/circuit?show=reasons",
    "power": f"{FROST}/power?given=1&on=BATT&mode=alarm",
    "heat": f"{FROST}/power?given=1&on=BATT&mode=alarm&at=high",
    "board": f"{FROST}/board",
    "four-layers": "/d/4-cider-press-logger/board",
    "in-space": "/d/4-cider-press-logger/board",
    "beeper-board": "/d/2-seedling-thirst-beeper/board",
    "inspect": "/d/4-cider-press-logger/inspect",
    "order": f"{FROST}/make?manufacturing=order",
    "quotes": f"{FROST}/make?manufacturing=order&part=quotes",
    "etch": "/d/2-seedling-thirst-beeper/make?manufacturing=etch",
    "bath": "/d/2-seedling-thirst-beeper/make?manufacturing=etch&part=bath",
}


def main(names: list[str], width: int = 1280, height: int = 800) -> None:
    """Take the pictures named, or all."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "vane_step", "demo", "--port", "0", "--data", data]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        address = server.stdout.readline().split(" at ")[1].split()[0].rstrip("/")
        try:
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
                page = browser.new_page(viewport={"width": width, "height": height})
                page.on(
                    "console", lambda m: print("console:", m.text) if m.type in ("error", "warning") else None
                )
                for name in names or VIEWS:
                    page.goto(address + VIEWS[name])
                    page.wait_for_timeout(400)
                    if name == "shelf":
                        page.wait_for_function(
                            "() => !document.body.innerText.includes('judging')", timeout=60_000
                        )
                    if name == "prices":
                        page.get_by_role("button", name="Ask the supplier").click()
                        page.wait_for_selector(".finding.look")
                        page.wait_for_timeout(4500)
                    if name == "in-space":
                        page.keyboard.press("s")
                        page.wait_for_selector("#space[data-parts]", timeout=60_000)
                        page.wait_for_timeout(500)
                    if name == "heat":
                        page.wait_for_selector(".board-picture", timeout=30_000)
                        page.wait_for_timeout(2500)
                        page.evaluate("document.querySelector('#picture').scrollIntoView()")
                    if name == "inspect":
                        page.wait_for_selector("#drawing[data-ready]", timeout=30_000)
                        page.wait_for_timeout(500)
                        page.mouse.click(560, 530)
                        page.wait_for_timeout(300)
                    if name == "order":
                        page.wait_for_selector(".verdict")
                        page.wait_for_timeout(1200)
                    if name == "quotes":
                        page.get_by_role("button", name="Ask the houses").click()
                        page.wait_for_selector(".deals")
                        page.wait_for_timeout(500)
                    page.screenshot(path=FOLDER / f"{name}.png")
                browser.close()
        finally:
            server.terminate()
            server.wait(10)


if __name__ == "__main__":
    main(sys.argv[1:])
