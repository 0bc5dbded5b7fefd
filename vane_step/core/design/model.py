"""The document: frozen models of parts, nets, packages and copper; the bare board is in ``bareboard``, how all changes
in ``edits``.

Coordinates are whole nanometres, origin bottom left, y up. Angles are degrees, anticlockwise seen from the
front. A part on the back is mirrored about its own y axis first and turned afterwards.
"""

from __future__ import annotations

import functools
import hashlib
import re
from typing import Annotated, Any, Final, Literal, TypeVar

from pydantic import AfterValidator, Field, PrivateAttr, model_validator

from vane_step.core.design.areas import Cutout as Cutout
from vane_step.core.design.ballgrid import grid_of
from vane_step.core.design.bareboard import (
    Board as Board,
    JumperSizes as JumperSizes,
    LegendText as LegendText,
    MountingHole as MountingHole,
    Pour as Pour,
    PriceStep as PriceStep,
    RuleSet as RuleSet,
    Zone as Zone,
)
from vane_step.core.design.base import (
    LAYERS as LAYERS,
    MAX_NM as MAX_NM,
    Frozen as Frozen,
    Layer as Layer,
    Line as Line,
    Lines as Lines,
    Name as Name,
    Nm as Nm,
    PointNm as PointNm,
    PositiveNm as PositiveNm,
    Side as Side,
    SizeNm as SizeNm,
    Text as Text,
)
from vane_step.core.design.netroles import NetRole as NetRole, role_of_net as role_of_net
from vane_step.core.design.operation import (
    Drive as Drive,
    Load as Load,
    Mode as Mode,
    PowerState as PowerState,
    Source as Source,
)
from vane_step.core.design.package import Package as Package, PadSpec as PadSpec
from vane_step.core.design.records import (
    Block as Block,
    Brief as Brief,
    Calculation as Calculation,
    Extra as Extra,
    Requirement as Requirement,
    Variant as Variant,
    Waiver as Waiver,
)

FORMAT: Final = "vane-step-design"
FORMAT_VERSION: Final = 1
PinRole = Literal[
    "passive", "input", "output", "io", "open-drain", "supply-in", "supply-out", "ground", "unconnected"
]
PartKind = Literal[
    "card",
    "resistor",
    "capacitor",
    "polar-capacitor",
    "inductor",
    "diode",
    "led",
    "crystal",
    "thermistor",
    "fuse",
    "switch",
    "sounder",
    "jumper",
]
# What a pin does while the controller is in reset or its loader runs; empty where nobody said.
PinState = Literal["", "open", "pulled-up", "pulled-down", "high", "low", "toggles"]


class Pin(Frozen):
    """A pin of a part: its number is that of a pad, its role what the electrical review goes by."""

    number: Name
    name: Line = Field(default="", max_length=40)
    role: PinRole = "passive"
    functions: tuple[Annotated[Line, Field(max_length=40)], ...] = ()
    reset: PinState = ""
    loader: PinState = ""


class PinUse(Frozen):
    """What firmware needs a controller pin for: a demand, the function that meets it, and whether it may move."""

    pin: Name
    demand: Name
    function: Line = Field(max_length=40)
    locked: bool = False


class PartPlace(Frozen):
    """Where a part lies on the board."""

    x_nm: Nm
    y_nm: Nm
    turn_deg: float = Field(default=0.0, ge=-360, le=360)
    side: Side = "front"
    locked: bool = False


class Part(Frozen):
    """A part of the circuit, with its package and, once arranged, its place.

    ``catalogue`` is its number in the catalogue, ``params`` what the catalogue says of it in base units. A part that
    is not ``fitted`` is left out of the list unless a variant fits it; of the parts of one ``choice`` exactly one is
    fitted. A jumper that is fitted is closed.
    """

    ref: Name
    value: Text = ""
    package: Name
    kind: PartKind = "card"
    pins: tuple[Pin, ...] = ()
    block: Line = Field(default="", max_length=60)
    place: PartPlace | None = None
    nudge: tuple[int, int] | None = None
    note: Text = ""
    catalogue: Text = ""
    params: dict[str, float] = {}
    uses: tuple[PinUse, ...] = ()
    fitted: bool = True
    choice: Line = Field(default="", max_length=40)

    def pin(self, number: str) -> Pin | None:
        """Give the pin of that number, or ``None``."""
        return next((p for p in self.pins if p.number == number), None)


class CurrentNeed(Frozen):
    """Why a net's tracks must have a certain width: the current they carry and the rise allowed.

    A current of some ``seconds`` is a pulse, after which all cools down again; without them it may flow for ever.
    """

    current_a: float = Field(gt=0, le=35)
    rise_k: float = Field(default=10.0, ge=1, le=100)
    seconds: float | None = Field(default=None, gt=0, le=600)


class NetRule(Frozen):
    """Copper rules of one net.

    A neck is a narrower width allowed near the net's own pads. Tracks keep to ``layers`` where any are named, save for
    the last way to a pad on another.
    """

    width_nm: PositiveNm
    clearance_nm: SizeNm
    neck_width_nm: PositiveNm | None = None
    neck_length_nm: SizeNm | None = None
    current: CurrentNeed | None = None
    layers: tuple[Layer, ...] = ()


class Net(Frozen):
    """A net: the pins that are connected, each written ``U1.5``, its copper rules, and its voltage where it was said.

    ``volts`` are the least and the greatest against ground; without them the name may tell, such as ``-12V``.
    """

    name: Name
    pins: tuple[str, ...] = ()
    role: NetRole = "signal"
    rule: NetRule | None = None
    volts: tuple[float, float] | None = None

    @model_validator(mode="after")
    def _least_first(self) -> Net:
        if self.volts is not None and not -2000 <= self.volts[0] <= self.volts[1] <= 2000:
            raise ValueError(f"the voltage of {self.name} runs from the least to the greatest, within 2000 V")
        return self


class Track(Frozen):
    """A track of one width: a run of straight pieces on one layer; a ``step`` lies over the end of another."""

    id: Name
    net: Name
    layer: Layer
    width_nm: PositiveNm
    points: tuple[PointNm, ...] = Field(min_length=2, max_length=5000)
    locked: bool = False
    step: bool = False


class Via(Frozen):
    """A plated hole that joins all copper layers."""

    id: Name
    net: Name
    x_nm: Nm
    y_nm: Nm
    pad_nm: PositiveNm
    drill_nm: PositiveNm
    locked: bool = False


class Jumper(Frozen):
    """A straight wire on the front of a one-layer board, soldered into two holes."""

    id: Name
    net: Name
    a: PointNm
    b: PointNm
    pad_nm: PositiveNm
    drill_nm: PositiveNm
    wire_nm: PositiveNm


COLLECTIONS: Final[dict[str, type[Frozen]]] = {
    "parts": Part,
    "nets": Net,
    "packages": Package,
    "holes": MountingHole,
    "pours": Pour,
    "texts": LegendText,
    "tracks": Track,
    "vias": Via,
    "jumpers": Jumper,
    "requirements": Requirement,
    "calculations": Calculation,
    "variants": Variant,
    "waivers": Waiver,
    "blocks": Block,
    "extras": Extra,
    "sources": Source,
    "loads": Load,
    "drives": Drive,
    "modes": Mode,
    "states": PowerState,
}
# Sections that hold one thing instead of many.
SINGLES: Final[dict[str, type[Frozen]]] = {"board": Board, "brief": Brief}
# Sections that are a text.
TEXTS: Final = ("name", "title")
SECTIONS: Final = (*COLLECTIONS, *SINGLES, *TEXTS)


@functools.lru_cache(maxsize=10_000)
def natural(text: str) -> list[tuple[int, int, str]]:
    """Give a sort key by which ``R10`` follows ``R9``."""
    # Only ASCII digits count: others, such as a raised two, are digits to Python but no numbers. Of very long ones
    # the length decides, since Python refuses to read them.
    runs = [x for x in re.split(r"([0-9]+)", text) if x]
    return [
        (1, 0, x)
        if not ("0" <= x[0] <= "9")
        else (0, int(x), "")
        if len(x) < 400
        else (0, 10 ** min(len(x), 4000), x)
        for x in runs
    ]


def in_order(items: dict[str, Any]) -> dict[str, Any]:
    """Put a collection into its order: names as people count."""
    wanted = sorted(items, key=lambda name: (natural(name), name))
    return items if wanted == list(items) else {name: items[name] for name in wanted}


def by_id(items: dict[str, Any]) -> dict[str, Any]:
    """Put copper into its order: ids as text, which is faster."""
    wanted = sorted(items)
    return items if wanted == list(items) else {name: items[name] for name in wanted}


Item = TypeVar("Item", bound=Frozen)
Named = Annotated[dict[str, Item], AfterValidator(in_order)]
Laid = Annotated[dict[str, Item], AfterValidator(by_id)]
BY_ID: Final = ("tracks", "vias", "jumpers")


class Design(Frozen):
    """One immutable design. Collections are keyed by the name or id of what they hold; never change them.

    They are kept in their order, names as people count, so that equal designs give equal files.
    """

    format: Literal["vane-step-design"] = FORMAT
    version: Literal[1] = FORMAT_VERSION
    name: Text = Field(min_length=1)
    title: Text = ""
    parts: Named[Part] = {}
    nets: Named[Net] = {}
    packages: Named[Package] = {}
    board: Board
    holes: Named[MountingHole] = {}
    pours: Named[Pour] = {}
    texts: Named[LegendText] = {}
    tracks: Laid[Track] = {}
    vias: Laid[Via] = {}
    jumpers: Laid[Jumper] = {}
    brief: Brief = Brief()
    requirements: Named[Requirement] = {}
    calculations: Named[Calculation] = {}
    variants: Named[Variant] = {}
    waivers: Named[Waiver] = {}
    blocks: Named[Block] = {}
    extras: Named[Extra] = {}
    sources: Named[Source] = {}
    loads: Named[Load] = {}
    drives: Named[Drive] = {}
    modes: Named[Mode] = {}
    states: Named[PowerState] = {}

    _digests: dict[str, str] = PrivateAttr(default_factory=dict)
    _pin_nets: dict[str, str] | None = PrivateAttr(default=None)
    _net_pins: dict[str, tuple[tuple[Part, Pin], ...]] | None = PrivateAttr(default=None)
    _usual_gap: int | None = PrivateAttr(default=None)

    def digest(self, section: str) -> str:
        """Give a digest of a section's content; equal content gives equal digests."""
        # Asked hundreds of times after an edit: see ``Frozen.mark``.
        known: dict[str, str] = (self.__pydantic_private__ or {})["_digests"]
        found = known.get(section)
        if found is None:
            value = getattr(self, section)
            mark = hashlib.blake2b(digest_size=16)
            if isinstance(value, dict):
                for key, item in value.items():
                    mark.update(key.encode())
                    mark.update(item.mark())
            else:
                mark.update(value.encode() if isinstance(value, str) else value.mark())
            found = known[section] = mark.hexdigest()
        return found

    def replaced(self, **sections: Any) -> Design:
        """Give a design with some sections replaced by values that are already valid."""
        result = self.model_copy(update=sections)
        result._digests = {k: v for k, v in self._digests.items() if k not in sections}
        result._pin_nets = None if "nets" in sections else self._pin_nets
        result._net_pins = None if sections.keys() & {"nets", "parts"} else self._net_pins
        result._usual_gap = None if sections.keys() & {"packages", "board"} else self._usual_gap
        return result

    def net_of(self, pin: str) -> str | None:
        """Give the name of the net a pin such as ``U1.5`` belongs to, or ``None``."""
        # Asked thousands of times by a review: the private attributes are reached without pydantic's detour.
        private = self.__pydantic_private__ or {}
        known: dict[str, str] | None = private.get("_pin_nets")
        if known is None:
            self._pin_nets = known = {p: net.name for net in self.nets.values() for p in net.pins}
        return known.get(pin)

    def pins_on(self, net: str) -> tuple[tuple[Part, Pin], ...]:
        """Give the parts and pins on a net, in the order of the net."""
        private = self.__pydantic_private__ or {}
        on: dict[str, tuple[tuple[Part, Pin], ...]] | None = private.get("_net_pins")
        if on is None:
            known = {
                pin_name(part.ref, pin.number): (part, pin)
                for part in self.parts.values()
                for pin in part.pins
            }
            self._net_pins = on = {
                n.name: tuple(known[p] for p in n.pins if p in known) for n in self.nets.values()
            }
        return on.get(net, ())

    def rule_of(self, net: str | None) -> NetRule:
        """Give a net's copper rule, or the default of the maker's rule set.

        With a ball grid among the packages the usual gap is as small as is needed for tracks and vias to pass in it.
        """
        found = self.nets.get(net) if net else None
        if found and found.rule:
            return found.rule
        rules = self.board.rules
        if self._usual_gap is None:
            grids = [grid for pack in self.packages.values() if (grid := grid_of(pack))]
            self._usual_gap = min([grid.gap_nm(rules) for grid in grids], default=rules.default_clearance_nm)
        return NetRule(width_nm=rules.default_width_nm, clearance_nm=self._usual_gap)

    @model_validator(mode="after")
    def _is_consistent(self) -> Design:
        for problem in problems(self):
            raise ValueError(problem)
        return self


def pin_name(ref: str, number: str) -> str:
    """Write a pin the way nets list it."""
    return f"{ref}.{number}"


def split_pin(pin: str) -> tuple[str, str]:
    """Split ``U1.5`` into reference and pin number."""
    ref, _, number = pin.partition(".")
    return ref, number


def name_of(item: Frozen) -> str:
    """Give the name by which a thing is kept in its collection: its reference, name or id."""
    return str(getattr(item, "ref", None) or getattr(item, "name", None) or getattr(item, "id", None))


def problems(design: Design) -> list[str]:
    """List what makes a document inconsistent: names that refer to nothing, pins on two nets."""
    found = []
    for section in COLLECTIONS:
        for key, item in getattr(design, section).items():
            own = name_of(item)
            if own != key:
                found.append(f"{section}: entry {key!r} holds {own!r}, whose name must be its key")
    for part in design.parts.values():
        if part.package not in design.packages:
            found.append(f"part {part.ref} uses package {part.package}, which the design does not hold")
    seen: dict[str, str] = {}
    for net in design.nets.values():
        for pin in net.pins:
            ref, number = split_pin(pin)
            part_of = design.parts.get(ref)
            if part_of is None or part_of.pin(number) is None:
                found.append(f"net {net.name} lists pin {pin}, which no part has")
            if pin in seen:
                found.append(f"pin {pin} is on net {seen[pin]} and on net {net.name}")
            seen[pin] = net.name
    for section in ("tracks", "vias", "jumpers", "pours"):
        for key, item in getattr(design, section).items():
            if item.net not in design.nets:
                found.append(f"{section}: {key} belongs to net {item.net}, which does not exist")
            if hasattr(item, "layer") and item.layer not in design.board.layers:
                found.append(f"{section}: {key} lies on layer {item.layer}, which the board does not have")
    named = [(f"variant {v.id} names", v.fitted) for v in design.variants.values()]
    named += [
        (f"calculation {c.id} sets", dict.fromkeys(c.sets.values(), True))
        for c in design.calculations.values()
    ]
    for what, refs in named:
        found += [f"{what} {ref}, which does not exist" for ref in refs if ref not in design.parts]
    return found
