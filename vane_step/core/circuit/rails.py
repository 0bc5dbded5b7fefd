"""What voltage a net has, said or read from its name, with its sign: least and greatest; no rule is here."""

from __future__ import annotations

import re
from dataclasses import dataclass

from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin, pin_name

# A voltage at the beginning of a name or behind an underscore: 3V3, +12V, -35V, N12V, 5V_BUCK, PACK_16V8.
_NAMED = re.compile(r"(?:^|_)([+-]|N(?:EG)?_?)?(\d{1,3})V(\d{0,2})(?=$|[^0-9A-Za-z])", re.I)
# Rails below ground whose names tell no voltage.
_BELOW = re.compile(r"^(V-\w*|VEE\w*|V_?NEG\w*|NEG\w*|-V\w*)$", re.I)


@dataclass(frozen=True)
class Volts:
    """Least and greatest voltage of a net against ground."""

    low: float
    high: float

    @property
    def most(self) -> float:
        """The one farther from ground, with its sign."""
        return self.high if abs(self.high) >= abs(self.low) else self.low


# Names of the lower supply of parts that may be fed from both sides of ground.
LOWER_SUPPLIES = ("V-", "VEE", "VSS", "VS-", "AVSS", "-V", "-VS")


def named_volts(name: str) -> float | None:
    """Read a voltage from a name.

    >>> named_volts("-35V"), named_volts("N12V"), named_volts("PACK_16V8"), named_volts("VCC")
    (-35.0, -12.0, 16.8, None)
    """
    match = _NAMED.search(name)
    if match is None:
        return None
    value = float(f"{match[2]}.{match[3] or 0}")
    return -value if match[1] and match[1] != "+" else value


def rail(net: Net | None) -> Volts | None:
    """Give the voltage of a supply as said, else by its name; of a ground 0 V; of other nets none."""
    if net is None:
        return None
    if net.volts is not None:
        return Volts(*net.volts)
    if net.role == "ground":
        return Volts(0.0, 0.0)
    value = named_volts(net.name) if net.role == "supply" else None
    return None if value is None else Volts(value, value)


def below_ground(net: Net) -> bool:
    """Tell whether a rail lies below ground, also when only its name says so."""
    known = rail(net)
    return known.high < 0 if known is not None else bool(_BELOW.match(net.name))


def across(one: Net | None, two: Net | None) -> float | None:
    """Give the greatest voltage that can lie between two nets, where both are known."""
    a, b = rail(one), rail(two)
    return None if a is None or b is None else max(abs(a.high - b.low), abs(b.high - a.low))


def is_lower_supply(pin: Pin, net: Net) -> bool:
    """Tell whether a pin is the lower supply of a part fed from both sides of ground: named so, on a rail below it."""
    return pin.role == "ground" and pin.name.upper() in LOWER_SUPPLIES and below_ground(net)


def taking_pins(wired: Wiring, net: Net) -> tuple[str, ...]:
    """Give the pins that take their supply from a net."""
    return tuple(
        pin_name(part.ref, pin.number)
        for part, pin in wired.pins_on(net.name)
        if pin.role == "supply-in" or is_lower_supply(pin, net)
    )


def reference(wired: Wiring, part: Part) -> Volts:
    """Give what a part's supplies count from: ground, or the rail all its ground pins are on as lower supply."""
    nets = [net for p in part.pins if p.role == "ground" and (net := wired.net_at(part, p)) is not None]
    rails = [rail(net) for net in nets if net.role == "supply"]
    known = [volts for volts in rails if volts is not None]
    if not known or len(known) < len(nets):
        return Volts(0.0, 0.0)
    return Volts(min(v.low for v in known), max(v.high for v in known))


def who(part: Part) -> str:
    """Name a part with what it is, for messages."""
    return f"{part.ref} {part.catalogue or part.value}".strip()
