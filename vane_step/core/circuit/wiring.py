"""One version of a circuit as rules read it: the design and who is joined to what; no rule is here."""

from __future__ import annotations

from vane_step.core.design.model import Design, Net, Part, Pin, natural, pin_name
from vane_step.core.lazy import lazy


class Wiring:
    """What every rule of the circuit is handed.

    Parameters
    ----------
    design
        The version that is judged.
    """

    def __init__(self, design: Design) -> None:
        self.design = design
        self.nets = design.nets
        self._net_of = design.net_of
        self.pins_on = design.pins_on

    @lazy
    def parts(self) -> tuple[Part, ...]:
        """All parts, as people count their references."""
        return tuple(sorted(self.design.parts.values(), key=lambda p: natural(p.ref)))

    def net(self, pin: str) -> Net | None:
        """Give the net of a pin such as ``U1.5``."""
        name = self._net_of(pin)
        return self.nets[name] if name else None

    def net_at(self, part: Part, pin: Pin | str) -> Net | None:
        """Give the net a pin of a part, or the pin of a number, is on."""
        return self.net(pin_name(part.ref, pin if isinstance(pin, str) else pin.number))

    def ends(self, part: Part) -> tuple[Net | None, Net | None]:
        """Give the nets of a part's first two pins, none where it has fewer."""
        first, second, *_ = (*(self.net_at(part, p) for p in part.pins[:2]), None, None)
        return first, second

    def other_end(self, part: Part, pin: Pin) -> Net | None:
        """Give the net at the other end of a two-terminal part."""
        far = next((p for p in part.pins if p is not pin), None) if len(part.pins) == 2 else None
        return self.net_at(part, far) if far is not None else None
