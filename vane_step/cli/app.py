"""vane-step: the same core from a terminal. Exit codes: 0 clean, 1 findings of level stop, 2 unusable input."""

from __future__ import annotations

import os
import sys

import typer
from pydantic import ValidationError

from vane_step.cli import (
    bench,
    board,
    circuit,
    curves,
    etching,
    make,
    operation,
    ordering,
    parts,
    power,
    server,
)
from vane_step.core.design.fileformat import input_error
from vane_step.core.errors import VaneStepError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="From a brief to a proven microcontroller board.",
    pretty_exceptions_enable=False,
)
calc_app = typer.Typer(no_args_is_help=True, help="Calculations with their source.")
app.add_typer(calc_app, name="calc")


app.command("import")(circuit.import_)
for _command in (
    *circuit.COMMANDS,
    *parts.COMMANDS,
    *board.COMMANDS,
    *make.COMMANDS,
    *etching.COMMANDS,
    *ordering.COMMANDS,
    *server.COMMANDS,
):
    app.command()(_command)
app.command("demo")(server.demo_)
app.command("solve")(operation.solve_)
app.command("sweep")(curves.sweep_)
app.command("response")(curves.response_)
app.command("wave")(curves.wave_)
app.command("spread")(operation.spread_)
app.command("copper")(operation.copper_)
app.command("heat")(operation.heat_)
app.command("cycles")(curves.cycles_)
calc_app.command("trace")(power.calc_trace)
calc_app.command("formula")(power.formula_)
app.add_typer(circuit.block_app, name="block")
app.add_typer(bench.bench_app, name="bench")


def main() -> None:
    """Run the terminal; every error a user can act on is one line and exit code 2, or 1 where findings forbid it."""
    try:
        app()
    except VaneStepError as error:
        print(error.line(), file=sys.stderr)
        sys.exit(error.exit_code)
    except ValidationError as error:
        print(input_error(error, "input").line(), file=sys.stderr)
        sys.exit(2)
    except Exception as error:
        if os.environ.get("VANE_STEP_TRACE"):
            raise
        print(
            f"A fault of the program: {type(error).__name__}: {str(error)[:200]}. Set VANE_STEP_TRACE=1 to see where, "
            "and report it.",
            file=sys.stderr,
        )
        sys.exit(3)


if __name__ == "__main__":
    main()
