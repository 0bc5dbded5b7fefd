"""What an etched board needs at its holes: joints on both sides, wires through, and what no iron reaches."""

from __future__ import annotations

from dataclasses import dataclass

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.copper_table import KIND, touching_pairs
from vane_step.core.board.geometry.shapes import LAYER_BIT, plated
from vane_step.core.design.model import Design, natural
from vane_step.core.finding import Finding, tell


@dataclass(frozen=True)
class BothSides:
    """Pins whose lead joins both sides, and vias by their id with their place in millimetres."""

    pins: tuple[str, ...]
    vias: tuple[tuple[str, float, float], ...]


def as_etched(design: Design) -> Design:
    """Give the design as it is once etched, whatever its rules say of plating: no hole joins two sides by itself."""
    if not plated(design):
        return design
    rules = design.board.rules.model_copy(update={"etched": True})
    return design.replaced(board=design.board.model_copy(update={"rules": rules}))


def plating_findings(design: Design) -> list[Finding]:
    """Hold a board whose rules count on plated holes, or on inner layers, against what etching gives."""
    found = []
    layers, title = design.board.copper_layers, design.board.rules.title
    if layers > 2:
        found.append(
            tell(
                "etch-layers",
                "Inner layers cannot be etched at home",
                layers,
                2,
                source="a sheet of laminate has two sides",
            )
        )
    made, etched = connectivity(design), connectivity(as_etched(design))
    if lost := made.links_made - etched.links_made:
        found.append(
            tell(
                "etch-plating",
                "Etched at home no hole is plated: connections are lost under bodies, where no iron reaches",
                lost,
                0,
                source=f"{title} plates its holes; type: rules kitchen-table",
            )
        )
    return found


def both_sides(design: Design) -> BothSides:
    """List what has to be soldered on both sides once etched, since copper leads away on both."""
    if design.board.copper_layers < 2:
        return BothSides((), ())
    design = as_etched(design)
    of, a, b, _ = touching_pairs(design)
    met = [0] * len(of.items)
    for i, j in zip(a.tolist(), b.tolist(), strict=True):
        shared = int(of.layers[i] & of.layers[j])
        met[i] |= shared
        met[j] |= shared
    for pour in pour_pieces(design):
        bit = 1 << LAYER_BIT[pour.layer]
        for k, item in enumerate(of.items):
            mine = item.net == pour.net and int(of.layers[k]) & bit
            if mine and any(piece.distance(item.spine) <= item.radius_mm for piece in pour.pieces):
                met[k] |= bit
    both = [k for k, bits in enumerate(met) if bits.bit_count() > 1 and of.items[k].drill_mm]
    pins = {of.items[k].id for k in both if of.kind[k] == KIND["pad"]}
    vias = [of.items[k] for k in range(len(of.items)) if of.kind[k] == KIND["via"]]
    return BothSides(tuple(sorted(pins, key=natural)), tuple((v.id, v.x_mm, v.y_mm) for v in vias))
