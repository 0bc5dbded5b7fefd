"""The maker's rules held against exact shapes; every breach becomes a finding. Nothing here changes a design."""

from __future__ import annotations

from dataclasses import dataclass

from vane_step.core.board.drc.clearance import clearance_findings
from vane_step.core.board.drc.courtyards import courtyard_findings, inside_findings
from vane_step.core.board.drc.creepage import creepage_findings
from vane_step.core.board.drc.dfm import dfm_findings, loose_findings
from vane_step.core.board.drc.edges import edge_findings
from vane_step.core.board.drc.holes import drill_sizes, hole_copper, hole_gaps, hole_parts, rings_and_drills
from vane_step.core.board.drc.incremental import Nearby
from vane_step.core.board.drc.joints import joint_findings
from vane_step.core.board.drc.jumpers import jumper_findings
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.mouths import mouth_findings
from vane_step.core.board.drc.outline import cutout_findings, material_findings
from vane_step.core.board.drc.pours import pour_findings
from vane_step.core.board.drc.silkscreen import silkscreen_findings
from vane_step.core.board.drc.track_width import width_findings
from vane_step.core.board.drc.unrouted import unrouted_findings
from vane_step.core.board.drc.via_current import via_findings
from vane_step.core.board.drc.zones import keepout_findings, zone_findings
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design
from vane_step.core.design.operation import OPERATION
from vane_step.core.finding import Finding, ordered


@dataclass(frozen=True)
class CheckResult:
    """Findings of the board, most pressing first, and the figures of its routing."""

    findings: tuple[Finding, ...]
    figures: dict[str, float | int]

    @property
    def stops(self) -> int:
        """Number of findings of level stop."""
        return sum(1 for f in self.findings if f.level == "stop")


@derived(*COPPER, *OPERATION)
def check(design: Design) -> CheckResult:
    """Check a whole board against its maker's rules and the currents of its nets.

    Exact on real shapes: gaps are distances of spines less radii, see ``geometry``. A gap that equals the limit
    passes; 1 nm is the tolerance.
    """
    laid = Layout(design)
    findings = [*_local(laid)]
    for rule in (
        loose_findings,
        pour_findings,
        cutout_findings,
        zone_findings,
        hole_parts,
        material_findings,
        mouth_findings,
        unrouted_findings,
        silkscreen_findings,
        width_findings,
        via_findings,
        drill_sizes,
        joint_findings,
        creepage_findings,
    ):
        findings += rule(laid)
    return CheckResult(tuple(ordered(findings)), laid.figures)


def _local_rules(laid: Layout) -> list[Finding]:
    """Run the rules that hang on single things and on things near each other, and on no pour."""
    found: list[Finding] = []
    for rule in (
        clearance_findings,
        edge_findings,
        rings_and_drills,
        hole_gaps,
        hole_copper,
        keepout_findings,
        courtyard_findings,
        inside_findings,
        jumper_findings,
        dfm_findings,
    ):
        found += rule(laid)
    return found


_local = Nearby(_local_rules)


def copper_findings(design: Design) -> list[Finding]:
    """Check only what laid copper can break: gaps, edge, rings, holes and rule widths."""
    laid = Layout(design)
    found: list[Finding] = []
    for rule in (
        clearance_findings,
        edge_findings,
        rings_and_drills,
        hole_gaps,
        hole_copper,
        keepout_findings,
        width_findings,
    ):
        found += rule(laid)
    return [f for f in found if f.code != "track-current"]
