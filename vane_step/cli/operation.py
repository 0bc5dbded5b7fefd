"""Commands of the terminal for what the circuit does: states solved, sampled boards, copper, heat; curves are in
``curves``."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from vane_step.cli.files import load, write
from vane_step.core.ask.words import pairs
from vane_step.core.board.analysis.board_heat import board_heat
from vane_step.core.board.analysis.copper_currents import all_currents, net_currents
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, NotFound
from vane_step.core.judge import all_findings
from vane_step.core.network.probe import probes
from vane_step.core.network.readings import Reading, readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.spread import Spread, samples, spread
from vane_step.core.network.thermal import theta_of
from vane_step.core.operation.asked_curve import curve_asked
from vane_step.core.operation.board_picture import warmest_state
from vane_step.core.operation.power_paper import power_pdf
from vane_step.core.quantity import format_value
from vane_step.core.rules import RULES

AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]
File = Annotated[Path, typer.Argument(help="Design file.")]
State = Annotated[str, typer.Option("--state", help="Name of a state; the first one where it is left out.")]
Reads = Annotated[
    list[str] | None, typer.Option("--read", help="V(NET), I(REF.PIN) or P(REF); may be repeated.")
]


def states_named(design: Design, name: str) -> list[Reading]:
    """Give the states of a name, or all; what was asked for must be there.

    Raises
    ------
    NotFound
        When there is no such state, or none at all because no source is known.
    """
    known = readings(design)
    if known.problem:
        raise InputError(known.problem, where="states", next_step="Set the state right, or take it out.")
    if not known.all:
        raise NotFound(
            "Nothing is known that feeds this board.",
            where="states",
            allowed="a source that was said, a USB receptacle, a battery holder",
            next_step='Say one, such as: vane-step say DESIGN -o DESIGN "source BATT BATT GND 12V"',
        )
    if not name:
        return list(known.all)
    found = [r for r in known.all if r.setting.name.lower() == name.lower()]
    if not found:
        names = list(dict.fromkeys(r.setting.name for r in known.all))
        more = " …" if len(names) > 8 else ""
        raise NotFound(f"There is no state {name!r}.", where="--state", allowed="; ".join(names[:8]) + more)
    return found


def first_state(design: Design, name: str) -> Setting:
    """Give the state of a name, or the first there is."""
    return states_named(design, name)[0].setting


def solve_(
    file: File,
    state: Annotated[str, typer.Option("--state", help="Only the state of this name.")] = "",
    worst: Annotated[bool, typer.Option("--worst", help="Tolerances at their worst as well.")] = False,
    to_pdf: Annotated[
        Path | None, typer.Option("--pdf", help="Write flow, heat, states and findings to this file.")
    ] = None,
    curve: Annotated[
        list[str] | None,
        typer.Option(
            "--curve",
            help="Draw a curve in the PDF, such as 'time read=V(3V3) long=20ms', 'frequency source=BATT net=3V3', "
            "'value what=BATT first=9V last=15V', 'cycles converter=U2'; may be repeated.",
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Work out voltages, currents and heat in every state of the board."""
    design = load(file)
    found = states_named(design, state)
    if curve and to_pdf is None:
        raise InputError(
            "--curve draws in the PDF.",
            where="--curve",
            next_step="Say --pdf FILE as well, or use wave or sweep.",
        )
    if to_pdf is not None:
        write(to_pdf, _paper(design, found[0], file.name, curve or []))
    known = readings(design)
    by_name: dict[str, list[Reading]] = {}
    for reading in found:
        by_name.setdefault(reading.setting.name, []).append(reading)
    unmodelled = dict(known.unmodelled)
    answers = {
        name: _answer(design, group, worst) | {"unmodelled": unmodelled} for name, group in by_name.items()
    }
    if as_json:
        print(
            json.dumps(
                {
                    "states": answers,
                    "residual_a": max((r.residual_a for r in found), default=0.0),
                    "unmodelled": dict(known.unmodelled),
                    "unsaid": list(known.unsaid),
                    "assumed": {ref: list(words) for ref, words in known.assumed.items()},
                    "product": known.states.product,
                    "pairwise": known.states.pairwise,
                    "alike": known.states.alike,
                },
                indent=1,
            )
        )
        return
    for name, answer in answers.items():
        _print_state(design, name, answer)
    if known.states.told():
        print(f"States solved: {known.states.told()}")
    for ref, why in known.unmodelled.items():
        print(f"{ref}: {why}; what hangs on it is not known")
    if known.unsaid:
        print(f"Nobody said what these do: {', '.join(known.unsaid)}")


def _paper(design: Design, state: Reading, made: str, asked: Sequence[str]) -> bytes:
    """Write the power of a board as PDF, with the curves asked for in words."""
    curves = [
        curve_asked(design, state.setting, {"kind": words[0]} | pairs(words[1:], "key=value"))
        for text in asked
        if (words := text.split())
    ]
    told = [f for f in all_findings(design) if RULES[f.code].room == "power"]
    return power_pdf(design, state, told, made, curves)


def _answer(design: Design, group: Sequence[Reading], worst: bool) -> dict[str, Any]:
    """Give one state as JSON: nominal readings, with the least and greatest over the range of its sources."""
    first = group[0]
    spans: Spread | None = spread(design, first.setting) if worst and first.settled else None
    nets: dict[str, Any] = {}
    for net, volts in first.volts.items():
        seen = [v for r in group if (v := r.volts.get(net)) is not None]
        low, high = (min(seen), max(seen)) if seen else (None, None)
        if spans is not None and net in spans.nets and low is not None and high is not None:
            span = spans.nets[net]
            low, high = low + span.low - span.nominal, high + span.high - span.nominal
        nets[net] = {"volts": volts, "low": low, "high": high}
    parts = {
        ref: {
            "watts": p.watts,
            "junction_c": _junction(design, ref, p.watts),
            "model": p.model,
            "assumed": list(p.assumed),
        }
        for ref, p in first.parts.items()
    }
    return {
        "setting": {
            "sources": sorted(first.setting.sources),
            "positions": dict(first.setting.positions),
            "mode": first.setting.mode,
            "variant": first.setting.variant,
        },
        "settled": first.settled,
        "moving": list(first.moving),
        "nets": nets,
        "pins": {pin: {"amps": amps} for pin, amps in first.amps.items()},
        "parts": parts,
        "sources": {
            n: {"volts": s.volts, "amps": s.amps, "watts": s.watts} for n, s in first.sources.items()
        },
        "loads": {n: {"volts": s.volts, "amps": s.amps, "watts": s.watts} for n, s in first.loads.items()},
        "floating": [list(g) for g in first.floating],
        "residual_a": first.residual_a,
        "balance_w": first.balance_w,
    }


def _junction(design: Design, ref: str, watts: float) -> float | None:
    part = design.parts.get(ref)
    if part is None or part.kind in (
        "resistor",
        "capacitor",
        "polar-capacitor",
        "inductor",
        "fuse",
        "switch",
        "jumper",
    ):
        return None
    found = theta_of(part)
    return (
        design.brief.ambient_c + watts * found[0] if found is not None and "ways" not in part.params else None
    )


def _print_state(design: Design, name: str, answer: dict[str, Any]) -> None:
    print(f"{name}{'' if answer['settled'] else ': comes to no rest, ' + ', '.join(answer['moving'])}")
    for net, v in answer["nets"].items():
        if design.nets[net].role == "signal" and not answer["loads"]:
            continue
        if v["volts"] is None:
            continue
        span = "" if v["low"] == v["high"] else f"  ({v['low']:.3f} to {v['high']:.3f} V)"
        print(f"  {net:<16}{v['volts']:10.4f} V{span}")
    for kind in ("sources", "loads"):
        for source, s in answer[kind].items():
            print(
                f"  {source:<16}{s['volts']:10.4f} V  "
                f"{format_value(s['amps'], 'A'):>10}  {format_value(s['watts'], 'W'):>10}"
            )
    hot = sorted(((p["watts"], ref) for ref, p in answer["parts"].items()), reverse=True)
    words = [f"{ref} {format_value(w, 'W')}" for w, ref in hot[:5] if w > 1e-3]
    if words:
        print(f"  most heat: {', '.join(words)}")


def copper_(
    file: File,
    net: Annotated[str, typer.Option("--net", help="Only this net.")] = "",
    state: Annotated[
        str, typer.Option("--state", help="In this state; each net's worst where it is left out.")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Work out what flows in the copper of each net: hottest piece, drop, vias, pours."""
    design = load(file)
    reading = states_named(design, state)[0]
    if net:
        one = net_currents(design, net, reading if state else None)
        found = [one] if one is not None else []
    else:
        found = all_currents(design)
    told = [
        {
            "net": f.net,
            "state": f.state,
            "amps": f.amps,
            "drop_v": f.currents.drop_v,
            "watts": f.currents.watts,
            "rise_k": f.rise_k,
            "hottest": None
            if f.hottest is None
            else {
                "amps": f.hottest.amps,
                "width_mm": f.hottest.width_mm,
                "layer": f.hottest.layer,
                "x_mm": f.hottest.x_mm,
                "y_mm": f.hottest.y_mm,
            },
            "via_amps": max(f.currents.vias.values(), default=0.0),
            "pour_a_mm": f.currents.densest[0] if f.currents.densest else None,
            "open_a": f.currents.open_a,
            "pins": dict(f.currents.volts),
        }
        for f in found
    ]
    if as_json:
        print(json.dumps(told, indent=1))
        return
    for f in found:
        hot = (
            ""
            if f.hottest is None
            else (f", {format_value(f.hottest.amps, 'A')} in {f.hottest.width_mm:.2f} mm: {f.rise_k:.1f} K")
        )
        print(
            f"{f.net}: {format_value(f.amps, 'A')} in state "
            f"{f.state}{hot}, drop {format_value(f.currents.drop_v, 'V')}"
        )


def heat_(
    file: File,
    state: Annotated[
        str, typer.Option("--state", help="In this state; the one that warms most where it is left out.")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Work out how warm the board gets: at its hottest, and under each part."""
    design = load(file)
    reading = states_named(design, state)[0] if state else warmest_state(design)
    if reading is None:
        raise InputError(
            "No state of this board is solved.",
            where=design.name,
            next_step="Say a source. Type: source BATT NET GND 12V",
        )
    heat = board_heat(design, reading)
    rise, x, y = heat.hottest
    parts = {ref: heat.ambient_c + k for ref, k in sorted(heat.parts_k.items(), key=lambda e: -e[1])}
    if as_json:
        told = {
            "state": heat.state,
            "ambient_c": heat.ambient_c,
            "hottest_c": heat.ambient_c + rise,
            "at_mm": [x, y],
            "parts_w": heat.parts_w,
            "copper_w": heat.copper_w,
            "unplaced_w": heat.unplaced_w,
            "parts_c": parts,
        }
        print(json.dumps(told, indent=1))
        return
    print(
        f"{heat.ambient_c + rise:.0f} °C at {x:.1f}, {y:.1f} mm in state {heat.state}, "
        f"in air of {heat.ambient_c:g} °C: {format_value(heat.parts_w, 'W')} of parts, "
        f"{format_value(heat.copper_w, 'W')} of copper"
    )
    print("  under " + ", ".join(f"{ref} {celsius:.0f} °C" for ref, celsius in list(parts.items())[:8]))


def spread_(
    file: File,
    read: Reads = None,
    state: State = "",
    boards: Annotated[int, typer.Option(help="How many boards.")] = 500,
    seed: Annotated[int, typer.Option(help="What the samples follow from.")] = 1,
    as_json: AsJson = False,
) -> None:
    """Sample boards whose parts lie anywhere within their tolerances, and say how readings spread."""
    design = load(file)
    wanted = probes(design, read or [])
    if not 2 <= boards <= 20_000:
        raise InputError(f"{boards} boards.", where="--boards", value=boards, allowed="2 to 20000")
    rows, unsettled = samples(design, first_state(design, state), wanted, boards, seed)
    told = {
        p.label: {
            "unit": p.unit,
            "mean": float(np.nanmean(rows[:, k])),
            "deviation": float(np.nanstd(rows[:, k])),
            "least": float(np.nanmin(rows[:, k])),
            "most": float(np.nanmax(rows[:, k])),
        }
        for k, p in enumerate(wanted)
    }
    if as_json:
        print(
            json.dumps({"boards": boards, "seed": seed, "unsettled": unsettled, "readings": told}, indent=1)
        )
        return
    for label, t in told.items():
        mean, deviation, least, most = (
            format_value(float(str(t[key])), str(t["unit"]), 5)
            for key in ("mean", "deviation", "least", "most")
        )
        print(f"{label}: {mean}, deviation {deviation}, {least} to {most}")
    print(
        f"{boards} boards by seed {seed}, figures evenly spread within their tolerances; {unsettled} did not settle"
    )
