"""Necks: how narrow tracks may become near pins finer than they are, and how far; laid copper is judged in ``drc``."""

from __future__ import annotations

from vane_step.core.derive import derived
from vane_step.core.design.ballgrid import BallGrid, grid_of
from vane_step.core.design.model import Design, Net, NetRule, Package, split_pin
from vane_step.core.power import trace
from vane_step.core.quantity import nm

# A neck is as long as this at most, and is let be as long as that however warm it gets; the check tells then.
MOST_MM, LEAST_MM = 3.0, 1.0
# How many times as warm as its net's tracks the pin end of a neck may get (rule of thumb: pins are made for more).
TIMES = 2.0
STEPS = 12


@derived("parts", "packages", "nets", "board")
def copper_rules(design: Design) -> dict[str, NetRule]:
    """Give the copper rule of every net, with the neck it has near its pins where its rule names none.

    Such a neck is as wide as the finest pad of the net, or as what passes between the pads of a grid, not finer than
    the maker's least track. It is as long as its current lets the pin stay within ``TIMES`` the rise allowed
    (:func:`trace.neck_rise_k`), ``MOST_MM`` at most; without a current it reaches out of a grid, however large that is.
    """
    finest = {name: _sides(p) for name, p in design.packages.items()}
    grids = {name: grid for name, p in design.packages.items() if (grid := grid_of(p))}
    least = min(
        [*(min(of.values()) for of in finest.values() if of), *(g.between_nm for g in grids.values())],
        default=0,
    )
    rules = {name: design.rule_of(name) for name in design.nets}
    for name, rule in rules.items():
        if rule.neck_width_nm is None and rule.width_nm > least - 2 * rule.clearance_nm:
            rules[name] = _with_neck(design, design.nets[name], rule, finest, grids)
    return rules


def copper_rule(design: Design, net: str | None) -> NetRule:
    """Give the copper rule of one net with its neck, see :func:`copper_rules`."""
    return copper_rules(design).get(net or "") or design.rule_of(net)


def _sides(package: Package) -> dict[str, int]:
    """Give the narrow side of the pads of each number, in nanometres."""
    found: dict[str, int] = {}
    for pad in package.pads:
        if not pad.bare_hole:
            found[pad.number] = min(found.get(pad.number, pad.width_nm), pad.width_nm, pad.height_nm)
    return found


def _with_neck(
    design: Design, net: Net, rule: NetRule, finest: dict[str, dict[str, int]], grids: dict[str, BallGrid]
) -> NetRule:
    maker = design.board.rules
    gap = max(rule.clearance_nm, maker.min_clearance_nm)
    sides, reach_mm = [], 0.0
    for pin in net.pins:
        ref, number = split_pin(pin)
        if ref not in design.parts:
            continue
        pack = design.parts[ref].package
        if number in (of := finest.get(pack, {})):
            sides.append(of[number])
        grid = grids.get(pack)
        passing = grid.width_nm(maker, gap) if grid is not None and number in grid.pads else None
        if grid is not None and passing is not None:
            # Between its neighbours, and out of the grid.
            sides.append(passing)
            reach_mm = max(reach_mm, (2 * grid.half_nm + grid.pitch_nm) / 1e6)
    width = max(min(sides, default=rule.width_nm), maker.min_width_nm)
    if width >= rule.width_nm:
        return rule
    long = max(_reach_mm(design, rule, width / 1e6), reach_mm if rule.current is None else 0.0)
    return rule.model_copy(update={"neck_width_nm": width, "neck_length_nm": nm(long)})


def _reach_mm(design: Design, rule: NetRule, width_mm: float) -> float:
    """Give how long a neck may be, to a twelfth of the most, for its pin to stay cool enough."""
    need = rule.current
    if need is None:
        return MOST_MM
    copper = design.board.rules.copper_um
    for step in range(STEPS, 0, -1):
        length = MOST_MM * step / STEPS
        rise = trace.neck_rise_k(
            width_mm, rule.width_nm / 1e6, length, need.current_a, copper, "outer", need.seconds
        )
        if length <= LEAST_MM or rise <= TIMES * need.rise_k:
            return length
    raise AssertionError("the shortest step is within the least")
