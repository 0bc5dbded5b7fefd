"""Files and the console of the terminal, for every command; no command itself."""

from __future__ import annotations

import os
from pathlib import Path

from rich.console import Console

from vane_step.core.design.fileformat import from_json
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError

console = Console(stderr=True, highlight=False)


def read_bytes(path: Path) -> bytes:
    """Read a file, or raise :class:`InputError` naming it."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"It cannot be read: {error.strerror}.", where=str(path)) from error


def read_text(path: Path) -> str:
    """Read a UTF-8 text file, or raise :class:`InputError` naming file and place."""
    try:
        return read_bytes(path).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(f"It is not UTF-8 text (byte {error.start}).", where=str(path)) from error


def load(path: Path) -> Design:
    """Read a design file."""
    return from_json(read_text(path), str(path))


def write(path: Path, content: str | bytes) -> None:
    """Write a file whole or not at all."""
    data = content.encode() if isinstance(content, str) else content
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(data)
        os.replace(part, path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise InputError(f"It cannot be written: {error.strerror}.", where=str(path)) from error
