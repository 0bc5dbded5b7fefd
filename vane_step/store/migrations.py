"""The schema of the database, step by step; what is kept in it is in ``designs``."""

from __future__ import annotations

import hashlib
import sqlite3

from vane_step.core.errors import VaneStepError

MIGRATIONS: tuple[tuple[str, str], ...] = (
    (
        "designs with their edit journal",
        """
        CREATE TABLE design (
            id TEXT PRIMARY KEY,
            name TEXT NOT NULL,
            version INTEGER NOT NULL,
            cursor INTEGER NOT NULL,
            changed_at TEXT NOT NULL
        ) STRICT;
        CREATE TABLE journal (
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            seq INTEGER NOT NULL,
            edit TEXT NOT NULL,
            inverse TEXT NOT NULL,
            label TEXT NOT NULL,
            at TEXT NOT NULL,
            PRIMARY KEY (design, seq)
        ) STRICT;
        CREATE TABLE snapshot (
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            seq INTEGER NOT NULL,
            content TEXT NOT NULL,
            PRIMARY KEY (design, seq)
        ) STRICT;
        """,
    ),
    (
        "releases that were taken",
        """
        CREATE TABLE release_taken (
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            version INTEGER NOT NULL,
            digest TEXT NOT NULL,
            at TEXT NOT NULL,
            PRIMARY KEY (design, digest)
        ) STRICT;
        """,
    ),
    (
        "own blocks, the drawer with its reservations, and what suppliers answered",
        """
        CREATE TABLE block (
            name TEXT PRIMARY KEY,
            content TEXT NOT NULL,
            at TEXT NOT NULL
        ) STRICT;
        CREATE TABLE drawer (
            number TEXT PRIMARY KEY,
            quantity INTEGER NOT NULL CHECK (quantity >= 0)
        ) STRICT;
        CREATE TABLE reservation (
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            number TEXT NOT NULL REFERENCES drawer(number) ON DELETE CASCADE,
            quantity INTEGER NOT NULL CHECK (quantity > 0),
            PRIMARY KEY (design, number)
        ) STRICT;
        CREATE TABLE offer (
            number TEXT PRIMARY KEY,
            content TEXT,
            at TEXT NOT NULL
        ) STRICT;
        """,
    ),
    (
        "figures of a board as they were last accepted",
        """
        CREATE TABLE accepted (
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            figure TEXT NOT NULL,
            value REAL NOT NULL,
            PRIMARY KEY (design, figure)
        ) STRICT;
        """,
    ),
    (
        "a bin for designs that were deleted",
        """
        ALTER TABLE design ADD COLUMN binned_at TEXT;
        """,
    ),
    (
        "own parts",
        """
        CREATE TABLE own_part (
            number TEXT PRIMARY KEY,
            content TEXT NOT NULL,
            changed_at TEXT NOT NULL
        ) STRICT;
        """,
    ),
    (
        "the bench: etchings of designs, baths, bits, printers",
        """
        CREATE TABLE etching (
            id INTEGER PRIMARY KEY,
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            content TEXT NOT NULL
        ) STRICT;
        CREATE INDEX etching_design ON etching(design);
        CREATE TABLE bath (
            id TEXT PRIMARY KEY,
            content TEXT NOT NULL
        ) STRICT;
        CREATE TABLE bit (
            size_um INTEGER PRIMARY KEY CHECK (size_um > 0),
            broken INTEGER NOT NULL CHECK (broken IN (0, 1))
        ) STRICT;
        CREATE TABLE printer (
            name TEXT PRIMARY KEY,
            content TEXT NOT NULL
        ) STRICT;
        """,
    ),
    (
        "what board houses were asked and answered, and orders of boards",
        """
        CREATE TABLE asked (
            design TEXT PRIMARY KEY REFERENCES design(id) ON DELETE CASCADE,
            content TEXT NOT NULL,
            at TEXT NOT NULL
        ) STRICT;
        CREATE TABLE board_order (
            id INTEGER PRIMARY KEY,
            design TEXT NOT NULL REFERENCES design(id) ON DELETE CASCADE,
            content TEXT NOT NULL
        ) STRICT;
        CREATE INDEX board_order_design ON board_order(design);
        """,
    ),
    (
        "how houses that fit parts count turns",
        """
        CREATE TABLE assembly_house (
            name TEXT PRIMARY KEY,
            content TEXT NOT NULL
        ) STRICT;
        """,
    ),
    (
        "what board houses said of themselves, and when",
        """
        CREATE TABLE described_house (
            id TEXT PRIMARY KEY,
            content TEXT NOT NULL
        ) STRICT;
        """,
    ),
)


class WrongSchema(VaneStepError):
    """The database was made by another program version, or a migration was edited after it ran."""

    code = "wrong-schema"


def checksum(sql: str) -> str:
    """Give a digest of a migration, by which an edited one is noticed."""
    return hashlib.sha256(" ".join(sql.split()).encode()).hexdigest()[:16]


def applied(db: sqlite3.Connection) -> list[tuple[str, str]]:
    """List name and checksum of the migrations a database has seen; reads only."""
    known = db.execute("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = 'migration'").fetchone()
    return db.execute("SELECT name, checksum FROM migration ORDER BY number").fetchall() if known else []


def migrate(db: sqlite3.Connection, upto: int | None = None) -> int:
    """Bring a database up to date, each step and its record in one transaction.

    Returns
    -------
    int
        Number of steps taken.

    Raises
    ------
    WrongSchema
        When the database is newer than the program, or a step that ran reads otherwise now.
    """
    seen = applied(db)
    for (name, mark), (known, sql) in zip(seen, MIGRATIONS, strict=False):
        if name != known or mark != checksum(sql):
            raise WrongSchema(
                f"Migration {name!r} was changed after it ran.",
                where="database",
                next_step="Use the program version that made it.",
            )
    if len(seen) > len(MIGRATIONS):
        raise WrongSchema(
            "The database was made by a newer version.",
            where="database",
            value=len(seen),
            allowed=f"up to {len(MIGRATIONS)}",
        )
    taken = 0
    for number, (name, sql) in enumerate(MIGRATIONS[: len(MIGRATIONS) if upto is None else upto]):
        if number < len(seen):
            continue
        script = (
            "BEGIN IMMEDIATE;\nCREATE TABLE IF NOT EXISTS migration (number INTEGER PRIMARY KEY, name TEXT NOT NULL, "
            f"checksum TEXT NOT NULL) STRICT;\n{sql}\n"
            f"INSERT INTO migration VALUES ({number}, '{name}', '{checksum(sql)}');\nCOMMIT;"
        )
        try:
            db.executescript(script)
        except sqlite3.Error:
            if db.in_transaction:
                db.execute("ROLLBACK")
            raise
        taken += 1
    return taken
