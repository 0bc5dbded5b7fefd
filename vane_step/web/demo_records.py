"""What happened to the demo designs before anybody opened them: orders and etchings, made up like the designs."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from vane_step.core.design.model import Design
from vane_step.core.etch.bath import Bath, to_remove_g
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.run import Defect, EtchRun, eaten_g
from vane_step.core.houses.options import usual_order
from vane_step.core.houses.record import BoardOrder, Check
from vane_step.store.designs import DesignStore
from vane_step.workbench.orders import board_mark


def keep_records(store: DesignStore, id: str, design: Design, said: dict[str, Any]) -> None:
    """Keep the orders, baths and etchings that ship with a demo design."""
    for one in said.get("orders", ()):
        store.bench.begin("order", id, _order(design, dict(one)).model_dump_json())
    baths = {b["id"]: Bath.model_validate(b) for b in said.get("baths", ())}
    for bath in baths.values():
        store.bench.keep("bath", bath.id, bath.model_dump_json())
    runs: list[EtchRun] = []
    for one in said.get("etchings", ()):
        runs.append(_etching(design, dict(one), baths, runs))
        store.bench.begin("etching", id, runs[-1].model_dump_json())


def _order(design: Design, one: dict[str, Any]) -> BoardOrder:
    asked = usual_order(design, one.pop("quantity")).model_copy(update={"colour": one.pop("colour")})
    checks = {k: Check(right=right, reading=reading) for k, (right, reading) in one.pop("checks").items()}
    # An earlier order was for an earlier board.
    mark = "an earlier one" if one.pop("earlier") else board_mark(design)
    return BoardOrder.model_validate({**one, "asked": asked, "checks": checks, "release": mark})


def _etching(design: Design, one: dict[str, Any], baths: dict[str, Bath], before: list[EtchRun]) -> EtchRun:
    begun, bath = datetime.fromisoformat(one.pop("begun_at")), baths[one["bath"]]
    started = begun + timedelta(minutes=40)
    stopped = started + timedelta(minutes=one.pop("minutes"))
    fields = ("side", "x_mm", "y_mm", "kind", "when", "note", "mended")
    copies = one["copies"]
    more = {
        "begun_at": begun,
        "started_at": started,
        "stopped_at": stopped,
        "version": 1,
        "copper_um": design.board.rules.copper_um,
        "removed_g": round(to_remove_g(design, art_plan({"method": one["method"]}), copies), 4),
        "school": bath.school,
        "spent": eaten_g(bath.id, before) / bath.capacity_g,
        "ticks": {key: begun + timedelta(minutes=10 * k) for k, key in enumerate(one.pop("ticks"))},
        "defects": tuple(
            Defect.model_validate(dict(zip(fields, d, strict=True))) for d in one.pop("defects")
        ),
    }
    return EtchRun.model_validate({**one, **more})
