"""What parts cost: purchases against trying every amount, the list at several quantities, and what stands in the way."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta

from hypothesis import given, strategies as st

from tests.support import FROST, demo, said
from vane_step.core.circuit.variants import fitted
from vane_step.core.order.buying import (
    Break,
    Dated,
    Offer,
    alternates,
    attrition,
    buy,
    buying_findings,
    lines,
    need_of,
    price_list,
)
from vane_step.data.shipped import catalogue

NOW = datetime(2026, 11, 25, 9, 0, tzinfo=UTC)


def offer(
    number: str = "X", stock: int = 1000, breaks: tuple[tuple[int, float], ...] = ((1, 1.0),), **more: object
) -> Offer:
    """Make an offer."""
    return Offer.model_validate(
        {
            "number": number,
            "supplier": "Test",
            "stock": stock,
            "breaks": [Break(quantity=q, price=p) for q, p in breaks],
            "lead_days": 7,
            **more,
        }
    )


def offers_for(design_name: str = FROST, **special: dict[str, object]) -> dict[str, Dated]:
    """Offer every part of a design for one euro, but for some."""
    numbers = {p.catalogue for p in demo(design_name).parts.values()}
    return {n: Dated(offer(n, **special.get(n.replace("-", "_"), {})), NOW) for n in numbers}  # type: ignore[arg-type]


class Buying(unittest.TestCase):
    """One part."""

    @given(
        st.integers(1, 300),
        st.integers(1, 40),
        st.integers(1, 25),
        st.lists(
            st.tuples(st.sampled_from([5, 10, 50, 100, 250]), st.floats(0.3, 0.99)),
            max_size=4,
            unique_by=lambda b: b[0],
        ),
    )
    def test_against_trying_every_amount(
        self, wanted: int, minimum: int, multiple: int, more: list[tuple[int, float]]
    ) -> None:
        """What is bought is the least amount that may be ordered; a cheaper larger amount is told if and only if there is one."""
        price, breaks = 2.0, [(1, 2.0)]
        for q, share in sorted(more):
            price *= share
            breaks.append((q, price))
        o = offer(stock=10**6, breaks=tuple(breaks), minimum=minimum, multiple=multiple)

        def cost(amount: int) -> float:
            return amount * [p for q, p in breaks if q <= amount][-1]

        allowed = [n for n in range(1, 1200) if n >= minimum and n % multiple == 0]
        bought = buy(o, wanted)
        self.assertEqual(bought.buy, min(n for n in allowed if n >= wanted))
        self.assertAlmostEqual(bought.total, cost(bought.buy))
        best = min(cost(n) for n in allowed if n >= wanted)
        if bought.cheaper:
            self.assertAlmostEqual(bought.cheaper[1], best)
            self.assertLess(bought.cheaper[1], bought.total)
        else:
            self.assertAlmostEqual(best, bought.total)

    def test_spares(self) -> None:
        """None up to ten; then 5 % and at least two of small parts, 2 % of others."""
        for count, kind, spares in (
            (10, "resistor", 0),
            (11, "resistor", 2),
            (100, "capacitor", 5),
            (100, "card", 2),
            (11, "card", 1),
        ):
            self.assertEqual(attrition(count, kind), spares)


class List(unittest.TestCase):
    """A whole design."""

    def test_prices_at_several_quantities(self) -> None:
        """The sum is that of the lines; stock at hand is taken off, unfitted parts are not bought, unpriced lines are counted."""
        d = demo(FROST)
        found = lines(d, fitted(d), offers_for(), {})
        self.assertEqual(sum(len(line.refs) for line in found), len(d.parts))
        for boards in (1, 5, 10, 50):
            s = price_list(d, found, boards)
            self.assertEqual((s.total, s.unpriced), (sum(need_of(line, d, boards) for line in found), 0))
            self.assertAlmostEqual(s.each, s.total / boards)
        drawer = lines(d, fitted(d), offers_for(), {"QR-16-10K": 1000})
        self.assertEqual(price_list(d, found, 1).total - price_list(d, drawer, 1).total, 4)
        accu = lines(d, fitted(d, "accu"), offers_for(), {})
        self.assertEqual(price_list(d, found, 1).total - price_list(d, accu, 1).total, 4)
        bare = said(d, "value R13 330")
        self.assertEqual(price_list(bare, lines(bare, fitted(bare), offers_for(), {}), 1).unpriced, 1)

    def test_what_stands_in_the_way(self) -> None:
        """Short stock, end of life, one source, a better break, nobody offers, nothing chosen: each told once, with its date."""
        d = said(demo(FROST), "value R13 330")
        offers = offers_for(
            HK_40_3A={"stock": 2},
            AB_18_2={"life": "end of life"},
            AR_33={"life": "not for new designs"},
            TQ_8={"sources": 1, "stock": 30},
            DC_16X_100N={"breaks": ((1, 1.0), (100, 0.1))},
        )
        offers["NU-6"] = Dated(None, NOW - timedelta(days=2))
        found = list(buying_findings(d, lines(d, fitted(d), offers, {}), 5, NOW, {"HK-40-3A": "HK-60-3A"}))
        by = {(f.code, f.place.refs[0]): f for f in found}
        self.assertEqual(
            {(c, r) for c, r in by if c != "one-source"},
            {
                ("short-stock", "D2"),
                ("life", "U2"),
                ("life", "U3"),
                ("next-break", "C2"),
                ("no-offer", "J2"),
                ("no-number", "R13"),
            },
        )
        self.assertIn(("one-source", "Y1"), by)
        short = by["short-stock", "D2"]
        self.assertEqual((short.level, short.reading, short.limit, short.unit), ("look", 2, 10, "pieces"))
        assert short.remedy is not None
        self.assertEqual(short.remedy.ask, "swap D2 D5 HK-60-3A")
        self.assertEqual(said(d, short.remedy.ask).parts["D5"].catalogue, "HK-60-3A")
        self.assertIn("more than a day old", by["no-offer", "J2"].source)
        self.assertEqual((by["life", "U2"].level, by["life", "U3"].level), ("look", "note"))

    def test_alternates(self) -> None:
        """What can stand in has the same package, pins and values and no rating below; cheapest first, in stock only."""
        part = catalogue().get("HK-40-3A")
        offers = {
            n: Dated(offer(n, breaks=((1, p),), stock=s), NOW)
            for n, p, s in (
                ("HK-60-3A", 0.5, 100),
                ("HK-40-1", 0.1, 100),
                ("HK-40-3", 0.1, 100),
                ("HR-400-1S", 0.01, 100),
            )
        }
        self.assertEqual([o.number for o, _ in alternates(catalogue(), offers, part, 10)], ["HK-60-3A"])
        self.assertEqual(alternates(catalogue(), offers, part, 200), [])
        everything = {n: Dated(offer(n), NOW) for n in catalogue().parts}
        for number in ("QR-16-10K", "AR-33", "HN-20-4", "DC-20X-100N", "OW-8S", "MS-T1", "GL-20R"):
            mine = catalogue().get(number)
            for other, _ in alternates(catalogue(), everything, mine, 1):
                self.assertEqual(
                    (other.package, other.category, [p.name for p in other.pins]),
                    (mine.package, mine.category, [p.name for p in mine.pins]),
                )
                for key in ("r_ohm", "c_f", "vout_v"):
                    self.assertEqual(other.params.get(key), mine.params.get(key))
                for key in ("vmax_v", "vds_v", "id_a", "iout_a", "power_w"):
                    self.assertGreaterEqual(other.params.get(key, 0), mine.params.get(key, 0))
