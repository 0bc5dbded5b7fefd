"""What every controller needs round it, worked out from the roles and functions of its pins; other blocks are data."""

from __future__ import annotations

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.circuit.blocks import SavedBlock, take_block
from vane_step.core.controllers.choose import add_from
from vane_step.core.design.edits import AddPart, Join, SetItem, SetNetRule, Single, Together, apply
from vane_step.core.design.model import Board, Calculation, Design, Part, RuleSet
from vane_step.core.errors import InputError
from vane_step.core.reasons.calculations import bind

HINTS = (
    "each 100 nF within 3 mm of its supply pin",
    "crystal within 5 mm of its pins, nothing routed beneath",
    "programming connector at an edge",
)
# Small parts to take when none is wanted otherwise: catalogue numbers of chips, and of leaded parts.
CHIPS = {"c": "DC-16X-100N", "bulk": "DC-20X-10U", "r": "QR-16-10K", "load": "DC-16G-18P"}
LEADED = {"c": "BDC-100N", "bulk": "BE-10-16", "r": "LMF-10K", "load": "BDN-22P"}


def controller_minimum(
    catalogue: Catalogue,
    number: str,
    ref: str = "U1",
    supply: str = "3V3",
    crystal: str = "",
    leaded: bool = False,
) -> Together:
    """Make the edit that adds a controller with its supplies, decoupling, reset, boot pins, clock and programming.

    Parameters
    ----------
    supply : str
        Net that feeds it; analogue supplies hang on the same net.
    crystal : str
        Catalogue number of a crystal; none when empty.
    leaded : bool
        Take leaded parts for boards without surface mounting.

    Raises
    ------
    InputError, NotFound
        When the part is no controller, or has no pins for a crystal.

    Notes
    -----
    Rules of thumb: 100 nF at every supply pin, one 10 uF for the rail, reset 10 k up and 100 nF to ground, boot pins
    10 k to where they rest in reset.
    """
    part = catalogue.get(number)
    if part.category != "controller":
        raise InputError(f"{number} is no controller.", where=number, allowed="a number such as OW-32T")
    kit = _Kit(catalogue, LEADED if leaded else CHIPS, ref, part, supply)
    kit.supplies()
    kit.reset_and_boot()
    if crystal:
        kit.crystal(crystal)
    kit.programming()
    return Together(edits=tuple(kit.edits))


class _Kit:
    """Collects the parts and joins of one controller."""

    def __init__(
        self, catalogue: Catalogue, small: dict[str, str], ref: str, part: CataloguePart, supply: str
    ) -> None:
        self.catalogue, self.small, self.ref, self.part, self.supply = catalogue, small, ref, part, supply
        corner = ((0, 0), (20_000_000, 0), (0, 20_000_000))
        self.scratch = Design(name="scratch", board=Board(outline=corner, rules=_ANY))
        self.counts: dict[str, int] = {}
        self.edits: list[Single] = []
        self._add(ref, part.number)

    def _add(self, ref: str, number: str, value: str = "") -> str:
        edit = add_from(self.catalogue, self.scratch, ref, number, value)
        self.scratch = apply(self.scratch, edit)[0]
        self.edits.append(
            AddPart(part=edit.part.model_copy(update={"block": "Controller"}), package=edit.package)
        )
        return ref

    def new(self, letters: str, number: str, value: str = "") -> str:
        """Add a part with the next reference of the kit."""
        self.counts[letters] = self.counts.get(letters, 0) + 1
        return self._add(f"{letters}{self.counts[letters]}", number, value)

    def join(self, net: str, *pins: str) -> None:
        """Join pins to a net."""
        self.edits.append(Join(pins=pins, net=net))

    def pins(self, *, role: str = "", function: str = "") -> list[str]:
        """List the controller's pins of a role or with a function."""
        return [
            f"{self.ref}.{p.number}"
            for p in self.part.pins
            if (role and p.role == role) or (function and function in p.functions)
        ]

    def supplies(self) -> None:
        """Feed every supply pin and give each its capacitor."""
        self.join("GND", *self.pins(role="ground"))
        self.join(self.supply, *self.pins(role="supply-in"))
        self.edits.append(SetNetRule(net=self.supply, role="supply"))
        for _ in self.pins(role="supply-in"):
            c = self.new("C", self.small["c"])
            self.join(self.supply, f"{c}.1")
            self.join("GND", f"{c}.2")
        bulk = self.new("C", self.small["bulk"])
        self.join(self.supply, f"{bulk}.1")
        self.join("GND", f"{bulk}.2")

    def reset_and_boot(self) -> None:
        """Hold reset high and boot pins where they rest."""
        for pin in self.pins(function="RESET"):
            r, c = self.new("R", self.small["r"]), self.new("C", self.small["c"])
            self.join("RESET", pin, f"{r}.1", f"{c}.1")
            self.join(self.supply, f"{r}.2")
            self.join("GND", f"{c}.2")
        for k, boot in enumerate(p for p in self.part.pins if "BOOT" in p.functions):
            r = self.new("R", self.small["r"])
            self.join(f"BOOT{k or ''}", f"{self.ref}.{boot.number}", f"{r}.1")
            self.join("GND" if boot.reset != "pulled-up" else self.supply, f"{r}.2")

    def crystal(self, number: str) -> None:
        """Put a crystal with its load capacitors on the oscillator's pins."""
        ins, outs = self.pins(function="XTAL.IN"), self.pins(function="XTAL.OUT")
        if not ins or not outs:
            raise InputError(
                f"{self.part.number} has no pins for a crystal.",
                where=self.ref,
                next_step="Leave the crystal out.",
            )
        y = self.new("Y", number)
        part: Part = self.scratch.parts[y]
        ends = [p.number for p in part.pins if p.role == "passive"][:2]
        case = [f"{y}.{p.number}" for p in part.pins if p.role == "ground"]
        loads = [self.new("C", self.small["load"]) for _ in range(2)]
        for net, pin, end, c in zip(("XIN", "XOUT"), (ins[0], outs[0]), ends, loads, strict=True):
            self.join(net, pin, f"{y}.{end}", f"{c}.1")
            self.join("GND", f"{c}.2")
        if case:
            self.join("GND", *case)
        inputs = {"load_f": f"{y}.cl_f", "stray_f": "4p"}
        sets = dict(zip(("c1_f", "c2_f"), loads, strict=True))
        self.edits.append(
            SetItem(calculation=Calculation(id="XLOAD", formula="crystal", inputs=inputs, sets=sets))
        )

    def programming(self) -> None:
        """Give it a connector: debug lines where it has them, else its serial loader."""
        lines = [("DBG_IO", "DBG.IO"), ("DBG_CK", "DBG.CK")]
        if not self.pins(function="DBG.IO"):
            lines = [("PROG_TX", "UART0.TX"), ("PROG_RX", "UART0.RX")]
        j = self.new("J", "NH-1x5")
        self.join(self.supply, f"{j}.1")
        for k, (net, function) in enumerate(lines):
            pins = self.pins(function=function)
            self.join(net, f"{j}.{k + 2}", *pins[:1])
        if self.pins(function="RESET"):
            self.join("RESET", f"{j}.4")
        self.join("GND", f"{j}.5")


def minimum_block(
    catalogue: Catalogue,
    number: str,
    design: Design,
    crystal: str = "",
    leaded: bool = False,
    supply: str = "3V3",
) -> SavedBlock:
    """Give the minimum of a controller as a block, ready to be used in a design."""
    edit = controller_minimum(catalogue, number, supply=supply, crystal=crystal, leaded=leaded)
    whole, _ = apply(Design(name="minimum", board=design.board), edit)
    for found in list(whole.calculations.values()):
        whole, _ = apply(whole, bind(whole, found))
    title = f"Controller {number}"
    return take_block(
        whole,
        list(whole.parts),
        title,
        f"supplies, decoupling, reset, clock and programming of {number}",
        HINTS,
    )


_ANY = RuleSet(
    name="any",
    min_width_nm=1,
    min_clearance_nm=1,
    min_ring_nm=1,
    min_drill_nm=1,
    edge_clearance_nm=1,
    hole_to_hole_nm=1,
    hole_to_copper_nm=1,
    via_pad_nm=2,
    via_drill_nm=1,
)
