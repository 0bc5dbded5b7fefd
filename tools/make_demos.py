"""Builds the demo designs from a compact description, arranges and routes them, and refuses to write unclean ones."""

from __future__ import annotations

import math
import sys
import time
from pathlib import Path

from vane_step.core.ask import ask
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.board.outline.importers import outline_from
from vane_step.core.board.placement.placer import arrange, propose
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import (
    Board,
    CurrentNeed,
    Design,
    LegendText,
    MountingHole,
    Net,
    NetRule,
    Part,
    PartPlace,
    Pin,
    Pour,
    natural,
)
from vane_step.core.judge import all_findings
from vane_step.core.parts.packages import package
from vane_step.core.power.trace import width_mm
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.data.shipped import resources, rule_set

FOLDER = Path(__file__).parent.parent / "vane_step" / "data" / "designs"
ROLES = {
    "i": "input",
    "o": "output",
    "x": "io",
    "s": "supply-in",
    "S": "supply-out",
    "g": "ground",
    "d": "open-drain",
    "n": "unconnected",
    "p": "passive",
}
KINDS = {
    "R": "resistor",
    "C": "capacitor",
    "L": "inductor",
    "D": "diode",
    "LED": "led",
    "Y": "crystal",
    "F": "fuse",
    "BZ": "sounder",
    "TH": "thermistor",
    "S": "switch",
}


class Sketch:
    """Collects parts and nets in the words of a bench note."""

    def __init__(self) -> None:
        self.parts: dict[str, Part] = {}
        self.nets: dict[str, list[str]] = {}
        self.block = ""
        self.kitchen = False

    def add(
        self,
        ref: str,
        value: str,
        pack: str,
        pins: str,
        at: tuple[float, float, float] | None = None,
        kind: str | None = None,
    ) -> None:
        """Add a part; ``pins`` lists ``number[:name[/role]]=NET`` separated by spaces, a dash for no net."""
        listed = []
        for text in pins.split():
            left, _, net = text.partition("=")
            number, _, rest = left.partition(":")
            name, _, role = rest.partition("/")
            listed.append(Pin(number=number, name=name, role=ROLES[role or "p"]))  # type: ignore[arg-type]
            if net != "-":
                self.nets.setdefault(net, []).append(f"{ref}.{number}")
        letters = ref.rstrip("0123456789")
        place = PartPlace(x_nm=nm(at[0]), y_nm=nm(at[1]), turn_deg=at[2]) if at else None
        self.parts[ref] = Part(
            ref=ref,
            value=value,
            package=pack,
            kind=kind or KINDS.get(letters, "card"),  # type: ignore[arg-type]
            pins=tuple(listed),
            block=self.block,
            place=place,
        )

    def two(
        self,
        ref: str,
        value: str,
        pack: str,
        a: str,
        b: str,
        at: tuple[float, float, float] | None = None,
        kind: str | None = None,
    ) -> None:
        """Add a part of two pins."""
        self.add(ref, value, pack, f"1={a} 2={b}", at, kind)

    def design(self, name: str, title: str, board: Board, rules: dict[str, Net]) -> Design:
        """Make the design; ``rules`` gives role and copper rule of some nets."""
        nets = {}
        for net, pins in sorted(self.nets.items(), key=lambda kv: natural(kv[0])):
            known = rules.get(net)
            nets[net] = Net(
                name=net,
                pins=tuple(pins),
                role=known.role if known else "signal",
                rule=known.rule if known else None,
            )
        packs = {p.package: package(p.package, self.kitchen) for p in self.parts.values()}
        parts = dict(sorted(self.parts.items(), key=lambda kv: natural(kv[0])))
        return Design(name=name, title=title, parts=parts, nets=nets, packages=packs, board=board)


def power_net(
    name: str,
    role: str,
    amps: float,
    clearance: float = 0.2,
    neck: tuple[float, float] | None = None,
    least: float = 0.25,
) -> Net:
    """Give a net whose width follows from its current: 10 K rise on 35 um outer copper, rounded up to 0.05 mm."""
    width = max(least, math.ceil(width_mm(amps, 10, 35, "outer") / 0.05) * 0.05)
    rule = NetRule(
        width_nm=nm(width),
        clearance_nm=nm(clearance),
        neck_width_nm=nm(neck[0]) if neck else None,
        neck_length_nm=nm(neck[1]) if neck else None,
        current=CurrentNeed(current_a=amps, rise_k=10),
    )
    return Net(name=name, role=role, rule=rule)  # type: ignore[arg-type]


def frost_sentinel() -> Design:
    """Build the night-frost alarm node: 12 V or USB-C, buck and linear supplies, pump driver, sensors, sounder."""
    s = Sketch()
    s.block = "Supply inputs"
    s.add("J1", "12 V accumulator", "TERM-2", "1:+/S=BATT 2:-=GND", (6.0, 48.0, 0))
    s.two("F1", "3 A", "CHIP-3216M", "BATT", "BATT_F", (14.0, 51.2, 0))
    s.two("D1", "HK-40-3A", "SMA", "12V", "BATT_F", (20.8, 51.2, 180))
    s.add(
        "J2",
        "USB-C",
        "USBC-6",
        "1:GND/g=GND 2:VBUS/S=VBUS 3:CC1=CC1 4:CC2=CC2 5:VBUS/S=VBUS 6:GND/g=GND "
        "S1:shell=GND S2:shell=GND S3:shell=GND S4:shell=GND",
        (4.2, 31.0, 270),
    )
    s.two("R1", "5k1", "CHIP-1608M", "CC1", "GND", (11.0, 33.6, 0))
    s.two("R2", "5k1", "CHIP-1608M", "CC2", "GND", (11.0, 29.6, 0))
    s.two("D3", "40V 1A", "SMA", "5V0", "VBUS", (14.0, 25.6, 180))
    s.block = "Buck, 12 V to 5 V"
    s.add(
        "U2",
        "AB-18-2",
        "SOT-23-6",
        "1:EN/i=12V 2:IN/s=12V 3:SW/o=SW 4:BST=BST 5:GND/g=GND 6:FB/i=FB",
        (31.0, 46.2, 0),
    )
    s.two("C1", "10u 25V", "CHIP-3216M", "12V", "GND", (26.4, 45.2, 270))
    s.two("C2", "100n", "CHIP-1608M", "BST", "SW", (34.4, 43.4, 90))
    s.two("L1", "22u", "IND-6060", "SW", "5V_BUCK", (40.6, 46.6, 0))
    s.two("D2", "40V 3A", "SMA", "5V0", "5V_BUCK", (50.6, 51.0, 180))
    s.two("C4", "22u 10V", "CHIP-3216M", "5V_BUCK", "GND", (47.4, 44.6, 270))
    s.two("R3", "43k", "CHIP-1608M", "5V_BUCK", "FB", (34.6, 51.2, 180))
    s.two("R4", "8k2", "CHIP-1608M", "FB", "GND", (29.6, 51.2, 180))
    s.block = "Linear, 5 V to 3.3 V"
    s.add("U3", "AR-33", "SOT-223", "1:GND/g=GND 2:OUT/S=3V3 3:IN/s=5V0 4:OUT/p=3V3", (21.6, 36.0, 180))
    s.two("C6", "10u", "CHIP-2012M", "5V0", "GND", (28.4, 38.2, 0))
    s.two("C7", "10u", "CHIP-2012M", "3V3", "GND", (15.0, 37.6, 90))
    s.block = "Controller minimum"
    supplies = "5:GND/g=GND 6:VDD/s=3V3 13:GND/g=GND 14:VDD/s=3V3 21:GND/g=GND 22:VDD/s=3V3 29:GND/g=GND 30:VDD/s=3V3"
    s.add("U1", "OW-32T", "TQFP-32", f"1:RESET/i=RESET {supplies} 32:AVDD/s=3V3", (42.0, 28.0, 0))
    s.two("C8", "100n", "CHIP-1608M", "3V3", "GND", (34.4, 27.4, 270))
    s.two("C9", "100n", "CHIP-1608M", "3V3", "GND", (49.6, 29.4, 270))
    s.two("C3", "100n", "CHIP-1608M", "3V3", "GND", (44.4, 20.8, 180))
    s.two("C10", "100n", "CHIP-1608M", "3V3", "GND", (40.4, 35.0, 0))
    s.two("Y1", "8 MHz 20p", "XTAL-P488", "OSC1", "OSC2", (30.0, 22.6, 90), "crystal")
    s.two("C11", "33p", "CHIP-1608M", "OSC1", "GND", (25.6, 25.6, 180))
    s.two("C12", "33p", "CHIP-1608M", "OSC2", "GND", (25.6, 19.8, 180))
    s.two("R5", "10k", "CHIP-1608M", "3V3", "RESET", (33.8, 33.4, 0))
    s.two("C13", "100n", "CHIP-1608M", "RESET", "GND", (33.8, 31.0, 180))
    s.add(
        "J3",
        "programming",
        "HDR-1x6",
        "1:3V3=3V3 2:GND=GND 3:RST=RESET 4:CK=PROG_CK 5:IN=PROG_IN 6:OUT=PROG_OUT",
        (46.6, 15.0, 90),
        "card",
    )
    s.add("J7", "serial", "HDR-1x3", "1:GND=GND 2:TX=TX 3:RX=RX", (37.6, 38.4, 90), "card")
    s.block = "Air temperature"
    s.add("J4", "thermistor 10k", "TERM-2", "1:+=AIR_TEMP 2:-=GND", (72.4, 26.0, 180))
    s.two("R6", "10k 1%", "CHIP-1608M", "3V3", "AIR_TEMP", (57.0, 29.6, 0))
    s.two("C14", "100n", "CHIP-1608M", "AIR_TEMP", "GND", (57.0, 26.6, 0))
    s.block = "Sensor socket"
    s.add("J5", "I2C sensor", "HDR-1x4", "1:3V3=3V3 2:GND=GND 3:SDA=SDA 4:SCL=SCL", (73.6, 41.0, 0), "card")
    s.two("R7", "3k6", "CHIP-1608M", "3V3", "SDA", (62.4, 41.4, 0))
    s.two("R8", "3k6", "CHIP-1608M", "3V3", "SCL", (62.4, 38.6, 0))
    s.block = "Pump driver"
    s.add("J6", "pump 2 A", "TERM-2", "1:+=12V 2:-=PUMP", (72.4, 12.6, 180))
    s.add("Q1", "HN-30-4L", "SOT-23", "1:G/i=PUMP_G 2:S/p=GND 3:D/d=PUMP", (60.4, 10.2, 0))
    s.two("R9", "100", "CHIP-1608M", "PUMP_ON", "PUMP_G", (54.8, 11.6, 0))
    s.two("R10", "10k", "CHIP-1608M", "PUMP_G", "GND", (54.8, 8.6, 0))
    s.two("D5", "40V 3A", "SMA", "12V", "PUMP", (63.6, 16.6, 180))
    s.block = "Horn"
    s.two("BZ1", "5 V sounder", "SOUNDER-P762-D12", "5V0", "HORN_D", (14.0, 12.4, 90), "sounder")
    s.add("Q2", "HN-30-4L", "SOT-23", "1:G/i=HORN_G 2:S/p=GND 3:D/d=HORN_D", (24.2, 11.0, 180))
    s.two("R11", "1k", "CHIP-1608M", "HORN", "HORN_G", (30.4, 10.6, 180))
    s.two("R12", "10k", "CHIP-1608M", "HORN_G", "GND", (30.4, 7.6, 180))
    s.block = "Lights"
    s.two("LED1", "red 2V0", "LED-2012M", "LED_FROST_K", "LED_FROST", (38.4, 5.6, 180), "led")
    s.two("R13", "300", "CHIP-1608M", "LED_FROST_K", "GND", (43.4, 5.6, 0))
    s.two("LED2", "green 2V1", "LED-2012M", "LED_ALIVE_K", "LED_ALIVE", (38.4, 9.2, 180), "led")
    s.two("R14", "240", "CHIP-1608M", "LED_ALIVE_K", "GND", (43.4, 9.2, 0))
    s.block = "Battery reading"
    s.two("R15", "75k", "CHIP-1608M", "12V", "V_BATT", (57.0, 34.6, 180))
    s.two("R16", "22k", "CHIP-1608M", "V_BATT", "GND", (57.0, 37.2, 0))
    s.two("C15", "100n", "CHIP-1608M", "V_BATT", "GND", (57.0, 32.2, 0))
    board = Board(
        outline=rectangle(80, 56), corner_radius_nm=nm(3), copper_layers=2, rules=rule_set("standard-house")
    )
    wide = {
        "GND": power_net("GND", "ground", 0.6, neck=(0.25, 3.0), least=0.4),
        "12V": power_net("12V", "supply", 2.0, neck=(0.4, 3.0)),
        "BATT": power_net("BATT", "supply", 2.0),
        "BATT_F": power_net("BATT_F", "supply", 2.0),
        "PUMP": power_net("PUMP", "high-current", 2.0, neck=(0.5, 2.0)),
        "5V0": power_net("5V0", "supply", 0.5, least=0.4),
        "5V_BUCK": power_net("5V_BUCK", "supply", 1.0),
        "VBUS": power_net("VBUS", "supply", 0.5, least=0.4),
        "SW": power_net("SW", "switching", 1.0, least=0.5),
        "3V3": power_net("3V3", "supply", 0.3, least=0.3),
        "SDA": Net(name="SDA", role="bus"),
        "SCL": Net(name="SCL", role="bus"),
        "FB": Net(name="FB", role="sense"),
        "AIR_TEMP": Net(name="AIR_TEMP", role="sense"),
        "V_BATT": Net(name="V_BATT", role="sense"),
    }
    design = s.design("Frost Sentinel", "Fernhollow Orchard", board, wide)
    holes = {
        f"H{i + 1}": MountingHole(
            id=f"H{i + 1}", x_nm=nm(x), y_nm=nm(y), drill_nm=nm(3.2), keepout_nm=nm(3.2)
        )
        for i, (x, y) in enumerate(((4, 4), (76, 4), (4, 20), (76, 52)))
    }
    texts = {
        "name": LegendText(id="name", text="FROST SENTINEL", x_nm=nm(62.2), y_nm=nm(47.6), height_nm=nm(1.8)),
        "made": LegendText(
            id="made", text="FERNHOLLOW ORCHARD", x_nm=nm(61.0), y_nm=nm(44.8), height_nm=nm(1.2)
        ),
    }
    pours = {"ground": Pour(id="ground", net="GND", layer="back")}
    design = design.replaced(holes=holes, texts=texts, pours=pours)
    return said(design, *FROST_NUMBERS, "brief ambient 40", *FROST_REASONS, *FROST_NEEDS, "assign U1")


FROST_NUMBERS = (
    "swap U1 OW-32T",
    "swap U2 AB-18-2",
    "swap U3 AR-33",
    "swap Q1 Q2 HN-30-4L",
    "swap D1 D2 D5 HK-40-3A",
    "swap D3 HK-40-1",
    "swap L1 KL-60-22U",
    "swap F1 WF-3",
    "swap J1 J4 J6 NT-2",
    "swap J2 NU-6",
    "swap J3 NH-1x6",
    "swap J5 NH-1x4",
    "swap J7 NH-1x3",
    "swap Y1 TQ-8",
    "swap C11 C12 DC-16G-33P",
    "swap BZ1 CH-12A",
    "swap LED1 GL-20R",
    "swap LED2 GL-20G",
    "swap C1 DC-32X-10U",
    "swap C4 DC-32X-22U",
    "swap C6 C7 DC-20X-10U",
    "swap C2 C3 C8..10 C13..15 DC-16X-100N",
    "swap R1 R2 QR-16-5P1K",
    "swap R3 QR-16-43K",
    "swap R4 QR-16-8P2K",
    "swap R5 R6 R10 R12 QR-16-10K",
    "swap R7 R8 QR-16-3P6K",
    "swap R9 QR-16-100R",
    "swap R11 QR-16-1K",
    "swap R13 QR-16-300R",
    "swap R14 QR-16-240R",
    "swap R15 QR-16-75K",
    "swap R16 QR-16-22K",
)
FROST_REASONS = (
    "calc FEEDBACK feedback vout_v=5V0 vref_v=U2.vref_v top_ohm=R3 bottom_ohm=R4",
    "calc COIL inductor vin_v=14.4 vout_v=5V0 load_a=1 fsw_hz=U2.fsw_hz l_h=L1",
    "calc HEAT linear vin_v=5V0 vout_v=3V3 load_a=0.15 iq_a=U3.iq_a"
    " theta_ja_k_per_w=U3.theta_ja_k_per_w ambient_c=ambient",
    "calc OSC crystal load_f=Y1.cl_f stray_f=4p c1_f=C11 c2_f=C12",
    "calc BUS pull-up supply_v=3V3 r1_ohm=R7 r2_ohm=R8",
    "calc FROST_LIGHT led supply_v=3V3 forward_v=LED1.vf_v current_a=5m r_ohm=R13",
    "calc ALIVE_LIGHT led supply_v=3V3 forward_v=LED2.vf_v current_a=5m r_ohm=R14",
    "calc DIVIDER divider input_v=14.4 full_scale_v=3V3 bottom_ohm=R16 top_ohm=R15",
    "calc NIGHT battery capacity_ah=7 usable=0.7 load_a=0.06 open_v=12.6 internal_ohm=0.05 peak_a=2.1 min_v=11",
)
FROST_NEEDS = (
    'brief purpose "Wakes the orchard when the night turns to frost, runs the sprinkler pump, and says'
    ' so with light and horn."',
    "brief size 80x56",
    "brief tall 15",
    "brief manufacturing order",
    "brief skills no-leadless",
    "brief quantity 5",
    "brief budget 20",
    "brief date 2027-03-01",
    'demand "PUMP_ON: pwm, HORN: pwm, LED_FROST: gpio, LED_ALIVE: gpio, AIR_TEMP: adc, V_BATT: adc,'
    " SDA/SCL: i2c, TX/RX: uart,"
    ' PROG_CK/PROG_OUT/PROG_IN: spi, OSC1/OSC2: xtal, flash 16k, supply 3.3"',
    'need Q1 must "Warns within 10 s when the air falls below 1 °C" measured<=10 s',
    'need Q2 must "Drives the pump with 2 A" current.PUMP>=2',
    'need Q3 must "Lasts a night of frost on its accumulator" NIGHT.hours>=14',
    'need Q4 must "The pump does not reset the controller: supply at peak" NIGHT.margin_v>=0.5',
    'need Q5 must "The linear regulator stays cool enough in July" HEAT.junction_c<=100',
    'need Q6 must "The horn is heard across the yard"',
    'need Q7 wish "Fits the lid of the meter box" width<=82',
    'need Q8 wish "Parts for one under 20 €" cost<=20',
    'show Q1 6.5 "three trials in the cold store"',
    'sheet "Supply inputs" Power',
    'sheet "Buck, 12 V to 5 V" Power',
    'sheet "Linear, 5 V to 3.3 V" Power',
    'sheet "Battery reading" Power',
    'sheet "Pump driver" Yard',
    'sheet "Horn" Yard',
    'sheet "Air temperature" Yard',
    'sheet "Sensor socket" Yard',
    'hint "Buck, 12 V to 5 V" "input capacitor, switch and ground in the smallest loop"',
    'worked "Pump driver" "Frost Sentinel, revision A, 2026-05-02"',
    'variant accu "accumulator only"',
    "fit J2 R1 R2 D3 no in accu",
    'note U1 "Internal clock until the crystal runs; see OSC."',
)
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


def said(design: Design, *sentences: str) -> Design:
    """Carry sentences out, as somebody at the ask line would."""
    shelf = resources()
    for text in sentences:
        edit = ask(design, text, shelf).edit
        assert edit is not None, text
        design, _ = apply(design, edit)
    return design


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
    return said(s.design("Seedling Thirst Beeper", "Fernhollow Orchard", board, wide), *BEEPER_SAYS)


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
        (Path(__file__).parent / "weathercock.png").read_bytes(), "weathercock.png", 166
    ).outline
    board = Board(outline=outline, copper_layers=2, rules=rule_set("standard-house"))
    design = said(Design(name="Packing Bench Panel", title="Fernhollow Orchard", board=board), *PANEL_SAYS)
    keys = [(24 + 19 * column, 73.5 - 18.5 * row) for row in range(3) for column in range(5)]
    places = [f"place S{k + 1} {x} {y}" for k, (x, y) in enumerate(keys)]
    places += [f"place D{k + 1} {x} {y + 8.3}" for k, (x, y) in enumerate(keys)]
    text = 'text "PACKING BENCH" 64 25 2.2'
    return said(design, *places, "place U1 126 50", *PANEL_PLACES, text)


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
    *(f"lock {r}" for r in ("J1", "J4", "J3", "J5", "S1", "J2")),
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


def cider_press_logger() -> Design:
    """Build the press logger: four layers with planes, a bridge converter by a buck, a shunt with taps."""
    board = Board(
        outline=rectangle(76, 54), corner_radius_nm=nm(2), copper_layers=4, rules=rule_set("four-layer-house")
    )
    design = said(Design(name="Cider Press Logger", title="Fernhollow Orchard", board=board), *CIDER_SAYS)
    wide = {
        "12V": power_net("12V", "supply", 3.0, neck=(0.4, 3.5)),
        "FEED": power_net("FEED", "supply", 3.0, neck=(0.6, 3)),
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
    design, _ = apply(design.replaced(nets=nets), propose(design.replaced(nets=nets), 1, seed=1)[0].edit)
    return said(design, *CIDER_PLACES)


CIDER_PLACES = (
    "place C1 by U1.2",
    "place C16 by U4.1",
    "place C18 by U5.1",
    "place C4 by U2.3",
    'need Q2 must "Drives the press pump with 3 A" current.PUMP_BACK>=3',
)
# Said once the board is routed.
AFTERWARDS = {
    "1-frost-sentinel": ("vias 12V", "centre all"),
    "2-seedling-thirst-beeper": ("centre all",),
    "3-packing-bench-panel": ("centre all",),
    "4-cider-press-logger": ("vias PUMP_BACK", "centre all", "stitch GND 6"),
}


def finish(design: Design, slug: str) -> bool:
    """Arrange what has no place, route, check and write; tells whether the result is clean."""
    if any(p.place is None for p in design.parts.values()):
        design, _ = apply(design, arrange(design))
    begin = time.perf_counter()
    result = route(design, fresh=True)
    seconds = time.perf_counter() - begin
    design = said(apply(design, result.edit)[0], *AFTERWARDS.get(slug, ()))
    checked = check(design)
    proved = {
        n: p.model_copy(update={"proved": (f"{design.name}, revision A, 2026-05-02",)})
        for n, p in design.packages.items()
    }
    design = design.replaced(packages=proved)
    findings = all_findings(design)
    print(
        f"{design.name}: {len(design.parts)} parts, {result.links_made}/{result.links_wanted} links "
        f"in {seconds:.2f} s, {checked.figures}"
    )
    for f in findings:
        print("  ", f.level, f.code, f.message, f.reading, f.limit, f.unit)
    FOLDER.mkdir(exist_ok=True)
    (FOLDER / f"{slug}.json").write_text(to_json(design), encoding="utf-8")
    return not any(f.level in ("stop", "look") for f in findings)


if __name__ == "__main__":
    demos = {
        "1-frost-sentinel": frost_sentinel,
        "2-seedling-thirst-beeper": thirst_beeper,
        "3-packing-bench-panel": packing_bench_panel,
        "4-cider-press-logger": cider_press_logger,
    }
    wanted = sys.argv[1:] or list(demos)
    clean = [finish(demos[slug](), slug) for slug in wanted]
    sys.exit(0 if all(clean) else 1)
