"""What another number of copper layers would buy: the board routed afresh on each and told in readings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vane_step.core.board.analysis.return_paths import return_paths
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.edits import apply
from vane_step.core.design.model import LAYERS, Design, Pour
from vane_step.core.errors import EditRefused
from vane_step.core.order.board_price import price_step
from vane_step.core.route.router import route


@dataclass(frozen=True)
class LayerOffer:
    """A board on a number of layers.

    Parameters
    ----------
    made
        Whether the maker chosen makes this number of layers.
    links_open, vias, wires, length_mm
        What routing it afresh gave.
    over_ground
        Share of the tracks that lie over ground copper, 0 to 1, with ground poured on the back and on the first inner
        layer.
    price
        What the maker asks for one bare board of its size, in euros; None when no price is known.
    """

    layers: int
    made: bool
    links_open: int
    vias: int
    wires: int
    length_mm: float
    over_ground: float
    price: float | None


def layer_offers(design: Design, progress: Callable[[int, int], bool] | None = None) -> list[LayerOffer]:
    """Route a board on one, two and four layers, as far as its parts allow, fewest layers first.

    One layer has its copper on the back: a board with surface-mount parts on the front is not tried on it. Locked
    copper and copper by hand are laid anew like the rest.

    Parameters
    ----------
    progress : callable, optional
        Hears how many are done of how many; returning ``False`` ends with what there is.

    Raises
    ------
    EditRefused
        When a part has no place yet.
    """
    waiting = [p.ref for p in design.parts.values() if p.place is None]
    if waiting:
        raise EditRefused(
            f"{waiting[0]} has no place on the board yet.",
            where="board",
            value=len(waiting),
            next_step="Type: arrange",
        )
    counts = [n for n in sorted(LAYERS) if n > 1 or _fits_one_layer(design)]
    found = []
    for k, count in enumerate(counts):
        found.append(_offer(design, count))
        if progress and not progress(k + 1, len(counts)):
            break
    return found


def _fits_one_layer(design: Design) -> bool:
    for part in design.parts.values():
        side = part.place.side if part.place else "front"
        for pad in design.packages[part.package].pads:
            if pad.layers != "through" and (pad.layers == "front") == (side == "front"):
                return False
    return True


def _offer(design: Design, count: int) -> LayerOffer:
    names = LAYERS[count]
    ground = next((n.name for n in design.nets.values() if n.role == "ground"), "")
    board = design.board.model_copy(update={"copper_layers": count})
    poured = ("in1", "back") if count > 2 else ("back",)
    # What four layers are for: one of them is all ground.
    pours = {
        f"P-{x}": Pour(id=f"P-{x}", net=ground, layer=x, plane=x == "in1")
        for x in names
        if ground and x in poured
    }
    planes = {k: p for k, p in pours.items() if p.plane}
    bare = design.replaced(board=board, tracks={}, vias={}, jumpers={}, pours=planes)
    result = route(bare)
    after = apply(bare, result.edit)[0].replaced(pours=pours)
    paths = return_paths(after)
    length = sum(p.length_mm for p in paths)
    share = sum(p.over_mm for p in paths) / length if length else 1.0
    numbers = figures(after)
    step = price_step(design, outline(design).bounds, count, fills=bool(filled_vias(after)))
    return LayerOffer(
        count,
        count in design.board.rules.copper_layers,
        result.links_wanted - result.links_made,
        len(after.vias),
        len(after.jumpers),
        float(numbers["track_length_mm"]),
        share,
        step.each if step else None,
    )
