"""Parts over what they bear: currents, heat, zener and coil voltages, fixed outputs, dropout; LEDs without a resistor.

A rule speaks only where it has both numbers: the net's current as said, and the catalogue's rating.
"""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.electrics import is_switch
from vane_step.core.circuit.rails import Volts, across, rail, who
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part
from vane_step.core.finding import Finding, Place, tell

CATALOGUE = "the catalogue"
# A coil pulls in from about three quarters of its voltage, and bears a tenth more (rule of thumb).
COIL_LOW, COIL_HIGH = 0.75, 1.1
OUTPUT_OFF = 0.06
MOST_JUNCTION_C = 125.0
# What a two-terminal part of a kind is rated for.
SERIES_RATINGS = {"fuse": "i_a", "inductor": "isat_a", "diode": "if_a", "switch": "i_a"}


def stress_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for rule in (_currents, _zeners, _coils, _regulators, _bare_leds, _unsaid):
        yield from rule(wired)


def _amps(net: Net | None) -> float | None:
    return net.rule.current.current_a if net is not None and net.rule and net.rule.current else None


def _through(wired: Wiring, part: Part) -> tuple[float, Net] | None:
    """Give the current that flows through a two-terminal part in series, where its nets say it."""
    a, b = (wired.net_at(part, p) for p in part.pins[:2])
    if a is None or b is None or "ground" in (a.role, b.role):
        return None
    said = [(amps, net) for net in (a, b) if (amps := _amps(net)) is not None]
    # Of two currents the smaller is what can flow through; of one, all of it where nothing else hangs on the other net.
    if len(said) == 2:
        return min(said, key=lambda s: s[0])
    other = b if said and said[0][1] is a else a
    return said[0] if said and len(other.pins) <= 3 else None


def _currents(wired: Wiring) -> Iterator[Finding]:
    """Currents of nets against what the parts in their way are rated for."""
    for part in wired.design.parts.values():
        if not part.fitted:
            continue
        key = SERIES_RATINGS.get(part.kind)
        if key and key in part.params and len(part.pins) == 2 and not _catches(wired, part):
            flows = _through(wired, part)
            if flows and flows[0] > part.params[key] * 1.0001:
                yield _over(part, flows[0], part.params[key], flows[1])
            continue
        for pin in part.pins:
            net = wired.net_at(part, pin)
            amps = _amps(net)
            if net is None or amps is None:
                continue
            limit = {
                "supply-out": part.params.get("iout_a"),
                "open-drain": part.params.get("id_a", part.params.get("ic_a")) if is_switch(part) else None,
            }.get(pin.role)
            contact = pin.name.upper().rstrip("0123456789") in ("COM", "NO", "NC") and "coil_v" in part.params
            limit = part.params.get("i_a") if contact else limit
            if limit is not None and amps > limit * 1.0001:
                yield _over(part, amps, limit, net)
                break


def _over(part: Part, amps: float, limit: float, net: Net) -> Finding:
    text = f"{who(part)} bears {limit:g} A, {net.name} carries {amps:g} A"
    return tell("over-current", text, amps, limit, Place(refs=(part.ref,), net=net.name))


def _catches(wired: Wiring, part: Part) -> bool:
    """Tell whether a diode only catches the kick of a coil: its anode on a switched net."""
    anode = wired.net_at(part, part.pins[1].number) if part.kind == "diode" else None
    return anode is not None and any(p.role == "open-drain" for _, p in wired.pins_on(anode.name))


def _zeners(wired: Wiring) -> Iterator[Finding]:
    """Zener diodes straight across a rail above their voltage."""
    for part in wired.design.parts.values():
        limit = part.params.get("vz_v")
        if limit is None or len(part.pins) != 2 or not part.fitted:
            continue
        cathode, anode = (wired.net_at(part, p) for p in part.pins)
        high, low = rail(cathode), rail(anode)
        if high is not None and low is not None and high.high - low.low > limit * 1.02:
            gap = high.high - low.low
            text = f"{who(part)} conducts from {limit:g} V on, {gap:g} V are across it"
            yield tell(
                "zener", text, gap, limit, Place(refs=(part.ref,), net=cathode.name if cathode else None)
            )


def _coils(wired: Wiring) -> Iterator[Finding]:
    """Coils of relays and sounders against the rail they hang on, the other end at ground or at a switch."""
    for part in wired.design.parts.values():
        rated = part.params.get("coil_v", part.params.get("vmax_v") if part.kind == "sounder" else None)
        if rated is None or not part.fitted:
            continue
        ends = [p for p in part.pins if p.name.upper() in ("A1", "A2")] or list(part.pins[:2])
        nets = [n for p in ends if (n := wired.net_at(part, p)) is not None]
        feeds = [(v, n) for n in nets if n.role == "supply" and (v := rail(n)) is not None]
        if len(nets) != 2 or len(feeds) != 1:
            continue
        volts, net = feeds[0]
        if volts.high > rated * COIL_HIGH:
            text = f"{who(part)} is made for {rated:g} V and gets {volts.high:g} V"
            yield tell(
                "coil-voltage", text, volts.high, rated * COIL_HIGH, Place(refs=(part.ref,), net=net.name)
            )
        elif "coil_v" in part.params and volts.low < rated * COIL_LOW:
            text = f"{who(part)} is made for {rated:g} V, gets {volts.low:g} V and does not pull in"
            yield tell(
                "coil-voltage", text, volts.low, rated * COIL_LOW, Place(refs=(part.ref,), net=net.name)
            )


def _regulators(wired: Wiring) -> Iterator[Finding]:
    """Fixed outputs on a rail of another voltage, input below output and dropout, and heat by the current as said."""
    for part in wired.design.parts.values():
        outs = [n for p in part.pins if p.role == "supply-out" and (n := wired.net_at(part, p)) is not None]
        ins = [n for p in part.pins if p.role == "supply-in" and (n := wired.net_at(part, p)) is not None]
        out, into = (rail(x[0]) if x else None for x in (outs, ins))
        fixed = part.params.get("vout_v")
        yield from _other_output(part, fixed, list(dict.fromkeys(outs)))
        given = fixed if fixed is not None else (out.most if out else None)
        if given is None or into is None or not outs or not ins:
            continue
        yield from _headroom(part, given, into, ins[0])
        amps = _amps(outs[0])
        theta = part.params.get("theta_ja_k_per_w")
        if amps is None or theta is None or "dropout_v" not in part.params:
            continue
        heat = (into.high - given) * amps + into.high * part.params.get("iq_a", 0.0)
        junction = wired.design.brief.ambient_c + heat * theta
        if junction > MOST_JUNCTION_C:
            text = f"{who(part)} turns {heat:.2f} W into heat: its junction gets {junction:.0f} °C"
            source, name = f"{CATALOGUE}: {theta:g} K/W; silicon bears 125 °C (rule of thumb)", outs[0].name
            yield tell(
                "regulator-heat",
                text,
                junction,
                MOST_JUNCTION_C,
                Place(refs=(part.ref,), net=name),
                source=source,
            )


def _other_output(part: Part, fixed: float | None, outs: list[Net]) -> Iterator[Finding]:
    """Fixed outputs on rails of another voltage; of several outputs one may lie as far below ground."""
    if fixed is None:
        return
    for net in outs:
        found = rail(net)
        if found is None or net.role != "supply":
            continue
        gives = -fixed if len(outs) > 1 and found.most < 0 < fixed else fixed
        if abs(found.most - gives) > OUTPUT_OFF * abs(fixed):
            text = f"{who(part)} gives {gives:g} V on {net.name}"
            yield tell("regulator-output", text, gives, found.most, Place(refs=(part.ref,), net=net.name))


def _headroom(part: Part, given: float, into: Volts, net: Net) -> Iterator[Finding]:
    drop = part.params.get("dropout_v")
    if drop is not None and given > 0 and into.low < given + drop - 1e-9:
        text = f"{who(part)} needs {given + drop:g} V for {given:g} V and gets {into.low:g} V"
        yield tell("dropout", text, into.low, given + drop, Place(refs=(part.ref,), net=net.name))


def _bare_leds(wired: Wiring) -> Iterator[Finding]:
    """LEDs with nothing to limit their current, straight between rails or from a rail to a pin; and turned ones."""
    for led in wired.design.parts.values():
        if led.kind != "led" or len(led.pins) != 2 or not led.fitted:
            continue
        cathode, anode = (wired.net_at(led, p) for p in led.pins)
        if cathode is None or anode is None or cathode is anode:
            continue
        gap = across(anode, cathode)
        if gap:
            text = f"{led.ref} lies between {anode.name} and {cathode.name} without a resistor"
            yield tell(
                "led-bare",
                text,
                gap,
                0,
                Place(refs=(led.ref,), net=anode.name),
                source="an LED takes what it gets",
            )
        elif (far := _behind_resistor(wired, led, anode, cathode)) is not None:
            high, low = far
            if high.high <= low.low:
                text = f"{led.ref} is the wrong way round: its anode gets {high.high:g} V, its cathode {low.low:g} V"
                yield tell(
                    "backwards",
                    text,
                    high.high - low.low,
                    0,
                    Place(refs=(led.ref,)),
                    level="look",
                    source="polarity: pin 1 is the cathode",
                )


def _behind_resistor(wired: Wiring, led: Part, anode: Net, cathode: Net) -> tuple[Volts, Volts] | None:
    """Give the voltages an LED is driven by, anode first, through a resistor on either side; outputs give a range."""
    found = []
    for net in (anode, cathode):
        far = net
        if len(net.pins) == 2 and rail(net) is None:
            other = next((part for part, _ in wired.pins_on(net.name) if part is not led), None)
            if other is not None and other.kind == "resistor":
                ends = [wired.net_at(other, p) for p in other.pins]
                far = next((n for n in ends if n is not None and n is not net), net)
        volts = rail(far) or _driven(wired, far)
        if volts is None:
            return None
        found.append(volts)
    return found[0], found[1]


def _driven(wired: Wiring, net: Net) -> Volts | None:
    """Give the range of an output: from ground to the supply of its part."""
    for part, pin in wired.pins_on(net.name):
        if pin.role in ("output", "io"):
            rails = [v for p in part.pins if p.role == "supply-in" and (v := rail(wired.net_at(part, p)))]
            return Volts(0.0, max(v.high for v in rails)) if rails else None
    return None


def _unsaid(wired: Wiring) -> Iterator[Finding]:
    """Nets said to carry much of which nobody says how much."""
    for net in wired.nets.values():
        if net.role == "high-current" and _amps(net) is None and len(net.pins) > 1:
            yield tell(
                "no-current",
                f"{net.name} carries a high current, and nobody says how much",
                0,
                1,
                Place(net=net.name, pins=net.pins[:8]),
                level="note",
                source="width and ratings follow from it",
            )
