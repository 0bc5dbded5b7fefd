"""The states a board can be in: sources there or not, switches and jumpers, modes and variants; none is solved here."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from vane_step.core.circuit.variants import fitted
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part, PowerState, natural, pin_name
from vane_step.core.design.operation import LOADER, OPERATION, RESET
from vane_step.core.errors import InputError
from vane_step.core.network.alike import alike_axes, count_by_symmetry, rows_by_symmetry
from vane_step.core.network.contacts import momentary, row_ways, throws
from vane_step.core.network.digital import is_controller
from vane_step.core.network.outside import all_sources
from vane_step.core.network.setting import HIGH_MODE, LOW_MODE, Setting

# As many states are solved one by one; beyond that so many that each pair of positions occurs together.
MOST_STATES: Final = 512
# What a thermistor and a trimmer are set to: as they are, and the ends that are looked at (rule of thumb for
# temperatures).
SENSED_C: Final = ("ambient", "-20C", "100C")
TURNED: Final = ("50%", "0%", "100%")
# What a row of switches is at while none of it is on.
NO_WAY: Final = "none"
ON, OFF = ("on", "yes", "connected", "1"), ("off", "no", "none", "0")


@dataclass(frozen=True)
class Axis:
    """One thing that can be one way or another."""

    name: str
    values: tuple[str, ...]


@dataclass(frozen=True)
class States:
    """All states that are looked at.

    Parameters
    ----------
    settings
        The states, those somebody named first.
    product
        How many there would be in all.
    pairwise
        Whether only so many were taken that each pair of positions occurs.
    alike
        Things that may change places: of states that differ by that alone one is taken.
    """

    settings: tuple[Setting, ...]
    product: int
    pairwise: bool
    alike: tuple[tuple[str, ...], ...] = ()

    def told(self) -> str:
        """Say which of all states are looked at; nothing where all are."""
        if self.pairwise:
            return f"{len(self.settings)} of {self.product}, such that each pair of positions occurs together"
        if not self.alike:
            return ""
        groups = "; ".join(", ".join(group) for group in self.alike)
        return f"{len(self.settings)} of {self.product}: the others differ only in which of {groups} is which"


def modes_of(design: Design) -> tuple[str, ...]:
    """Give the modes: those that were named, else the two ends of what outputs can do; with reset and loader."""
    controllers = [p for p in design.parts.values() if is_controller(p)]
    named = tuple(design.modes)
    drives = {d.mode for d in design.drives.values()} | {ld.mode for ld in design.loads.values()}
    said = tuple(sorted(m for m in drives if m and m not in named and m not in (RESET, LOADER)))
    running = named + said or ((LOW_MODE, HIGH_MODE) if controllers else ("",))
    if not controllers:
        return running
    has_loader = any(p.loader for part in controllers for p in part.pins)
    return (
        *running,
        RESET,
        *((LOADER,) if has_loader or any(d.mode == LOADER for d in design.drives.values()) else ()),
    )


def axes_of(design: Design) -> tuple[list[Axis], list[Part]]:
    """Give what can be one way or another, and the keys that spring back."""
    axes = [Axis(f"source {name}", ("on", "off")) for name in all_sources(design)]
    keys: list[Part] = []
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        known = throws(part)
        if not (part.fitted or part.kind == "jumper"):
            continue
        axes += [
            Axis(f"{part.ref}.{way}", ("off", "on")) for way in row_ways(part) if _joins(design, part, way)
        ]
        if not known:
            continue
        if momentary(part) and not _stays(part):
            keys.append(part)
        else:
            axes.append(Axis(part.ref, known))
    axes.append(Axis("mode", modes_of(design)))
    if design.variants:
        axes.append(Axis("variant", ("", *design.variants)))
    return axes, keys


def _joins(design: Design, part: Part, way: str) -> bool:
    """Whether a way of a row of switches has something at both its ends."""
    pins = [p for p in part.pins if p.name.upper() in (f"A{way}", f"B{way}")]
    return all(design.net_of(pin_name(part.ref, p.number)) for p in pins)


def sensed(design: Design) -> list[Axis]:
    """Give the sensors and trimmers that turn something else than firmware: as they are, and at both their ends.

    Those are thermistors and trimmers on a net, or one resistor from it, where something that is no controller listens:
    a comparator, an amplifier, a transistor. What they switch is on only at one of the ends.
    """
    found = []
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        thermal = part.kind == "thermistor" and "beta_k" in part.params
        turned = {"A", "W", "B"} == {p.name.upper() for p in part.pins} and "r_ohm" in part.params
        if part.fitted and (thermal or turned) and _heard(design, part):
            found.append(Axis(part.ref, SENSED_C if thermal else TURNED))
    return found


def _heard(design: Design, part: Part) -> bool:
    """Whether something that is no controller listens to a part, over no more than one resistor."""
    near = {design.net_of(pin_name(part.ref, p.number)) for p in part.pins}
    nets = {n for n in near if n is not None and design.nets[n].role not in ("ground", "supply")}
    further = {
        other
        for net in nets
        for p, _ in design.pins_on(net)
        if p.kind == "resistor" and len(p.pins) == 2
        for q in p.pins
        if (other := design.net_of(pin_name(p.ref, q.number))) is not None
        and design.nets[other].role not in ("ground", "supply")
    }
    return any(
        q.role == "input" and not is_controller(p) for net in nets | further for p, q in design.pins_on(net)
    )


def _stays(part: Part) -> bool:
    """Tell two-pin switches that stay where they are put from keys: rockers, key locks, reeds, floats."""
    return bool(re.match(r"(ROCKER|KEYLOCK|PLUG|CER|TOGGLE|SLIDE)", part.package))


@derived("parts", "nets", *OPERATION)
def states_of(design: Design) -> States:
    """Enumerate the states of a design.

    Returns
    -------
    States
        Each source present or not (none at all is left out), each switch and jumper in each position, each mode and
        variant; each key pressed alone with all sources on, each sensor and trimmer at its ends alone. Of states that
        are alike but for which of some equal switches is which, one is taken (:func:`alike_axes`); where there are
        still more than :data:`MOST_STATES`, so many that each pair of positions occurs.
    """
    axes, keys = axes_of(design)
    named = [setting_of(design, state) for state in design.states.values()]
    if not all_sources(design):
        return States(tuple(named), len(named), False)
    alone = [({key.ref: "closed"}, mode) for key in keys for mode in modes_of(design)]
    alone += [
        ({axis.name: value}, mode)
        for axis in sensed(design)
        for value, mode in itertools.product(axis.values[1:], modes_of(design))
    ]
    values = [a.values for a in axes]
    product = math.prod(map(len, values)) + len(alone)
    groups = alike_axes(design, [a.name for a in axes])
    pairwise = count_by_symmetry(values, groups, MOST_STATES) + len(alone) > MOST_STATES
    rows: Iterator[Sequence[str]] = iter(_pairwise(axes)) if pairwise else rows_by_symmetry(values, groups)
    # Two names for one state are both kept.
    found: dict[object, Setting] = {s.name: s for s in named}
    known = {_marks(s) for s in named}
    for row in rows:
        setting = _made(design, axes, row)
        if setting is not None and (marks := _marks(setting)) not in known:
            found.setdefault(marks, setting)
    where = next(k for k, a in enumerate(axes) if a.name == "mode")
    for positions, mode in alone:
        first = [a.values[0] for a in axes]
        first[where] = mode
        setting = _made(design, axes, first, positions)
        if setting is not None and (marks := _marks(setting)) not in known:
            found.setdefault(marks, setting)
    named_groups = () if pairwise else tuple(tuple(axes[k].name for k in g) for g in groups)
    alike = tuple(tuple(n.removeprefix("source ") for n in group) for group in named_groups)
    return States(tuple(found.values()), product, pairwise, alike)


def _marks(s: Setting) -> tuple[object, ...]:
    return s.sources, tuple(sorted(s.positions.items())), s.mode, s.variant


def _made(
    design: Design, axes: Sequence[Axis], row: Sequence[str], more: dict[str, str] | None = None
) -> Setting | None:
    sources, mode, variant = [], "", ""
    at: dict[str, str] = {}
    for axis, value in zip(axes, row, strict=True):
        if axis.name.startswith("source "):
            if value == "on":
                sources.append(axis.name.removeprefix("source "))
        elif axis.name == "mode":
            mode = value
        elif axis.name == "variant":
            variant = value
        else:
            at[axis.name] = value
    positions = gathered(at) | (more or {})
    if not sources:
        return None
    have = fitted(design, variant)
    known = all_sources(design)
    sources = [
        n for n in sources if have.get(known[n].plus.partition(".")[0], True) or "." not in known[n].plus
    ]
    if not sources:
        return None
    # A jumper that a variant leaves out is open, whatever its cap would do.
    positions = {ref: at for ref, at in positions.items() if have.get(ref, False)}
    made = Setting("", frozenset(sources), positions, mode, variant)
    return Setting(made.told(), made.sources, positions, mode, variant)


def gathered(at: Mapping[str, str]) -> dict[str, str]:
    """Make positions of parts from what axes are at: of rows of switches the ways that are on, such as ``1,3``."""
    positions: dict[str, str] = {}
    for name, value in at.items():
        ref, dot, way = name.partition(".")
        if not dot:
            positions[name] = value
        elif value == "on":
            positions[ref] = f"{positions[ref]},{way}" if positions.get(ref, NO_WAY) != NO_WAY else way
        else:
            positions.setdefault(ref, NO_WAY)
    return positions


def at_axis(axis: Axis, positions: Mapping[str, str]) -> str:
    """Give what an axis is at by the positions of parts."""
    ref, dot, way = axis.name.partition(".")
    if dot:
        return "on" if way in positions.get(ref, "").split(",") else "off"
    return positions.get(axis.name, axis.values[0])


def _pairwise(axes: Sequence[Axis]) -> list[tuple[str, ...]]:
    """Choose rows so that each pair of values occurs in one (greedy, after Cohen, Dalal, Fredman, Patton 1997)."""
    missing = {
        (i, u, j, v)
        for i, j in itertools.combinations(range(len(axes)), 2)
        for u in range(len(axes[i].values))
        for v in range(len(axes[j].values))
    }
    rows = [tuple(0 for _ in axes)]
    missing -= _pairs(rows[0])
    while missing:
        first = min(missing)
        row: dict[int, int] = {first[0]: first[1], first[2]: first[3]}
        for k, axis in enumerate(axes):
            if k not in row:
                gains = [_gain(row, k, u, missing) for u in range(len(axis.values))]
                row[k] = gains.index(max(gains))
        rows.append(tuple(row[k] for k in range(len(axes))))
        missing -= _pairs(rows[-1])
    return [tuple(axis.values[u] for axis, u in zip(axes, row, strict=True)) for row in rows]


def _gain(row: dict[int, int], k: int, u: int, missing: set[tuple[int, int, int, int]]) -> int:
    """Count the pairs still missing that a value would bring into a row."""
    return sum(((i, v, k, u) if i < k else (k, u, i, v)) in missing for i, v in row.items())


def _pairs(row: tuple[int, ...]) -> set[tuple[int, int, int, int]]:
    return {(i, row[i], j, row[j]) for i, j in itertools.combinations(range(len(row)), 2)}


def setting_of(design: Design, state: PowerState) -> Setting:
    """Read a named state; sources that are not mentioned are on.

    Raises
    ------
    InputError
        When it sets something the design does not have, or to what it cannot be.
    """
    sources = set(all_sources(design))
    positions: dict[str, str] = {}
    mode, variant = next(iter(modes_of(design))), ""
    for key, value in state.settings.items():
        if key == "mode":
            if value not in modes_of(design):
                raise _wrong(state, key, value, ", ".join(m for m in modes_of(design) if m))
            mode = value
        elif key == "variant":
            if value and value not in design.variants:
                raise _wrong(state, key, value, ", ".join(design.variants) or "no variants yet")
            variant = value
        elif key in all_sources(design):
            if value.lower() not in (*ON, *OFF):
                raise _wrong(state, key, value, "on, off")
            if value.lower() in OFF:
                sources.discard(key)
        elif key in design.parts:
            positions[key] = _position(design, state, key, value)
        else:
            known = ", ".join([*all_sources(design), "mode", "variant"])
            raise InputError(
                f"State {state.id} sets {key}, which is neither a source nor a part.",
                where=state.id,
                value=key,
                allowed=f"{known}, or a switch or jumper",
                next_step=f"Type: state {state.id} {next(iter(all_sources(design)), 'BATT')}=on",
            )
    return Setting(state.id, frozenset(sources), positions, mode, variant, said=True)


def said_as(design: Design, setting: Setting) -> str:
    """Write what a state sets the way the sentence that names it does: ``BATT=on J2=off mode=watch``."""
    words = [f"{name}={'on' if name in setting.sources else 'off'}" for name in all_sources(design)]
    words += [f"{ref}={at}" for ref, at in sorted(setting.positions.items(), key=lambda p: natural(p[0]))]
    words += [f"mode={setting.mode}"] if setting.mode else []
    words += [f"variant={setting.variant}"] if setting.variant else []
    return " ".join(words)


def _position(design: Design, state: PowerState, ref: str, value: str) -> str:
    known = throws(design.parts[ref])
    if known in (("open", "closed"), ("closed", "open")):
        # A jumper of two pins may be told by them.
        value = {"1-2": "closed", "on": "closed", "off": "open", "pressed": "closed"}.get(value, value)
    if known and value not in known:
        raise _wrong(state, ref, value, ", ".join(known))
    return value


def _wrong(state: PowerState, key: str, value: str, allowed: str) -> InputError:
    return InputError(
        f"State {state.id} sets {key} to {value!r}.",
        where=state.id,
        value=value,
        allowed=allowed,
        next_step=f"Type: state {state.id} {key}={allowed.partition(',')[0]}",
    )
