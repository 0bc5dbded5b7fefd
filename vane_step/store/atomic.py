"""One change of the database, whole or not at all; what is changed is the callers'."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager


@contextmanager
def atomic(db: sqlite3.Connection, lock: AbstractContextManager[object]) -> Iterator[sqlite3.Connection]:
    """Hold the lock and a transaction; anything raised takes the whole change back."""
    with lock:
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
        except BaseException:
            db.execute("ROLLBACK")
            raise
        db.execute("COMMIT")
