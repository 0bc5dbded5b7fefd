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
from vane_step.core.errors import DamagedDesign, EditRefused, InputError, NotFound, StaleEdit, VaneStepError
from vane_step.store.atomic import atomic, spoken
from vane_step.store.bench import Bench
from vane_step.store.migrations import migrate
from vane_step.store.replay import as_far_as_it_goes
from vane_step.store.shelfware import Shelfware

SNAPSHOT_EVERY = 50
# How long another program's transaction is waited for.
WAIT_S = 5.0


def _no_design(id: str) -> NotFound:
    return NotFound(f"There is no design {id}.", where=id, next_step="Open one from the shelf.")


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
        with spoken(str(path)):
            self._db = sqlite3.connect(path, check_same_thread=False, isolation_level=None, timeout=WAIT_S)
            try:
                self._open()
            except BaseException:
                self._db.close()
                raise
        self._lock = RLock()
        self._clock = clock
        self._cache: dict[str, Kept] = {}
        self._seen = self._data_version()
        self.shared = Shelfware(self._db, self._lock, clock)
        self.bench = Bench(self._db, self._lock)

    def _open(self) -> None:
        self._db.execute("PRAGMA journal_mode = WAL")
        self._db.execute("PRAGMA synchronous = FULL")
        self._db.execute("PRAGMA foreign_keys = ON")
        migrate(self._db)
        found = self._db.execute("PRAGMA quick_check(1)").fetchone()[0]
        if found != "ok":
            raise sqlite3.DatabaseError(f"malformed: {found}")

    def _data_version(self) -> int:
        """Give a number that changes when another program changed the database."""
        return int(self._db.execute("PRAGMA data_version").fetchone()[0])

    def _look_outside(self) -> None:
        """Forget what is remembered when another program changed the database: two servers on one folder stay right."""
        now = self._data_version()
        if now != self._seen:
            self._seen = now
            self._cache.clear()

    def close(self) -> None:
        """Close the database."""
        with self._lock:
            self._db.close()

    def _now(self) -> str:
        return self._clock().strftime("%Y-%m-%dT%H:%M:%SZ")

    def add(self, id: str, design: Design, numbered: bool = False) -> Kept:
        """Put a new design into the store.

        Parameters
        ----------
        numbered : bool
            Take the next free id, ``name-2`` and so on, where this one is taken, also by a design in the bin.

        Raises
        ------
        EditRefused
            When the id is taken.
        InputError
            When the design could not be read again.
        """
        content = to_json(design)
        from_json(content, id)
        with atomic(self._db, self._lock) as db:
            base, k = id, 1
            while db.execute("SELECT 1 FROM design WHERE id = ?", (id,)).fetchone():
                if not numbered:
                    raise EditRefused(
                        f"There is already a design {id}.", where=id, next_step="Choose another name."
                    )
                k += 1
                id = f"{base}-{k}"
            db.execute("INSERT INTO design VALUES (?, ?, 1, 0, ?, NULL)", (id, design.name, self._now()))
            db.execute("INSERT INTO snapshot VALUES (?, 0, ?)", (id, content))
        return self.get(id)

    def shelf(self, binned: bool = False) -> list[tuple[str, str, int, str]]:
        """List id, name, version and date of all designs on the shelf, or in the bin, by id."""
        wanted = "binned_at IS NOT NULL" if binned else "binned_at IS NULL"
        with self._lock, spoken():
            return self._db.execute(
                f"SELECT id, name, version, changed_at FROM design WHERE {wanted} ORDER BY id"
            ).fetchall()

    def ids(self) -> set[str]:
        """Give the ids of all designs, those in the bin among them."""
        with self._lock, spoken():
            return {row[0] for row in self._db.execute("SELECT id FROM design")}

    def put_in_bin(self, id: str) -> None:
        """Take a design off the shelf; it can be taken out of the bin again as it was."""
        self._set_binned(id, self._now())

    def take_out_of_bin(self, id: str) -> None:
        """Put a design from the bin back on the shelf."""
        self._set_binned(id, None)

    def _set_binned(self, id: str, at: str | None) -> None:
        with atomic(self._db, self._lock) as db:
            if not db.execute("UPDATE design SET binned_at = ? WHERE id = ?", (at, id)).rowcount:
                raise _no_design(id)

    def delete(self, id: str) -> None:
        """Delete a design in the bin for good, with its whole history.

        Raises
        ------
        EditRefused
            When it is not in the bin.
        """
        with atomic(self._db, self._lock) as db:
            if not db.execute("DELETE FROM design WHERE id = ? AND binned_at IS NOT NULL", (id,)).rowcount:
                raise EditRefused(f"{id} is not in the bin.", where=id, next_step="Move it to the bin first.")
            self._cache.pop(id, None)

    def get(self, id: str) -> Kept:
        """Give a design as it stands.

        Raises
        ------
        NotFound
            When there is none of that id.
        DamagedDesign
            When what is stored of it cannot be read.
        """
        with self._lock, spoken():
            self._look_outside()
            if id not in self._cache:
                self._cache[id] = self._load(id)
            return self._cache[id]

    def _load(self, id: str) -> Kept:
        row = self._db.execute(
            "SELECT version, cursor, changed_at FROM design WHERE id = ?", (id,)
        ).fetchone()
        if row is None:
            raise _no_design(id)
        version, cursor, changed = row
        snapshot = self._db.execute(
            "SELECT seq FROM snapshot WHERE design = ? AND seq <= ? ORDER BY seq DESC LIMIT 1", (id, cursor)
        ).fetchone()
        try:
            if snapshot is None:
                raise InputError(
                    "It has no beginning.", where=id, next_step="Save the rescue file from the shelf."
                )
            design, _ = self._replayed(id, snapshot[0], cursor)
        except (VaneStepError, ValueError) as error:
            says = error.line() if isinstance(error, VaneStepError) else str(error)
            raise DamagedDesign(
                f"What is stored of {id} cannot be read: {says}",
                where=id,
                next_step="Open its last good version or save the rescue file from the shelf; the others are whole.",
            ) from error
        return Kept(id, version, design, self._label(id, cursor), self._label(id, cursor + 1), changed)

    def _replayed(self, id: str, seq: int, cursor: int) -> tuple[Design, int]:
        """Read a snapshot and do the edits after it up to a cursor; gives how far that went as well."""
        (content,) = self._db.execute(
            "SELECT content FROM snapshot WHERE design = ? AND seq = ?", (id, seq)
        ).fetchone()
        design = from_json(content, id)
        for number, text in self._edits(id, seq, cursor):
            design, _ = apply(design, edit_from(json.loads(text)))
            seq = number
        return design, seq

    def _edits(self, id: str, seq: int, cursor: int) -> list[tuple[int, str]]:
        return self._db.execute(
            "SELECT seq, edit FROM journal WHERE design = ? AND seq > ? AND seq <= ? ORDER BY seq",
            (id, seq, cursor),
        ).fetchall()

    def last_good(self, id: str) -> tuple[Design, int, int]:
        """Give the latest version of a design that can be read, the change it is of, and the last change there was.

        Raises
        ------
        DamagedDesign
            When no snapshot of it can be read.
        """
        with self._lock, spoken():
            row = self._db.execute("SELECT cursor FROM design WHERE id = ?", (id,)).fetchone()
            if row is None:
                raise _no_design(id)
            best: tuple[Design, int] | None = None
            for (seq,) in self._db.execute(
                "SELECT seq FROM snapshot WHERE design = ? AND seq <= ? ORDER BY seq DESC", (id, row[0])
            ).fetchall():
                try:
                    design, reached = self._replayed(id, seq, seq)
                except (VaneStepError, ValueError):
                    continue
                design, reached = as_far_as_it_goes(design, reached, self._edits(id, seq, row[0]))
                if best is None or reached > best[1]:
                    best = design, reached
            if best is None:
                raise DamagedDesign(
                    f"No version of {id} can be read.",
                    where=id,
                    next_step="Save the rescue file: it holds the text.",
                )
            return *best, row[0]

    def raw(self, id: str) -> dict[str, Any]:
        """Give all that is stored of a design as it lies there, readable or not: its snapshots and its journal."""
        with self._lock, spoken():
            snapshots = self._db.execute(
                "SELECT seq, content FROM snapshot WHERE design = ? ORDER BY seq", (id,)
            )
            found: dict[str, Any] = {
                "design": id,
                "snapshots": [{"seq": s, "content": c} for s, c in snapshots],
            }
            rows = self._db.execute(
                "SELECT seq, edit, inverse, label, at FROM journal WHERE design = ? ORDER BY seq", (id,)
            )
            names = ("seq", "edit", "inverse", "label", "at")
            found["journal"] = [dict(zip(names, row, strict=True)) for row in rows]
            if not found["snapshots"]:
                raise _no_design(id)
            return found

    def _label(self, id: str, seq: int) -> str | None:
        row = self._db.execute("SELECT label FROM journal WHERE design = ? AND seq = ?", (id, seq)).fetchone()
        return row[0] if row else None

    def _expect(self, id: str, version: int | None) -> Kept:
        kept = self.get(id)
        if version is not None and version != kept.version:
            raise StaleEdit(
                "The design was changed elsewhere meanwhile; nothing was done.",
                where=id,
                value=f"version {version}",
                allowed=f"version {kept.version}",
                next_step="Look at what changed and do it again.",
            )
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
        # The version is asked for within the transaction: nobody else can change the design before this edit is in.
        with self._lock:
            with atomic(self._db, self._lock) as db:
                kept = self._expect(id, version)
                design, inverse = apply(kept.design, edit)
                written = edit.model_dump_json()
                if edit_from(json.loads(written)) != edit:
                    raise InputError(
                        "This change cannot be written down as it is.",
                        where=edit.kind,
                        next_step="This is a fault of the program; report it with what you did.",
                    )
                cursor = db.execute("SELECT cursor FROM design WHERE id = ?", (id,)).fetchone()[0]
                db.execute("DELETE FROM journal WHERE design = ? AND seq > ?", (id, cursor))
                db.execute("DELETE FROM snapshot WHERE design = ? AND seq > ?", (id, cursor))
                db.execute(
                    "INSERT INTO journal VALUES (?, ?, ?, ?, ?, ?)",
                    (id, cursor + 1, written, inverse.model_dump_json(), label, self._now()),
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
            with atomic(self._db, self._lock) as db:
                kept = self._expect(id, version)
                cursor = db.execute("SELECT cursor FROM design WHERE id = ?", (id,)).fetchone()[0]
                column = "inverse" if back else "edit"
                row = db.execute(
                    f"SELECT {column} FROM journal WHERE design = ? AND seq = ?",
                    (id, cursor if back else cursor + 1),
                ).fetchone()
                if row is None:
                    raise EditRefused(
                        f"There is nothing to {'undo' if back else 'redo'}.",
                        where=id,
                        next_step="Nothing has to be done.",
                    )
                design, _ = apply(kept.design, edit_from(json.loads(row[0])))
                after = cursor - 1 if back else cursor + 1
                self._move(db, id, after, design)
            return self._keep(id, design, after, kept.version + 1)

    def take_release(self, id: str, version: int, digest: str) -> None:
        """Record that a release was taken."""
        with atomic(self._db, self._lock) as db:
            db.execute(
                "INSERT OR REPLACE INTO release_taken VALUES (?, ?, ?, ?)", (id, version, digest, self._now())
            )

    def accept(self, id: str, figures: Mapping[str, float]) -> None:
        """Keep the figures of a board, by name, that later ones are held against; those kept before go."""
        with atomic(self._db, self._lock) as db:
            db.execute("DELETE FROM accepted WHERE design = ?", (id,))
            db.executemany(
                "INSERT INTO accepted VALUES (?, ?, ?)", [(id, n, float(v)) for n, v in figures.items()]
            )

    def accepted(self, id: str) -> dict[str, float]:
        """Give the figures of a board as they were last accepted; none when nothing was."""
        with self._lock:
            rows = self._db.execute("SELECT figure, value FROM accepted WHERE design = ?", (id,)).fetchall()
            return {str(name): float(value) for name, value in rows}

    def releases(self, id: str) -> list[tuple[int, str, str]]:
        """List version, digest and date of the releases taken, newest first."""
        with self._lock:
            rows: list[Any] = self._db.execute(
                "SELECT version, digest, at FROM release_taken WHERE design = ? ORDER BY at DESC, version DESC",
                (id,),
            ).fetchall()
            return rows
