"""Measurements of work by hand on a large board: dragging a part in a real page, and ways under the pointer."""

from __future__ import annotations

import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.run import Run
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design
from vane_step.core.route.guide import Guide, Spot
from vane_step.store.designs import DesignStore

ROOT = Path(__file__).parent.parent
FRAME_MS = 1000 / 60
# Sixty moves of the pointer, one a frame: how long the page's code took, and from frame to frame.
FRAMES = """async ([x, y]) => {
  const svg = document.getElementById("board"), work = [], at = [];
  for (let k = 0; k < 60; k++) {
    await new Promise((next) => requestAnimationFrame(next));
    const begun = performance.now();
    svg.dispatchEvent(new PointerEvent("pointermove", { clientX: x + k, clientY: y + k / 2, bubbles: true }));
    work.push(performance.now() - begun);
    at.push(begun);
  }
  const middle = (a) => a.sort((p, q) => p - q)[Math.floor(a.length / 2)];
  return [middle(work), middle(at.slice(1).map((t, i) => t - at[i]))];
}"""


LISTEN = """() => {
  window.told = {};
  const plain = window.fetch;
  window.fetch = async (...a) => {
    const begun = performance.now(), answer = await plain(...a);
    window.told[String(a[0]).split("/").pop()] = [begun, performance.now()];
    return answer;
  };
}"""


def dragging(run: Run, design: Design, name: str) -> None:
    """Measure dragging a part in Chromium, drawn by software, and what the server answers when it is dropped."""
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as data:
        store = DesignStore(Path(data) / "designs.sqlite3")
        store.add("large", design)
        store.close()
        command = [sys.executable, "-m", "vane_step", "serve", "--port", "0", "--data", data]
        server = subprocess.Popen(
            command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        assert server.stdout is not None
        address = server.stdout.readline().split(" at ")[1].split()[0].rstrip("/")
        try:
            with sync_playwright() as play:
                browser = play.chromium.launch(
                    executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-gpu"]
                )
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{address}/d/large/board")
                page.wait_for_selector("#board .part", timeout=60_000)
                time.sleep(15)  # Beside the server its worker warms up for some seconds after the start.
                work, frame, answers, shown = _drag(page)
                browser.close()
        finally:
            server.terminate()
            server.wait(20)
            server.stdout.close()
    nodes = (
        f"{len(design.parts)} parts, {sum(len(t.points) - 1 for t in design.tracks.values())} track pieces"
    )
    run.row(
        f"dragging, the page's code a frame, {name}",
        work,
        "ms",
        FRAME_MS,
        "a frame at 60 a second: 16.7 ms",
        nodes,
    )
    run.row(
        f"dragging, from frame to frame, {name}",
        frame,
        "ms",
        1.1 * FRAME_MS,
        "an idle page: 16.7 ms",
        "drawn by software",
    )
    run.row(
        f"dragging, the answer when dropped, {name}",
        statistics.median(answers),
        "ms",
        150,
        "a static file: 3 ms",
        f"findings, score and board drawn anew {statistics.median(shown):.0f} ms after the drop",
    )


def _drag(page: Any) -> tuple[float, float, list[float], list[float]]:
    """Drag the first part large enough to hold, five times; frames in the first."""
    refs = page.evaluate(
        "[...document.querySelectorAll('#board .part:not(.kept)')].map((g) => g.dataset.ref)"
    )
    boxes = ((r, page.locator(f'#board .part[data-ref="{r}"] .yard').bounding_box()) for r in refs[40:])
    ref, box = next((r, b) for r, b in boxes if b and b["width"] > 6)
    work = frame = 0.0
    answers, shown = [], []
    page.evaluate(LISTEN)
    for k in range(5):
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 5, y + 5)
        if k == 0:
            work, frame = page.evaluate(FRAMES, [x, y])
        version = page.inner_text("#version")
        page.mouse.move(x + (-12 if k % 2 else 12), y)
        page.mouse.up()
        page.wait_for_function("v => document.getElementById('version').textContent !== v", arg=version)
        page.wait_for_timeout(2500)
        told = page.evaluate("window.told")
        answers.append(told["ask"][1] - told["ask"][0])
        shown.append(max(t[1] for t in told.values()) - told["ask"][0])
        box = page.locator(f'#board .part[data-ref="{ref}"] .yard').bounding_box() or box
    return work, frame, answers, shown


def ways(run: Run, design: Design, name: str) -> None:
    """Measure the way under the pointer while a net of a routed board is laid by hand, against painting its grid."""
    net = max((n for n in design.nets.values() if n.role == "signal"), key=lambda n: len(n.pins)).name
    lift = [k for section in (design.tracks, design.vias) for k, item in section.items() if item.net == net]
    bare = apply(design, LayCopper(lift=tuple(lift)))[0]
    Guide(bare, net)
    begun = time.perf_counter()
    guide = Guide(bare, net)
    setting_up = time.perf_counter() - begun
    pick = random.Random(1)
    x0, y0, x1, y1 = outline(design).bounds
    places = [(pick.uniform(x0, x1), pick.uniform(y0, y1)) for _ in range(100)]
    starts = [Spot(i.layers[0], i.x_mm, i.y_mm) for i in guide.mine if i.kind == "pad"]  # type: ignore[arg-type]
    # From the pad that has the most room round it: one that is shut in by others' tracks measures nothing.
    start = max(starts, key=lambda s: sum(guide.way(s, Spot(s.layer, *at)) is not None for at in places[:20]))
    times, found = [], 0
    for at in places:
        goal = Spot(start.layer, *at)
        begun = time.perf_counter()
        found += guide.way(start, goal) is not None
        times.append(time.perf_counter() - begun)
    run.row(
        f"way under the pointer, 95 % of places, {name}",
        sorted(times)[94] * 1000,
        "ms",
        50,
        f"setting up once: {setting_up * 1000:.0f} ms",
        f"{found} of 100 places have one; slowest {max(times) * 1000:.0f} ms",
    )
