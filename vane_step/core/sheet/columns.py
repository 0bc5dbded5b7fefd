"""Chains of two-terminal parts that hang on no card, drawn as columns with the supply on top."""

from __future__ import annotations

from vane_step.core.circuit.pins import UNNAMED
from vane_step.core.circuit.symbols import is_rail
from vane_step.core.design.model import Net, Part, pin_name
from vane_step.core.sheet.drafter import Drafter
from vane_step.core.sheet.drawing import PILL, Group, Mark, Wire, text_width
from vane_step.core.sheet.runs import SYMBOL, caption, finish_vertical, symbol

# A column goes on through a net that this many two-terminal parts share; one of more, such as a row of keys, is named.
MAX_SHARERS = 3
LONGEST = 5
BETWEEN = 32.0


def column(drafter: Drafter, start: Part) -> Group:
    """Draw a chain of two-terminal parts as a column, supply on top and ground below."""
    chain = _chain(drafter, start)
    group = Group(chain[0][0].ref)
    y = 0.0
    first, end = chain[0]
    finish_vertical(
        drafter, group, 0, y, -1, drafter.ends(first)[end], pin_name(first.ref, first.pins[end].number)
    )
    for k, (part, end) in enumerate(chain):
        drafter.done.add(part.ref)
        group.marks.append(symbol(part, -12, y, 24, SYMBOL, 0 if end == 0 else 180))
        group.marks.append(caption(part, 16, y + SYMBOL / 2 - 14))
        y += SYMBOL
        below = drafter.ends(part)[1 - end]
        far = pin_name(part.ref, part.pins[1 - end].number)
        if k == len(chain) - 1:
            finish_vertical(drafter, group, 0, y, 1, below, far)
        elif below is not None:
            after, begin = chain[k + 1]
            inside = {far, pin_name(after.ref, after.pins[begin].number)}
            y += _joint(drafter, group, below, inside, y)
    return group


def _joint(drafter: Drafter, group: Group, net: Net, inside: set[str], y: float) -> float:
    """Draw the wire between two parts of a column, with its net's name where that tells something; give its length."""
    if UNNAMED.fullmatch(net.name) and not set(net.pins) - inside:
        group.wires.append(Wire(net.name, 0, y, 0, y + BETWEEN / 2))
        return BETWEEN / 2
    group.wires.append(Wire(net.name, 0, y, 0, y + BETWEEN))
    middle = y + BETWEEN / 2
    text = drafter.label(net)
    if set(net.pins) - inside:
        group.marks.append(Mark("dot", -3, middle - 3, 6, 6, net=net.name))
    group.wires.append(Wire(net.name, 0, middle, 14, middle))
    w = text_width(text) + 22
    group.marks.append(Mark("pill", 14, middle - PILL / 2, w, PILL, net=net.name, label=text, role=net.role))
    return BETWEEN


def _chain(drafter: Drafter, start: Part) -> list[tuple[Part, int]]:
    """Follow a chain of undrawn two-terminal parts from its upper end; each entry names the end that is on top."""
    if start.nudge is not None:
        a, b = drafter.ends(start)
        return [(start, 1 if (b and b.role == "supply") or (a and a.role == "ground") else 0)]

    def onward(net: Net | None, used: set[str]) -> tuple[Part, int] | None:
        if net is None or is_rail(net) or drafter.sharers(net) > MAX_SHARERS:
            return None
        return next(((p, e) for p, e in drafter.hanging(net) if p.ref not in used), None)

    chain = [(start, 0)]
    used = {start.ref}
    while (step := onward(drafter.ends(chain[-1][0])[1 - chain[-1][1]], used)) and len(chain) < LONGEST:
        chain.append(step)
        used.add(step[0].ref)
    while (step := onward(drafter.ends(chain[0][0])[chain[0][1]], used)) and len(chain) < LONGEST:
        chain.insert(0, (step[0], 1 - step[1]))
        used.add(step[0].ref)
    top = drafter.ends(chain[0][0])[chain[0][1]]
    bottom = drafter.ends(chain[-1][0])[1 - chain[-1][1]]
    if (bottom and bottom.role == "supply") or (top and top.role == "ground"):
        chain = [(p, 1 - e) for p, e in reversed(chain)]
    return _from_the_name(drafter, chain, start)


def _from_the_name(drafter: Drafter, chain: list[tuple[Part, int]], start: Part) -> list[tuple[Part, int]]:
    """Cut a chain that runs from ground to ground at a net that goes elsewhere, so that its name is on top.

    The half with ``start`` is kept; the other half is drawn as a column of its own.
    """

    def ground(net: Net | None) -> bool:
        return net is not None and net.role == "ground"

    (first, end), (last, other) = chain[0], chain[-1]
    if not (ground(drafter.ends(first)[end]) and ground(drafter.ends(last)[1 - other])):
        return chain
    for k in range(len(chain) - 1):
        part, end = chain[k]
        net = drafter.ends(part)[1 - end]
        after, begin = chain[k + 1]
        inside = {
            pin_name(part.ref, part.pins[1 - end].number),
            pin_name(after.ref, after.pins[begin].number),
        }
        if net is not None and set(net.pins) - inside:
            upper = [(p, 1 - e) for p, e in reversed(chain[: k + 1])]
            return upper if any(p is start for p, _ in upper) else chain[k + 1 :]
    return chain
