"""A design's converters cycle by cycle, down or up: the power stage as its parts make it, around a solved state."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.circuit.electrics import value_of
from vane_step.core.design.model import Design, Part, pin_name
from vane_step.core.errors import InputError, NotFound
from vane_step.core.network.build import Build, Stage
from vane_step.core.network.outside import all_sources
from vane_step.core.network.passives import ESR_OHM, ESR_POLAR_OHM
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import Solved, solve
from vane_step.core.network.sweeps import Curve
from vane_step.core.solve.cycles import Cycles, PowerStage, follow

# Where nothing tells (rules of thumb): the switch, a diode beside its voltage, what feeds the input at least.
SWITCH_OHM, DIODE_OHM, SOURCE_OHM = 0.15, 0.02, 0.02
# Cycles that figures are taken of.
TOLD: Final = 50


@dataclass(frozen=True)
class CycleFigures:
    """What a converter does in each cycle, once it has settled.

    Parameters
    ----------
    ripple_v
        Of the output, from lowest to highest.
    low_a, high_a
        Of the coil's current.
    saturates_a
        What the coil bears; none where that is not known.
    input_rms_a, output_rms_a
        Of the current in the capacitors there, all together.
    runs_empty
        Whether the coil's current comes to nothing in each cycle.
    """

    ref: str
    coil: str
    hertz: float
    duty: float
    mean_v: float
    ripple_v: float
    low_a: float
    high_a: float
    saturates_a: float | None
    input_rms_a: float
    output_rms_a: float
    runs_empty: bool
    notes: tuple[str, ...]


def converters(design: Design, setting: Setting) -> list[str]:
    """Give the converters that can be followed, by reference."""
    return [s.ref for s in solve(design, setting, plain=True).build.stages if _followed(s)]


def _followed(stage: Stage) -> bool:
    """Whether a stage steps down or up with a coil outside."""
    return stage.kind in ("buck", "boost") and bool(stage.coil)


def converter_cycles(
    design: Design, setting: Setting, ref: str, seconds: float
) -> tuple[Cycles, CycleFigures]:
    """Follow a converter of a design cycle by cycle, after it has settled in a state.

    Raises
    ------
    NotFound
        When the part is no such converter.
    InputError
        When it gives nothing in this state, a capacitor is missing, or the time is too long.
    """
    solved = solve(design, setting, plain=True)
    found = next((s for s in solved.build.stages if s.ref == ref and _followed(s)), None)
    if found is None:
        known = ", ".join(s.ref for s in solved.build.stages if _followed(s))
        raise NotFound(
            f"{ref} is no step-down or step-up converter with a coil outside.",
            where=ref,
            allowed=known or "none in this design",
            next_step="Name one of them." if known else "Add one with its coil first.",
        )
    made, notes = _power_stage(design, solved, found)
    amps = made.set_v / made.load_ohm
    cycles = follow(made, seconds, amps)
    return cycles, _figures(design, found, made, cycles, notes)


def _power_stage(design: Design, solved: Solved, found: Stage) -> tuple[PowerStage, list[str]]:
    build, notes = solved.build, list[str]()
    part, coil = design.parts[found.ref], design.parts[found.coil]
    in_v = solved.at(found.into[0]) - solved.at(found.into[1])
    out_v = solved.at(found.out[0]) - solved.at(found.out[1])
    amps = -solved.through(found.branch)
    boosts = found.kind == "boost"
    if not solved.settled or out_v < 0.05 or in_v < 0.05 or (in_v >= out_v) is boosts:
        raise InputError(
            f"{found.ref} does not step {'up' if boosts else 'down'} in this state: "
            f"{in_v:.3g} V in, {out_v:.3g} V out.",
            where=found.ref,
            next_step="Choose a state in which it runs.",
        )
    names = {node: net for net, node in build.nets.items()}
    into, out, base = (
        names.get(build.circuit.terminals[t], "") for t in (found.into[0], found.out[0], found.into[1])
    )
    into_amps = out_v * max(amps, 1e-4) / (0.9 * in_v)
    source_ohm = max((_open_v(design, solved) - in_v) / into_amps, SOURCE_OHM)
    source_ohm = min(source_ohm, 0.2 * in_v / into_amps)
    upper = _said(part, "rds_ohm", SWITCH_OHM, "its switch", notes)
    diode = _catch(design, coil, into, out) if boosts else _catch(design, coil, out, base)
    if diode is not None:
        lower_v, lower_ohm = diode.params.get("vf_v", 0.45), DIODE_OHM
        notes.append(f"{diode.ref} holds {lower_v:g} V while it conducts")
    else:
        lower_v, lower_ohm = 0.0, upper
        notes.append("a second switch conducts while the first is off, whichever way current flows")
    stage = PowerStage(
        in_v + source_ohm * into_amps,
        source_ohm,
        _caps(design, part.ref, into, base, notes),
        upper,
        lower_v,
        lower_ohm,
        diode is not None,
        _henry(build, coil),
        _said(coil, "dcr_ohm", 0.05, f"the winding of {coil.ref}", notes),
        _caps(design, part.ref, out, base, notes),
        out_v / max(amps, 1e-4),
        out_v,
        found.switching_hz or 0.0,
        part.params.get("ton_s"),
        boosts=boosts,
    )
    return stage, notes


def _open_v(design: Design, solved: Solved) -> float:
    """Give the open voltage of the source that gives most."""
    name = max(solved.sources, key=lambda n: solved.sources[n].watts, default="")
    known = all_sources(design)
    return abs(known[name].volts) if name in known else 0.0


def _said(part: Part, key: str, usual: float, what: str, notes: list[str]) -> float:
    value = part.params.get(key)
    if value:
        return value
    notes.append(f"{usual:g} Ω for {what} (rule of thumb)")
    return usual


def _henry(build: Build, coil: Part) -> float:
    value = build.value(coil, "l_h")
    if not value:
        raise InputError(f"The inductance of {coil.ref} is not known.", where=coil.ref)
    return value


def _catch(design: Design, coil: Part, far: str, base: str) -> Part | None:
    """Give the diode between ``base`` and where the coil is switched; ``far`` is its other end."""
    nets = {design.net_of(pin_name(coil.ref, p.number)) for p in coil.pins} - {far}
    for net in nets:
        for part, pin in design.pins_on(net) if net is not None else ():
            ends = {design.net_of(pin_name(part.ref, p.number)) for p in part.pins if p is not pin}
            if part.kind == "diode" and part.fitted and base in ends:
                return part
    return None


def _caps(design: Design, ref: str, net: str, base: str, notes: list[str]) -> tuple[tuple[float, float], ...]:
    """Give the capacitors from a net to ground with their series resistances."""
    found = []
    for part in dict.fromkeys(p for p, _ in design.pins_on(net)) if net in design.nets else ():
        ends = {design.net_of(pin_name(part.ref, p.number)) for p in part.pins}
        farad = part.params.get("c_f", value_of(part))
        if part.kind in ("capacitor", "polar-capacitor") and part.fitted and ends == {net, base} and farad:
            usual = ESR_POLAR_OHM if part.kind == "polar-capacitor" else ESR_OHM
            found.append((farad, _said(part, "esr_ohm", usual, f"{part.ref} in series", notes)))
    if not found:
        raise InputError(
            f"{ref} has no capacitor from {net} to ground.",
            where=net,
            next_step=f"Add one. Type: add 22u, then join it to {net}",
        )
    return tuple(found)


def _figures(
    design: Design, found: Stage, made: PowerStage, cycles: Cycles, notes: list[str]
) -> CycleFigures:
    at = cycles.last(TOLD)
    seconds, amps, volts = cycles.seconds[at], cycles.coil_a[at], cycles.out_v[at]
    long = float(seconds[-1] - seconds[0])
    count = min(TOLD, len(cycles.begins) - 1)

    def mean(values: np.ndarray) -> float:
        return float(np.trapezoid(values, seconds)) / long

    switch = cycles.switch_v[at]
    on = switch < 0.5 * min(made.source_v, mean(volts)) if made.boosts else switch > 0.5 * made.source_v
    return CycleFigures(
        found.ref,
        found.coil,
        count / long,
        mean(on.astype(float)),
        mean(volts),
        float(volts.max() - volts.min()),
        float(amps.min()),
        float(amps.max()),
        design.parts[found.coil].params.get("isat_a"),
        mean(cycles.input_cap_a[at] ** 2) ** 0.5,
        mean(cycles.output_cap_a[at] ** 2) ** 0.5,
        made.blocks and float(amps.min()) < 1e-9,
        tuple(notes),
    )


def cycles_curve(cycles: Cycles, told: CycleFigures) -> Curve:
    """Give what was followed as curves over time: the coil's current, output, input and switching node."""
    empty = ", its coil runs empty in each cycle" if told.runs_empty else ""
    notes = (
        f"{told.ref} at {told.hertz / 1e3:.4g} kHz, on {100 * told.duty:.3g} % of the time{empty}",
        f"ripple {1e3 * told.ripple_v:.3g} mV, {told.coil} up to {told.high_a:.3g} A"
        + (f" of {told.saturates_a:.3g} A" if told.saturates_a else ""),
        f"{told.input_rms_a:.3g} A through the input's capacitors, {told.output_rms_a:.3g} A through the output's",
        *told.notes,
    )
    return Curve(
        "time",
        "s",
        cycles.seconds,
        (f"I({told.coil})", "V(output)", "V(input)", "V(switch)"),
        ("A", "V", "V", "V"),
        np.stack([cycles.coil_a, cycles.out_v, cycles.in_v, cycles.switch_v], axis=1),
        notes,
    )
