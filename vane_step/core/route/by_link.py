"""Pins of a net with much current that can take only little of it: they are routed last, with usual tracks.

A divider's resistor on a net of 20 A needs no track of 8 mm. What the pins of a net can pass bounds what flows in the
branches that lead to them alone; all of those together are held against what a usual track bears.
"""

from __future__ import annotations

from typing import Final

from vane_step.core.board.geometry.necks import copper_rule
from vane_step.core.design.model import Design, split_pin
from vane_step.core.network.pin_limits import pin_limits
from vane_step.core.power import trace

# Of what a usual track bears, all pins it leads to may take so much; and from how many times its width on it pays: a
# track laid last goes a longer way.
SHARE, WIDER = 0.8, 4.0
# Pins of these lead away heat or the steps of current that make noise: they get what the net has.
NEVER: Final = ("capacitor", "polar-capacitor", "inductor")


def light_pins(design: Design, nets: set[str] | None = None) -> dict[str, tuple[str, ...]]:
    """Give for each net with much current the pins that usual tracks may lead to; at least two others stay."""
    wanted = [n for n in design.nets.values() if n.rule is not None and n.rule.current is not None]
    wanted = [n for n in wanted if n.role != "ground" and (nets is None or n.name in nets)]
    wanted = [n for n in wanted if not any(p.net == n.name for p in design.pours.values())]
    usual_nm = design.board.rules.default_width_nm
    found: dict[str, tuple[str, ...]] = {}
    for net in wanted:
        assert net.rule is not None and net.rule.current is not None
        if copper_rule(design, net.name).width_nm < WIDER * usual_nm:
            continue
        left = SHARE * _bears_a(design, usual_nm / 1e6, net.rule.current.rise_k)
        limits = pin_limits(design)
        light: list[str] = []
        for pin in sorted((p for p in net.pins if p in limits), key=lambda p: (limits[p], p)):
            if design.parts[split_pin(pin)[0]].kind in NEVER or limits[pin] > left:
                continue
            left -= limits[pin]
            light.append(pin)
        if light and len(net.pins) - len(light) >= 2:
            found[net.name] = tuple(light)
    return found


def _bears_a(design: Design, width_mm: float, rise_k: float) -> float:
    """Give what a track bears on the layer that is worst for it."""
    rules = design.board.rules
    bears = [trace.current_a(width_mm, rise_k, rules.copper_um, "outer")]
    if len(design.board.layers) > 2:
        bears.append(trace.current_a(width_mm, rise_k, rules.inner_copper_um, "inner"))
    return min(bears)


def without_light(design: Design, light: dict[str, tuple[str, ...]]) -> Design:
    """Give the design with those pins on no net, for all that is heavy to be routed."""
    nets = {
        name: design.nets[name].model_copy(
            update={"pins": tuple(p for p in design.nets[name].pins if p not in pins)}
        )
        for name, pins in light.items()
    }
    return design.replaced(nets={**design.nets, **nets})


def as_usual(design: Design, light: dict[str, tuple[str, ...]]) -> Design:
    """Give the design with those nets as wide as usual tracks, for what is left of them."""
    width = design.board.rules.default_width_nm
    nets = {}
    for name in light:
        rule = design.rule_of(name)
        usual = rule.model_copy(
            update={"width_nm": width, "current": None, "neck_width_nm": None, "neck_length_nm": None}
        )
        nets[name] = design.nets[name].model_copy(update={"rule": usual})
    return design.replaced(nets={**design.nets, **nets})
