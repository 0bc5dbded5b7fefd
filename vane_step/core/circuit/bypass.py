"""Which parts are bypass parts and whom they serve: one definition for review, arranging, score and findings."""

from __future__ import annotations

from vane_step.core.design.model import Design, Net, Part, split_pin

CAPACITORS = ("capacitor", "polar-capacitor")


PLUGGED = ("header", "terminal", "socket", "connector", "receptacle")


def is_connector(design: Design, part: Part) -> bool:
    """Tell whether a part is one that people plug things into."""
    title = design.packages[part.package].title.lower()
    known = any(word in title for word in PLUGGED)
    return len(part.pins) > 1 and (known or part.ref.startswith("J"))


def bypass_pins(design: Design, net: Net, grounds: set[str]) -> list[str]:
    """Give the pins on a rail of the capacitors that lead from it to ground.

    Parts of two passive pins count as well where nobody said their kind, as in imported boards; plugs never do.
    """
    found = []
    for name in net.pins:
        ref, _ = split_pin(name)
        part = design.parts[ref]
        unsaid = part.kind == "card" and all(p.role == "passive" for p in part.pins)
        is_one = part.kind in CAPACITORS or unsaid
        if not is_one or len(part.pins) != 2 or is_connector(design, part):
            continue
        other = next((f"{ref}.{p.number}" for p in part.pins if f"{ref}.{p.number}" != name), "")
        if other in grounds:
            found.append(name)
    return found


def served_pins(design: Design, net: Net) -> tuple[list[str], bool]:
    """Give the pins a rail supplies, and whether they are told; else all of parts of four pins or more."""
    told, others = [], []
    for name in net.pins:
        ref, number = split_pin(name)
        part = design.parts[ref]
        pin = part.pin(number)
        if pin is not None and pin.role == "supply-in":
            told.append(name)
        elif len(part.pins) >= 4 and not is_connector(design, part):
            others.append(name)
    return (told, True) if told else (others, False)


def ground_pins(design: Design) -> set[str]:
    """Give all pins on ground nets."""
    return {p for net in design.nets.values() if net.role == "ground" for p in net.pins}


def bypass_pairs(design: Design) -> list[tuple[str, str]]:
    """Pair bypass parts, from a rail to ground, with the pins they serve.

    Every part the rail supplies gets one in turn, most pins first; what is left over goes round again. Gives the
    bypass part's pin on the rail and the pin served.
    """
    grounds = ground_pins(design)
    found = []
    for net in design.nets.values():
        if net.role != "supply":
            continue
        helpers = bypass_pins(design, net, grounds)
        served: dict[str, list[str]] = {}
        for name in served_pins(design, net)[0]:
            served.setdefault(split_pin(name)[0], []).append(name)
        turns = max((len(pins) for pins in served.values()), default=0)
        order = sorted(served, key=lambda r: (-len(design.parts[r].pins), r))
        wanted = [served[r][k] for k in range(turns) for r in order if k < len(served[r])]
        found += [(h, wanted[i % len(wanted)]) for i, h in enumerate(helpers) if wanted]
    return found
