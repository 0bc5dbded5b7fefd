"""The pages' own scripts, by the test runner of node where there is one: the numbers they show while a hand is moving."""

from __future__ import annotations

import json
import os
import random
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

from shapely.geometry import LineString, Point, Polygon

from tests.support import ROOT

NODE = shutil.which("node")


@unittest.skipUnless(NODE, "node is not installed")
class Scripts(unittest.TestCase):
    """What is computed in the browser."""

    def test_distances(self) -> None:
        """A thousand distances shown while drawing and measuring are those of the geometry library."""
        rng = random.Random(11)

        def spot() -> list[float]:
            # Whole numbers meet and line up often.
            return [rng.choice((rng.uniform(-9, 9), rng.randint(-4, 4))) for _ in "xy"]

        cases: dict[str, list[dict[str, object]]] = {"points": [], "segments": [], "shapes": [], "elbows": []}
        for _ in range(250):
            p, a, b, c, d = (spot() for _ in range(5))
            cases["points"].append({"p": p, "a": a, "b": b, "gap": Point(p).distance(LineString([a, b]))})
            gap = LineString([a, b]).distance(LineString([c, d]))
            cases["segments"].append({"a": a, "b": b, "c": c, "d": d, "gap": gap})
            cases["elbows"].append({"a": a, "b": b})
            radius = rng.uniform(0.1, 1)
            run = [c] if rng.random() < 0.3 else [c, d]
            spine = Point(c) if len(run) == 1 else LineString(run)
            shape: dict[str, object] = {"line": run, "r": radius}
            gap = LineString([a, b]).distance(spine) - radius
            if rng.random() < 0.5:
                hull = Polygon([c, d, spot(), spot()]).convex_hull
                if isinstance(hull, Polygon):
                    shape = {"poly": [list(x) for x in hull.exterior.coords[:-1]]}
                    gap = LineString([a, b]).distance(hull)
            cases["shapes"].append({"a": a, "b": b, "shape": shape, "gap": gap})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "cases.json"
            path.write_text(json.dumps(cases), encoding="utf-8")
            command = [
                str(NODE),
                "--test",
                *map(str, sorted((ROOT / "tests" / "scripts").glob("*.test.mjs"))),
            ]
            done = subprocess.run(
                command, env={**os.environ, "CASES": str(path)}, capture_output=True, text=True, timeout=120
            )
        self.assertEqual(done.returncode, 0, done.stdout[-3000:] + done.stderr[-1000:])
