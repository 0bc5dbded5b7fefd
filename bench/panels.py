"""Measurements of panels at a real server: how long twenty boards take, and what others wait for meanwhile."""

from __future__ import annotations

import tempfile
import threading
import time

import httpx

from bench.hostile.page import served
from bench.run import Run

FROST = "1-frost-sentinel"
PLAN = {"columns": "5", "rows": "4", "gap": "2", "rail": "5", "joint": "tabs"}
PAGES = ("board.json", "circuit", "board", "parts")


def panelling(run: Run) -> None:
    """Measure a panel of twenty Frost Sentinels, asked for afresh, and the slowest answer others get meanwhile."""
    with tempfile.TemporaryDirectory() as folder, served(folder) as (address, _):
        with httpx.Client(base_url=address, timeout=120) as client:
            for page in PAGES:
                client.get(f"/d/{FROST}/{page}")
            before, meanwhile = _answers(client), [0.0]
            ended = threading.Event()

            def others() -> None:
                with httpx.Client(base_url=address, timeout=120) as other:
                    while not ended.is_set():
                        meanwhile.append(_answers(other))

            thread = threading.Thread(target=others)
            thread.start()
            begun = time.perf_counter()
            while 'class="working"' in (answer := client.post(f"/d/{FROST}/panel", data=PLAN)).text:
                time.sleep(0.2)
            took = time.perf_counter() - begun
            ended.set()
            thread.join()
        boards = 20 if "20 boards on" in answer.text else 0
    run.row(
        "panel of 20 Frost Sentinels, checked and read back", took, "s", 15, "read back as one board: 94 s"
    )
    run.row("boards of that panel missing", 20 - boards, "", 0, "as above")
    run.row(
        "others' slowest answer meanwhile",
        1000 * max(meanwhile),
        "ms",
        200,
        f"with nothing else: {1000 * before:.0f} ms",
    )


def _answers(client: httpx.Client) -> float:
    """Give the slowest answer of a round of pages, in seconds."""
    slowest = 0.0
    for page in PAGES:
        begun = time.perf_counter()
        client.get(f"/d/{FROST}/{page}").raise_for_status()
        slowest = max(slowest, time.perf_counter() - begun)
    return slowest
