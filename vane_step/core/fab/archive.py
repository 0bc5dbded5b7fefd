"""Takes zip archives apart within limits; what is in their files is no affair of it."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from typing import Final

from vane_step.core.errors import InputError

MAX_BYTES: Final = 50_000_000
MAX_FILES: Final = 60


def unpacked(files: Mapping[str, bytes]) -> dict[str, bytes]:
    """Give files as they are and those within archives, by name.

    Raises
    ------
    InputError
        When an archive is none, or too large.
    """
    found: dict[str, bytes] = {}
    for name, data in files.items():
        if not name.lower().endswith(".zip"):
            found[name] = data
            continue
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                for info in archive.infolist():
                    if info.file_size > MAX_BYTES or len(found) >= MAX_FILES:
                        raise InputError(
                            "The archive is too large.", where=name, allowed=f"{MAX_FILES} files"
                        )
                    if not info.is_dir():
                        found[info.filename] = archive.read(info)
        except zipfile.BadZipFile as error:
            raise InputError(
                "That is no zip archive.", where=name, next_step="Pack the files anew."
            ) from error
    return found
