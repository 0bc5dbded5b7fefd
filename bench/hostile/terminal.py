"""Gives mutants to the terminal, each in a process of its own as a shell would; no mutant is made here."""

from __future__ import annotations

import os
import resource
import signal
import sys
import tempfile
import time
from pathlib import Path

from bench.hostile.page import MOST_SECONDS, Verdict
from bench.hostile.seeds import BEEPER, Brought
from vane_step.cli import app as cli
from vane_step.core.design.fileformat import to_json
from vane_step.data.shipped import demo_designs

HANGS_SECONDS = 60.0


def command(given: Brought, folder: Path, paths: list[str]) -> list[str]:
    """Give the words of the command that reads such files."""
    design, out = str(folder / "design.json"), str(folder / "out.json")
    first = paths[0]
    return {
        "outline": ["outline", design, "-o", out, "--size", f"{first}@60mm"],
        "like": ["outline", design, "-o", out, *(w for p in paths for w in ("--like", p))],
        "picture": ["picture", design, "-o", out, "--file", first, "--width", "20mm", "--at", "10,10"],
        "pins": ["pins", first],
        "connections": ["connect", design, "-o", out, "--list", first],
        "block": ["block", "use", design, first, "-o", out],
        "design": ["check", first],
        "packages": ["import", str(folder / "given"), "-o", out],
        "exchange": ["import", str(folder / "given"), "-o", out],
    }[given.reader]


def run(given: Brought) -> Verdict:
    """Run the command on a mutant in a child; judge its exit code, what it says, its time, and what it wrote."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "design.json").write_text(to_json(demo_designs()[BEEPER]), encoding="utf-8")
        (folder / "given").mkdir()
        paths = []
        for file, data in given.files:
            path = folder / "given" / (file.replace("/", "_").replace("\0", "")[:200] or "x")
            path.write_bytes(data)
            paths.append(str(path))
        code, seconds = _in_child(command(given, folder, paths), folder / "said", str(folder))
        said = (folder / "said").read_text("utf-8", "replace")
        wrong = ""
        if code not in (0, 1, 2):
            wrong = f"exit {code}: {said.strip()[-160:]}"
        elif "Traceback" in said:
            wrong = f"traceback: {said.strip()[-160:]}"
        elif seconds > MOST_SECONDS + (4.0 if given.reader in ("design", "exchange") else 0.0):
            wrong = f"{seconds:.1f} s"
        elif code == 2 and (len(said.strip()) < 5 or (folder / "out.json").exists()):
            wrong = "refused without a word" if len(said.strip()) < 5 else "written though refused"
        elif code == 0 and (folder / "out.json").exists():
            again, _ = _in_child(["check", str(folder / "out.json")], folder / "again", str(folder))
            if again not in (0, 1):
                wrong = (
                    "wrote what cannot be opened: " + (folder / "again").read_text("utf-8", "replace")[-160:]
                )
        return Verdict(code, seconds, wrong)


def _in_child(words: list[str], said: Path, folder: str) -> tuple[int, float]:
    begun = time.perf_counter()
    child = os.fork()
    if child == 0:
        os.setpgid(0, 0)
        os.chdir(folder)
        told = os.open(said, os.O_WRONLY | os.O_CREAT)
        os.dup2(told, 1)
        os.dup2(told, 2)
        sys.argv = ["vane-step", *words]
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        code = 3
        try:
            cli.main()
            code = 0
        except SystemExit as end:
            code = end.code if isinstance(end.code, int) else 2
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
            os._exit(code)
    while time.perf_counter() - begun < HANGS_SECONDS:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return os.waitstatus_to_exitcode(status), time.perf_counter() - begun
        time.sleep(0.003)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return -9, time.perf_counter() - begun
