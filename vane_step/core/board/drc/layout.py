"""One version of a board as rules read it: the design and all its geometry, made once; no rule is here."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.copper import connectivity, figures, pour_fill
from vane_step.core.board.geometry import bypass_distance, copper_table, shapes
from vane_step.core.design.model import Design, RuleSet
from vane_step.core.lazy import lazy
from vane_step.core.network.pin_limits import pin_limits


class Layout:
    """What every rule of the board is handed; each kind of geometry is made when the first rule asks for it.

    Parameters
    ----------
    design
        The version that is judged, or a piece of it. All lengths of the geometry are in millimetres.
    """

    def __init__(self, design: Design) -> None:
        self.design = design

    @property
    def rules(self) -> RuleSet:
        """The maker's rules."""
        return self.design.board.rules

    @lazy
    def items(self) -> tuple[shapes.CopperItem, ...]:
        """All pieces of copper but pours: pads, tracks, vias, jumpers."""
        return shapes.copper_items(self.design)

    @lazy
    def columns(self) -> copper_table.Columns:
        """The same pieces as columns of numbers."""
        return copper_table.board_columns(self.design)

    @lazy
    def near(self) -> copper_table.Pairs:
        """Pairs of pieces of different nets that are near enough for a gap to be judged."""
        return copper_table.near_pairs(self.design)

    @lazy
    def touching(self) -> tuple[copper_table.Columns, np.ndarray, np.ndarray, np.ndarray]:
        """Columns, and the pairs of pieces that touch (n, n) with how deep."""
        return copper_table.touching_pairs(self.design)

    @lazy
    def pin_limits(self) -> Mapping[str, float]:
        """The most current that can pass each pin of which that is known."""
        return pin_limits(self.design)

    @lazy
    def joined(self) -> connectivity.Connectivity:
        """What copper joins, and what is still open."""
        return connectivity.connectivity(self.design)

    @lazy
    def net_copper(self) -> dict[str | None, connectivity.NetCopper]:
        """Copper by net."""
        return connectivity.net_copper(self.design)

    @lazy
    def poured(self) -> tuple[pour_fill.PouredCopper, ...]:
        """Pours as filled."""
        return pour_fill.pour_pieces(self.design)

    @lazy
    def figures(self) -> dict[str, float | int]:
        """Connections, vias and lengths in figures."""
        return figures.figures(self.design)

    @lazy
    def bypass(self) -> tuple[bypass_distance.Nearest, ...]:
        """How far the nearest bypass capacitor of each supply pin is."""
        return tuple(bypass_distance.nearest_bypass(self.design))

    @lazy
    def outline(self) -> Polygon:
        """The board, its cut-outs taken out."""
        return shapes.outline(self.design)

    @lazy
    def pieces(self) -> tuple[Polygon, ...]:
        """The pieces outline and cut-outs leave, largest first."""
        return shapes.board_pieces(self.design)

    @lazy
    def edges(self) -> tuple[Polygon, STRtree]:
        """The board and a tree of its edges."""
        return shapes.edges(self.design)

    @lazy
    def edge_pads(self) -> frozenset[str]:
        """Pins whose pads belong to the edge."""
        return shapes.edge_pads(self.design)

    @lazy
    def holes(self) -> tuple[shapes.Hole, ...]:
        """All holes."""
        return shapes.holes(self.design)

    @lazy
    def bare_holes(self) -> tuple[shapes.Hole, ...]:
        """Holes without copper of their own."""
        return shapes.bare_holes(self.design)

    @lazy
    def courtyards(self) -> dict[str, Polygon]:
        """The room each placed part needs, by reference."""
        return shapes.courtyards(self.design)

    @lazy
    def bodies(self) -> dict[str, Polygon]:
        """The body of each placed part, by reference."""
        return shapes.bodies(self.design)

    @lazy
    def extents(self) -> dict[str, tuple[float, float, float, float]]:
        """The box of each placed part with its pads, by reference."""
        return shapes.extents(self.design)

    @lazy
    def keepouts(self) -> dict[str, Polygon]:
        """Areas kept free of copper, by name."""
        return shapes.keepouts(self.design)
