"""A curve asked for in words: over time, frequency, another value, or cycles of a converter; nothing is drawn here."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.network.converter_cycles import converter_cycles, cycles_curve
from vane_step.core.network.probe import probes
from vane_step.core.network.readings import readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.sweeps import Curve, frequency_response, sweep, unit_of, wave_form
from vane_step.core.quantity import parse_value

KINDS = ("time", "frequency", "value", "cycles")
# How long a page waits for a wave form, in steps; and points of a sweep.
MOST_STEPS, POINTS = 30_000, 61
MOST_CYCLES_S = 0.02


def curve_asked(design: Design, setting: Setting, query: Mapping[str, str]) -> Curve:
    """Work out the curve some words ask for.

    Parameters
    ----------
    query
        ``kind`` (one of :data:`KINDS`) and what it needs: ``read`` and ``long``, ``before`` over time; ``source``,
        ``net``, ``low``, ``high`` over frequency; ``what``, ``first``, ``last``, ``read`` over a value; ``converter``
        and ``long`` for its cycles.

    Raises
    ------
    InputError, NotFound
        When something of it cannot be read or worked out.
    """
    kind = query.get("kind", "time")
    if kind not in KINDS:
        raise InputError(f"There is no curve over {kind!r}.", where="curve", allowed=", ".join(KINDS))
    if kind == "frequency":
        return frequency_response(
            design,
            setting,
            query.get("source", ""),
            query.get("net", ""),
            parse_value(query.get("low") or "10Hz", "from", "Hz"),
            parse_value(query.get("high") or "1MHz", "to", "Hz"),
        )
    texts = query.get("read", "").replace(";", " ").split()
    wanted = probes(design, texts or main_rails(design)) if kind != "cycles" else []
    if kind == "value":
        what = query.get("what", "")
        unit = unit_of(design, what)
        plain = unit if unit in ("V", "A", "W", "Ω") else ""
        ends = [
            parse_value(query.get(name, "").removesuffix("°C").removesuffix("%"), name, plain)
            for name in ("first", "last")
        ]
        return sweep(design, setting, what, np.linspace(ends[0], ends[1], POINTS).tolist(), wanted)
    seconds = parse_value(query.get("long") or "20ms", "how long", "s")
    if kind == "cycles":
        if not 1e-7 <= seconds <= MOST_CYCLES_S:
            raise InputError(
                f"{query.get('long')} is no time to follow.", where="how long", allowed="0.1 µs to 20 ms"
            )
        return cycles_curve(*converter_cycles(design, setting, query.get("converter", ""), seconds))
    if not 1e-9 <= seconds <= 1e4:
        raise InputError(
            f"{query.get('long')} is no time to follow.", where="how long", allowed="1 ns to 10,000 s"
        )
    known = {r.setting.name: r.setting for r in readings(design).nominal()}
    was = known.get(query.get("before", ""))
    return wave_form(design, setting, seconds, wanted, was, empty=was is None, most_steps=MOST_STEPS)


def main_rails(design: Design) -> list[str]:
    """Give what is read where nothing was asked for: the supplies, those with most pins first."""
    rails = [n for n in design.nets.values() if n.role == "supply"] or [
        n for n in design.nets.values() if n.role != "ground"
    ]
    return [f"V({n.name})" for n in sorted(rails, key=lambda n: -len(n.pins))[:3]]
