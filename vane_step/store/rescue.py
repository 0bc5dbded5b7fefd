"""What can still be read of a damaged database, design by design; mending the database itself is not tried."""

from __future__ import annotations

import json
import re
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.errors import InputError, VaneStepError
from vane_step.store.replay import as_far_as_it_goes


@dataclass(frozen=True)
class Rescued:
    """A file that was saved from a database, and what it is."""

    file: str
    content: str
    says: str


def rescued(path: Path) -> Iterator[Rescued]:
    """Give the last version of each design that can be read, or its raw text where none can.

    The database is opened for reading only; pages of it may be unreadable, which costs what lay on them.

    Raises
    ------
    InputError
        When it is no database, or not even its list of designs can be read.
    """
    if not path.is_file():
        raise InputError(
            "There is no database.", where=str(path), next_step="Name the folder given with --data."
        )
    db = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
    try:
        yield from _designs(db, path)
    finally:
        db.close()


def _designs(db: sqlite3.Connection, path: Path) -> Iterator[Rescued]:
    # The snapshots name their designs too, should the list of designs be gone.
    ids: dict[str, None] = {}
    for query in (
        "SELECT id FROM design ORDER BY id",
        "SELECT DISTINCT design FROM snapshot ORDER BY design",
    ):
        ids.update(dict.fromkeys(str(row[0]) for row in _rows(db, query)))
    if not ids:
        raise InputError(
            "Nothing can be read from this file.",
            where=str(path),
            next_step="Use a copy of it from before.",
        )
    for id in ids:
        file = re.sub(r"[^a-z0-9-]+", "-", id.lower()).strip("-") or "design"
        snapshots = [
            (int(s), str(c)) for s, c in _rows(db, "SELECT seq, content FROM snapshot WHERE design = ?", id)
        ]
        edits = [(int(s), str(e)) for s, e in _rows(db, "SELECT seq, edit FROM journal WHERE design = ?", id)]
        cursor = next((int(r[0]) for r in _rows(db, "SELECT cursor FROM design WHERE id = ?", id)), 10**9)
        best = _latest(sorted(snapshots), sorted(edits), cursor)
        if best is not None:
            yield Rescued(f"{file}.json", best[0], f"as of change {best[1]}")
        else:
            raw = json.dumps({"design": id, "snapshots": snapshots, "journal": edits}, indent=1)
            yield Rescued(f"{file}-raw.json", raw, "no version can be read; this is the text that is left")


def _rows(db: sqlite3.Connection, query: str, *values: str) -> list[tuple[Any, ...]]:
    """Fetch row by row as far as that goes."""
    found: list[tuple[Any, ...]] = []
    try:
        for row in db.execute(query, values):
            found.append(row)
    except sqlite3.Error:
        pass
    return found


def _latest(
    snapshots: list[tuple[int, str]], edits: list[tuple[int, str]], cursor: int
) -> tuple[str, int] | None:
    best: tuple[str, int] | None = None
    for seq, content in reversed([s for s in snapshots if s[0] <= cursor]):
        try:
            design, reached = from_json(content), seq
        except (VaneStepError, ValueError):
            continue
        design, reached = as_far_as_it_goes(design, reached, [e for e in edits if seq < e[0] <= cursor])
        if best is None or reached > best[1]:
            best = to_json(design), reached
    return best
