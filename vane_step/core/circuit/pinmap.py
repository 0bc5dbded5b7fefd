"""What each pin of a part is on, for whoever writes its firmware; which pin should do what is ``controllers``."""

from __future__ import annotations

from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design, natural, pin_name

HEAD = ("part", "pin", "name", "net", "for", "function")


def pin_map(design: Design, ref: str) -> list[tuple[str, ...]]:
    """Give a row a pin of a part: part, number, name, net, what firmware needs it for, and its function.

    Raises
    ------
    NotFound
        When there is no such part.
    """
    part = part_of(design, ref)
    uses = {u.pin: u for u in part.uses}
    rows: list[tuple[str, ...]] = []
    for pin in sorted(part.pins, key=lambda p: natural(p.number)):
        use = uses.get(pin.number)
        net = design.net_of(pin_name(part.ref, pin.number)) or ""
        rows.append(
            (
                part.ref,
                pin.number,
                pin.name,
                net,
                use.demand if use else "",
                use.function if use else "",
            )
        )
    return rows
