"""How signals get back: how much of each track lies over unbroken ground copper, and where not; no limits here."""

from __future__ import annotations

from dataclasses import dataclass

import shapely
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.circuit.bypass import bypass_pairs
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, natural

# Where less than this lacks, it is the clearance round a via or a pad, which a return current passes by.
SHORT_MM = 1.5


@dataclass(frozen=True)
class Stretch:
    """A run of a net's track without ground under it: where it begins, in nanometres, its layer and length."""

    layer: str
    x_nm: int
    y_nm: int
    length_mm: float


@dataclass(frozen=True)
class ReturnPath:
    """How a net's current gets back.

    Parameters
    ----------
    length_mm, over_mm
        Length of the net's tracks, and of what lies over ground copper of the next layer that has any.
    gaps
        Stretches without it longer than 1.5 mm, longest first.
    """

    net: str
    length_mm: float
    over_mm: float
    gaps: tuple[Stretch, ...]

    @property
    def share(self) -> float:
        """Share of the length that lies over ground, 0 to 1."""
        return self.over_mm / self.length_mm if self.length_mm else 1.0


@derived(*COPPER)
def return_paths(design: Design) -> tuple[ReturnPath, ...]:
    """Follow the tracks of every net but grounds over the ground copper next to them, worst net first.

    Pours, tracks and pads of nets with the role *ground* count, and planes of supplies that capacitors join to ground:
    at the frequencies that matter their current gets back the same way. On each layer the nearest layer with such
    copper is the reference; a board of one layer has none, and every track is its own way back.
    """
    layers = design.board.layers
    grounds = {n.name for n in design.nets.values() if n.role == "ground"} | _joined_planes(design)
    copper: dict[str, BaseGeometry] = {layer: _ground(design, layer, grounds) for layer in layers}
    found: dict[str, tuple[float, float, list[Stretch]]] = {}
    for item in copper_items(design):
        if item.kind != "track" or item.net is None or item.net in grounds:
            continue
        under = _under(item.layers[0], layers, copper)
        over, gaps = _over(item, under)
        length, covered, stretches = found.get(item.net, (0.0, 0.0, []))
        found[item.net] = length + item.spine.length, covered + over, stretches + gaps
    paths = [
        ReturnPath(net, length, over, tuple(sorted(gaps, key=lambda g: -g.length_mm)))
        for net, (length, over, gaps) in found.items()
        if length > 0
    ]
    return tuple(sorted(paths, key=lambda p: (-(p.length_mm - p.over_mm), natural(p.net))))


def _joined_planes(design: Design) -> set[str]:
    """Name the supplies that have a plane and a bypass part from it to ground."""
    planes = {p.net for p in design.pours.values() if p.plane and design.nets[p.net].role == "supply"}
    helped = {design.net_of(helper) for helper, _ in bypass_pairs(design)} if planes else set()
    return planes & {name for name in helped if name}


def _ground(design: Design, layer: str, grounds: set[str]) -> BaseGeometry:
    """Give the ground copper of a layer, prepared."""
    shapes: list[BaseGeometry] = [
        p for pour in pour_pieces(design) if pour.layer == layer and pour.net in grounds for p in pour.pieces
    ]
    shapes += [
        i.shape() for i in copper_items(design) if i.net in grounds and layer in i.layers and i.kind != "via"
    ]
    joined = shapely.disjoint_subset_union_all(shapes) if shapes else shapely.Polygon()
    shapely.prepare(joined)
    return joined


def _under(layer: str, layers: tuple[str, ...], copper: dict[str, BaseGeometry]) -> BaseGeometry:
    here = layers.index(layer)
    others = [k for k in range(len(layers)) if k != here and copper[layers[k]].area > 1.0]
    return copper[layers[min(others, key=lambda k: abs(k - here))]] if others else shapely.Polygon()


def _over(item: CopperItem, under: BaseGeometry) -> tuple[float, list[Stretch]]:
    """Give how much of a piece lies over copper, and the stretches that do not and are long enough to matter."""
    if shapely.covers(under, item.spine):
        return item.spine.length, []
    bare = item.spine.difference(under)
    gaps = []
    for part in getattr(bare, "geoms", [bare]):
        if part.length > SHORT_MM:
            x, y = part.coords[0]
            gaps.append(Stretch(item.layers[0], round(x * 1e6), round(y * 1e6), float(part.length)))
    return float(item.spine.length - bare.length), gaps
