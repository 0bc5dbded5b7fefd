"""The first demo: a frost warner of 52 parts on two layers."""

from __future__ import annotations

from tools.demos.sketch import Sketch, power_net, said
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.design.model import (
    Board,
    Design,
    LegendText,
    MountingHole,
    Net,
    Pour,
)
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set

FROST_NUMBERS = (
    "swap U1 OW-32T",
    "swap U2 AB-18-2",
    "swap U3 AR-33",
    "swap Q1 Q2 HN-30-4L",
    "swap D1 HK-30-5",
    "swap D2 D5 HK-40-3A",
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


# What feeds it, what hangs on it, and what it does: most nights it watches, for a minute it pumps and sounds.
FROST_POWER = (
    "source BATT BATT GND 12.6V 10.8..14.4V 0.05ohm 7Ah lead",
    "load SPRINKLER 12V PUMP 6.2ohm",
    "load SENSOR 3V3 GND 2mA",
    "rail 12V 10..14.2",
    "rail 5V0 4.4..5",
    "mode watch 98%",
    "mode alarm 2%",
    "drives PUMP_ON low in watch",
    "drives PUMP_ON high in alarm",
    "drives HORN low in watch",
    "drives HORN high in alarm",
    "drives LED_FROST low in watch",
    "drives LED_FROST high in alarm",
    "drives LED_ALIVE high",
    "state night BATT=on J2=off mode=watch",
    "state frost BATT=on J2=off mode=alarm",
    "state bench BATT=off J2=on mode=watch",
)


def frost_sentinel() -> Design:
    """Build the night-frost alarm node: 12 V or USB-C, buck and linear supplies, pump driver, sensors, sounder."""
    s = Sketch()
    s.block = "Supply inputs"
    s.add("J1", "12 V accumulator", "TERM-2", "1:+/S=BATT 2:-=GND", (6.0, 48.0, 0))
    s.two("F1", "3 A", "CHIP-3216M", "BATT", "BATT_F", (14.0, 51.2, 0))
    s.two("D1", "HK-30-5", "SMC", "12V", "BATT_F", (21.6, 51.2, 180))
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
    s.two("C8", "100n", "CHIP-1608M", "3V3", "GND", (34.9, 29.65, 180))
    s.two("C9", "100n", "CHIP-1608M", "3V3", "GND", (49.6, 29.4, 270))
    s.two("C3", "100n", "CHIP-1608M", "3V3", "GND", (44.4, 20.8, 180))
    s.two("C10", "100n", "CHIP-1608M", "3V3", "GND", (40.4, 35.0, 0))
    s.two("Y1", "8 MHz 20p", "XTAL-P488", "OSC1", "OSC2", (33.9, 23.2, 270), "crystal")
    s.two("C11", "33p", "CHIP-1608M", "OSC1", "GND", (37.4, 21.1, 270))
    s.two("C12", "33p", "CHIP-1608M", "OSC2", "GND", (38.9, 21.1, 270))
    s.two("R5", "10k", "CHIP-1608M", "3V3", "RESET", (33.8, 33.6, 0))
    s.two("C13", "100n", "CHIP-1608M", "RESET", "GND", (33.8, 31.3, 180))
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
        "GND": power_net("GND", "ground", 2.3, neck=(0.25, 3.0), least=0.4),
        "12V": power_net("12V", "supply", 2.3, neck=(0.4, 3.0)),
        "BATT": power_net("BATT", "supply", 2.3),
        "BATT_F": power_net("BATT_F", "supply", 2.3),
        "PUMP": power_net("PUMP", "high-current", 2.3, neck=(0.5, 2.0)),
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
    return said(
        design, *FROST_NUMBERS, "brief ambient 40", *FROST_REASONS, *FROST_NEEDS, "assign U1", *FROST_POWER
    )
