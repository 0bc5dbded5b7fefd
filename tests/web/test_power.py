"""Curves and pictures of the power page: drawn for every demo, read by their stops, the same as CSV, refused in words."""

from __future__ import annotations

import csv
import html
import json
import re
import unittest

import numpy as np

from tests.support import FROST
from tests.web.support import Served
from vane_step.core.network.sweeps import Curve
from vane_step.core.operation.plots import PANEL_H, plot_of
from vane_step.data.shipped import demo_designs

CURVES = (
    "kind=time&long=2ms",
    "kind=value&what=ambient&first=0&last=60",
    "kind=time&long=1ms&read=V(GND)",
)


class Drawn(Served):
    """What the page draws."""

    def test_every_demo(self) -> None:
        """Temperature, currents of every layer and curves come for each demo, with their scale and their table."""
        for name, query in zip(demo_designs(), CURVES * 2, strict=True):
            for show in ("heat", "current"):
                text = self.client.get(f"/d/{name}/power/picture?show={show}").text
                self.assertIn("<svg", text, (name, show))
                self.assertIn("scale", text)
            text = self.client.get(f"/d/{name}/power/curve?go=1&{query}").text
            self.assertIn("data-stops", text, (name, query))

    def test_the_same_as_csv(self) -> None:
        """What the cursor reads at its places is in the CSV, whose head names each with its unit."""
        query = "go=1&kind=value&what=BATT&first=8V&last=14V&read=V(3V3)+I(F1.1)&given=1&on=BATT&mode=watch"
        text = self.client.get(f"/d/{FROST}/power/curve?{query}").text
        stops = json.loads(html.unescape(re.search(r"data-stops='([^']*)'", text)[1]))  # type: ignore[index]
        answer = self.client.get(f"/d/{FROST}/power/curve.csv?{query}")
        self.assertIn("attachment", answer.headers["content-disposition"])
        head, *rows = csv.reader(answer.text.splitlines())
        self.assertEqual(head, ["BATT (V)", "V(3V3) (V)", "I(F1.1) (A)"])
        self.assertEqual(len(rows), len(stops))
        for (x, title, values), row in zip(stops, rows, strict=True):
            self.assertTrue(74 <= x <= 730)
            self.assertAlmostEqual(float(title.removesuffix(" V")), float(row[0]), delta=1e-3)
            self.assertAlmostEqual(float(values[0].removesuffix(" V")), float(row[1]), delta=1e-3)

    def test_a_layer_of_the_board(self) -> None:
        """The board's drawing gets heat as cells with their place; where nothing feeds it, what to say."""
        told = self.client.get(f"/d/{FROST}/board/heat.json").json()
        self.assertTrue(told["bottom"] < told["hottest"] <= told["top"])
        [raster] = told["rasters"]
        self.assertEqual([round(v) for v in raster["box"]], [0, 0, 80, 56])
        self.client.post("/new", data={"name": "Bare", "size": "40x30", "manufacturing": "order"})
        bare = self.client.get("/d/bare/board/heat.json")
        self.assertEqual(bare.status_code, 422)
        self.assertIn("source BATT NET GND 12V", bare.json()["next_step"])

    def test_paper(self) -> None:
        """Flow, heat, states and findings of a state come as PDF; a board that nothing feeds says what to do."""
        answer = self.client.get(f"/d/{FROST}/power.pdf?given=1&on=BATT&mode=alarm&at=high")
        self.assertEqual(answer.headers["content-type"], "application/pdf")
        self.assertEqual(len(re.findall(rb"/Type /Page\b", answer.content)), 7)
        curve = "go=1&kind=frequency&source=BATT&net=3V3"
        drawn = self.client.get(f"/d/{FROST}/power.pdf?given=1&on=BATT&mode=alarm&at=high&{curve}")
        self.assertEqual(len(re.findall(rb"/Type /Page\b", drawn.content)), 8)
        wrong = self.client.get(f"/d/{FROST}/power.pdf?given=1&on=BATT&{curve}1")
        self.assertEqual((wrong.status_code, "There is no net 3V31" in wrong.text), (404, True))
        bare = self.client.get(f"/d/{FROST}/power.pdf?given=1")
        self.assertEqual(bare.status_code, 422)
        self.assertIn("source BATT NET GND 12V", bare.text)

    def test_refused_in_words(self) -> None:
        """What cannot be drawn says why and what is allowed, and the form stays."""
        for query, said in (
            ("kind=value&what=NOPE&first=0&last=1", "NOPE cannot be swept"),
            ("kind=time&read=V(NOPE)", "There is no net NOPE"),
            ("kind=time&long=1y", "year"),
            ("kind=frequency&source=BATT&net=12V&low=10kHz&high=1Hz", "there is nothing"),
            ("kind=frequency&source=BATT&net=NOPE", "There is no net NOPE"),
        ):
            text = html.unescape(self.client.get(f"/d/{FROST}/power/curve?go=1&{query}").text)
            self.assertIn("curve-form", text)
            self.assertIn('role="alert"', text, query)
            if said != "year":
                self.assertIn(said, text)
        self.assertEqual(self.client.get(f"/d/{FROST}/power/curve.csv?kind=value&what=NOPE").status_code, 404)


class Laid(unittest.TestCase):
    """Curves laid out."""

    def test_all_within_their_panels(self) -> None:
        """Lines stay in the panel of their unit, ticks at round values; gaps where nothing holds a net."""
        luck = np.random.default_rng(4)
        for k in range(40):
            count = int(luck.integers(2, 3000))
            x = np.sort(luck.uniform(0, 10.0 ** luck.integers(-6, 3), count)) + 1e-9
            y = luck.normal(size=(count, 3)) * 10.0 ** luck.integers(-6, 6, 3) + luck.normal(size=3) * 100
            y[luck.random(y.shape) < 0.05] = np.nan
            curve = Curve("time", "s", x, ("V(A)", "I(B.1)", "V(C)"), ("V", "A", "V"), y)
            plot = plot_of(curve, log=bool(k % 2))
            self.assertEqual([len(p.traces) for p in plot.panels], [2, 1])
            for panel in plot.panels:
                self.assertGreaterEqual(len(panel.ticks), 2)
                for trace in panel.traces:
                    places = [tuple(map(float, p.split())) for p in re.split("[ML]", trace.path) if p]
                    self.assertLess(len(places), 4 * 2 * plot.width)
                    for at, height in places:
                        self.assertTrue(plot.left - 0.1 <= at <= plot.right + 0.1)
                        # What is a trace beyond zero may lie a hundredth outside.
                        slack = 0.02 * PANEL_H
                        self.assertTrue(panel.top - slack <= height <= panel.top + PANEL_H + slack)
            places = [s[0] for s in plot.stops]
            self.assertEqual(places, sorted(places))
