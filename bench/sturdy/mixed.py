"""Four people at one server, doing all there is to do by turns; tells its memory and its faults."""

from __future__ import annotations

import random
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from statistics import median

import httpx

from bench.hostile.mutate import mutant
from bench.hostile.page import TARGETS, Watch, served
from bench.hostile.seeds import seeds

PAGES = (
    "brief",
    "parts",
    "parts?show=controller",
    "parts?q=100n",
    "circuit",
    "circuit?show=reasons",
    "power",
    "board",
    "board.json",
    "make",
    "make?manufacturing=etch",
    "score",
    "paths",
    "panel",
    "sheets.pdf",
    "etch.pdf",
    "design.json",
)
SENTENCES = (
    "value R1 {k}k",
    "shift R1 0.{k} 0",
    "turn R1 90",
    "note R1 seen {k}",
    "lift GND",
    "route GND",
    "route",
    "pour GND back",
    "undo",
    "undo",
    "redo",
    'text "{k}" 5 5',
    "rail NET{k} 5V",
    "trace GND 0.4mm",
    "tidy",
    "arrange all",
)
DESIGNS = ("1-frost-sentinel", "2-seedling-thirst-beeper", "3-packing-bench-panel", "4-cider-press-logger")


class Person:
    """Does one thing after the other, chosen by chance."""

    def __init__(self, address: str, seed: int) -> None:
        self.client = httpx.Client(base_url=address, timeout=120)
        self.chance = random.Random(seed)
        self.seen: Counter[str] = Counter()
        self.times: list[float] = []
        self.wrong: list[str] = []
        self.right = [s for s in seeds() if s.reader in TARGETS]

    def work(self, until: float) -> None:
        """Go on until a time."""
        ways: list[tuple[int, Callable[[str], httpx.Response]]] = [
            (50, self.look),
            (30, self.say),
            (8, self.preview),
            (4, self.bring),
            (3, self.make),
            (2, self.panel),
            (2, self.in_space),
            (1, self.copy),
        ]
        while time.monotonic() < until:
            way = self.chance.choices([w for _, w in ways], [n for n, _ in ways])[0]
            begun = time.perf_counter()
            try:
                answer = way(self.chance.choice(DESIGNS))
            except httpx.HTTPError as error:
                self.wrong.append(f"{way.__name__}: {type(error).__name__}")
                continue
            self.times.append(time.perf_counter() - begun)
            self.seen[way.__name__] += 1
            if answer.status_code >= 500:
                self.wrong.append(f"{way.__name__}: {answer.status_code} {answer.text[:120]}")
            time.sleep(self.chance.uniform(0, 0.3))

    def look(self, id: str) -> httpx.Response:
        """Open a page."""
        return self.client.get(f"/d/{id}/{self.chance.choice(PAGES)}")

    def _version(self, id: str) -> int:
        return int(self.client.get(f"/d/{id}/board.json").json()["version"])

    def say(self, id: str) -> httpx.Response:
        """Say a sentence."""
        text = self.chance.choice(SENTENCES).format(k=self.chance.randrange(1, 9))
        body = {"text": text, "version": self._version(id), "commit": True}
        return self.client.post(f"/d/{id}/ask", json=body)

    def preview(self, id: str) -> httpx.Response:
        """Type at the ask line."""
        text = self.chance.choice(SENTENCES).format(k=3)
        for end in range(2, len(text), 3):
            body = {"text": text[:end], "version": 1, "commit": False}
            answer = self.client.post(f"/d/{id}/ask", json=body)
        return answer

    def bring(self, id: str) -> httpx.Response:
        """Bring a file, right or spoiled."""
        given = self.chance.choice(self.right)
        if self.chance.random() < 0.5:
            given = mutant(self.chance, given, [s for s in self.right if s.reader == given.reader])
        path, form = TARGETS[given.reader]
        data = {**form, "version": str(self._version(id))}
        return self.client.post(f"/d/{id}/{path}", data=data, files=[("file", f) for f in given.files])

    def make(self, id: str) -> httpx.Response:
        """Have the release made."""
        return self._made("get", f"/d/{id}/release", {})

    def panel(self, id: str) -> httpx.Response:
        """Have a panel made."""
        plan = {"columns": str(self.chance.randrange(1, 5)), "rows": str(self.chance.randrange(1, 4))}
        return self._made("post", f"/d/{id}/panel", plan)

    def _made(self, method: str, path: str, data: dict[str, str]) -> httpx.Response:
        while 'class="working"' in (answer := self.client.request(method, path, data=data or None)).text:
            time.sleep(0.4)
        return answer

    def in_space(self, id: str) -> httpx.Response:
        """Look at the board in space."""
        return self.client.get(f"/d/{id}/board.glb")

    def copy(self, id: str) -> httpx.Response:
        """Bring a design as a file, look at it, and delete it."""
        text = self.client.get(f"/d/{id}/design.json").content
        answer = self.client.post("/bring", files={"files": ("copy.json", text)})
        if answer.status_code == 303:
            mine = answer.headers["location"].removesuffix("/board")
            for page in ("board", "circuit", "board.json"):
                self.client.get(f"{mine}/{page}")
            self.client.post(f"{mine}/delete")
            answer = self.client.post(f"{mine}/delete-for-good")
        return answer


def mixed(minutes: float, seed: int, people: int = 4) -> int:
    """Let people work so long; print memory and answers; give how many answers were faults of the program."""
    watch, ended = Watch(), threading.Event()
    with tempfile.TemporaryDirectory() as folder, served(folder) as (address, pid):
        crowd = [Person(address, seed + k) for k in range(people)]
        until = time.monotonic() + 60 * minutes
        threads = [threading.Thread(target=p.work, args=(until,)) for p in crowd]
        for thread in threads:
            thread.start()
        told = time.monotonic()
        while any(t.is_alive() for t in threads):
            watch.look(pid)
            ended.wait(0.2)
            if time.monotonic() - told > 60:
                told = time.monotonic()
                answers = sum(len(p.times) for p in crowd)
                print(f"  server at most {watch.server >> 20} MB, {answers} answers", flush=True)
        watch.look(pid)
    seen: Counter[str] = sum((p.seen for p in crowd), Counter())
    times, wrong = sorted(t for p in crowd for t in p.times), [w for p in crowd for w in p.wrong]
    for text, count in Counter(wrong).most_common(8):
        print(f"  {count} times {text}")
    print(
        f"{minutes:g} minutes of {people} people: {len(times)} things done {dict(seen)}, half within "
        f"{median(times):.3f} s; server at most {watch.server >> 20} MB, others {watch.reader >> 20} MB more than at "
        f"first; {len(wrong)} faults"
    )
    return len(wrong)
