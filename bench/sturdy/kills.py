"""Kills a server while it is edited, starts it again on the same data, and counts answered changes that are gone."""

from __future__ import annotations

import json
import os
import random
import signal
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import httpx

from bench.hostile.page import served
from bench.hostile.seeds import BEEPER


@dataclass
class Tally:
    """Kills so far, answered changes, and what was wrong after a start."""

    kills: int = 0
    answered: int = 0
    wrong: list[str] = field(default_factory=list)


class Editor:
    """Changes one design without pause and remembers what was answered."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.version = 1
        # The value of R1 after each version, as answered; undone ones are cut off when a new change is made.
        self.values = ["100k"]
        self.at = 0
        self.in_flight: tuple[str, int] | None = None
        self.answered = 0

    def work(self, address: str, ended: threading.Event) -> None:
        """Edit, undo and redo until the server is gone."""
        with httpx.Client(base_url=address, timeout=10) as client:
            while not ended.is_set():
                body: dict[str, object] = {}
                way = self.chance.random()
                if way < 0.15 and self.at > 0:
                    path, self.in_flight = "undo", ("undo", self.at - 1)
                elif way < 0.25 and self.at < len(self.values) - 1:
                    path, self.in_flight = "redo", ("redo", self.at + 1)
                else:
                    value = f"{self.chance.randrange(1, 999)}k"
                    path, body = "ask", {"text": f"value R1 {value}", "commit": True}
                    self.in_flight = (value, self.at + 1)
                try:
                    answer = client.post(f"/d/{BEEPER}/{path}", json={**body, "version": self.version})
                except httpx.HTTPError:
                    return
                if answer.status_code != 200:
                    raise RuntimeError(answer.text)
                self._settle()
                self.version = answer.json()["version"]
                self.answered += 1

    def _settle(self) -> None:
        assert self.in_flight is not None
        what, self.at = self.in_flight
        if what not in ("undo", "redo"):
            self.values = [*self.values[: self.at], what]
        self.in_flight = None

    def meet(self, address: str) -> str:
        """Hold what a new server has against what was answered; say what is wrong."""
        with httpx.Client(base_url=address, timeout=20) as client:
            design = json.loads(client.get(f"/d/{BEEPER}/design.json").content)
            version = client.get(f"/d/{BEEPER}/board.json").json()["version"]
        value = design["parts"]["R1"]["value"]
        if self.in_flight is not None and version == self.version + 1:
            # The change under way had reached the disk before its answer could leave.
            self._settle()
            self.version = version
        wrong = ""
        if version != self.version:
            wrong = f"version {version}, answered was {self.version}"
        elif value != self.values[self.at]:
            wrong = f"R1 is {value}, answered was {self.values[self.at]}"
        self.in_flight, self.version = None, version
        return wrong


def kill_over_and_over(count: int, seed: int) -> Tally:
    """Kill one server so often, at moments nobody chose."""
    tally, editor = Tally(), Editor(seed)
    with tempfile.TemporaryDirectory() as folder:
        while True:
            with served(folder) as (address, pid):
                if tally.kills and (wrong := editor.meet(address)):
                    tally.wrong.append(f"after kill {tally.kills} of seed {seed}: {wrong}")
                if tally.kills >= count:
                    break
                ended = threading.Event()
                work = threading.Thread(target=editor.work, args=(address, ended))
                work.start()
                time.sleep(editor.chance.uniform(0.02, 0.6))
                os.kill(pid, signal.SIGKILL)
                tally.kills += 1
                if tally.kills % 25 == 0:
                    print(f"  {tally.kills} kills of seed {seed}: {len(tally.wrong)} wrong", flush=True)
                ended.set()
                work.join()
        tally.answered = editor.answered
    return tally


def kills(count: int, seed: int) -> int:
    """Kill two servers by turns so often in all; print and give how many answered changes were lost."""
    begun = time.perf_counter()
    with ThreadPoolExecutor(2) as pool:
        found = list(pool.map(kill_over_and_over, (count // 2, count - count // 2), (seed, seed + 1)))
    wrong = [w for t in found for w in t.wrong]
    for text in wrong[:10]:
        print(f"  {text}")
    print(
        f"{sum(t.kills for t in found)} kills while editing: {sum(t.answered for t in found)} changes answered, "
        f"{len(wrong)} starts that had not what was answered; {time.perf_counter() - begun:.0f} s"
    )
    return len(wrong)
