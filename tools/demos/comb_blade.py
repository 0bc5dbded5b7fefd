"""The sixth demo: a board that carries 20 A for a second, from a battery through a relay to a hot blade."""

from __future__ import annotations

from tools.demos.sketch import blank, said
from vane_step.core.design.model import Design

BLADE_SAYS = (
    "add J1 NTL-2",
    "pins J1 BATTERY GND",
    "pin J1.1 BATTERY supply-out",
    "pin J1.2 GND ground",
    "add F1 WB-25",
    "join J1.1 F1.1 BATTERY",
    "add K1 RH-12",
    "join F1.2 K1.COM 12V",
    "add J2 NTL-2",
    "join K1.NO J2.1 BLADE",
    "join J1.2 J2.2 GND",
    # What decides how long, behind a diode of its own: the blade pulls the battery down.
    "add D1 HK-40-1F",
    "join D1.A 12V",
    "join D1.K VT",
    "add C1 100u 25V radial",
    "join C1.+ VT",
    "join C1.- GND",
    "add U1 OT-1S",
    "add C2 100n CHIP-1608M",
    "join U1.VCC U1.RESET C2.1 VT",
    "join U1.GND C2.2 GND",
    "add C3 10n CHIP-1608M",
    "join U1.CTRL C3.1 CTRL",
    "join C3.2 GND",
    "add R1 910k CHIP-1608M",
    "add C4 DC-16X-1U",
    "join U1.THRES U1.DISCH R1.1 C4.1 TIMING",
    "join R1.2 VT",
    "join C4.2 GND",
    "add R2 10k CHIP-1608M",
    "add S1 PK-12",
    "join U1.TRIG R2.1 S1.1 START",
    "join R2.2 VT",
    "join S1.2 GND",
    "join U1.OUT K1.A1 COIL",
    "join K1.A2 GND",
    "add D2 HS-41",
    "join D2.K COIL",
    "join D2.A GND",
    "add LED1 GL-16R",
    "add R3 2k2 CHIP-1608M",
    "join R3.1 BLADE",
    "join R3.2 LED1.A HOT",
    "join LED1.K GND",
    "role GND ground",
    "role 12V supply",
    "role VT supply",
    "width BATTERY 20A 1s 30K",
    "width 12V 20A 1s 30K",
    "width BLADE 20A 1s 30K",
    "width VT 100mA",
    "width COIL 100mA",
    'brief purpose "Heats the blade that opens honeycombs: 20 A for one second at each push."',
    "brief manufacturing order",
    "brief quantity 1",
    "brief budget 30",
    "brief size 100x60",
    'need Q1 must "A push gives one second and no more"',
)
BLADE_PLACES = (
    "hole 4 4 3.2",
    "hole 96 4 3.2",
    "hole 4 56 3.2",
    "hole 96 56 3.2",
    "edge J1 left 42",
    "edge J2 right 42",
    "place F1 24 44",
    "place K1 50 30 90",
    "place S1 74 12",
    "place R3 93.5 32.2 270",
    "place D1 33.5 36 90",
    "place LED1 93.5 27 90",
    "lock J1 J2 F1 K1 S1 R3 D1 LED1",
    "pour GND back plane=yes",
    "pour GND front",
    'text "COMB BLADE" 74 24 1.8',
)


# The battery that heats the blade, and the blade.
BLADE_POWER = (
    "source PACK J1.1 J1.2 12.6V 11..13.2V 0.02ohm 7Ah lead",
    "load WIRE J2.1 J2.2 0.6ohm for 1s",
)


def comb_blade() -> Design:
    """Build the blade's timer: wide copper from battery to blade, ground on a plane, the timer behind a diode."""
    return said(blank("Comb Blade", 100, 60, 3, "standard-house"), *BLADE_SAYS, *BLADE_PLACES, *BLADE_POWER)
