"""A server started as a user starts it, and pages of Debian's chromium that must stay free of script errors."""

from __future__ import annotations

import atexit
import functools
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, ConsoleMessage, Page, Playwright, Response, expect, sync_playwright

from tests.support import FROST, ROOT

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
# How soon a page answers is measured in bench/; here a busy machine may take its time.
expect.set_options(timeout=30_000)
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


class Server:
    """The program in a process of its own, on a free port."""

    def __init__(self, data: Path) -> None:
        command = [sys.executable, "-m", "vane_step", "demo", "--port", "0", "--data", str(data)]
        self.process = subprocess.Popen(
            command,
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            env={**os.environ},
            start_new_session=True,
        )
        assert self.process.stdout is not None
        self.address = self.process.stdout.readline().split(" at ")[1].split()[0].rstrip("/")

    def end(self, how: signal.Signals = signal.SIGTERM) -> None:
        """End it, softly or by force; its workers end by themselves."""
        self.process.send_signal(how)
        self.process.wait(30)
        assert self.process.stdout is not None
        self.process.stdout.close()


@functools.cache
def shared() -> tuple[Server, Playwright, Browser]:
    """Start one server and one browser for all tests of a run; what a test changes it puts on the shelf for itself."""
    folder = tempfile.TemporaryDirectory()
    server = Server(Path(folder.name))
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)

    def end() -> None:
        browser.close()
        playwright.stop()
        server.end()
        folder.cleanup()

    atexit.register(end)
    return server, playwright, browser


class InBrowser(unittest.TestCase):
    """A fresh page for every test, of one browser, on one server."""

    server: Server
    playwright: Playwright
    browser: Browser

    @classmethod
    def setUpClass(cls) -> None:
        """Start both, or take those that run."""
        cls.server, cls.playwright, cls.browser = shared()

    def setUp(self) -> None:
        """Watch for script errors."""
        self.faults: list[str] = []
        self.addCleanup(lambda: self.assertEqual(self.faults, []))

    def page(self, path: str = "/", width: int = 1280, height: int = 800, **more: Any) -> Page:
        """Open a page; errors on its console end the test."""
        context = self.browser.new_context(
            viewport={"width": width, "height": height}, accept_downloads=True, **more
        )
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(20_000)
        page.on("pageerror", lambda e: self.faults.append(str(e)))
        page.on("console", self.heard)
        page.on("response", self.answered)
        page.goto(self.server.address + path)
        return page

    def heard(self, message: ConsoleMessage) -> None:
        """Take down errors of scripts; what the server answered is judged by ``answered``."""
        if message.type == "error" and "load resource" not in message.text:
            self.faults.append(message.text)

    def answered(self, response: Response) -> None:
        """Take down answers that no page should ever get."""
        if response.status in (422, 500):
            self.faults.append(f"{response.status} {response.url} {response.request.post_data}")

    def fresh(self, name: str, demo: str = FROST) -> str:
        """Put a copy of a demo design on the shelf under a name of its own; give its address."""
        text = (ROOT / "vane_step" / "data" / "designs" / f"{demo}.json").read_text(encoding="utf-8")
        context = self.browser.new_context()
        answer = context.request.post(
            f"{self.server.address}/import",
            max_redirects=0,
            multipart={
                "files": {
                    "name": "x.json",
                    "mimeType": "application/json",
                    "buffer": text.replace('"name": "', f'"name": "{name} ', 1).encode(),
                }
            },
        )
        context.close()
        return answer.headers["location"].removesuffix("/board")

    def version(self, page: Page) -> int:
        """Give the version a page shows."""
        return int(page.inner_text("#version"))

    def type(self, page: Page, text: str) -> None:
        """Type a sentence into the ask line and carry it out, waiting for the answer."""
        before = self.version(page)
        page.keyboard.press("/")
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        page.wait_for_function("v => Number(document.getElementById('version').textContent) > v", arg=before)
        page.keyboard.press("Escape")
