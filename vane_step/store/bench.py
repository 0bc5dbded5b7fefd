"""What stands on the bench: etchings, orders, baths, bits, printers, houses' turns; what they mean the core knows."""

from __future__ import annotations

import sqlite3
from contextlib import AbstractContextManager

from vane_step.core.errors import EditRefused, NotFound
from vane_step.store.atomic import atomic, spoken

MOST_RECORDS, MOST_THINGS = 200, 60


class Bench:
    """Keeps the bench in the same database as the designs, as JSON under keys. Safe to use from several threads."""

    def __init__(self, db: sqlite3.Connection, lock: AbstractContextManager[object]) -> None:
        self._db, self._lock = db, lock

    # -- records of a design: etchings, orders --

    def begin(self, table: str, design: str, content: str) -> int:
        """Keep a new record of a design and give its number.

        Raises
        ------
        EditRefused
            When there are too many.
        NotFound
            When there is no such design.
        """
        name = _RECORDS[table]
        with atomic(self._db, self._lock) as db:
            count = db.execute(f"SELECT count(*) FROM {name} WHERE design = ?", (design,)).fetchone()[0]
            if count >= MOST_RECORDS:
                raise EditRefused(f"{MOST_RECORDS} are kept.", where=table, next_step="Delete an old one.")
            try:
                made = db.execute(f"INSERT INTO {name} (design, content) VALUES (?, ?)", (design, content))
            except sqlite3.IntegrityError as error:
                raise NotFound(f"There is no design {design}.", where=design) from error
            return int(made.lastrowid or 0)

    def records(self, table: str, design: str | None = None) -> dict[int, str]:
        """Give the records of a design, or of all, by number: the first begun first."""
        name = _RECORDS[table]
        with self._lock, spoken():
            if design is None:
                rows = self._db.execute(f"SELECT id, content FROM {name} ORDER BY id")
            else:
                rows = self._db.execute(
                    f"SELECT id, content FROM {name} WHERE design = ? ORDER BY id", (design,)
                )
            return dict(rows.fetchall())

    def change(self, table: str, design: str, number: int, content: str | None) -> None:
        """Replace a record of a design, or delete it where nothing is given.

        Raises
        ------
        NotFound
            When the design has no such record.
        """
        name = _RECORDS[table]
        with atomic(self._db, self._lock) as db:
            if content is None:
                done = db.execute(f"DELETE FROM {name} WHERE id = ? AND design = ?", (number, design))
            else:
                done = db.execute(
                    f"UPDATE {name} SET content = ? WHERE id = ? AND design = ?", (content, number, design)
                )
            if not done.rowcount:
                raise NotFound(f"There is no {table} {number} of this design.", where=table, value=number)

    # -- what board houses were asked --

    def keep_asked(self, design: str, content: str, at: str) -> None:
        """Keep what houses were asked for a design and what they answered, with its date.

        Raises
        ------
        NotFound
            When there is no such design.
        """
        with atomic(self._db, self._lock) as db:
            try:
                db.execute("INSERT OR REPLACE INTO asked VALUES (?, ?, ?)", (design, content, at))
            except sqlite3.IntegrityError as error:
                raise NotFound(f"There is no design {design}.", where=design) from error

    def asked(self, design: str) -> tuple[str, str] | None:
        """Give what houses were asked for a design and answered last, and when; None where nobody asked."""
        with self._lock, spoken():
            row = self._db.execute("SELECT content, at FROM asked WHERE design = ?", (design,)).fetchone()
        return (row[0], row[1]) if row else None

    # -- baths, printers, how houses that fit parts count turns, and what houses said of themselves --

    def keep(self, table: str, key: str, content: str) -> None:
        """Keep a bath, a printer or how a house counts turns under its key; one of the same key is replaced.

        Raises
        ------
        EditRefused
            When there are too many.
        """
        name, column = _TABLES[table]
        with atomic(self._db, self._lock) as db:
            count = db.execute(f"SELECT count(*) FROM {name} WHERE {column} != ?", (key,)).fetchone()[0]
            if count >= MOST_THINGS:
                raise EditRefused(f"{MOST_THINGS} are kept.", where=table, next_step="Delete an old one.")
            db.execute(f"INSERT OR REPLACE INTO {name} VALUES (?, ?)", (key, content))

    def kept(self, table: str) -> dict[str, str]:
        """Give all baths, printers or houses by key."""
        name, column = _TABLES[table]
        with self._lock, spoken():
            return dict(
                self._db.execute(f"SELECT {column}, content FROM {name} ORDER BY {column}").fetchall()
            )

    def drop(self, table: str, key: str) -> None:
        """Delete a bath, a printer or how a house counts.

        Raises
        ------
        NotFound
            When there is none of that key.
        """
        name, column = _TABLES[table]
        with atomic(self._db, self._lock) as db:
            if not db.execute(f"DELETE FROM {name} WHERE {column} = ?", (key,)).rowcount:
                raise NotFound(f"There is no {table} {key}.", where=table, value=key)

    # -- bits --

    def bits(self) -> dict[int, bool]:
        """Give the drill bits by size in micrometres, and whether each is broken."""
        with self._lock, spoken():
            rows = self._db.execute("SELECT size_um, broken FROM bit ORDER BY size_um").fetchall()
        return {size: bool(broken) for size, broken in rows}

    def set_bit(self, size_um: int, broken: bool | None) -> None:
        """Put a bit among those at hand, say that it is broken, or take it off the list with ``None``.

        Raises
        ------
        EditRefused
            When there are too many.
        """
        with atomic(self._db, self._lock) as db:
            if broken is None:
                db.execute("DELETE FROM bit WHERE size_um = ?", (size_um,))
                return
            count = db.execute("SELECT count(*) FROM bit WHERE size_um != ?", (size_um,)).fetchone()[0]
            if count >= MOST_THINGS:
                raise EditRefused(
                    f"{MOST_THINGS} bits are kept.", where="bits", next_step="Take one off the list."
                )
            db.execute("INSERT OR REPLACE INTO bit VALUES (?, ?)", (size_um, int(broken)))


# Table and key column by what it is called; nothing else comes into a statement.
_RECORDS = {"etching": "etching", "order": "board_order"}
_TABLES = {
    "bath": ("bath", "id"),
    "printer": ("printer", "name"),
    "fitting": ("assembly_house", "name"),
    "described": ("described_house", "id"),
}
