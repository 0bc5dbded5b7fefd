"""Files of boards somebody looks at, kept on disk by their content until newer ones take their place."""

from __future__ import annotations

import hashlib
import json
import re
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Final

from vane_step.core.errors import InputError, NotFound

MOST_SETS: Final = 30
MOST_BYTES: Final = 50_000_000
_SAID, _NAMES = "said.json", "names.json"


class Inspected:
    """Sets of files in a folder, each under a key made of its content."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def put(self, files: Mapping[str, bytes], title: str = "") -> str:
        """Keep files and give their key; the set nobody looked at longest goes where there are too many.

        Raises
        ------
        InputError
            When they are too large, or none.
        """
        size = sum(map(len, files.values()))
        if not files or not size or size > MOST_BYTES:
            raise InputError(
                "There is nothing in these files." if not size else "These files are too large.",
                where="files",
                value=f"{size / 1e6:.1f} MB",
                allowed=f"up to {MOST_BYTES / 1e6:g} MB",
                next_step="Choose the zip a board manufacturer would get.",
            )
        mark = hashlib.sha256()
        for name in sorted(files):
            mark.update(name.encode() + b"\0" + files[name])
        key = mark.hexdigest()[:16]
        place = self.folder / key
        if not place.exists():
            place.mkdir(parents=True)
            names = {f"f{k}": name for k, name in enumerate(sorted(files))}
            for short, name in names.items():
                (place / short).write_bytes(files[name])
            kept = {"title": title or next(iter(sorted(files))), "files": names}
            (place / _NAMES).write_text(json.dumps(kept))
        place.touch()
        for old in self._by_use()[MOST_SETS:]:
            shutil.rmtree(old, ignore_errors=True)
        return key

    def get(self, key: str) -> tuple[dict[str, bytes], dict[str, str], str]:
        """Give the files of a key, what a person said some of them are, and what they are called.

        Raises
        ------
        NotFound
            When there is no such set, any more.
        """
        place = self._place(key)
        kept = json.loads((place / _NAMES).read_text())
        said = place / _SAID
        place.touch()
        files = {name: (place / short).read_bytes() for short, name in kept["files"].items()}
        return files, json.loads(said.read_text()) if said.exists() else {}, kept["title"]

    def say(self, key: str, name: str, role: str) -> None:
        """Keep what a person says a file is; an empty word takes it back."""
        place = self._place(key)
        said = json.loads((place / _SAID).read_text()) if (place / _SAID).exists() else {}
        said = {**{k: v for k, v in said.items() if k != name}, **({name: role} if role else {})}
        (place / _SAID).write_text(json.dumps(said))

    def recent(self) -> list[tuple[str, str]]:
        """Give keys and titles, what was looked at last first."""
        found = []
        for place in self._by_use():
            if (place / _NAMES).exists():
                found.append((place.name, json.loads((place / _NAMES).read_text())["title"]))
        return found

    def _by_use(self) -> list[Path]:
        if not self.folder.exists():
            return []
        return sorted(self.folder.iterdir(), key=lambda p: (-p.stat().st_mtime, p.name))

    def _place(self, key: str) -> Path:
        place = self.folder / key
        if not re.fullmatch(r"[0-9a-f]{16}", key) or not (place / _NAMES).exists():
            raise NotFound(
                "These files are not kept any more.",
                where=key[:20],
                next_step="Choose them again at Inspect files.",
            )
        return place
