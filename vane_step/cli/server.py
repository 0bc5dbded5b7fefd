"""Commands of the terminal that start the program, and that save what a damaged database still holds."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from vane_step.cli.files import console, write


def serve(
    host: Annotated[
        str, typer.Option(help="Address; others than loopback need an access key.")
    ] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="Port.")] = 8760,
    data: Annotated[Path | None, typer.Option(help="Folder of the database.")] = None,
    demo: Annotated[bool, typer.Option(help="Put the demo designs on the shelf.")] = False,
    verbose: Annotated[bool, typer.Option(help="Write the log to the terminal as well.")] = False,
) -> None:
    """Start the program on this machine."""
    from vane_step.web.serve import run

    run(host, port, data, demo, verbose)


def demo_(
    port: Annotated[int, typer.Option(help="Port.")] = 8760,
    data: Annotated[Path | None, typer.Option(help="Folder of the database.")] = None,
    verbose: Annotated[bool, typer.Option(help="Write the log to the terminal as well.")] = False,
) -> None:
    """Start the program with the demo designs on the shelf."""
    from vane_step.web.serve import run

    run("127.0.0.1", port, data, True, verbose)


def rescue(
    folder: Annotated[Path, typer.Argument(help="Folder of the database.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder to write what can be read to.")],
) -> None:
    """Write the last version of every design that can be read from a damaged database, and the raw text of the rest."""
    from vane_step.store.rescue import rescued

    output.mkdir(parents=True, exist_ok=True)
    for one in rescued(folder / "designs.sqlite3"):
        write(output / one.file, one.content)
        console.print(f"{one.file}: {one.says}", markup=False, soft_wrap=True)


COMMANDS: tuple[Callable[..., None], ...] = (serve, rescue)
