"""What parts and nets are to whoever draws or lays them: two terminals, rails; how they are drawn is in ``sheet``."""

from __future__ import annotations

from vane_step.core.design.model import Net, Part


def is_symbol(part: Part) -> bool:
    """Tell whether a part is drawn as a symbol of two terminals; all others are cards."""
    return part.kind != "card" and len(part.pins) == 2


def is_rail(net: Net | None) -> bool:
    """Tell whether a net is a supply or a ground."""
    return net is not None and net.role in ("supply", "ground")
