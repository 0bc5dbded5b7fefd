"""Brings mutants to a running server as a browser would, and tells what did harm; no mutant is made here."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

from bench.hostile.seeds import BEEPER, Brought

ROOT = Path(__file__).parent.parent.parent
# Five seconds for reading, and some for the machine that is shared with whoever makes the mutants.
MOST_SECONDS = 6.0
TARGETS = {
    "outline": ("outline", {"width": "60 mm"}),
    "like": ("outline", {}),
    "packages": ("packages", {}),
    "picture": ("picture", {"width": "20 mm", "x": "10 mm", "y": "10 mm"}),
    "block": ("bring-block", {}),
    "pins": ("part", {"ref": "U90", "package": "OWN-1"}),
}


@dataclass
class Verdict:
    """What one mutant did: status or exit code, seconds, and what was wrong with that, if anything."""

    status: int
    seconds: float
    wrong: str = ""


@dataclass
class Watch:
    """The most memory any process of a server had, in bytes: its own, and that of a reader above where it began."""

    server: int = 0
    reader: int = 0
    _first: dict[int, int] = field(default_factory=dict)

    def look(self, server: int) -> None:
        """Read the memory of the server and of all that descend from it."""
        for pid, resident in _family(server).items():
            if pid == server:
                self.server = max(self.server, resident)
            else:
                self.reader = max(self.reader, resident - self._first.setdefault(pid, resident))


def _family(root: int) -> dict[int, int]:
    parents, resident = {}, {}
    for entry in os.listdir("/proc"):
        if entry.isdigit():
            try:
                status = Path(f"/proc/{entry}/stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            parents[int(entry)], resident[int(entry)] = (
                int(status[1]),
                int(status[21]) * os.sysconf("SC_PAGE_SIZE"),
            )
    found = {root}
    grown = True
    while grown:
        more = {p for p, above in parents.items() if above in found} - found
        found, grown = found | more, bool(more)
    return {p: resident[p] for p in found if p in resident}


@contextmanager
def served(folder: str) -> Iterator[tuple[str, int]]:
    """Run a server with the demo designs; give its address and process number."""
    command = [sys.executable, "-m", "vane_step", "demo", "--port", "0", "--data", folder]
    server = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert server.stdout is not None
    try:
        yield server.stdout.readline().split(" at ")[1].split()[0].rstrip("/"), server.pid
    finally:
        server.terminate()
        server.wait(20)
        server.stdout.close()


class Bringer:
    """One user with a design of its own."""

    def __init__(self, address: str) -> None:
        self.client = httpx.Client(base_url=address, timeout=40)
        text = self.client.get(f"/d/{BEEPER}/design.json").content
        self.id = self._brought({"files": ("mine.json", text)})
        self.version = 1
        # What the first look computes is not the mutants' time.
        for page in ("/", f"/d/{self.id}/board", f"/d/{self.id}/circuit?show=blocks"):
            self.client.get(page)

    def _brought(self, files: Any) -> str:
        answer = self.client.post("/bring", files=files)
        if answer.status_code != 303:
            raise RuntimeError(f"the design to work on was refused: {answer.text[:200]}")
        return re.sub(r"^/d/|/board$", "", answer.headers["location"])

    def bring(self, given: Brought) -> Verdict:
        """Give a mutant to the page; what it changed is looked at and taken back."""
        begun = time.perf_counter()
        try:
            answer = self._post(given)
            took = time.perf_counter() - begun
            wrong = _judged(answer, took)
            if not wrong and answer.status_code in (200, 303):
                wrong = self._after(given, answer)
            return Verdict(answer.status_code, took, wrong)
        except httpx.HTTPError as error:
            return Verdict(0, time.perf_counter() - begun, f"no answer: {type(error).__name__}")

    def _post(self, given: Brought) -> httpx.Response:
        if given.reader == "connections":
            text = given.files[0][1].decode("utf-8", "surrogateescape")[:200_000]
            body = json.dumps({"text": text, "version": self.version})
            return self.client.post(
                f"/d/{self.id}/connections", content=body, headers={"content-type": "application/json"}
            )
        if given.reader in ("design", "exchange"):
            return self.client.post("/bring", files=[("files", f) for f in given.files])
        path, form = TARGETS[given.reader]
        data = {**form, "version": str(self.version)}
        return self.client.post(f"/d/{self.id}/{path}", data=data, files=[("file", f) for f in given.files])

    def _after(self, given: Brought, answer: httpx.Response) -> str:
        """Look at the pages after something was taken, then take it back."""
        id = self.id
        if given.reader in ("design", "exchange"):
            id = re.sub(r"^/d/|/board$", "", answer.headers["location"])
        pages = [
            "/",
            *(f"/d/{id}/{p}" for p in ("brief", "parts", "circuit", "power", "board", "board.json", "make")),
        ]
        if given.reader == "block":
            pages = [f"/d/{id}/circuit?show=blocks"]
        wrong = ""
        for path in pages:
            begun = time.perf_counter()
            shown = self.client.get(path)
            took = time.perf_counter() - begun
            wrong = wrong or (
                f"{path.rpartition('/')[2] or 'shelf'}: " + w if (w := _judged(shown, took)) else ""
            )
        if id != self.id:
            self.client.post(f"/d/{id}/delete")
            self.client.post(f"/d/{id}/delete-for-good")
        elif given.reader != "block":
            self.version += 1
            back = self.client.post(f"/d/{id}/undo", json={"version": self.version})
            self.version += 1
            wrong = (
                wrong or _judged(back, 0.0) or ("" if back.status_code == 200 else f"undo: {back.text[:80]}")
            )
        return wrong


def _judged(answer: httpx.Response, took: float) -> str:
    if answer.status_code >= 500:
        return f"HTTP {answer.status_code}: {answer.text[:120]}"
    if took > MOST_SECONDS:
        return f"{took:.1f} s"
    if answer.status_code >= 400 and not answer.headers["content-type"].startswith("application/json"):
        return f"{answer.status_code} told as {answer.headers['content-type']}"
    return ""


def bring_all(given: list[Callable[[], Brought]], threads: int) -> tuple[list[Verdict], Watch]:
    """Bring all mutants, each made when its turn comes, several users at once; give verdicts in order, and memory."""
    verdicts: list[Verdict] = [Verdict(0, 0.0, "not tried")] * len(given)
    turn = iter(range(len(given)))
    lock, watch, ended = threading.Lock(), Watch(), threading.Event()
    with tempfile.TemporaryDirectory() as folder, served(folder) as (address, pid):

        def work() -> None:
            bringer = Bringer(address)
            while True:
                with lock:
                    k = next(turn, None)
                if k is None:
                    return
                verdicts[k] = bringer.bring(given[k]())
                if verdicts[k].wrong:
                    bringer = Bringer(address)

        def observe() -> None:
            while not ended.wait(0.05):
                watch.look(pid)

        workers = [threading.Thread(target=work) for _ in range(threads)]
        observer = threading.Thread(target=observe)
        for thread in (observer, *workers):
            thread.start()
        for thread in workers:
            thread.join()
        ended.set()
        observer.join()
    return verdicts, watch
