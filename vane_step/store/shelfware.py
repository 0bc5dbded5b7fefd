"""What belongs to no single design: own blocks and parts, stock at hand with its reservations, answers of suppliers."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from datetime import datetime

from vane_step.core.errors import EditRefused, NotFound
from vane_step.store.atomic import atomic, spoken

_STAMP = "%Y-%m-%dT%H:%M:%S.%fZ"


@dataclass(frozen=True)
class AtHand:
    """A part at hand: how many there are, and which design has reserved how many of them."""

    number: str
    quantity: int
    reserved: dict[str, int]

    @property
    def free(self) -> int:
        """How many nobody has reserved."""
        return self.quantity - sum(self.reserved.values())


class Shelfware:
    """Keeps what several designs share, in the same database as the designs. Safe to use from several threads.

    What was worked out from the content can be kept as long as ``stamp`` stays.
    """

    def __init__(
        self, db: sqlite3.Connection, lock: AbstractContextManager[object], clock: Callable[[], datetime]
    ) -> None:
        self._db, self._lock, self._clock = db, lock, clock
        self._changes = 0

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        with atomic(self._db, self._lock) as db:
            yield db
        self._changes += 1

    @property
    def stamp(self) -> tuple[int, int]:
        """What changes with every change, also by another program on the same database."""
        with self._lock, spoken():
            return self._changes, int(self._db.execute("PRAGMA data_version").fetchone()[0])

    def now(self) -> datetime:
        """Give the time of the store's clock."""
        return self._clock()

    # -- blocks --

    def keep_block(self, name: str, content: str) -> None:
        """Keep a block under its name; one of the same name is replaced."""
        with self._change() as db:
            stamp = self._clock().strftime(_STAMP)
            db.execute("INSERT OR REPLACE INTO block VALUES (?, ?, ?)", (name, content, stamp))

    def blocks(self) -> dict[str, str]:
        """Give the content of all own blocks by name."""
        with self._lock:
            return dict(self._db.execute("SELECT name, content FROM block ORDER BY name").fetchall())

    def forget_block(self, name: str) -> None:
        """Remove an own block.

        Raises
        ------
        NotFound
            When there is none of that name.
        """
        with self._change() as db:
            if not db.execute("DELETE FROM block WHERE name = ?", (name,)).rowcount:
                raise NotFound(
                    f"There is no block {name} of your own.", where=name, next_step="Look at the library."
                )

    # -- parts of one's own --

    def keep_part(self, number: str, content: str) -> None:
        """Keep a part under its number; one of the same number is replaced."""
        with self._change() as db:
            stamp = self._clock().strftime(_STAMP)
            db.execute("INSERT OR REPLACE INTO own_part VALUES (?, ?, ?)", (number, content, stamp))

    def parts(self) -> dict[str, str]:
        """Give the content of all own parts by number."""
        with self._lock:
            return dict(self._db.execute("SELECT number, content FROM own_part ORDER BY number").fetchall())

    def forget_part(self, number: str) -> None:
        """Remove an own part; designs keep what they took of it.

        Raises
        ------
        NotFound
            When there is none of that number.
        """
        with self._change() as db:
            if not db.execute("DELETE FROM own_part WHERE number = ?", (number,)).rowcount:
                raise NotFound(
                    f"There is no part {number} of your own.",
                    where=number,
                    next_step="Look at the catalogue.",
                )

    # -- stock at hand --

    def stock(self) -> list[AtHand]:
        """List what is at hand, by number."""
        with self._lock:
            rows = self._db.execute("SELECT number, quantity FROM drawer ORDER BY number").fetchall()
            held = self._db.execute(
                "SELECT number, design, quantity FROM reservation ORDER BY design"
            ).fetchall()
        by: dict[str, dict[str, int]] = {}
        for number, design, quantity in held:
            by.setdefault(number, {})[design] = quantity
        return [AtHand(number, quantity, by.get(number, {})) for number, quantity in rows]

    def set_stock(self, number: str, quantity: int) -> None:
        """Say how many of a part are at hand; none takes it out.

        Raises
        ------
        EditRefused
            When designs have reserved more than that.
        """
        with self._change() as db:
            held = db.execute(
                "SELECT coalesce(sum(quantity), 0) FROM reservation WHERE number = ?", (number,)
            ).fetchone()[0]
            if quantity < held:
                raise EditRefused(
                    f"{held} of {number} are reserved.",
                    where=number,
                    value=quantity,
                    allowed=f"{held} or more",
                    next_step="Let a design's reservation go first.",
                )
            if quantity:
                db.execute(
                    "INSERT INTO drawer VALUES (?, ?) ON CONFLICT (number) DO UPDATE SET quantity = excluded.quantity",
                    (number, quantity),
                )
            else:
                db.execute("DELETE FROM drawer WHERE number = ?", (number,))

    def reserve(self, design: str, wanted: Mapping[str, int]) -> dict[str, int]:
        """Reserve parts for a design in the stead of what it had reserved; as many as are free.

        Returns
        -------
        dict of str to int
            What was reserved, by number.
        """
        given: dict[str, int] = {}
        with self._change() as db:
            db.execute("DELETE FROM reservation WHERE design = ?", (design,))
            for number, count in wanted.items():
                row = db.execute(
                    "SELECT quantity - coalesce("
                    "(SELECT sum(quantity) FROM reservation r WHERE r.number = drawer.number), 0)"
                    " FROM drawer WHERE number = ?",
                    (number,),
                ).fetchone()
                take = min(count, row[0]) if row else 0
                if take > 0:
                    db.execute("INSERT INTO reservation VALUES (?, ?, ?)", (design, number, take))
                    given[number] = take
        return given

    def available(self, design: str) -> dict[str, int]:
        """Give what a design may count on by number: what it has reserved, and what nobody has."""
        return {d.number: d.free + d.reserved.get(design, 0) for d in self.stock()}

    # -- offers --

    def keep_offers(self, offers: Mapping[str, str | None], at: datetime) -> None:
        """Keep answers of a supplier, as JSON, or ``None`` for a part it does not have."""
        with self._change() as db:
            stamp = at.strftime(_STAMP)
            db.executemany(
                "INSERT OR REPLACE INTO offer VALUES (?, ?, ?)", [(n, c, stamp) for n, c in offers.items()]
            )

    def offers(self) -> dict[str, tuple[str | None, datetime]]:
        """Give the last answer on every part that was asked for, with its date."""
        with self._lock:
            rows = self._db.execute("SELECT number, content, at FROM offer").fetchall()
        return {
            n: (c, datetime.strptime(at, _STAMP).replace(tzinfo=self._clock().tzinfo)) for n, c, at in rows
        }
