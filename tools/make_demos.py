"""Builds the demo designs from a compact description, arranges and routes them, and refuses to write unclean ones."""

from __future__ import annotations

import math
import sys
import time
from pathlib import Path

from vane_step.core.board.arrange import arrange
from vane_step.core.board.check import check
from vane_step.core.board.geometry import rectangle
from vane_step.core.board.nearness import nearness_findings
from vane_step.core.circuit.review import review
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
)  # fmt: skip
from vane_step.core.parts.packages import package
from vane_step.core.power.trace import width_mm
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.data.shipped import rule_set

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
            ref=ref, value=value, package=pack, kind=kind or KINDS.get(letters, "card"),  # type: ignore[arg-type]
            pins=tuple(listed), block=self.block, place=place,
        )  # fmt: skip

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
                name=net, pins=tuple(pins), role=known.role if known else "signal", rule=known.rule if known else None
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
        width_nm=nm(width), clearance_nm=nm(clearance), neck_width_nm=nm(neck[0]) if neck else None,
        neck_length_nm=nm(neck[1]) if neck else None, current=CurrentNeed(current_a=amps, rise_k=10),
    )  # fmt: skip
    return Net(name=name, role=role, rule=rule)  # type: ignore[arg-type]


def frost_sentinel() -> Design:
    """Build the night-frost alarm node: 12 V or USB-C, buck and linear supplies, pump driver, sensors, sounder."""
    s = Sketch()
    s.block = "Supply inputs"
    s.add("J1", "12 V accumulator", "TERM-2", "1:+/S=BATT 2:-=GND", (6.0, 48.0, 0))
    s.two("F1", "3 A", "CHIP-3216M", "BATT", "BATT_F", (14.0, 51.2, 0))
    s.two("D1", "40V 3A", "SMA", "12V", "BATT_F", (20.8, 51.2, 180))
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
        "SNIPE-5B",
        "SOT-23-6",
        "1:BST=BST 2:GND/g=GND 3:FB/i=FB 4:EN/i=12V 5:VIN/s=12V 6:SW/o=SW",
        (31.0, 46.2, 180),
    )
    s.two("C1", "10u 25V", "CHIP-3216M", "12V", "GND", (26.4, 45.2, 270))
    s.two("C2", "100n", "CHIP-1608M", "BST", "SW", (34.4, 43.4, 90))
    s.two("L1", "33u 2A1", "IND-6060", "SW", "5V_BUCK", (40.6, 46.6, 0))
    s.two("D2", "40V 3A", "SMA", "5V0", "5V_BUCK", (50.6, 51.0, 180))
    s.two("C4", "22u 10V", "CHIP-3216M", "5V_BUCK", "GND", (47.4, 44.6, 270))
    s.two("R3", "52k3", "CHIP-1608M", "5V_BUCK", "FB", (34.6, 51.2, 180))
    s.two("R4", "10k", "CHIP-1608M", "FB", "GND", (29.6, 51.2, 180))
    s.block = "Linear, 5 V to 3.3 V"
    s.add("U3", "DIPPER-33", "SOT-223", "1:GND/g=GND 2:OUT/S=3V3 3:IN/s=5V0 4:OUT/p=3V3", (21.6, 36.0, 180))
    s.two("C6", "10u", "CHIP-2012M", "5V0", "GND", (28.4, 38.2, 0))
    s.two("C7", "10u", "CHIP-2012M", "3V3", "GND", (15.0, 37.6, 90))
    s.block = "Controller minimum"
    pins = (
        "1:PD3/x=PUMP_ON 2:PD4/x=HORN 3:GND/g=GND 4:VDD/s=3V3 5:GND/g=GND 6:VDD/s=3V3 7:OSC1/i=OSC1 8:OSC2/o=OSC2 "
        "9:PD5/x=LED_FROST 10:PD6/x=LED_ALIVE 11:PD7/n=- 12:PB0/n=- 13:PB1/n=- 14:PB2/n=- 15:PB3/x=PB3 16:PB4/x=PB4 "
        "17:PB5/x=PB5 18:AVDD/s=3V3 19:PC6/n=- 20:AREF/p=AREF 21:AGND/g=GND 22:PC7/n=- "
        "23:PC0/x=AIR_TEMP 24:PC1/x=V_BATT "
        "25:PC2/n=- 26:PC3/n=- 27:SDA/d=SDA 28:SCL/d=SCL 29:RST/i=RESET 30:RXD/i=RX 31:TXD/o=TX 32:PD2/n=-"
    )
    s.add("U1", "TERN-32Q", "TQFP-32", pins, (42.0, 28.0, 0))
    s.two("C8", "100n", "CHIP-1608M", "3V3", "GND", (34.2, 27.2, 270))
    s.two("C9", "100n", "CHIP-1608M", "3V3", "GND", (49.4, 24.8, 270))
    s.two("C3", "100n", "CHIP-1608M", "3V3", "GND", (34.2, 31.0, 90))
    s.two("C10", "100n", "CHIP-1608M", "AREF", "GND", (49.4, 28.4, 270))
    s.two("Y1", "8 MHz 12p5", "XTAL-P488", "OSC1", "OSC2", (30.0, 19.8, 90), "crystal")
    s.two("C11", "18p", "CHIP-1608M", "OSC1", "GND", (25.6, 23.0, 180))
    s.two("C12", "18p", "CHIP-1608M", "OSC2", "GND", (25.6, 17.0, 180))
    s.two("R5", "10k", "CHIP-1608M", "3V3", "RESET", (44.4, 36.6, 90))
    s.two("C13", "100n", "CHIP-1608M", "RESET", "GND", (47.4, 36.6, 270))
    s.add(
        "J3",
        "programming",
        "HDR-1x6",
        "1:3V3=3V3 2:GND=GND 3:RST=RESET 4:CLK=PB5 5:IN=PB4 6:OUT=PB3",
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
    s.two("R7", "4k7", "CHIP-1608M", "3V3", "SDA", (62.4, 41.4, 0))
    s.two("R8", "4k7", "CHIP-1608M", "3V3", "SCL", (62.4, 38.6, 0))
    s.block = "Pump driver"
    s.add("J6", "pump 2 A", "TERM-2", "1:+=12V 2:-=PUMP", (72.4, 12.6, 180))
    s.add("Q1", "n 30V 24m", "SOT-23", "1:G/i=PUMP_G 2:S/p=GND 3:D/p=PUMP", (60.4, 10.2, 0))
    s.two("R9", "100", "CHIP-1608M", "PUMP_ON", "PUMP_G", (54.8, 11.6, 0))
    s.two("R10", "10k", "CHIP-1608M", "PUMP_G", "GND", (54.8, 8.6, 0))
    s.two("D5", "40V 3A", "SMA", "12V", "PUMP", (63.6, 16.6, 180))
    s.block = "Horn"
    s.two("BZ1", "5 V sounder", "SOUNDER-P762-D12", "5V0", "HORN_D", (14.0, 12.4, 90), "sounder")
    s.add("Q2", "n 30V 60m", "SOT-23", "1:G/i=HORN_G 2:S/p=GND 3:D/p=HORN_D", (24.2, 11.0, 180))
    s.two("R11", "1k", "CHIP-1608M", "HORN", "HORN_G", (30.4, 10.6, 180))
    s.two("R12", "10k", "CHIP-1608M", "HORN_G", "GND", (30.4, 7.6, 180))
    s.block = "Lights"
    s.two("LED1", "red 2V0", "LED-2012M", "LED_FROST_K", "LED_FROST", (38.4, 5.6, 180), "led")
    s.two("R13", "240", "CHIP-1608M", "LED_FROST_K", "GND", (43.4, 5.6, 0))
    s.two("LED2", "green 2V1", "LED-2012M", "LED_ALIVE_K", "LED_ALIVE", (38.4, 9.2, 180), "led")
    s.two("R14", "240", "CHIP-1608M", "LED_ALIVE_K", "GND", (43.4, 9.2, 0))
    s.block = "Battery reading"
    s.two("R15", "100k", "CHIP-1608M", "12V", "V_BATT", (57.0, 34.6, 180))
    s.two("R16", "22k", "CHIP-1608M", "V_BATT", "GND", (57.0, 37.2, 0))
    s.two("C15", "100n", "CHIP-1608M", "V_BATT", "GND", (57.0, 32.2, 0))
    board = Board(outline=rectangle(80, 56), corner_radius_nm=nm(3), copper_layers=2, rules=rule_set("standard-house"))
    wide = {
        "GND": power_net("GND", "ground", 0.6, neck=(0.25, 3.0), least=0.4),
        "12V": power_net("12V", "supply", 2.0, neck=(0.4, 3.0)), "BATT": power_net("BATT", "supply", 2.0),
        "BATT_F": power_net("BATT_F", "supply", 2.0), "PUMP": power_net("PUMP", "high-current", 2.0, neck=(0.5, 2.0)),
        "5V0": power_net("5V0", "supply", 0.5, least=0.4), "5V_BUCK": power_net("5V_BUCK", "supply", 1.0),
        "VBUS": power_net("VBUS", "supply", 0.5, least=0.4), "SW": power_net("SW", "switching", 1.0, least=0.5),
        "3V3": power_net("3V3", "supply", 0.3, least=0.3),
        "SDA": Net(name="SDA", role="bus"), "SCL": Net(name="SCL", role="bus"),
        "FB": Net(name="FB", role="sense"), "AIR_TEMP": Net(name="AIR_TEMP", role="sense"),
        "V_BATT": Net(name="V_BATT", role="sense"),
    }  # fmt: skip
    design = s.design("Frost Sentinel", "Fernhollow Orchard", board, wide)
    holes = {
        f"H{i + 1}": MountingHole(id=f"H{i + 1}", x_nm=nm(x), y_nm=nm(y), drill_nm=nm(3.2), keepout_nm=nm(3.2))
        for i, (x, y) in enumerate(((4, 4), (76, 4), (4, 20), (76, 52)))
    }
    texts = {
        "name": LegendText(id="name", text="FROST SENTINEL", x_nm=nm(62.5), y_nm=nm(47.6), height_nm=nm(1.8)),
        "made": LegendText(id="made", text="FERNHOLLOW ORCHARD", x_nm=nm(62.5), y_nm=nm(44.8), height_nm=nm(1.2)),
    }
    pours = {"ground": Pour(id="ground", net="GND", layer="back")}
    return design.replaced(holes=holes, texts=texts, pours=pours)


def thirst_beeper() -> Design:
    """Build the seedling beeper: coin-sized, one layer, through-hole, for the kitchen table."""
    s = Sketch()
    s.kitchen = True
    s.block = "Controller"
    s.add(
        "U1",
        "WREN-8P",
        "DIP-8",
        "1:RST/i=RESET 2:PB3/x=PROBE_ON 3:PB4/x=MOISTURE 4:GND/g=GND 5:PB0/x=BEEP 6:PB1/x=LIGHT 7:PB2/n=- 8:VDD/s=VCC",
        (22.0, 21.0, 0),
    )
    s.two("C1", "100n", "CER-P508-D5", "VCC", "GND", (28.6, 28.6, 0), "capacitor")
    s.two("R2", "10k", "AXIAL-P762", "VCC", "RESET", (19.0, 30.6, 180))
    s.block = "Battery"
    s.add("J2", "3 V cell", "HDR-1x2", "1:+/S=VCC 2:-=GND", (22.5, 37.0, 90))
    s.two("C2", "10u", "ELCO-P250-D5", "VCC", "GND", (29.8, 34.0, 0), "polar-capacitor")
    s.block = "Probe"
    s.add("J1", "probe", "HDR-1x2", "1:a=PROBE_A 2:b=GND", (9.0, 30.0, 0))
    s.two("R1", "100k", "AXIAL-P762", "PROBE_ON", "PROBE_A", (9.4, 22.0, 90))
    s.two("R6", "1k", "AXIAL-P762", "PROBE_A", "MOISTURE", (13.6, 22.0, 270))
    s.block = "Light"
    s.two("R3", "330", "AXIAL-P762", "LIGHT", "LIGHT_A", (30.4, 20.0, 90))
    s.two("LED1", "amber 2V0", "LEDR-P254-D5", "GND", "LIGHT_A", (36.6, 24.6, 90), "led")
    s.block = "Beep"
    s.two("R4", "100", "AXIAL-P762", "BEEP", "BEEP_A", (33.8, 14.6, 270))
    s.two("BZ1", "piezo", "SOUNDER-P762-D12", "BEEP_A", "GND", (22.0, 8.2, 180), "sounder")
    s.two("R5", "10k", "AXIAL-P762", "BEEP", "GND", (37.4, 15.6, 270))
    points = tuple(
        (nm(22 + 22 * math.cos(2 * math.pi * k / 96)), nm(22 + 22 * math.sin(2 * math.pi * k / 96))) for k in range(96)
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
    return s.design("Seedling Thirst Beeper", "Fernhollow Orchard", board, wide)


def finish(design: Design, slug: str) -> bool:
    """Arrange what has no place, route, check and write; tells whether the result is clean."""
    if any(p.place is None for p in design.parts.values()):
        design, _ = apply(design, arrange(design))
    begin = time.perf_counter()
    result = route(design, fresh=True)
    seconds = time.perf_counter() - begin
    design, _ = apply(design, result.edit)
    checked = check(design)
    findings = [*checked.findings, *review(design), *nearness_findings(design)]
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
    clean = [finish(frost_sentinel(), "1-frost-sentinel"), finish(thirst_beeper(), "2-seedling-thirst-beeper")]
    sys.exit(0 if all(clean) else 1)
