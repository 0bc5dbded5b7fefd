"""Builds the shipped blocks from sentences of the ask line, so that each is a circuit the review has seen."""

from __future__ import annotations

import sys
from pathlib import Path

from vane_step.core.ask import Resources, ask
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.circuit.blocks import block_json, take_block
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import SetNetRule, apply
from vane_step.core.design.model import Board, Design
from vane_step.data.shipped import catalogue, rule_sets

FOLDER = Path(__file__).parent.parent / "vane_step" / "data" / "blocks"
# Findings that speak of what the rest of a circuit would bring.
OUTSIDE = ("lonely-net", "no-supply", "open-pin", "decoupling", "no-pull-up")

INNER = {
    "BST",
    "SW",
    "FB",
    "CC1",
    "CC2",
    "GATE",
    "BASE",
    "SECOND",
    "LIGHT_A",
    "HORN_D",
    "COIL",
    "VBUS",
}

BLOCKS: dict[str, tuple[str, tuple[str, ...], tuple[str, ...]]] = {
    "Linear 3V3": (
        "5 V down to 3.3 V, up to 0.8 A as far as its heat allows",
        (
            "add U1 AR-33",
            "add C1 DC-20X-10U",
            "add C2 DC-20X-10U",
            "join U1.IN C1.1 5V0",
            "join U1.OUT U1.4 C2.1 3V3",
            "join U1.GND C1.2 C2.2 GND",
            "calc HEAT linear vin_v=5V0 vout_v=3V3 load_a=0.15 iq_a=U1.iq_a"
            " theta_ja_k_per_w=U1.theta_ja_k_per_w ambient_c=ambient",
        ),
        ("both capacitors within 5 mm of the regulator", "copper round its tab spreads the heat"),
    ),
    "Buck 5V": (
        "12 V down to 5 V at up to 2 A, synchronous",
        (
            "add U1 AB-18-2",
            "add C1 DC-32X-10U",
            "add C2 DC-16X-100N",
            "add L1 KL-60-22U",
            "add C3 DC-32X-22U",
            "add R1 QR-16-43K",
            "add R2 QR-16-8P2K",
            "join U1.IN U1.EN C1.1 12V",
            "join U1.GND C1.2 C3.2 R2.2 GND",
            "join U1.BST C2.1 BST",
            "join U1.SW C2.2 L1.1 SW",
            "join L1.2 C3.1 R1.1 5V0",
            "join U1.FB R1.2 R2.1 FB",
            "role SW switching",
            "role FB sense",
            "calc FEEDBACK feedback vout_v=5V0 vref_v=U1.vref_v top_ohm=R1 bottom_ohm=R2",
            "calc COIL inductor vin_v=14.4 vout_v=5V0 load_a=1 fsw_hz=U1.fsw_hz l_h=L1",
        ),
        ("input capacitor, switch and ground in the smallest loop", "divider close to FB, away from SW"),
    ),
    "USB-C sink": (
        "5 V from USB-C, with the two resistors that ask for it and a fuse",
        (
            "add J1 NU-6",
            "add R1 QR-16-5P1K",
            "add R2 QR-16-5P1K",
            "add F1 WF-05",
            "join J1.1 J1.6 J1.S1 J1.S2 J1.S3 J1.S4 GND",
            "join J1.2 J1.5 F1.1 VBUS",
            "join J1.CC1 R1.1 CC1",
            "join J1.CC2 R2.1 CC2",
            "join R1.2 R2.2 GND",
            "join F1.2 5V0",
        ),
        ("receptacle at an edge", "the two lines to the resistors need no controlled impedance"),
    ),
    "Reverse protection": (
        "a P-channel switch that opens when the supply is the wrong way round",
        (
            "add Q1 HP-30-4",
            "add R1 QR-16-100K",
            "add D1 HZ-12",
            "join Q1.D VIN",
            "join Q1.S D1.K 12V",
            "join Q1.G D1.A R1.1 GATE",
            "join R1.2 GND",
            "role VIN supply",
        ),
        ("drain at the source, so that its diode lets current in first",),
    ),
    "Diode-OR with jumper": (
        "two sources on one rail, each through a diode; the jumper takes the second out",
        (
            "add D1 HK-40-3A",
            "add D2 HK-40-3A",
            "add JP1 HDR-1x2",
            "join D1.A VIN_A",
            "join JP1.1 VIN_B",
            "join JP1.2 D2.A SECOND",
            "join D1.K D2.K 5V0",
            "role VIN_A supply",
            "role VIN_B supply",
        ),
        ("name the jumper on the legend",),
    ),
    "LED": (
        "a light on a controller pin, lit high",
        (
            "add LED1 GL-16G",
            "add R1 QR-16-300R",
            "join R1.1 LIGHT",
            "join R1.2 LED1.A LIGHT_A",
            "join LED1.K GND",
            "calc LAMP led supply_v=3.3 forward_v=LED1.vf_v current_a=4m r_ohm=R1",
        ),
        (),
    ),
    "LED, leaded": (
        "a light on a controller pin, lit high, for boards without surface mounting",
        (
            "add LED1 GL-5R",
            "add R1 LMF-300R",
            "join R1.1 LIGHT",
            "join R1.2 LED1.A LIGHT_A",
            "join LED1.K GND",
            "calc LAMP led supply_v=3.3 forward_v=LED1.vf_v current_a=4m r_ohm=R1",
        ),
        (),
    ),
    "Low-side driver": (
        "switches a lamp or another load without a coil, held off through reset",
        (
            "add Q1 HN-30-4L",
            "add R1 QR-16-100R",
            "add R2 QR-16-10K",
            "join R1.1 DRIVE",
            "join Q1.G R1.2 R2.1 GATE",
            "join Q1.S R2.2 GND",
            "join Q1.D LOAD",
            "role LOAD high-current",
            "calc GATE gate drive_v=3.3 gate_c=Q1.qg_c r_ohm=R1",
        ),
        ("pull-down close to the gate",),
    ),
    "Low-side driver with flyback": (
        "switches a pump, a valve or a motor, with the diode that catches its kick",
        (
            "add Q1 HN-30-4L",
            "add R1 QR-16-100R",
            "add R2 QR-16-10K",
            "add D1 HK-40-3A",
            "join R1.1 DRIVE",
            "join Q1.G R1.2 R2.1 GATE",
            "join Q1.S R2.2 GND",
            "join Q1.D D1.A LOAD",
            "join D1.K 12V",
            "role LOAD high-current",
            "calc GATE gate drive_v=3.3 gate_c=Q1.qg_c r_ohm=R1",
        ),
        ("diode beside the load's connector", "pull-down close to the gate"),
    ),
    "Relay": (
        "a 5 V relay with its transistor and diode",
        (
            "add K1 RK-5",
            "add Q1 FN-40-06S",
            "add R1 QR-16-1K",
            "add R2 QR-16-10K",
            "add D1 HS-41S",
            "join R1.1 DRIVE",
            "join Q1.B R1.2 R2.1 BASE",
            "join Q1.E R2.2 GND",
            "join Q1.C K1.A2 D1.A COIL",
            "join K1.A1 D1.K 5V0",
            "join K1.COM K1.COM2 CONTACT",
            "join K1.NO CLOSES",
            "join K1.NC OPENS",
            "calc DRIVE base drive_v=3.3 load_a=40m hfe=Q1.hfe r_ohm=R1",
        ),
        ("contacts away from the logic; mains needs a licensed hand",),
    ),
    "Debounced button": (
        "a button to ground with pull-up and capacitor",
        (
            "add S1 PK-6",
            "add R1 QR-16-10K",
            "add C1 DC-16X-1U",
            "join S1.1 R1.1 C1.1 BUTTON",
            "join R1.2 3V3",
            "join S1.2 C1.2 GND",
            "calc SETTLE debounce settle_s=10m r_ohm=R1 c_f=C1",
        ),
        ("button where a finger finds it",),
    ),
    "Divider to analogue pin": (
        "brings a higher voltage down to the converter's full scale",
        (
            "add R1 QR-16-75K",
            "add R2 QR-16-22K",
            "add C1 DC-16X-100N",
            "join R1.1 12V",
            "join R1.2 R2.1 C1.1 SENSE",
            "join R2.2 C1.2 GND",
            "role SENSE sense",
            "calc DIVIDER divider input_v=14.4 full_scale_v=3.3 bottom_ohm=R2 top_ohm=R1",
        ),
        ("capacitor at the converter's pin",),
    ),
    "Open-drain bus": (
        "pull-ups of a two-wire bus; count those that modules have",
        (
            "add R1 QR-16-3P6K",
            "add R2 QR-16-3P6K",
            "join R1.1 SDA",
            "join R2.1 SCL",
            "join R1.2 R2.2 3V3",
            "role SDA bus",
            "role SCL bus",
            "calc BUS pull-up supply_v=3V3 r1_ohm=R1 r2_ohm=R2",
        ),
        (),
    ),
    "Sounder": (
        "a sounder with its own tone, switched low, held off through reset",
        (
            "add BZ1 CH-12A",
            "add Q1 HN-30-4L",
            "add R1 QR-16-1K",
            "add R2 QR-16-10K",
            "join R1.1 HORN",
            "join Q1.G R1.2 R2.1 GATE",
            "join Q1.S R2.2 GND",
            "join Q1.D BZ1.2 HORN_D",
            "join BZ1.1 5V0",
        ),
        ("hole in the case above it",),
    ),
    "Sense resistor": (
        "a shunt in the return of a load, with sense leads of its own to an amplifier",
        (
            "add R1 QR-32-1R",
            "add R2 QR-16-1K",
            "add R3 QR-16-1K",
            "add C1 DC-16X-100N",
            "join R1.1 R2.1 LOAD_RETURN",
            "join R1.2 R3.1 GND",
            "join R2.2 C1.1 TAP_HIGH",
            "join R3.2 C1.2 TAP_LOW",
            "role TAP_HIGH sense",
            "role TAP_LOW sense",
            "calc SHUNT sense current_a=50m drop_v=50m r_ohm=R1",
        ),
        ("sense leads leave from the inner ends of the resistor's pads", "sense leads side by side"),
    ),
    "Key matrix 3 x 5": (
        "fifteen keys on eight pins, a diode each, current from columns to rows",
        ("matrix ROW0..2 COL0..4 to-rows", "swap D1..15 HS-41", "swap S1..15 PK-6"),
        ("diode beside its key, all turned alike",),
    ),
}


def main() -> int:
    """Build every block, review it, write it; the exit code tells whether all are clean."""
    resources = Resources(rule_sets(), catalogue())
    FOLDER.mkdir(parents=True, exist_ok=True)
    dirty = 0
    for name, (note, sentences, hints) in BLOCKS.items():
        board = Board(outline=rectangle(100, 80), copper_layers=2, rules=rule_sets()["standard-house"])
        design = Design(name=name, board=board)
        for text in sentences:
            edit = ask(design, text, resources).edit
            assert edit is not None
            design, _ = apply(design, edit)
        for net in list(design.nets.values()):
            if net.name in ("VBUS",):
                design, _ = apply(design, SetNetRule(net=net.name, role="supply"))
        found = [f for f in review(design) if f.level != "note" and f.code not in OUTSIDE]
        for f in found:
            print(f"{name}: {f.level} {f.code} {f.message}")
        dirty += len(found)
        saved = take_block(design, list(design.parts), name, note, hints)
        # What has a name of its own on the outside is a port, though nothing else hangs on it here.
        inner = INNER & set(design.nets)
        inner |= {n for n in design.nets if n.startswith("S") and "_D" in n and n[1].isdigit()}
        ports = {n.name: n.role for n in design.nets.values() if n.name not in inner}
        text = block_json(saved.model_copy(update={"ports": ports}))
        slug = name.lower().replace(",", "").replace(" ", "-")
        (FOLDER / f"{slug}.json").write_text(text, encoding="utf-8")
    print(f"{len(BLOCKS)} blocks, {dirty} findings")
    return 1 if dirty else 0


if __name__ == "__main__":
    sys.exit(main())
