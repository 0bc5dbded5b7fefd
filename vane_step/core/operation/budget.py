"""What each rail draws in each mode, and how long batteries last under the modes' shares of the time."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

from vane_step.core.design.model import Design
from vane_step.core.network.outside import all_sources
from vane_step.core.network.readings import Readings
from vane_step.core.network.solve import solve
from vane_step.core.network.states import modes_of
from vane_step.core.operation.power_flow import power_flow
from vane_step.core.power.cells import discharge


@dataclass(frozen=True)
class RailBudget:
    """What comes into a rail in each mode, with all sources on: volts and amperes by mode."""

    rail: str
    volts: dict[str, float]
    amps: dict[str, float]


@dataclass(frozen=True)
class Lifetime:
    """How long a source lasts: hours, and its charge and voltage as they fall.

    ``shares`` tells whether the modes' shares of the time were said; where they were not, the mode that draws most
    counts. ``cells`` is the kind of its cells, whose usual curve its voltage follows; without one it falls evenly.
    """

    source: str
    hours: float
    mean_a: float
    curve: tuple[tuple[float, float, float], ...]
    shares: bool
    mode: str
    cells: str = ""


def budget(design: Design, found: Readings) -> list[RailBudget]:
    """Give the draw of each rail by mode, in the states with all sources on and no key pressed."""
    rails: dict[str, RailBudget] = {}
    everything = frozenset(all_sources(design))
    for mode in modes_of(design):
        reading = next(
            (
                r
                for r in found.nominal()
                if r.setting.sources == everything
                and r.setting.mode == mode
                and r.settled
                and not r.setting.variant
            ),
            None,
        )
        if reading is None:
            continue
        for name, rail in power_flow(design, reading).rails.items():
            known = rails.setdefault(name, RailBudget(name, {}, {}))
            known.volts[mode] = rail.volts
            known.amps[mode] = rail.amps
    return list(rails.values())


def lifetimes(design: Design, found: Readings) -> list[Lifetime]:
    """Work out how long each source with a charge lasts alone: solved at several depths of its discharge in each
    mode."""
    lives = []
    running = [m for m in modes_of(design) if m not in ("reset", "loader")]
    shares = {m: design.modes[m].share_pct / 100 for m in running if m in design.modes}
    said = sum(shares.values()) > 0
    for name, source in all_sources(design).items():
        if source.ah is None:
            continue
        base = next((r.setting for r in found.nominal() if r.setting.sources == frozenset({name})), None)
        if base is None:
            continue
        drawn: list[tuple[float, float, float]] = []
        mode = ""
        for left, volts in discharge(source.cells, source.lowest_v, source.highest_v):
            at = design.replaced(
                sources={
                    **design.sources,
                    name: source.model_copy(update={"volts": volts, "low_v": None, "high_v": None}),
                }
            )
            by_mode = {
                m: max(solve(at, replace(base, mode=m, at="nominal")).sources[name].amps, 0.0)
                for m in running
            }
            if not said:
                mode = max(by_mode, key=lambda m: by_mode[m])
            mean = sum(shares.get(m, 0.0) * a for m, a in by_mode.items()) if said else by_mode[mode]
            drawn.append((left, volts, mean))
        life = _discharged(name, source.ah, drawn, said, mode)
        lives.append(replace(life, cells=source.cells) if life is not None else None)
    return [life for life in lives if life is not None]


def _discharged(
    name: str, ah: float, drawn: list[tuple[float, float, float]], said: bool, mode: str
) -> Lifetime | None:
    hours, curve = 0.0, [(0.0, *drawn[0][:2])]
    for (before, _, one), (left, volts, two) in itertools.pairwise(drawn):
        amps = (one + two) / 2
        if amps <= 1e-12:
            return None
        hours += ah * (before - left) / amps
        curve.append((hours, left, volts))
    return Lifetime(name, hours, ah / hours, tuple(curve), said, mode)
