"""One change of the database, whole or not at all, and what SQLite says in words; what is changed is the callers'."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, suppress

from vane_step.core.errors import StoreFailed, VaneStepError

# What SQLite says, what it means, and what can be done.
_SAYINGS = (
    ("disk is full", "The disk is full.", "Make room and do it again; what was answered before is safe."),
    ("locked", "Another program holds the database.", "Wait, or close the other program, and do it again."),
    (
        "readonly",
        "The database may not be written.",
        "Allow writing to its folder, or choose another with --data.",
    ),
    ("unable to open", "The database cannot be opened.", "Choose another folder with --data."),
    ("not a database", "The file is not a database of this program.", "Choose another folder with --data."),
    ("malformed", "The database is damaged.", "Save what can be read: vane-step rescue FOLDER -o NEW-FOLDER"),
    ("disk i/o", "The disk gave an error.", "Look at the disk; what was answered before is on it."),
)


def in_words(error: sqlite3.Error, where: str = "database") -> StoreFailed:
    """Turn what SQLite says into an error a user can act on."""
    text = str(error).lower()
    for saying, means, step in _SAYINGS:
        if saying in text:
            return StoreFailed(f"{means} Nothing was changed.", where=where, next_step=step)
    return StoreFailed(
        f"The database refuses: {error}. Nothing was changed.",
        where=where,
        next_step="Look at the log, and at the folder of the database.",
    )


@contextmanager
def spoken(where: str = "database") -> Iterator[None]:
    """Tell every failure of the database in words."""
    try:
        yield
    except VaneStepError:
        raise
    except sqlite3.Error as error:
        raise in_words(error, where) from error


@contextmanager
def atomic(db: sqlite3.Connection, lock: AbstractContextManager[object]) -> Iterator[sqlite3.Connection]:
    """Hold the lock and a transaction; anything raised takes the whole change back."""
    with lock, spoken():
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
            db.execute("COMMIT")
        except BaseException:
            # A full disk may have ended the transaction already.
            with suppress(sqlite3.Error):
                db.execute("ROLLBACK")
            raise
