"""Curves as CSV and as plain data; what they show is worked out in ``sweeps``."""

from __future__ import annotations

import csv
import io
import math
from typing import Any

from vane_step.core.network.sweeps import Curve


def curve_csv(curve: Curve) -> str:
    """Write a curve as CSV: a head with units, then rows."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(
        [
            f"{curve.title} ({curve.unit})",
            *(f"{n} ({u})" for n, u in zip(curve.labels, curve.units, strict=True)),
        ]
    )
    for x, y in zip(curve.x, curve.y, strict=True):
        rows.writerow([f"{float(x):.9g}", *("" if math.isnan(v) else f"{float(v):.9g}" for v in y)])
    return out.getvalue()


def curve_json(curve: Curve) -> dict[str, Any]:
    """Give a curve as plain data."""
    return {
        "title": curve.title,
        "unit": curve.unit,
        "x": [float(v) for v in curve.x],
        "curves": {
            label: {"unit": unit, "y": [None if math.isnan(v) else float(v) for v in column]}
            for label, unit, column in zip(curve.labels, curve.units, curve.y.T, strict=True)
        },
        "notes": list(curve.notes),
    }
