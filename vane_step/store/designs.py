"""Designs in SQLite: a journal of edits, snapshots, undo and redo; what an edit means is the design room's business."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from threading import RLock
from typing import Any

from vane_step.core.design.edits import Edit, apply, edit_from
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, NotFound, StaleEdit
from vane_step.store.atomic import atomic
from vane_step.store.migrations import migrate
from vane_step.store.shelfware import Shelfware

SNAPSHOT_EVERY = 50


@dataclass(frozen=True)
class Kept:
    """A design as it stands in the store."""

    id: str
    version: int
    design: Design
    undo: str | None
    redo: str | None
    changed_at: str


class DesignStore:
    """Keeps designs; every edit is on disk before it is answered. Safe to use from several threads."""

    def __init__(self, path: Path | str, clock: Callable[[], datetime] = lambda: datetime.now(UTC)) -> None:
        self._db = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._db.execute("PRAGMA journal_mode = WAL")
        self._db.execute("PRAGMA synchronous = FULL")
        self._db.execute("PRAGMA foreign_keys = ON")
        self._lock = RLock()
        self._clock = clock
        self._cache: dict[str, Kept] = {}
        migrate(self._db)
        self.shared = Shelfware(self._db, self._lock, clock)

    def close(self) -> None:
        """Close the database."""
        with self._lock:
            self._db.close()

    def _now(self) -> str:
        return self._clock().strftime("%Y-%m-%dT%H:%M:%SZ")

    def add(self, id: str, design: Design) -> Kept:
        """Put a new design into the store.

        Raises
        ------
        EditRefused
            When the id is taken.
        """
        with atomic(self._db, self._lock) as db:
            if db.execute("SELECT 1 FROM design WHERE id = ?", (id,)).fetchone():
                raise EditRefused(f"There is already a design {id}.", where=id)
            db.execute("INSERT INTO design VALUES (?, ?, 1, 0, ?)", (id, design.name, self._now()))
            db.execute("INSERT INTO snapshot VALUES (?, 0, ?)", (id, to_json(design)))
        return self.get(id)

    def shelf(self) -> list[tuple[str, str, int, str]]:
        """List id, name, version and date of all designs, by id."""
        with self._lock:
            return self._db.execute("SELECT id, name, version, changed_at FROM design ORDER BY id").fetchall()

    def get(self, id: str) -> Kept:
        """Give a design as it stands.

        Raises
        ------
        NotFound
            When there is none of that id.
        """
        with self._lock:
            if id not in self._cache:
                self._cache[id] = self._load(id)
            return self._cache[id]

    def _load(self, id: str) -> Kept:
        row = self._db.execute("SELECT version, cursor, changed_at FROM design WHERE id = ?", (id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no design {id}.", where=id, next_step="Open one from the shelf.")
        version, cursor, changed = row
        seq, content = self._db.execute(
            "SELECT seq, content FROM snapshot WHERE design = ? AND seq <= ? ORDER BY seq DESC LIMIT 1", (id, cursor)
        ).fetchone()
        design = from_json(content, id)
        edits = self._db.execute(
            "SELECT edit FROM journal WHERE design = ? AND seq > ? AND seq <= ? ORDER BY seq", (id, seq, cursor)
        )
        for (text,) in edits.fetchall():
            design, _ = apply(design, edit_from(json.loads(text)))
        return Kept(id, version, design, self._label(id, cursor), self._label(id, cursor + 1), changed)

    def _label(self, id: str, seq: int) -> str | None:
        row = self._db.execute("SELECT label FROM journal WHERE design = ? AND seq = ?", (id, seq)).fetchone()
        return row[0] if row else None

    def _expect(self, id: str, version: int | None) -> Kept:
        kept = self.get(id)
        if version is not None and version != kept.version:
            raise StaleEdit(
                "The design was changed elsewhere meanwhile; nothing was done.", where=id, value=f"version {version}",
                allowed=f"version {kept.version}", next_step="Look at what changed and do it again.",
            )  # fmt: skip
        return kept

    def edit(self, id: str, edit: Edit, label: str, version: int | None = None) -> Kept:
        """Apply an edit and write it to the journal; edits that were undone before are forgotten.

        Parameters
        ----------
        version : int, optional
            The version the edit was made on; another one in the store refuses it.

        Raises
        ------
        StaleEdit, EditRefused, NotFound
            Nothing is changed then.
        """
        with self._lock:
            kept = self._expect(id, version)
            design, inverse = apply(kept.design, edit)
            with atomic(self._db, self._lock) as db:
                cursor = db.execute("SELECT cursor FROM design WHERE id = ?", (id,)).fetchone()[0]
                db.execute("DELETE FROM journal WHERE design = ? AND seq > ?", (id, cursor))
                db.execute("DELETE FROM snapshot WHERE design = ? AND seq > ?", (id, cursor))
                db.execute(
                    "INSERT INTO journal VALUES (?, ?, ?, ?, ?, ?)",
                    (id, cursor + 1, edit.model_dump_json(), inverse.model_dump_json(), label, self._now()),
                )
                if (cursor + 1) % SNAPSHOT_EVERY == 0:
                    db.execute("INSERT INTO snapshot VALUES (?, ?, ?)", (id, cursor + 1, to_json(design)))
                self._move(db, id, cursor + 1, design)
            return self._keep(id, design, cursor + 1, kept.version + 1)

    def _move(self, db: sqlite3.Connection, id: str, cursor: int, design: Design) -> None:
        db.execute(
            "UPDATE design SET version = version + 1, cursor = ?, name = ?, changed_at = ? WHERE id = ?",
            (cursor, design.name, self._now(), id),
        )

    def _keep(self, id: str, design: Design, cursor: int, version: int) -> Kept:
        kept = Kept(id, version, design, self._label(id, cursor), self._label(id, cursor + 1), self._now())
        self._cache[id] = kept
        return kept

    def undo(self, id: str, version: int | None = None) -> Kept:
        """Take the last edit back."""
        return self._step(id, version, back=True)

    def redo(self, id: str, version: int | None = None) -> Kept:
        """Do the edit again that was last taken back."""
        return self._step(id, version, back=False)

    def _step(self, id: str, version: int | None, back: bool) -> Kept:
        with self._lock:
            kept = self._expect(id, version)
            cursor = self._db.execute("SELECT cursor FROM design WHERE id = ?", (id,)).fetchone()[0]
            column = "inverse" if back else "edit"
            row = self._db.execute(
                f"SELECT {column} FROM journal WHERE design = ? AND seq = ?", (id, cursor if back else cursor + 1)
            ).fetchone()
            if row is None:
                raise EditRefused(f"There is nothing to {'undo' if back else 'redo'}.", where=id)
            design, _ = apply(kept.design, edit_from(json.loads(row[0])))
            after = cursor - 1 if back else cursor + 1
            with atomic(self._db, self._lock) as db:
                self._move(db, id, after, design)
            return self._keep(id, design, after, kept.version + 1)

    def take_release(self, id: str, version: int, digest: str) -> None:
        """Record that a release was taken."""
        with atomic(self._db, self._lock) as db:
            db.execute("INSERT OR REPLACE INTO release_taken VALUES (?, ?, ?, ?)", (id, version, digest, self._now()))

    def accept(self, id: str, figures: Mapping[str, float]) -> None:
        """Keep the figures of a board, by name, that later ones are held against; those kept before go."""
        with atomic(self._db, self._lock) as db:
            db.execute("DELETE FROM accepted WHERE design = ?", (id,))
            db.executemany("INSERT INTO accepted VALUES (?, ?, ?)", [(id, n, float(v)) for n, v in figures.items()])

    def accepted(self, id: str) -> dict[str, float]:
        """Give the figures of a board as they were last accepted; none when nothing was."""
        with self._lock:
            rows = self._db.execute("SELECT figure, value FROM accepted WHERE design = ?", (id,)).fetchall()
            return {str(name): float(value) for name, value in rows}

    def releases(self, id: str) -> list[tuple[int, str, str]]:
        """List version, digest and date of the releases taken, newest first."""
        with self._lock:
            rows: list[Any] = self._db.execute(
                "SELECT version, digest, at FROM release_taken WHERE design = ? ORDER BY at DESC, version DESC", (id,)
            ).fetchall()
            return rows
