"""The store: nothing that was answered is lost, nothing is overwritten silently, and old databases are brought along."""

from __future__ import annotations

import json
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
from datetime import UTC, datetime
from pathlib import Path

from tests.support import BEEPER, ROOT, demo
from vane_step.core.design.edits import SetValue
from vane_step.core.design.fileformat import to_json
from vane_step.core.errors import EditRefused, NotFound, StaleEdit
from vane_step.store.designs import SNAPSHOT_EVERY, DesignStore
from vane_step.store.migrations import MIGRATIONS, WrongSchema, applied, migrate


class Stored(unittest.TestCase):
    """A store in a folder of its own."""

    def setUp(self) -> None:
        """Open a store with the beeper in it."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "designs.sqlite3"
        self.store = self.open()
        self.store.add("b", demo(BEEPER))

    def open(self) -> DesignStore:
        """Open the database once more, as a program started afresh."""
        store = DesignStore(self.path)
        self.addCleanup(store.close)
        return store

    def value(self, store: DesignStore) -> str:
        """Give the value that the tests change."""
        return store.get("b").design.parts["R1"].value


class Journal(Stored):
    """Edits, undo and redo."""

    def test_undo_and_redo_across_restarts(self) -> None:
        """Ten edits are undone in one run and redone in another, through a snapshot."""
        values = [f"{k}k" for k in range(SNAPSHOT_EVERY + 7)]
        for v in values:
            self.store.edit("b", SetValue(ref="R1", value=v), f"value R1 {v}")
        for v in reversed(values[-11:-1]):
            self.store.undo("b")
            self.assertEqual(self.value(self.store), v)
        again = self.open()
        self.assertEqual((self.value(again), again.get("b").redo), (values[-11], f"value R1 {values[-10]}"))
        for v in values[-10:]:
            again.redo("b")
            self.assertEqual(self.value(again), v)
        with self.assertRaises(EditRefused):
            again.redo("b")
        self.assertEqual(to_json(self.open().get("b").design), to_json(again.get("b").design))

    def test_back_to_the_beginning(self) -> None:
        """Undone to the first, the design is byte for byte what was put in; there is nothing before it."""
        for k in range(3):
            self.store.edit("b", SetValue(ref="R1", value=str(k)), "v")
        for _ in range(3):
            self.store.undo("b")
        self.assertEqual(to_json(self.open().get("b").design), to_json(demo(BEEPER)))
        with self.assertRaises(EditRefused):
            self.store.undo("b")

    def test_an_edit_after_undo_forgets_the_undone(self) -> None:
        """What was undone is gone once something else is done, also beyond a snapshot."""
        for k in range(SNAPSHOT_EVERY + 1):
            self.store.edit("b", SetValue(ref="R1", value=str(k)), "v")
        for _ in range(5):
            self.store.undo("b")
        self.store.edit("b", SetValue(ref="R1", value="new"), "n")
        self.assertEqual((self.value(self.open()), self.open().get("b").redo), ("new", None))

    def test_late_edits_are_refused(self) -> None:
        """An edit made on an older version is refused with both versions, and changes nothing; so are late undo and redo."""
        version = self.store.get("b").version
        self.store.edit("b", SetValue(ref="R1", value="1k"), "v", version)
        for late in (
            lambda: self.store.edit("b", SetValue(ref="R1", value="2k"), "v", version),
            lambda: self.store.undo("b", version),
            lambda: self.store.redo("b", version),
        ):
            with self.assertRaises(StaleEdit) as caught:
                late()
            self.assertEqual(
                (caught.exception.value, caught.exception.allowed), (f"version {version}", f"version {version + 1}")
            )
        self.assertEqual(self.value(self.open()), "1k")

    def test_two_at_once(self) -> None:
        """Of many edits on one version from several threads exactly one is taken."""
        version, taken, refused = self.store.get("b").version, [], []

        def work(k: int) -> None:
            try:
                self.store.edit("b", SetValue(ref="R1", value=f"{k}k"), "v", version)
                taken.append(k)
            except StaleEdit:
                refused.append(k)

        threads = [threading.Thread(target=work, args=(k,)) for k in range(8)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual((len(taken), len(refused)), (1, 7))
        self.assertEqual(self.value(self.open()), f"{taken[0]}k")

    def test_refused_edits_leave_no_trace(self) -> None:
        """An edit that does not fit is not in the journal; an unknown design is told; a taken id is refused."""
        with self.assertRaises(NotFound):
            self.store.edit("b", SetValue(ref="R99", value="1"), "v")
        self.assertEqual(self.open().get("b").undo, None)
        with self.assertRaises(NotFound):
            self.store.get("nobody")
        with self.assertRaises(EditRefused):
            self.store.add("b", demo(BEEPER))

    def test_dates_come_from_the_clock(self) -> None:
        """The store takes its time from the clock it was given."""
        store = DesignStore(self.path.with_name("other.sqlite3"), clock=lambda: datetime(2030, 1, 2, tzinfo=UTC))
        self.addCleanup(store.close)
        self.assertEqual(store.add("b", demo(BEEPER)).changed_at, "2030-01-02T00:00:00Z")


class Killed(Stored):
    """The process is killed in the middle of edits."""

    def test_nothing_answered_is_lost(self) -> None:
        """Every edit whose answer was seen before a kill -9 is there afterwards, and the file is sound."""
        script = (
            "import sys; from vane_step.store.designs import DesignStore; from vane_step.core.design.edits import SetValue\n"
            "s = DesignStore(sys.argv[1]); k = s.get('b').version\n"
            "while True:\n    k += 1; s.edit('b', SetValue(ref='R1', value=str(k)), 'v'); print(k, flush=True)\n"
        )
        for _ in range(3):
            child = subprocess.Popen(
                [sys.executable, "-c", script, str(self.path)], stdout=subprocess.PIPE, text=True, cwd=ROOT
            )
            assert child.stdout is not None
            seen = [int(child.stdout.readline()) for _ in range(25)]
            child.send_signal(signal.SIGKILL)
            seen += [int(x) for x in child.stdout.read().split("\n")[:-1]]
            child.wait()
            child.stdout.close()
            again = self.open()
            self.assertGreaterEqual(int(self.value(again)), seen[-1])
            self.assertLessEqual(int(self.value(again)), seen[-1] + 1)
            db = sqlite3.connect(self.path)
            self.assertEqual(db.execute("PRAGMA integrity_check").fetchone(), ("ok",))
            db.close()


class Migrations(unittest.TestCase):
    """Forward from every earlier version, and never silently."""

    def test_from_every_version(self) -> None:
        """A database of each earlier version, with a design in it, is brought to the newest and keeps its content."""
        for old in range(1, len(MIGRATIONS) + 1):
            with self.subTest(old), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "x.sqlite3"
                db = sqlite3.connect(path, isolation_level=None)
                self.assertEqual(migrate(db, upto=old), old)
                db.execute("INSERT INTO design VALUES ('b', 'Beeper', 2, 1, '2026-01-01T00:00:00Z')")
                db.execute("INSERT INTO snapshot VALUES ('b', 0, ?)", (to_json(demo(BEEPER)),))
                edit = json.dumps({"kind": "set-value", "ref": "R1", "value": "22k"})
                db.execute("INSERT INTO journal VALUES ('b', 1, ?, '{}', 'v', '2026-01-01T00:00:00Z')", (edit,))
                db.close()
                store = DesignStore(path)
                self.assertEqual(store.get("b").design.parts["R1"].value, "22k")
                self.assertEqual((store.releases("b"), store.accepted("b")), ([], {}))
                store.accept("b", {"vias": 3, "track length": 2.5})
                store.accept("b", {"vias": 4})
                self.assertEqual(store.accepted("b"), {"vias": 4.0})
                store.close()
                db = sqlite3.connect(path)
                self.assertEqual([n for n, _ in applied(db)], [n for n, _ in MIGRATIONS])
                db.close()

    def test_edited_and_newer_are_refused(self) -> None:
        """A step that reads otherwise than when it ran, and a database of a newer program, are not touched."""
        for change in (
            "UPDATE migration SET checksum = 'other' WHERE number = 0",
            "INSERT INTO migration VALUES (99, 'later', 'x')",
        ):
            db = sqlite3.connect(":memory:", isolation_level=None)
            migrate(db)
            db.execute(change)
            before = applied(db)
            with self.subTest(change), self.assertRaises(WrongSchema):
                migrate(db)
            self.assertEqual(applied(db), before)
            db.close()

    def test_looking_changes_nothing(self) -> None:
        """Asking an empty file what it has seen leaves it empty; migrating twice does nothing the second time."""
        db = sqlite3.connect(":memory:", isolation_level=None)
        self.assertEqual(applied(db), [])
        self.assertEqual(db.execute("SELECT count(*) FROM sqlite_master").fetchone(), (0,))
        self.assertEqual((migrate(db), migrate(db)), (len(MIGRATIONS), 0))
        db.close()
