"""Switching converters, averaged over a cycle: what they hold, what they take for it; single cycles are not followed.

An inductor outside carries the averaged current; a diode in the switching cell is part of the converter, which tells
its
share of the heat.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

from vane_step.core.design.model import Part, pin_name
from vane_step.core.network.build import Build, Pins, Stage, model
from vane_step.core.network.regulators import HOLDS_BACK, enable_of, own_current
from vane_step.core.solve.laws import Delivery, Intake, Linear

# Where the catalogue tells none (rules of thumb): efficiency of the switch alone, greatest duty, shortest start.
EFFICIENCY: Final = 0.88
DUTY_MOST: Final = 0.95
# A charge pump's switches in series, beside 1/(f·C) of its flying capacitor.
PUMP_OHM: Final = 20.0


def _switching(pins: Pins) -> str | None:
    """Give the name of the switching pin."""
    found = pins.first("SW", "LX")
    if found is None and "OUT" in pins.named and "FB" in pins.named and pins.named["OUT"][0].role == "output":
        return "OUT"
    return found


def on_net(build: Build, part: Part, pins: Pins, name: str, kind: str) -> Part | None:
    """Give the first other part of a kind on the net of a pin."""
    net = build.net_of(part, pins.named[name][0])
    for pin in build.design.nets[net].pins if net else ():
        ref = pin.partition(".")[0]
        other = build.design.parts.get(ref)
        if other is not None and other.kind == kind and other.fitted and ref != part.ref:
            return other
    return None


def _efficiency(build: Build, part: Part) -> float:
    return (
        build.figure(part, "efficiency", EFFICIENCY, f"efficiency {EFFICIENCY:.0%} (rule of thumb)")
        or EFFICIENCY
    )


def _held(build: Build, part: Part, pins: Pins, base: int, out: int) -> tuple[float, tuple[int, int]] | None:
    """Give what is held, and where: the feedback pin at its reference, or the output at its fixed voltage."""
    if "vref_v" in part.params and "FB" in pins.named:
        return build.vary(part, "vref_v", part.params["vref_v"], part.params.get("tolerance_pct", 2.0)), (
            pins.at("FB"),
            base,
        )
    if "vout_v" in part.params:
        at = pins.at("FB") if pins.connected("FB") else out
        return build.vary(part, "vout_v", part.params["vout_v"], part.params.get("tolerance_pct", 2.0)), (
            at,
            base,
        )
    return None


@model(2)
def switcher(build: Build, part: Part, pins: Pins) -> str | None:
    """A buck or boost regulator with its inductor outside."""
    name = _switching(pins)
    if (
        name is None
        or "fsw_hz" not in part.params
        or (not any(p.role == "supply-in" for p in part.pins) and name != "SW")
    ):
        return None
    coil = on_net(build, part, pins, name, "inductor")
    if coil is None:
        build.unmodelled[part.ref] = f"no inductor at {name}"
        return "none"
    # A boost regulator's inductor leads from its input, a buck's to its output.
    far = next(
        (p for p in coil.pins if build.net_of(coil, p) != build.net_of(part, pins.named[name][0])), None
    )
    supply = next((p for p in part.pins if p.role == "supply-in"), None)
    boosts = "OUT" in pins.named and name == "SW" and supply is None
    if supply is not None and far is not None:
        boosts = build.net_of(coil, far) == build.net_of(part, supply)
    return _boost(build, part, pins, name, coil) if boosts else _buck(build, part, pins, name, coil)


def _buck(build: Build, part: Part, pins: Pins, name: str, coil: Part) -> str:
    into, sw, base = pins.at("IN") if "IN" in pins.named else pins.supply() or 0, pins.at(name), pins.ground()
    behind = next(p for p in coil.pins if build.net_of(coil, p) != build.net_of(part, pins.named[name][0]))
    out = build.pin(coil, behind)
    held = _held(build, part, pins, base, out)
    if held is None:
        build.unmodelled[part.ref] = "neither reference nor output voltage said"
        return "none"
    most, least = part.params.get("iout_a", 1.0), part.params.get("vin_min_v", 0.0)
    enable, more = enable_of(build, pins, base)
    law = Delivery(
        held[0],
        HOLDS_BACK * most,
        share=DUTY_MOST,
        starts_v=0.98 * least,
        enable_v=enable,
        ohm=1e-5,
    )
    branch = build.circuit.governed(
        sw, base, (*held[1], sw, base, into, base, *more), law, _slowness_s(part, law)
    )
    eta = _efficiency(build, part)
    build.circuit.governed(
        into, base, (into, base, sw, base, ~branch), Intake(eta, 0.0, max(0.9 * least, 0.5))
    )
    own_current(build, part, into, base)
    # Held above its set voltage, the output feeds back through the upper switch.
    build.circuit.diode(sw, into, 0.8, most, 1.8)
    build.assume(
        part.ref,
        f"duty up to {DUTY_MOST:.0%}, holds back at {HOLDS_BACK:g} times its rated current (rules of thumb)",
    )
    catch = on_net(build, part, pins, name, "diode")
    if catch is not None and build.net_of(catch, catch.pins[1]) == build.net_of(part, pins.named["GND"][0]):
        vf = catch.params.get("vf_v", 0.5)
        # It conducts while the upper switch is off: its average is told apart, since the averaged node stands above it.
        _cell_heat(build, part, catch, (into, base), (sw, base), branch, lambda d, amps: vf * (1 - d) * amps)
    else:
        build.circuit.diode(base, sw, 0.8, most, 1.8)
    build.stage(part, "buck", (into, base), (out, base), branch, most, coil=coil.ref, duty_most=DUTY_MOST)
    return "buck regulator, averaged"


def _slowness_s(part: Part, law: Delivery) -> float:
    """Give what makes the averaged loop an integrator that crosses unity at a thousandth of the switching frequency.

    Slow enough for any output filter; how the real loop is compensated is not known.
    """
    return 0.02 * law.most_a / (2 * math.pi * part.params["fsw_hz"] / 1000)


def _cell_heat(
    build: Build,
    part: Part,
    catch: Part,
    into: tuple[int, int],
    out: tuple[int, int],
    branch: int,
    of: Callable[[float, float], float],
) -> None:
    """Let the diode of a switching cell tell its heat; the converter keeps the rest."""

    def heat(volts: Callable[[int], float], amps: Callable[[int], float]) -> float:
        source = volts(into[0]) - volts(into[1])
        duty = min(max((volts(out[0]) - volts(out[1])) / source, 0.0), 1.0) if source > 0.1 else 0.0
        return of(duty, max(-amps(branch), 0.0))

    build.heat[catch.ref] = heat
    build.heat[f"-{part.ref}"] = heat


def _boost(build: Build, part: Part, pins: Pins, name: str, coil: Part) -> str:
    sw, base = pins.at(name), pins.ground()
    most, least = part.params.get("iout_a", 1.0), part.params.get("vin_min_v", 0.9)
    enable, more = enable_of(build, pins, base)
    catch = on_net(build, part, pins, name, "diode")
    if "OUT" in pins.named:
        out, across = pins.at("OUT"), pins.at("OUT")
        build.circuit.diode(sw, out, 0.7, most, 1.8)
        out_pin = pin_name(part.ref, pins.named["OUT"][0].number)
    elif catch is not None:
        out = build.pin(catch, catch.pins[0])
        across = out
        out_pin = pin_name(catch.ref, catch.pins[0].number)
    else:
        build.unmodelled[part.ref] = f"no diode at {name}"
        return "none"
    held = _held(build, part, pins, base, out)
    if held is None:
        build.unmodelled[part.ref] = "neither reference nor output voltage said"
        return "none"
    into = next(p for p in coil.pins if build.net_of(coil, p) != build.net_of(part, pins.named[name][0]))
    source = build.pin(coil, into)
    top = part.params.get("vout_max_v", 10 * held[0])
    # It lifts from the switching node's average to the output, up to what its duty allows.
    law = Delivery(
        held[0],
        HOLDS_BACK * most,
        0.0,
        share=min(1 / (1 - DUTY_MOST), 10.0),
        starts_v=0.98 * least,
        enable_v=enable,
    )
    anode = build.pin(catch, catch.pins[1]) if catch is not None and "OUT" not in pins.named else sw
    branch = build.circuit.governed(
        across, anode, (*held[1], out, base, source, base, *more), law, _slowness_s(part, law)
    )
    eta = _efficiency(build, part)
    build.circuit.governed(sw, base, (sw, base, across, anode, ~branch), Intake(eta, 0.0, 0.3 * least))
    supply = pins.supply()
    own_current(build, part, supply if supply is not None else out, base)
    build.assume(
        part.ref, f"holds back at {HOLDS_BACK:g} times its rated current (rule of thumb), up to {top:g} V"
    )
    build.stages.append(
        Stage(
            part.ref,
            "boost",
            (source, base),
            (out, base),
            branch,
            most,
            least,
            part.params.get("vin_max_v"),
            coil=coil.ref,
            switching_hz=part.params.get("fsw_hz"),
            held_v=part.params.get("vout_v"),
            out_pin=out_pin,
        )
    )
    return "boost regulator, averaged"


@model(4)
def whole(build: Build, part: Part, pins: Pins) -> str | None:
    """A converter with all it needs inside: modules, isolated converters, buck-boost regulators with a fixed output."""
    known = "efficiency" in part.params or ("fsw_hz" in part.params and pins.has("L1", "L2"))
    source, out = pins.first("IN", "IN+"), pins.first("OUT", "OUT+")
    if not known or source is None or out is None or ("FB" in pins.named and "vref_v" in part.params):
        return None
    held = part.params.get("vout_v")
    if held is None:
        position = build.position(part, "")
        if not position.lower().endswith("v"):
            build.unmodelled[part.ref] = f"set to no voltage: state {part.ref}=5V says it"
            return "none"
        held = float(position[:-1].replace(",", "."))
    into = pins.at(source)
    base = pins.at("IN-") if "IN-" in pins.named else pins.ground()
    plus = pins.at(out)
    minus = next((pins.at(n) for n in ("OUT-", "COM", "GNDO") if n in pins.named), base)
    if "GNDO" in pins.named:
        build.circuit.resistor(base, minus, 1e-3)
    most, least = part.params.get("iout_a", 1.0), part.params.get("vin_min_v", 0.0)
    enable, more = enable_of(build, pins, base)
    held = build.vary(part, "vout_v", held, part.params.get("tolerance_pct", 2.0))
    # What has no common ground with its input is held only by its own.
    law = Delivery(held, HOLDS_BACK * most, share=10.0, starts_v=0.98 * least, enable_v=enable, ohm=1e-4)
    branch = build.circuit.governed(plus, minus, (plus, minus, plus, minus, into, base, *more), law)
    eta = _efficiency(build, part)
    build.circuit.governed(
        into, base, (into, base, plus, minus, ~branch), Intake(eta, 0.0, max(0.9 * least, 0.5))
    )
    own_current(build, part, into, base)
    build.tie_alike(pins)
    build.assume(part.ref, f"holds back at {HOLDS_BACK:g} times its rated current (rule of thumb)")
    build.stage(part, "converter", (into, base), (plus, minus), branch, most)
    return "converter, averaged"


@model(4)
def charge_pump(build: Build, part: Part, pins: Pins) -> str | None:
    """A charge pump that inverts its input."""
    if not pins.has("CAP+", "CAP-", "IN", "OUT") or "fsw_hz" not in part.params:
        return None
    into, out, base = pins.at("IN"), pins.at("OUT"), pins.ground()
    flying = next(
        (
            c
            for c in build.design.parts.values()
            if c.kind in ("capacitor", "polar-capacitor")
            and {build.net_of(c, p) for p in c.pins}
            == {build.net_of(part, pins.named[n][0]) for n in ("CAP+", "CAP-")}
        ),
        None,
    )
    farad = build.value(flying, "c_f") if flying is not None else None
    if not farad:
        build.unmodelled[part.ref] = "no flying capacitor from CAP+ to CAP-"
        return "none"
    for name in ("CAP+", "CAP-"):
        # They are driven between the rails; their average means nothing and is held at ground.
        build.circuit.resistor(pins.at(name), base, 1e6)
    ohm = 1 / (part.params["fsw_hz"] * farad) + PUMP_OHM
    branch = build.circuit.governed(out, base, (out, base, into, base), Linear((1.0, -1.0, 1.0, -1.0), -ohm))
    build.circuit.copy(into, base, branch, 1.0)
    own_current(build, part, into, base)
    build.assume(
        part.ref, f"{ohm:.0f} Ω at its output: 1/(f·C) and {PUMP_OHM:g} Ω of switches (rule of thumb)"
    )
    build.stage(part, "inverter", (into, base), (out, base), branch, part.params.get("iout_a"))
    return "charge pump, averaged"
