"""One thing varied, and time going on: sweeps of an input, frequency responses and wave forms of a design."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, NotFound
from vane_step.core.network.build import Build
from vane_step.core.network.outside import all_sources
from vane_step.core.network.probe import Probe
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import Solved, build_of, solve
from vane_step.core.solve.devices import Array
from vane_step.core.solve.operating import OperatingPoint, operating_point
from vane_step.core.solve.response import decades, response
from vane_step.core.solve.system import System
from vane_step.core.solve.wave import MOST_STEPS, wave

MOST_POINTS = 2000
# No real part keeps more away than this; what holds a net in a model may.
NOTHING_DB = -140.0
HELD = "Nothing comes through: what holds the net is taken as ideal, its own ripple rejection is not known"


@dataclass(frozen=True)
class Curve:
    """Readings over one thing: ``x`` with its title and unit, a column of ``y`` for each probe."""

    title: str
    unit: str
    x: Array
    labels: tuple[str, ...]
    units: tuple[str, ...]
    y: Array
    notes: tuple[str, ...] = ()


def sweep(
    design: Design, setting: Setting, what: str, values: Sequence[float], probes: Sequence[Probe]
) -> Curve:
    """Solve a state again and again with one thing varied.

    Parameters
    ----------
    what
        A source (its voltage), a load (its figure), a part (its value), ``REF.rating`` (a rating), ``ambient``, or a
        part that is set to a position (``RV1%`` for per cent, ``RT1C`` for degrees).
    values
        What it is set to, in base units.

    Raises
    ------
    NotFound
        When nothing is called so.
    InputError
        When too many points are asked for.
    """
    if len(values) > MOST_POINTS:
        raise InputError(
            f"{len(values)} points are too many.",
            where="points",
            value=len(values),
            allowed=f"up to {MOST_POINTS}",
        )
    unit = unit_of(design, what)
    rows, last, lost = [], None, 0
    for value in values:
        varied, at = _varied(design, setting, what, float(value))
        solved = solve(varied, at, start=last, plain=True)
        lost += not solved.settled
        last = solved if solved.settled else None
        rows.append([p.of_reading(solved) if solved.settled else np.nan for p in probes])
    notes = (f"{lost} of {len(values)} points did not settle",) if lost else ()
    return Curve(
        what,
        unit,
        np.array(values),
        tuple(p.label for p in probes),
        tuple(p.unit for p in probes),
        np.array(rows),
        notes,
    )


def unit_of(design: Design, what: str) -> str:
    """Give the unit of what is swept.

    Raises
    ------
    NotFound
        When nothing is called so.
    """
    if what in all_sources(design):
        return "V"
    if what in design.loads:
        load = design.loads[what]
        return "A" if load.amps is not None else "Ω" if load.ohm is not None else "W"
    if what == "ambient":
        return "°C"
    ref, _, rest = what.partition(".")
    if rest and ref in design.parts:
        return ""
    if (match := re.fullmatch(r"(.+)(%|C)", what)) and match[1] in design.parts:
        return "%" if match[2] == "%" else "°C"
    part = design.parts.get(what)
    if part is not None and part.kind in (
        "resistor",
        "capacitor",
        "polar-capacitor",
        "inductor",
        "thermistor",
    ):
        return {"resistor": "Ω", "thermistor": "Ω", "inductor": "H"}.get(part.kind, "F")
    known = ", ".join([*all_sources(design), *design.loads, "ambient"])
    raise NotFound(
        f"{what} cannot be swept.",
        where=what,
        allowed=f"{known}, a resistor, capacitor or coil, REF.rating, RV1%",
        next_step="Name a source, a load or a part.",
    )


def _varied(design: Design, setting: Setting, what: str, value: float) -> tuple[Design, Setting]:
    sources = all_sources(design)
    if what in sources:
        moved = sources[what].model_copy(update={"volts": value, "low_v": None, "high_v": None})
        return design.replaced(sources={**design.sources, what: moved}), replace(setting, at="nominal")
    if what in design.loads:
        load = design.loads[what]
        field = next(f for f in ("amps", "ohm", "watts") if getattr(load, f) is not None)
        return design.replaced(
            loads={**design.loads, what: load.model_copy(update={field: max(value, 1e-12)})}
        ), setting
    if what == "ambient":
        return design.replaced(brief=design.brief.model_copy(update={"ambient_c": value})), setting
    ref, _, key = what.partition(".")
    if not key and what not in design.parts:
        ref, sign = what[:-1], what[-1]
        at = f"{value:g}{sign}"
        return design, replace(setting, positions={**setting.positions, ref: at})
    part = design.parts[ref]
    if not key:
        key = {"resistor": "r_ohm", "thermistor": "r_ohm", "inductor": "l_h"}.get(part.kind, "c_f")
    changed = part.model_copy(update={"params": {**part.params, key: value}})
    return design.replaced(parts={**design.parts, ref: changed}), setting


def frequency_response(
    design: Design, setting: Setting, source: str, net: str, low_hz: float, high_hz: float, a_decade: int = 20
) -> Curve:
    """Give gain and phase from a source to a net around its operating point.

    Raises
    ------
    NotFound
        When source or net is not there or not on.
    InputError
        When the range of frequencies is empty, or the state does not settle.
    """
    if net not in design.nets:
        raise NotFound(f"There is no net {net}.", where=net, allowed=", ".join(design.nets)[:160])
    if not 0 < low_hz < high_hz:
        raise InputError(
            f"From {low_hz:g} to {high_hz:g} Hz there is nothing.",
            where="frequencies",
            allowed="0 < from < to",
        )
    build, _ = build_of(design, setting)
    outer = next((o for o in build.outers if o.name == source and o.kind == "source"), None)
    if outer is None:
        raise NotFound(
            f"No source {source} is on.",
            where=source,
            allowed=", ".join(sorted(setting.sources)) or "none is on",
            next_step="Name a source that is on in this state.",
        )
    system = System(build.circuit)
    point = operating_point(build.circuit, None, system)
    if not point.settled:
        raise InputError(
            "The state comes to no rest, so there is nothing to respond around.", where=setting.name
        )
    hertz = decades(low_hz, high_hz, a_decade)
    found = response(system, point, outer.branch, list(hertz))[:, build.nets[net]]
    # A source that gives its volts behind a minus sign in its equation drives the other way.
    gain = -found if _turned(build.circuit.branches[outer.branch]) else found
    db = 20 * np.log10(np.maximum(np.abs(gain), 1e-20))
    degrees = np.degrees(np.unwrap(np.angle(gain)))
    notes = (HELD,) if db.max() < NOTHING_DB else ()
    return Curve(
        f"{source} to {net}",
        "Hz",
        hertz,
        ("gain", "phase"),
        ("dB", "°"),
        np.stack([db, degrees], axis=1),
        notes,
    )


def _turned(branch: object) -> bool:
    return hasattr(branch, "law")


def wave_form(
    design: Design,
    setting: Setting,
    seconds: float,
    probes: Sequence[Probe],
    before: Setting | None = None,
    *,
    empty: bool = False,
    most_steps: int = MOST_STEPS,
) -> Curve:
    """Follow a design through time: after power comes on, or after it went from one state to another.

    Parameters
    ----------
    setting
        The state it is in from time zero on.
    before
        The state it was at rest in before; its capacitors and coils keep what they held.
    empty
        Whether all capacitors are empty at the beginning, as at power-up.
    most_steps
        After how many steps it is given up.

    Raises
    ------
    InputError
        When it begins at no rest, or needs too many or too short steps.
    """
    build, _ = build_of(design, setting)
    system = System(build.circuit)
    start = None
    if not empty:
        rest = solve(design, before or setting)
        if not rest.settled:
            raise InputError("The state it begins in comes to no rest.", where=(before or setting).name)
        start = rest.point if before is None else _carried(build, system, rest)
    found = wave(build.circuit, seconds, start, system=system, most_steps=most_steps)
    rows = []
    for x, rate in zip(found.x, found.rate, strict=True):
        rows.append([_read(build, system, x, rate, p) for p in probes])
    notes = (f"{found.steps} steps, {found.refused} taken again, {len(found.events)} events",)
    return Curve(
        "time",
        "s",
        found.seconds,
        tuple(p.label for p in probes),
        tuple(p.unit for p in probes),
        np.array(rows),
        notes,
    )


def _carried(build: Build, system: System, rest: Solved) -> OperatingPoint:
    x, _ = system.begin()
    for net, node in build.nets.items():
        x[node] = rest.volts.get(net) or 0.0
    for middle, outer in build.circuit.middles:
        x[build.circuit.terminals[middle]] = x[build.circuit.terminals[outer]]
    for ref, branch in build.coils.items():
        if ref in rest.build.coils:
            x[system.nodes + branch] = rest.through(rest.build.coils[ref])
    # Flip-flops remember as well; they stand in the order of their parts.
    for latch, was in zip(build.circuit.latches, rest.build.circuit.latches, strict=False):
        latch.value = was.value
    return replace(rest.point, x=x, last=system.junctions(x))


def _read(build: Build, system: System, x: Array, rate: Array, probe: Probe) -> float:
    if probe.kind == "V":
        return float(x[build.nets[probe.of]] - (x[build.nets[probe.against]] if probe.against else 0.0))
    amps, _ = system.terminal_amps(x, system.junctions(x), rate)
    if probe.kind == "I":
        return float(amps[build.pins[probe.of]]) if probe.of in build.pins else float("nan")
    total = 0.0
    for pin, terminal in build.pins.items():
        if pin.partition(".")[0] == probe.of:
            total += float(amps[terminal]) * float(x[build.circuit.terminals[terminal]])
    return total
