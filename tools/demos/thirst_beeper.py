"""The second demo: a small board to be etched at home, on one layer."""

from __future__ import annotations

import math

from tools.demos.sketch import Sketch, said
from vane_step.core.design.model import (
    Board,
    CurrentNeed,
    Design,
    Net,
    NetRule,
)
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set

BEEPER_SAYS = (
    "swap U1 OW-8D",
    "swap R2 R5 LMF-10K",
    "swap R1 LMF-100K",
    "swap R6 LMF-1K",
    "swap R3 LMF-330R",
    "swap R4 LMF-100R",
    "swap LED1 GL-5R",
    "swap BZ1 CP-12",
    "swap C1 BDC-100N",
    "swap C2 BE-10-16P",
    "swap J1 J2 NH-1x2",
    'brief purpose "Says with a beep that the seedlings are thirsty; runs a summer on a coin cell."',
    "brief size 44x44",
    "brief manufacturing etch",
    "brief skills through-hole",
    "brief quantity 1",
    "brief stock-first yes",
    'demand "PROBE_ON: gpio, MOISTURE: adc, BEEP: pwm, LIGHT: gpio"',
    "calc CELL battery capacity_ah=0.22 usable=0.8 load_a=60u open_v=3 internal_ohm=15 peak_a=8m min_v=2.0",
    'need Q1 must "Runs a summer on one cell: 2500 h" CELL.hours>=2500',
    'need Q2 must "Still starts when the beep draws its peak" CELL.margin_v>=0.5',
    'need Q3 must "No part that needs hot air" surface<=0',
    'need Q4 wish "No wire jumper on the front" jumpers<=0',
    'need Q5 must "Can be heard in the next room"',
    "assign U1",
)


# It sleeps between looks at the soil; what the controller draws asleep is said, since its number tells it at work.
BEEPER_POWER = (
    "source CELL VCC GND 3V 2.4..3.2V 15ohm 0.22Ah coin",
    "mode sleep 99.8%",
    "mode look 0.15%",
    "mode beep 0.05%",
    "load ASLEEP U1.VDD GND 2uA in sleep",
    "drives BEEP low",
    "drives BEEP high in beep",
    "drives LIGHT low",
    "drives LIGHT high in beep",
    "drives PROBE_ON low",
    "drives PROBE_ON high in look",
)


def thirst_beeper() -> Design:
    """Build the seedling beeper: coin-sized, one layer, through-hole, for the kitchen table."""
    s = Sketch()
    s.kitchen = True
    s.block = "Controller"
    s.add(
        "U1",
        "OW-8D",
        "DIP-8",
        "1:RESET/i=RESET 3:GND/g=GND 7:VDD/s=VCC",
        (22.0, 21.0, 0),
    )
    s.two("C1", "100n", "CER-P508-D5", "VCC", "GND", (28.6, 24.9, 90), "capacitor")
    s.two("R2", "10k", "AXIAL-P762", "VCC", "RESET", (19.0, 30.6, 180))
    s.block = "Battery"
    s.add("J2", "3 V cell", "HDR-1x2", "1:+/S=VCC 2:-=GND", (22.5, 37.0, 90))
    s.two("C2", "10u", "ELCO-P250-D5", "VCC", "GND", (29.8, 34.0, 0), "polar-capacitor")
    s.block = "Probe"
    s.add("J1", "probe", "HDR-1x2", "1:a=PROBE_A 2:b=GND", (9.0, 30.0, 0))
    s.two("R1", "100k", "AXIAL-P762", "PROBE_ON", "PROBE_A", (9.4, 22.0, 90))
    s.two("R6", "1k", "AXIAL-P762", "PROBE_A", "MOISTURE", (13.6, 22.0, 270))
    s.block = "Light"
    s.two("R3", "330", "AXIAL-P762", "LIGHT", "LIGHT_A", (31.7, 20.0, 90))
    s.two("LED1", "amber 2V0", "LEDR-P254-D5", "GND", "LIGHT_A", (36.6, 24.6, 90), "led")
    s.block = "Beep"
    s.two("R4", "100", "AXIAL-P762", "BEEP", "BEEP_A", (34.7, 14.6, 270))
    s.two("BZ1", "piezo", "SOUNDER-P762-D12", "BEEP_A", "GND", (22.0, 8.2, 180), "sounder")
    s.two("R5", "10k", "AXIAL-P762", "BEEP", "GND", (37.7, 15.6, 270))
    points = tuple(
        (nm(22 + 22 * math.cos(2 * math.pi * k / 96)), nm(22 + 22 * math.sin(2 * math.pi * k / 96)))
        for k in range(96)
    )
    board = Board(outline=points, copper_layers=1, rules=rule_set("kitchen-table"))
    wide = {
        "GND": Net(name="GND", role="ground", rule=NetRule(width_nm=nm(0.8), clearance_nm=nm(0.4))),
        "VCC": Net(
            name="VCC",
            role="supply",
            rule=NetRule(width_nm=nm(0.8), clearance_nm=nm(0.4), current=CurrentNeed(current_a=0.05)),
        ),
    }
    return said(
        s.design("Seedling Thirst Beeper", "Fernhollow Orchard", board, wide), *BEEPER_SAYS, *BEEPER_POWER
    )
