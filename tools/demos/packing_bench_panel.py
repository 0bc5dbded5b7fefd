"""The third demo: a panel of keys and lights with an outline from a picture."""

from __future__ import annotations

from pathlib import Path

from tools.demos.sketch import said
from vane_step.core.board.outline.importers import outline_from
from vane_step.core.design.model import (
    Board,
    Design,
)
from vane_step.data.shipped import rule_set

PANEL_SAYS = (
    "matrix ROW0..2 COL0..4 to-rows KEY-P650-D12 DIODE-P762",
    "swap S1..15 PK-12",
    "swap D1..15 HS-41",
    "use controller OW-28D leaded 3V3=5V0",
    'use "LED, leaded"',
    "swap R2 LMF-620R",
    "calc LAMP led supply_v=5V0 forward_v=LED1.vf_v current_a=5m r_ohm=R2",
    "add J2 NH-1x4",
    "join J2.1 5V0",
    "pin J2.1 5V0 supply-out",
    "join J2.2 TX",
    "join J2.3 RX",
    "join J2.4 GND",
    'demand "ROW0: gpio, ROW1: gpio, ROW2: gpio, COL0: gpio, COL1: gpio, COL2: gpio, COL3: gpio, COL4: gpio,'
    ' TX/RX: uart, LIGHT: gpio, flash 8k, supply 5"',
    'brief purpose "Fifteen keys on the packing bench count crates by sort; the board is cut like the'
    ' weathercock on the barn."',
    "brief manufacturing order",
    "brief skills through-hole",
    "brief quantity 2",
    "brief budget 30",
    "brief size 190x160",
    'need Q1 must "Fifteen keys, each told apart from any other"',
    'need Q2 must "Only leaded parts" surface<=0',
    'need Q3 wish "Parts for one under 30 €" cost<=30',
    "calc KEYS matrix keys=15",
    'need Q4 must "The matrix leaves pins for the light and the line" KEYS.pins<=8',
    "assign U1",
)


PANEL_PLACES = (
    "place C1 by U1.9",
    "place C2 by U1.23",
    "place C3 by U1.28",
    "place J1 124 78 90",
    "place J2 72 13 90",
    "place LED1 146 92",
    "place R2 140 84",
    "pour GND back",
)


def packing_bench_panel() -> Design:
    """Build the key panel: three rows of five keys, leaded parts, two layers, an outline like a weathercock."""
    outline = outline_from(
        (Path(__file__).parent.parent / "weathercock.png").read_bytes(), "weathercock.png", 166
    ).outline
    board = Board(outline=outline, copper_layers=2, rules=rule_set("standard-house"))
    design = said(Design(name="Packing Bench Panel", title="Fernhollow Orchard", board=board), *PANEL_SAYS)
    keys = [(24 + 19 * column, 73.5 - 18.5 * row) for row in range(3) for column in range(5)]
    places = [f"place S{k + 1} {x} {y}" for k, (x, y) in enumerate(keys)]
    places += [f"place D{k + 1} {x} {y + 8.3}" for k, (x, y) in enumerate(keys)]
    text = 'text "PACKING BENCH" 64 25 2.2'
    return said(
        design,
        *places,
        "place U1 126 50",
        *PANEL_PLACES,
        text,
        "source DESK J2.1 J2.4 5V 4.75..5.25V 0.1ohm 0.5A",
    )
