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
from vane_step.core.errors import DamagedDesign, EditRefused, NotFound, StaleEdit, StoreFailed
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
                (caught.exception.value, caught.exception.allowed),
                (f"version {version}", f"version {version + 1}"),
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
        store = DesignStore(
            self.path.with_name("other.sqlite3"), clock=lambda: datetime(2030, 1, 2, tzinfo=UTC)
        )
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


class SeveralPrograms(Stored):
    """Two programs on one database: both stay right."""

    def test_edits_of_two_in_turns(self) -> None:
        """Each sees what the other did; an edit on an older version is refused, an undo takes back the last of all."""
        other = self.open()
        self.assertEqual(other.get("b").version, 1)
        self.store.edit("b", SetValue(ref="R1", value="1k"), "one", 1)
        with self.assertRaises(StaleEdit):
            other.edit("b", SetValue(ref="R1", value="2k"), "two", 1)
        other.edit("b", SetValue(ref="R1", value="2k"), "two", 2)
        stamp = self.store.shared.stamp
        other.shared.keep_block("Own", "{}")
        self.assertNotEqual(self.store.shared.stamp, stamp)
        self.assertEqual((self.value(self.store), self.store.get("b").version), ("2k", 3))
        self.store.undo("b", 3)
        self.assertEqual(self.value(other), "1k")
        self.assertEqual(self.value(self.open()), "1k")

    def test_at_once(self) -> None:
        """Two hundred edits from four stores in four threads: every answered one is there, none twice."""
        stores = [self.open() for _ in range(4)]

        def work(k: int) -> None:
            for n in range(50):
                while True:
                    try:
                        version = stores[k].get("b").version
                        stores[k].edit("b", SetValue(ref="R1", value=f"{k}-{n}"), f"{k}-{n}", version)
                        break
                    except StaleEdit:
                        continue

        threads = [threading.Thread(target=work, args=(k,)) for k in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        db = sqlite3.connect(self.path)
        labels = [row[0] for row in db.execute("SELECT label FROM journal ORDER BY seq")]
        db.close()
        self.assertEqual(sorted(labels), sorted(f"{k}-{n}" for k in range(4) for n in range(50)))
        self.assertEqual(self.value(self.open()), labels[-1])


class Damage(Stored):
    """One damaged design does not hide the others, and what can be read of it can be had."""

    def damaged(self, sql: str, *values: object) -> DesignStore:
        """Change the database behind the store's back and open it anew."""
        self.store.add("sound", demo(BEEPER))
        for k in range(SNAPSHOT_EVERY + 3):
            self.store.edit("b", SetValue(ref="R1", value=f"{k}k"), f"v{k}")
        db = sqlite3.connect(self.path, isolation_level=None)
        db.execute(sql, values)
        db.close()
        return self.open()

    def test_each_kind(self) -> None:
        """A broken snapshot, an edit that no longer fits, text that is no JSON, a missing beginning: the last good version is named."""
        cases = (
            (
                "UPDATE snapshot SET content = substr(content, 1, 900) WHERE design = 'b' AND seq = 50",
                SNAPSHOT_EVERY + 3,
            ),
            ("UPDATE snapshot SET content = 'x' WHERE design = 'b' AND seq = 50", SNAPSHOT_EVERY + 3),
            (
                'UPDATE journal SET edit = \'{"kind": "set-value", "ref": "R99", "value": "1"}\' WHERE design = \'b\' AND seq = 52',
                51,
            ),
            ("UPDATE journal SET edit = 'no json' WHERE design = 'b' AND seq = 51", 50),
            (
                "UPDATE snapshot SET content = replace(content, '\"y_nm\": ', '\"y_nm\": 9999999999') WHERE design = 'b'",
                None,
            ),
            ("DELETE FROM snapshot WHERE design = 'b'", None),
        )
        for sql, reached in cases:
            with self.subTest(sql):
                store = self.damaged(sql)
                self.assertEqual([row[0] for row in store.shelf()], ["b", "sound"])
                self.assertEqual(self.value_of(store, "sound"), demo(BEEPER).parts["R1"].value)
                with self.assertRaises(DamagedDesign) as caught:
                    store.get("b")
                self.assertIn("b", caught.exception.where)
                if reached is None:
                    self.assertRaises(DamagedDesign, store.last_good, "b")
                else:
                    design, seq, last = store.last_good("b")
                    self.assertEqual((seq, last), (reached, SNAPSHOT_EVERY + 3))
                    self.assertEqual(design.parts["R1"].value, f"{reached - 1}k")
                    self.assertEqual(len(store.raw("b")["journal"]), SNAPSHOT_EVERY + 3)
            self.doCleanups()
            self.setUp()

    def value_of(self, store: DesignStore, id: str) -> str:
        """Give the value that the tests change, of a design."""
        return store.get(id).design.parts["R1"].value

    def test_databases_that_cannot_be_opened(self) -> None:
        """Text, half a file, flipped bits, a folder, a folder that is a file: an error in words, never a traceback."""
        self.store.close()
        whole = self.path.read_bytes()
        for name, content in (
            ("text", b"hello " * 400),
            ("half", whole[: len(whole) // 2]),
            ("flipped", whole[:5000] + b"\xff" * 3000 + whole[8000:]),
        ):
            path = self.path.with_name(f"{name}.sqlite3")
            path.write_bytes(content)
            with self.subTest(name), self.assertRaises(StoreFailed) as caught:
                DesignStore(path)
            self.assertIn(str(path), caught.exception.line())
        folder = self.path.with_name("folder.sqlite3")
        folder.mkdir()
        for path in (folder, self.path.with_name("nowhere") / "x.sqlite3", self.path / "x.sqlite3"):
            with self.subTest(path), self.assertRaises(StoreFailed):
                DesignStore(path)
        self.store = self.open()

    def test_full_disk_and_foreign_lock(self) -> None:
        """What cannot be written is said in words, and nothing is changed."""
        self.store._db.execute(
            f"PRAGMA max_page_count = {self.store._db.execute('PRAGMA page_count').fetchone()[0]}"
        )
        with self.assertRaises(StoreFailed) as caught:
            for k in range(2000):
                self.store.edit("b", SetValue(ref="R1", value=f"{k}k" * 40), "v")
        self.assertIn("full", caught.exception.message)
        before = self.value(self.store)
        again = self.open()
        self.assertEqual(self.value(again), before)
        again._db.execute("PRAGMA busy_timeout = 50")
        foreign = sqlite3.connect(self.path, isolation_level=None)
        foreign.execute("BEGIN IMMEDIATE")
        with self.assertRaises(StoreFailed) as caught:
            again.edit("b", SetValue(ref="R1", value="9k"), "v")
        self.assertIn("Another program", caught.exception.message)
        foreign.close()
        again.edit("b", SetValue(ref="R1", value="9k"), "v")

    def test_the_bin(self) -> None:
        """What is put in the bin is off the shelf, comes back as it was, and goes for good only from there."""
        self.store.edit("b", SetValue(ref="R1", value="9k"), "v")
        self.assertRaises(EditRefused, self.store.delete, "b")
        self.store.put_in_bin("b")
        self.assertEqual(
            ([r[0] for r in self.store.shelf()], [r[0] for r in self.store.shelf(binned=True)]), ([], ["b"])
        )
        self.assertRaises(EditRefused, self.store.add, "b", demo(BEEPER))
        self.store.take_out_of_bin("b")
        self.assertEqual((self.value(self.open()), self.store.get("b").undo), ("9k", "v"))
        self.store.put_in_bin("b")
        self.store.delete("b")
        self.assertRaises(NotFound, self.store.get, "b")
        self.assertEqual(self.store.ids(), set())
        self.assertRaises(NotFound, self.store.put_in_bin, "b")


class Migrations(unittest.TestCase):
    """Forward from every earlier version, and never silently."""

    def test_from_every_version(self) -> None:
        """A database of each earlier version, with a design in it, is brought to the newest and keeps its content."""
        for old in range(1, len(MIGRATIONS) + 1):
            with self.subTest(old), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "x.sqlite3"
                db = sqlite3.connect(path, isolation_level=None)
                self.assertEqual(migrate(db, upto=old), old)
                db.execute(
                    "INSERT INTO design (id, name, version, cursor, changed_at) "
                    "VALUES ('b', 'Beeper', 2, 1, '2026-01-01T00:00:00Z')"
                )
                db.execute("INSERT INTO snapshot VALUES ('b', 0, ?)", (to_json(demo(BEEPER)),))
                edit = json.dumps({"kind": "set-value", "ref": "R1", "value": "22k"})
                db.execute(
                    "INSERT INTO journal VALUES ('b', 1, ?, '{}', 'v', '2026-01-01T00:00:00Z')", (edit,)
                )
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
