"""The fifth demo: an analogue board with two rails, the negative one made on it, for a scale of four wires."""

from __future__ import annotations

from tools.demos.sketch import blank, said
from vane_step.core.design.model import Design

SCALE_SAYS = (
    "add J1 NT-2",
    "pins J1 5V0 GND",
    "pin J1.1 5V0 supply-out",
    "pin J1.2 GND ground",
    "add U1 AI-60",
    "add C1 DC-20X-10U",
    "add C2 DC-20X-10U",
    "add C3 DC-20X-10U",
    "join J1.1 U1.IN C3.1 5V0",
    "join J1.2 U1.GND C3.2 C2.1 GND",
    "join U1.CAP+ C1.1 CP",
    "join U1.CAP- C1.2 CM",
    'join U1.OUT C2.2 "-5V0"',
    "rest U1",
    "add U2 OI-1",
    "add R1 100R CHIP-1608M",
    "join U2.RG1 R1.1 RGA",
    "join U2.RG2 R1.2 RGB",
    "add C4..5 100n CHIP-1608M",
    "join U2.V+ C4.1 5V0",
    'join U2.V- C5.1 "-5V0"',
    "join C4.2 C5.2 GND",
    "add J2 NT-4",
    "join J2.1 5V0",
    "join J2.2 U2.IN+ SIG+",
    "join J2.3 U2.IN- SIG-",
    "join J2.4 GND",
    "add U3 OA-2P",
    "add C6..7 100n CHIP-1608M",
    "join U3.V+ C6.1 5V0",
    'join U3.V- C7.1 "-5V0"',
    "join C6.2 C7.2 GND",
    # The zero: a trimmer between the rails, what it gives held by an amplifier.
    "add RV1 LT-25-10K",
    "add R2..3 47k CHIP-1608M",
    "join R2.1 5V0",
    "join R2.2 RV1.A ZHI",
    'join R3.2 "-5V0"',
    "join R3.1 RV1.B ZLO",
    "add C8 DC-16X-1U",
    "join RV1.W U3.IN2+ C8.1 ZERO",
    "join C8.2 GND",
    "join U3.IN2- U3.OUT2 U2.REF REF",
    # A filter of two poles at about 7 Hz.
    "add R4..5 16k CHIP-1608M",
    "add C9 2u2 CHIP-2012M",
    "add C10 DC-16X-1U",
    "join U2.OUT R4.1 RAW",
    "join R4.2 R5.1 C9.1 MID",
    "join R5.2 U3.IN1+ C10.1 SLOW",
    "join C10.2 GND",
    "join C9.2 U3.IN1- U3.OUT1 WEIGHT",
    "add R6 100R CHIP-1608M",
    "join R6.1 WEIGHT",
    "add J3 NT-2",
    "join R6.2 J3.1 OUT",
    "join J3.2 GND",
    'role "-5V0" supply',
    "width 5V0 60mA",
    'width "-5V0" 60mA',
    "width GND 60mA",
    'brief purpose "Weighs a crate of apples on a bridge of strain gauges, from one supply of 5 V."',
    "brief manufacturing order",
    "brief quantity 2",
    "brief budget 40",
    "brief size 50x50",
    'need Q1 must "A pull of either sign is told: the output goes below ground"',
)


SCALE_PLACES = (
    "hole 4 4 3.2",
    "hole 46 4 3.2",
    "hole 4 46 3.2",
    "hole 46 46 3.2",
    "edge J1 left 35",
    "edge J2 left 18.6",
    "edge J3 right 25",
    "lock J1 J2 J3",
    "pour GND back",
    "pour GND front",
    'text "CRATE SCALE" 30 46 1.6',
)


# A bridge at rest stands between the ends of its supply; a pull moves it by a few millivolts.
SCALE_POWER = (
    "source PLUG J1.1 J1.2 5V 4.75..5.25V 0.05ohm 0.5A",
    "load BRIDGE_A J2.1 J2.2 350ohm",
    "load BRIDGE_B J2.2 J2.4 350ohm",
    "load BRIDGE_C J2.1 J2.3 350ohm",
    "load BRIDGE_D J2.3 J2.4 350ohm",
)


def crate_scale() -> Design:
    """Build the scale's amplifier: charge pump, bridge amplifier, filter and a zero that is set by hand."""
    return said(blank("Crate Scale", 50, 50, 2, "standard-house"), *SCALE_SAYS, *SCALE_PLACES, *SCALE_POWER)
