"""Takes one picture of each main view from the demo data into docs/screenshots; starts its own server."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
VIEWS = {
    "shelf": "/", "circuit": "/d/1-frost-sentinel/circuit", "power": "/d/1-frost-sentinel/power",
    "board": "/d/1-frost-sentinel/board", "beeper-circuit": "/d/2-seedling-thirst-beeper/circuit",
    "beeper-board": "/d/2-seedling-thirst-beeper/board", "order": "/d/1-frost-sentinel/make?road=order",
    "etch": "/d/2-seedling-thirst-beeper/make?road=etch",
}  # fmt: skip


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
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"])
                page = browser.new_page(viewport={"width": width, "height": height})
                page.on("console", lambda m: print("console:", m.text) if m.type in ("error", "warning") else None)
                for name in names or VIEWS:
                    page.goto(address + VIEWS[name])
                    page.wait_for_timeout(400)
                    if name == "order":
                        page.wait_for_selector(".verdict")
                        page.wait_for_timeout(1200)
                    page.screenshot(path=FOLDER / f"{name}.png")
                browser.close()
        finally:
            server.terminate()
            server.wait(10)


if __name__ == "__main__":
    main(sys.argv[1:])
