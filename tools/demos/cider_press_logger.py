"""The fourth demo: a logger on four layers."""

from __future__ import annotations

from tools.demos.sketch import power_net, said
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.board.placement.placer import propose
from vane_step.core.design.edits import apply
from vane_step.core.design.model import (
    Board,
    Design,
)
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set

CIDER_SAYS = (
    'add J1 NT-2 "12 V feed"',
    "join J1.1 FEED",
    "join J1.2 GND",
    "pin J1.1 + supply-out",
    "pin J1.2 - ground",
    'use "Reverse protection" VIN=FEED',
    "pin Q1.2 S supply-out",
    'use "Buck 5V"',
    'use "Linear 3V3"',
    "use controller OW-32T TQ-8",
    'use "LED" LIGHT=LOGGING',
    'use "LED" LIGHT=PRESSING',
    'use "Debounced button" BUTTON=MARK',
    'use "Open-drain bus"',
    'use "Low-side driver with flyback" DRIVE=VALVE LOAD=VALVE_D',
    'add J3 NT-2 "stop valve"',
    "join J3.1 12V",
    "join J3.2 VALVE_D",
    # The press pump's return runs through a shunt with taps of its own.
    'add J4 NT-2 "press pump"',
    "join J4.1 12V",
    "join J4.2 PUMP_BACK",
    "add R12 QS-50-10M 10m",
    "join R12.1 PUMP_BACK",
    "join R12.4 GND",
    "join R12.2 TAP_HIGH",
    "join R12.3 TAP_LOW",
    # A quiet supply, the bridge converter and its filters.
    "add U4 AQ-33",
    "join U4.1 U4.3 5V0",
    "join U4.2 GND",
    "join U4.5 3V3A",
    "add C16 DC-20X-10U",
    "join C16.1 5V0",
    "join C16.2 GND",
    "add C17 DC-20X-10U",
    "join C17.1 3V3A",
    "join C17.2 GND",
    "add U5 OX-24",
    "join U5.1 U5.3 U5.11 3V3A",
    "join U5.2 U5.4 U5.9 U5.10 GND",
    "join U5.12 U5.16 3V3",
    "join U5.13 CELL_CK",
    "join U5.14 CELL_DATA",
    "join U5.5 CELL_P",
    "join U5.6 CELL_N",
    "join U5.7 TAP_P",
    "join U5.8 TAP_N",
    "add C18..21 DC-16X-100N",
    "join C18.1 3V3A",
    "join C18.2 GND",
    "join C19.1 3V3",
    "join C19.2 GND",
    "join C20.1 CELL_P",
    "join C20.2 CELL_N",
    "join C21.1 TAP_P",
    "join C21.2 TAP_N",
    "add R13..16 QR-16-1K",
    "join R13.1 BRIDGE_P",
    "join R13.2 CELL_P",
    "join R14.1 BRIDGE_N",
    "join R14.2 CELL_N",
    "join R15.1 TAP_HIGH",
    "join R15.2 TAP_P",
    "join R16.1 TAP_LOW",
    "join R16.2 TAP_N",
    'add J5 NH-1x4 "load cell"',
    "join J5.1 3V3A",
    "join J5.2 BRIDGE_P",
    "join J5.3 BRIDGE_N",
    "join J5.4 GND",
    # Clock and memory on the bus.
    "add U6 MS-C1",
    "add U7 MS-E1",
    "join U6.1 U7.1 3V3",
    "join U6.2 U7.2 SDA",
    "join U6.3 U7.3 SCL",
    "join U6.5..8 U7.5..8 GND",
    "add C22..23 DC-16X-100N",
    "join C22.1 C23.1 3V3",
    "join C22.2 C23.2 GND",
    'block J1 "Feed"',
    'block J3 J4 R12 "Press"',
    'block U4 C16 C17 "Quiet supply"',
    'block U5 C18 C19 C20 C21 R13 R14 R15 R16 J5 "Bridge and shunt"',
    'block U6 U7 C22 C23 "Clock and memory"',
    'demand "LOGGING: gpio, PRESSING: gpio, MARK: gpio, VALVE: gpio, CELL_CK: gpio, CELL_DATA: gpio, SDA/SCL: i2c,'
    ' PROG_TX/PROG_RX: uart, XIN/XOUT: xtal, flash 16k, supply 3.3"',
    "role SW switching",
    "role PUMP_BACK high-current",
    "role VALVE_D high-current",
    *(f"role {n} sense" for n in ("FB", "TAP_HIGH", "TAP_LOW", "TAP_P", "TAP_N")),
    *(f"role {n} sense" for n in ("BRIDGE_P", "BRIDGE_N", "CELL_P", "CELL_N")),
    "role SDA bus",
    "role SCL bus",
    "hole 3.5 3.5 3.2",
    "hole 72.5 3.5 3.2",
    "hole 3.5 50.5 3.2",
    "hole 72.5 50.5 3.2",
    "place J1 6 42 0",
    "place J4 6 29 0",
    "place J3 6 16 0",
    "place J5 71.5 26 0",
    "place S1 62 6",
    "place J2 40 4 90",
    # The controller with its crystal close below.
    "place U3 43.5 18.5 90",
    "place C13 47.4 12.3 0",
    "place C14 50.6 12.3 0",
    "place C22 43.2 12.3 180",
    "place Y1 45.9 8.8 0",
    *(f"lock {r}" for r in ("J1", "J4", "J3", "J5", "S1", "J2", "U3", "C13", "C14", "C22", "Y1")),
    'brief purpose "Weighs what the cider press gives, watches its pump, and stops it before the press is hurt."',
    "brief size 76x54",
    "brief manufacturing order",
    "brief skills no-leadless",
    "brief quantity 3",
    "brief budget 40",
    "calc LOSS sense current_a=3 drop_v=30m r_ohm=R12",
    "calc HEAT linear vin_v=5V0 vout_v=3V3 load_a=0.12 iq_a=U2.iq_a theta_ja_k_per_w=U2.theta_ja_k_per_w ambient_c=30",
    'need Q1 must "Weighs to 20 g over 60 kg, with the pump running" measured<=20 g',
    'need Q3 must "Stops the press within 0.2 s of a jam" measured<=0.2 s',
    'need Q4 must "The linear regulator stays cool in the press house" HEAT.junction_c<=90',
    "pour GND front",
    "pour GND in1 plane=yes",
    "pour GND back",
    "pour 3V3 in2 plane=yes",
    "pour 12V in2 priority=2 plane=yes box=1,1,26x52",
    "swap C13 C14 DC-16G-33P",
    "swap R10 QR-16-180R",
    "pin U6.4 INT unconnected",
    "pin U7.4 INT unconnected",
    'text "CIDER PRESS" 64 49.4 1.3',
    'text "LOGGER" 64 47.2 1.3',
    "assign U3",
)


CIDER_PLACES = (
    "place C1 by U1.2",
    "place C16 by U4.1",
    "place C18 by U5.1",
    "place C4 by U2.3",
    'need Q2 must "Drives the press pump with 3 A" current.PUMP_BACK>=3',
)


# The feed of the press house, and what hangs on it while the press runs.
CIDER_POWER = (
    "source FEED J1.1 J1.2 12V 11.4..12.6V 0.05ohm 5A",
    "load PRESS_PUMP 12V PUMP_BACK 3A",
    "load VALVE_COIL 12V VALVE_D 24ohm",
    "mode watching 80%",
    "mode pressing 20%",
    "drives LOGGING high",
    "drives PRESSING low in watching",
    "drives PRESSING high in pressing",
    "drives VALVE low in watching",
    "drives VALVE high in pressing",
)


def cider_press_logger() -> Design:
    """Build the press logger: four layers with planes, a bridge converter by a buck, a shunt with taps."""
    board = Board(
        outline=rectangle(76, 54), corner_radius_nm=nm(2), copper_layers=4, rules=rule_set("four-layer-house")
    )
    design = said(Design(name="Cider Press Logger", title="Fernhollow Orchard", board=board), *CIDER_SAYS)
    wide = {
        "12V": power_net("12V", "supply", 3.6, neck=(0.6, 3.5)),
        "FEED": power_net("FEED", "supply", 3.6, neck=(0.6, 3)),
        "PUMP_BACK": power_net("PUMP_BACK", "high-current", 3.0, neck=(0.8, 2)),
        "VALVE_D": power_net("VALVE_D", "high-current", 1.0, neck=(0.4, 2)),
        "5V0": power_net("5V0", "supply", 0.5, 0.15, neck=(0.25, 3), least=0.4),
        "SW": power_net("SW", "switching", 1.0, neck=(0.4, 1.5), least=0.5),
        "3V3": power_net("3V3", "supply", 0.2, 0.15, neck=(0.2, 3), least=0.3),
        "3V3A": power_net("3V3A", "supply", 0.05, 0.15, neck=(0.2, 3), least=0.3),
        "GND": power_net("GND", "ground", 0.6, 0.15, neck=(0.2, 3), least=0.4),
    }
    nets = {
        k: n.model_copy(update={"rule": wide[k].rule}) if k in wide else n for k, n in design.nets.items()
    }
    design, _ = apply(design.replaced(nets=nets), propose(design.replaced(nets=nets), 1, seed=5)[0].edit)
    return said(design, *CIDER_PLACES, *CIDER_POWER)
