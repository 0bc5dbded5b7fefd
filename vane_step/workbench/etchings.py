"""Etchings of designs on the shelf, as they go: begun, ticked off, in the bath, out of it, faults and their repair."""

from __future__ import annotations

from pydantic import ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.errors import InputError, NotFound
from vane_step.core.etch.bath import to_remove_g
from vane_step.core.etch.methods import method_of
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.run import (
    Defect,
    EtchRun,
    eaten_g,
    in_bath,
    mended,
    out_of_bath,
    ticked,
    with_defect,
)
from vane_step.core.etch.steps import work_steps
from vane_step.core.quantity import parse_length_nm, parse_value
from vane_step.store.bench import Bench
from vane_step.store.designs import DesignStore
from vane_step.workbench.things import bath_of


def runs_of(bench: Bench, design: str | None = None) -> dict[int, EtchRun]:
    """Give the etchings of a design, or of all, by number."""
    return {n: EtchRun.model_validate_json(text) for n, text in bench.records("etching", design).items()}


def run_of(bench: Bench, design: str, number: int) -> EtchRun:
    """Give an etching of a design, or raise :class:`NotFound` with those there are."""
    mine = runs_of(bench, design)
    if number not in mine:
        raise NotFound(
            f"There is no etching {number} of this design.",
            where="etching",
            value=number,
            allowed=", ".join(map(str, mine)) or "none yet",
        )
    return mine[number]


def _keep(store: DesignStore, design: str, number: int, run: EtchRun) -> EtchRun:
    store.bench.change("etching", design, number, run.model_dump_json())
    return run


def begin(store: DesignStore, design: str, method: str = "", copies: int = 1) -> int:
    """Begin an etching of a design, by the brief's method where none is said; gives its number."""
    kept = store.get(design)
    chosen = method_of(method or kept.design.brief.method or "toner")
    run = EtchRun(
        begun_at=store.shared.now(),
        version=kept.version,
        method=chosen.name,
        copies=copies,
        copper_um=kept.design.board.rules.copper_um,
        removed_g=round(to_remove_g(kept.design, art_plan({"method": chosen.name}), copies), 4),
    )
    return store.bench.begin("etching", design, run.model_dump_json())


def tick(store: DesignStore, design: str, number: int, step: str) -> EtchRun:
    """Tick a step off, or take the tick back."""
    run = run_of(store.bench, design, number)
    known = [s.key for s in work_steps(method_of(run.method), store.get(design).design)]
    return _keep(store, design, number, ticked(run, step, store.shared.now(), known))


def start(
    store: DesignStore, design: str, number: int, bath: str = "", temperature: str = "", moved: bool = False
) -> EtchRun:
    """Put a board into a bath of the bench, at a temperature as typed; the clock runs from now.

    Raises
    ------
    NotFound, InputError, EditRefused
        When there is no such etching or bath, no such temperature, or the board cannot go in.
    """
    run = run_of(store.bench, design, number)
    chosen = bath_of(store.bench, bath) if bath else None
    warm = parse_value(temperature, "temperature", "°C") if temperature.strip() else None
    if warm is not None and not 0 <= warm <= 80:
        raise InputError(
            f"A bath of {warm:g} °C is none.", where="temperature", value=temperature, allowed="0 to 80 °C"
        )
    eaten = eaten_g(bath, runs_of(store.bench).values())
    return _keep(store, design, number, in_bath(run, chosen, eaten, warm, moved, store.shared.now()))


def stop(store: DesignStore, design: str, number: int, seen: str = "", note: str = "") -> EtchRun:
    """Take a board out of the bath with what is seen."""
    run = run_of(store.bench, design, number)
    return _keep(store, design, number, out_of_bath(run, seen, note, store.shared.now()))


def fault(
    store: DesignStore, design: str, number: int, side: str, x: str, y: str, kind: str, note: str = ""
) -> EtchRun:
    """Write a fault down, its place as typed: before the bath as long as the board is in none, after it then."""
    run = run_of(store.bench, design, number)
    said = {
        "side": side,
        "x_mm": parse_length_nm(x, "x") / 1e6,
        "y_mm": parse_length_nm(y, "y") / 1e6,
        "kind": kind,
        "when": "before" if run.started_at is None else "after",
        "note": note,
    }
    try:
        made = with_defect(run, Defect.model_validate(said))
    except ValidationError as error:
        raise input_error(error, "fault") from error
    return _keep(store, design, number, made)


def mend(store: DesignStore, design: str, number: int, which: int) -> EtchRun:
    """Say that a fault is mended, or is not after all."""
    return _keep(store, design, number, mended(run_of(store.bench, design, number), which))
