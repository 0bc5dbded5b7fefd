"""Models of parts: every kind of the catalogue put between resistors, and new kinds by hand."""

from __future__ import annotations

import random
import unittest

from tests.support import board, said
from vane_step.core.design.model import Design, Net, Part, pin_name
from vane_step.core.network.contacts import throws
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import Solved, solve
from vane_step.data.shipped import catalogue

MOST_V = 24.0


def kinds() -> list[str]:
    """Give one number of each kind of part: those whose category, pins and ratings are alike are one."""
    found = {
        (e.category, e.kind, tuple(p.name for p in e.pins), tuple(sorted(e.params))): name
        for name, e in sorted(catalogue().parts.items(), reverse=True)
    }
    return sorted(found.values())


def between_resistors(bench: Design, number: str, rng: random.Random) -> Design | None:
    """Put a part on the bench: supplies fed, grounds grounded, each other pin over 10 kΩ to either."""
    design = said(bench, f"add X1 {number}")
    part = design.parts.get("X1")
    if part is None or not 0 < len(part.pins) <= 60:
        return None
    nets: dict[str, list[str]] = {"SUP": ["J1.1"], "GND": ["J1.2"]}
    for k, pin in enumerate(part.pins):
        name = pin_name("X1", pin.number)
        if pin.role in ("supply-in", "ground"):
            nets["SUP" if pin.role == "supply-in" else "GND"].append(name)
        else:
            nets[f"N{k}"] = [name, f"R{k + 1}.1"]
            nets[rng.choice(["SUP", "GND"])].append(f"R{k + 1}.2")
    roles = {"SUP": "supply", "GND": "ground"}
    built = {n: Net(name=n, pins=tuple(pins), role=roles.get(n, "signal")) for n, pins in nets.items()}  # type: ignore[arg-type]
    return said(design.replaced(nets=built), f"source P SUP GND {_feed_v(part):.3g}V 0.1ohm")


def _feed_v(part: Part) -> float:
    said_v = [
        part.params.get(k) for k in ("supply_min_v", "vin_min_v", "supply_max_v", "vin_max_v", "coil_v")
    ]
    known = [v for v in said_v if v]
    return min(sum(known) / len(known), MOST_V) if known else 5.0


class Every(unittest.TestCase):
    def test_comes_to_rest_and_makes_no_power(self) -> None:
        """Each kind in each position settles, loses no current, and turns no heat into current; else it is named."""
        bench = said(Design(name="bench", board=board()), "add J1 NT-2", "add R1..60 QR-16-10K")
        rng = random.Random(20261129)
        modelled = 0
        for number in kinds():
            design = between_resistors(bench, number, rng)
            if design is None:
                continue
            for position in throws(design.parts["X1"])[:2] or ("",):
                with self.subTest(number, position=position):
                    found = solve(design, Setting("", frozenset({"P"}), {"X1": position} if position else {}))
                    given = sum(abs(s.watts) for s in found.sources.values())
                    self.assertTrue(found.settled, found.moving)
                    self.assertLess(abs(found.point.balance_w), 1e-6 + 1e-4 * given)
                    self.assertGreater(min(p.watts for p in found.parts.values()), -1e-5)
                    self.assertTrue("X1" in found.parts or "X1" in found.unmodelled)
                    modelled += "X1" not in found.unmodelled
        self.assertGreater(modelled, 380)


class NearlyNoLoad(unittest.TestCase):
    def test_outputs_hold(self) -> None:
        """Regulators and converters are at their voltage with nothing on them and with a microampere, isolated too."""
        parts = catalogue().parts
        for number in kinds():
            entry = parts[number]
            out = next((p for p in entry.pins if p.role == "supply-out" and p.name in ("OUT", "OUT+")), None)
            if out is None or "vout_v" not in entry.params or entry.category == "battery charger":
                continue
            d = said(Design(name="x", board=board()), "add J1..2 NT-2", f"add U1 {number}")
            into = [p for p in d.parts["U1"].pins if p.role == "supply-in" or p.name in ("EN", "IN+")]
            back = [p for p in d.parts["U1"].pins if p.role == "ground" and p.name != "OUT-"]
            low = next((p for p in d.parts["U1"].pins if p.name == "OUT-"), None)
            if not into or not back:
                continue
            pins = lambda some: " ".join(f"U1.{p.number}" for p in some)  # noqa: E731
            d = said(d, f"join J1.1 {pins(into)} IN", f"join J1.2 {pins(back)} GND")
            far = "GND" if low is None else "FAR"
            d = said(d, f"join J2.2 U1.{low.number} FAR", "role FAR ground") if low is not None else d
            d = said(d, f"join J2.1 U1.{out.number} OUT", *([] if low is not None else ["join J2.2 GND"]))
            volts = min(entry.params.get("vin_max_v", 12.0), entry.params.get("vin_min_v", 6.0) * 1.2 + 1)
            d = said(d, f"source PACK IN GND {volts:.3g}V")
            for load in ("", f"load SIP OUT {far} 1uA", f"load SIP OUT {far} 100uA"):
                with self.subTest(number, load=load):
                    found = solve(said(d, load) if load else d, Setting("", frozenset({"PACK"})))
                    if "U1" in found.unmodelled:
                        continue
                    self.assertTrue(found.settled)
                    at = found.volts["OUT"]
                    self.assertAlmostEqual(
                        at or 0, entry.params["vout_v"], delta=0.01 * abs(entry.params["vout_v"])
                    )


class ByHand(unittest.TestCase):
    def solved(self, *sentences: str, **positions: str) -> Solved:
        """Solve a circuit said in sentences; it comes to rest."""
        design = said(Design(name="x", board=board()), "add J1 NT-2", *sentences)
        found = solve(design, Setting("", frozenset(design.sources), positions))
        self.assertTrue(found.settled, found.moving)
        return found

    def test_a_thyristor_fires(self) -> None:
        """It carries nothing until its gate is driven, and drops its 1.2 V at its rated current then."""
        circuit = (
            "add Q1 HL-600-8",
            "add R1 LMO-1-470M",
            "value R1 10",
            "add R2 QR-16-1K",
            "add S1 PM-19L",
            "join J1.1 R1.1 S1.1 12V",
            "join R1.2 Q1.A A",
            "join S1.2 R2.1 KEY",
            "join R2.2 Q1.G G",
            "join Q1.K J1.2 GND",
            "source PLUG 12V GND 12V",
        )
        self.assertAlmostEqual(self.solved(*circuit).volts["A"] or 0, 12, places=3)
        fired = self.solved(*circuit, S1="closed").volts["A"] or 0
        self.assertAlmostEqual(fired, 12 * 0.15 / 10.15, places=3)

    def test_a_bridge_turns_its_motor(self) -> None:
        """One input high and one low put the supply across the motor, less what both ends drop."""
        found = self.solved(
            "add U1 FM-1",
            "add M1 DM-6",
            "join J1.1 U1.VM U1.IN1 6V",
            "join J1.2 U1.GND U1.IN2 U1.ISEN GND",
            "join M1.1 U1.OUT1 ONE",
            "join M1.2 U1.OUT2 TWO",
            "source PACK 6V GND 6V",
        )
        across = (found.volts["ONE"] or 0) - (found.volts["TWO"] or 0)
        self.assertAlmostEqual(across, 6 * 5 / (5 + 2 / 3), places=2)

    def test_a_multiplexer_picks(self) -> None:
        """The address 5 joins X to X5 through its 80 Ω and to no other."""
        found = self.solved(
            "add U1 OM-8S",
            "add R1..3 QR-16-1K",
            "join J1.1 U1.VDD R1.1 U1.A U1.C R3.1 5V",
            "join J1.2 U1.GND U1.VEE U1.INH R2.2 U1.B GND",
            "join R2.1 U1.X X",
            "join R1.2 U1.X5 PICKED",
            "join R3.2 U1.X4 LEFT",
            "source PLUG 5V GND 5V",
        )
        self.assertAlmostEqual(found.volts["X"] or 0, 5 * 1000 / 2080, places=2)
        self.assertAlmostEqual(found.volts["LEFT"] or 0, 5, places=3)

    def test_lights_get_their_current(self) -> None:
        """A switching driver holds 0.1 V across its resistor, and takes little more power than its lights."""
        found = self.solved(
            "add U1 AZ-1",
            "add R1 QR-16-1R",
            "value R1 0.3",
            "add L1 KL-30-2U2",
            "add D1..3 GW-1",
            "add D4 HK-40-1",
            "join J1.1 U1.IN R1.1 24V",
            "join R1.2 U1.ISEN D1.A ONE",
            "join D1.K D2.A TWO",
            "join D2.K D3.A THREE",
            "join D3.K L1.1 FOUR",
            "join L1.2 U1.SW D4.A FIVE",
            "join D4.K 24V",
            "join J1.2 U1.GND GND",
            "source PLUG 24V GND 24V",
        )
        self.assertAlmostEqual(found.amps["R1.1"], 0.1 / 0.3, places=3)
        lights = sum(found.parts[f"D{k}"].watts for k in (1, 2, 3))
        self.assertLess(lights, found.sources["PLUG"].watts)
        self.assertLess(found.sources["PLUG"].watts, 1.3 * lights)
