"""Files and the console of the terminal, for every command; no command itself."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from vane_step.core.catalogue.own import OwnPart, check_own
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.data.shipped import catalogue
from vane_step.importers import decoded, design_file, own_parts

console = Console(stderr=True, highlight=False)


MAX_BYTES = 64 * 1024 * 1024


def read_bytes(path: Path) -> bytes:
    """Read a file, or raise :class:`InputError` naming it."""
    try:
        with path.open("rb") as file:
            content = file.read(MAX_BYTES + 1)
    except (OSError, ValueError) as error:
        says = getattr(error, "strerror", None) or str(error)
        raise InputError(
            f"It cannot be read: {says}.",
            where=str(path),
            next_step="Check the name and whether it may be read.",
        ) from error
    if len(content) > MAX_BYTES:
        raise InputError("The file is too large.", where=str(path), allowed=f"{MAX_BYTES >> 20} MB")
    return content


def read_text(path: Path) -> str:
    """Read a UTF-8 text file, or raise :class:`InputError` naming file and place."""
    return decoded(read_bytes(path), str(path))


def load(path: Path) -> Design:
    """Read a design file."""
    return design_file(read_bytes(path), str(path))


def write(path: Path, content: str | bytes) -> None:
    """Write a file whole or not at all."""
    data = content.encode() if isinstance(content, str) else content
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(data)
        os.replace(part, path)
    except OSError as error:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise InputError(
            f"It cannot be written: {error.strerror}.",
            where=str(path),
            next_step="Check the folder, and whether it may be written.",
        ) from error


Own = Annotated[
    Path | None, typer.Option("--own", help="Parts of your own, as downloaded from the catalogue's page.")
]


def own_texts(path: Path | None) -> tuple[str, ...]:
    """Read a file of parts of one's own, checked as a page checks them.

    Raises
    ------
    InputError
        When it cannot be read, or something of a part cannot be right.
    """
    if path is None:
        return ()
    text = read_text(path)
    for own in own_parts(text.encode(), path.name):
        if isinstance(own, OwnPart):
            check_own(own, catalogue())
    return (text,)
