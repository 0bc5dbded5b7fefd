"""Writes the IPC-D-356A test netlist, by which a bare board is probed."""

from __future__ import annotations

from vane_step.core.board.geometry.shapes import CopperItem, copper_items, plated
from vane_step.core.design.model import Design, split_pin

UNIT_NM = 1000  # "UNITS CUST 1" counts micrometres.


def test_netlist(design: Design) -> str:
    """Write every pad, via and jumper pad as a record of 80 columns.

    Net names of more than 14 characters are replaced by aliases declared in the header (IPC-D-356A, NNAME).
    """
    aliases = {n: f"NNAME{i}" for i, n in enumerate((n for n in design.nets if len(n) > 14), 1)}
    lines = [
        "C  Vane Step test netlist",
        "P  JOB   " + design.name[:60],
        "P  UNITS CUST 1",
        "P  TITLE " + design.name[:60],
    ]
    lines += [f"P  {alias} {net}" for net, alias in aliases.items()]
    for item in copper_items(design):
        if item.kind in ("track", "text"):
            continue
        net = aliases.get(item.net or "", item.net or "N/C")
        lines.append(_record(design, item, net))
    return "\n".join([*lines, "999"]) + "\n"


def _record(design: Design, item: CopperItem, net: str) -> str:
    through = item.drill_mm > 0
    code = "317" if through else "327"
    ref, pin = split_pin(item.id) if item.kind == "pad" else ("VIA" if item.kind == "via" else item.id, "")
    plating = "P" if plated(design) else "U"
    hole = f"D{round(item.drill_mm * 1000):04d}{plating}" if through else " " * 6
    both = len(item.layers) > 1 or len(design.board.layers) == 1
    access = 0 if both else 1 if item.layers[0] == "front" else len(design.board.layers)
    x0, y0, x1, y1 = item.shape().bounds if item.radius_mm == 0 else _box(item)
    width, height = round((x1 - x0) * 1000), round((y1 - y0) * 1000)
    return (
        f"{code}{net[:14]:<14}   {ref[:6]:<6}{'-' if pin else ' '}{pin[:4]:<4}{'M' if item.kind != 'pad' else ' '}"
        f"{hole}A{access:02d}{_signed('X', item.x_mm)}{_signed('Y', item.y_mm)}X{width:04d}Y{height:04d}R000 S0"
    ).ljust(80)


def _signed(axis: str, value_mm: float) -> str:
    count = round(value_mm * 1e6 / UNIT_NM)
    return f"{axis}{'-' if count < 0 else '+'}{abs(count):06d}"


def _box(item: CopperItem) -> tuple[float, float, float, float]:
    x0, y0, x1, y1 = item.spine.bounds
    r = item.radius_mm
    return x0 - r, y0 - r, x1 + r, y1 + r
