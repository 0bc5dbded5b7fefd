"""The ask line: plain sentences turned into edits, with what they will do and how they may go on; applies nothing."""

from __future__ import annotations

import math
import shlex
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import get_args

import numpy as np
import shapely
import shapely.affinity
from pydantic import ValidationError

from vane_step.core.board.arrange import arrange
from vane_step.core.board.copper import connectivity
from vane_step.core.board.geometry import copper_items, courtyards, rectangle
from vane_step.core.circuit.sheet import anchor_of, check_nudge
from vane_step.core.derive import alone
from vane_step.core.design import edits
from vane_step.core.design.edits import Edit, apply, net_of, part_of
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import (
    CurrentNeed,
    Design,
    LegendText,
    MountingHole,
    NetRole,
    NetRule,
    Package,
    Part,
    PartKind,
    PartPlace,
    Pin,
    PinRole,
    Pour,
    RuleSet,
    natural,
    pin_name,
)
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.parts.packages import package, package_examples
from vane_step.core.power import trace
from vane_step.core.quantity import nm, parse_length_nm, parse_value


@dataclass(frozen=True)
class Proposal:
    """What a sentence asks for: an edit, or an action of the program, and a line that says what it will do."""

    says: str
    edit: Edit | None = None
    action: str = ""
    about: tuple[str, ...] = ()


@dataclass(frozen=True)
class Verb:
    """A verb of the ask line: its form, what it does, and the words that may follow at each place."""

    name: str
    form: str
    does: str
    make: Callable[[Design, Sequence[str]], Proposal]
    words: tuple[str, ...] = field(default=())


def find_pin(design: Design, text: str) -> str:
    """Find a pin by number or name: ``U1.5`` or ``U1.PB3``.

    Raises
    ------
    NotFound
        Listing the pins there are.
    """
    ref, dot, rest = text.partition(".")
    part = part_of(design, ref if ref in design.parts else ref.upper())
    if not dot:
        raise NotFound(f"Which pin of {part.ref}?", where=part.ref, allowed=", ".join(_pin_words(part)[:40]))
    named = [p for p in part.pins if p.number == rest] or [p for p in part.pins if p.name.lower() == rest.lower()]
    if not named:
        raise NotFound(f"{part.ref} has no pin {rest}.", where=text, allowed=", ".join(_pin_words(part)[:40]))
    return pin_name(part.ref, named[0].number)


def _pin_words(part: Part) -> list[str]:
    return [f"{part.ref}.{p.name or p.number}" for p in part.pins]


def _need(words: Sequence[str], count: int, form: str) -> None:
    if len(words) < count:
        raise InputError("The sentence goes on.", where="ask line", allowed=form)


def _join(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "join PIN … NET")
    *texts, last = words
    pins = [find_pin(design, t) for t in texts]
    if "." in last:
        pins.append(find_pin(design, last))
        known = [n for p in pins if (n := design.net_of(p))]
        name = known[0] if known else _fresh_net(design)
    else:
        name = last
    edit = edits.Join(pins=tuple(pins), net=name)
    after = apply(design, edit)[0].nets[name]
    moved = [f"{p} leaves {n}" for p in pins if (n := design.net_of(p)) and n != name]
    says = f"{name} then has {len(after.pins)} pins: {', '.join(after.pins[-6:])}" + (
        f"; {', '.join(moved)}" if moved else ""
    )
    return Proposal(says, edit, about=tuple(pins))


def _fresh_net(design: Design) -> str:
    k = 1
    while f"N{k}" in design.nets:
        k += 1
    return f"N{k}"


def _part(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "part PIN …")
    pins = tuple(find_pin(design, w) for w in words)
    return Proposal(
        f"takes {', '.join(f'{p} off {design.net_of(p)}' for p in pins)}", edits.PartPins(pins=pins), about=pins
    )


def _rename(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "rename NET NEW")
    return Proposal(
        f"{words[0]} is then called {words[1]}", edits.RenameNet(net=words[0], to=words[1]), about=(words[0],)
    )


def _merge(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "merge NET INTO")
    count = len(net_of(design, words[0]).pins)
    return Proposal(f"{count} pins of {words[0]} go to {words[1]}", edits.MergeNets(net=words[0], into=words[1]))


def _value(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "value REF VALUE")
    text = " ".join(words[1:])
    return Proposal(
        f"{words[0]}: {part_of(design, words[0]).value or 'no value'} becomes {text}",
        edits.SetValue(ref=words[0], value=text),
        about=(words[0],),
    )


def _block(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "block REF NAME")
    text = " ".join(words[1:])
    part_of(design, words[0])
    return Proposal(
        f"{words[0]} is then drawn in “{text}”", edits.SetValue(ref=words[0], block=text), about=(words[0],)
    )


def _pin(design: Design, words: Sequence[str]) -> Proposal:
    form = "pin PIN NAME [ROLE]"
    _need(words, 2, form)
    pin = find_pin(design, words[0])
    data = {"kind": "set-pin", "pin": pin, "name": words[1], "role": words[2] if len(words) > 2 else None}
    edit = edits.edit_from(data)
    says = f"{pin} is called {words[1]}" + (f" and is of role {words[2]}" if len(words) > 2 else "")
    return Proposal(says, edit, about=(pin,))


# What the letters of a reference say of a two-terminal part (IEC 60617 symbols).
KINDS: dict[str, PartKind] = {
    "R": "resistor", "C": "capacitor", "L": "inductor", "D": "diode", "LED": "led", "Y": "crystal", "F": "fuse",
    "TH": "thermistor", "S": "switch", "BZ": "sounder",
}  # fmt: skip


def _kind(ref: str, pack: Package) -> PartKind:
    if len(pack.pads) != 2:
        return "card"
    letters = ref.rstrip("0123456789").upper()
    return "polar-capacitor" if letters == "C" and pack.polarised else KINDS.get(letters, "card")


def _add(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "add REF PACKAGE [VALUE]")
    ref, name = words[0], words[1]
    pack = design.packages.get(name) or package(name, design.board.rules.etched)
    numbers = dict.fromkeys(p.number for p in pack.pads)
    part = Part(
        ref=ref,
        value=" ".join(words[2:]),
        package=pack.name,
        kind=_kind(ref, pack),
        pins=tuple(Pin(number=n) for n in numbers),
        block="New parts",
    )
    return Proposal(
        f"adds {ref}, {pack.title or name}, {len(numbers)} pins", edits.AddPart(part=part, package=pack), about=(ref,)
    )


def _remove(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "remove REF")
    if words[0] in design.parts:
        return Proposal(f"takes {words[0]} out of the circuit", edits.RemovePart(ref=words[0]), about=(words[0],))
    if words[0] in design.nets:
        return Proposal(f"forgets net {words[0]} and its copper", edits.RemoveNet(net=words[0]))
    return Proposal(f"removes {words[0]}", edits.RemoveItem(id=words[0]))


def _nudge(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "nudge REF DX DY, or nudge REF back")
    ref = anchor_of(design, part_of(design, words[0]).ref)
    if words[1] == "back":
        return Proposal(
            f"the program draws {ref} where it likes again", edits.NudgePart(ref=ref, nudge=None), about=(ref,)
        )
    _need(words, 3, "nudge REF DX DY")
    old = design.parts[ref].nudge or (0, 0)
    step = tuple(round(_number(w, "nudge")) for w in words[1:3])
    edit = edits.NudgePart(ref=ref, nudge=(old[0] + step[0], old[1] + step[1]))
    check_nudge(apply(design, edit)[0], ref)
    return Proposal(f"shifts {ref} on the sheet by {step[0]}, {step[1]} steps", edit, about=(ref,))


def _number(text: str, what: str) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError as error:
        raise InputError(f"{text!r} is no number.", where=what, value=text) from error
    if not math.isfinite(value) or abs(value) > 1e5:
        raise InputError(f"{text!r} is out of range.", where=what, value=text, allowed="-100000 to 100000")
    return value


def _place(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "place REF X Y [TURN], or place REF by PIN")
    part = part_of(design, words[0])
    old = part.place or PartPlace(x_nm=0, y_nm=0)
    if words[1] == "by":
        _need(words, 3, "place REF by PIN")
        place, gap = beside(design, part, find_pin(design, words[2]))
        says = (
            f"moves {part.ref} to {place.x_nm / 1e6:.2f}, {place.y_nm / 1e6:.2f}; copper {gap:.2f} mm from {words[2]}"
        )
    elif words[1] == "off":
        return Proposal(f"takes {part.ref} off the board", edits.PlaceParts(places={part.ref: None}), about=(part.ref,))
    else:
        _need(words, 3, "place REF X Y [TURN]")
        turn = _number(words[3], "turn") % 360 if len(words) > 3 else old.turn_deg
        place = old.model_copy(
            update={"x_nm": parse_length_nm(words[1], "x"), "y_nm": parse_length_nm(words[2], "y"), "turn_deg": turn}
        )
        says = f"puts {part.ref} at {place.x_nm / 1e6:g}, {place.y_nm / 1e6:g} mm, turned {turn:g} degrees"
    return Proposal(
        says, edits.PlaceParts(places={part.ref: PartPlace.model_validate(place.model_dump())}), about=(part.ref,)
    )


def beside(design: Design, part: Part, pin: str) -> tuple[PartPlace, float]:
    """Find the free place for a part whose pad of the pin's net comes nearest to that pin.

    Tries four turns on a lattice of 0.25 mm round the pin; gives the place and the gap of the copper in mm.
    """
    pads = {i.id: i for i in copper_items(design) if i.kind == "pad"}
    if pin not in pads:
        raise EditRefused(f"{pin} is not on the board yet.", where=pin)
    target, net = pads[pin], design.net_of(pin)
    tree = shapely.STRtree([y for r, y in courtyards(design).items() if r != part.ref])
    side = part.place.side if part.place else "front"
    steps = np.arange(-48, 49) * 0.25
    spots = np.array([(x, y) for x in steps for y in steps])
    best: tuple[float, PartPlace] | None = None
    for turn in (0, 90, 180, 270):
        origin = part.model_copy(update={"place": PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side)})
        alone = design.replaced(parts={part.ref: origin}, tracks={}, vias={}, jumpers={}, holes={})
        mine = [i for i in copper_items(alone) if net is not None and design.net_of(i.id) == net]
        if not mine:
            continue
        x0, y0, x1, y1 = courtyards(alone)[part.ref].buffer(0.05).bounds
        pad = mine[0]
        # The pad goes to the spots; nearest spots first, and the first that is free is taken.
        order = np.argsort(np.hypot(*spots.T), kind="stable")
        at = spots[order] + (target.x_mm - pad.x_mm, target.y_mm - pad.y_mm)
        at = np.round(at / 0.05) * 0.05
        frames = shapely.box(at[:, 0] + x0, at[:, 1] + y0, at[:, 0] + x1, at[:, 1] + y1)
        free = np.ones(len(at), dtype=bool)
        free[tree.query(frames, predicate="intersects")[0]] = False
        if free.any():
            x, y = at[int(np.argmax(free))]
            gap = shapely.affinity.translate(pad.spine, x, y).distance(target.spine) - pad.radius_mm - target.radius_mm
            if best is None or gap < best[0] - 1e-9:
                best = (max(0.0, float(gap)), PartPlace(x_nm=nm(float(x)), y_nm=nm(float(y)), turn_deg=turn, side=side))
    if best is None:
        raise EditRefused(
            f"There is no free place for {part.ref} by {pin}, or they share no net.",
            where=part.ref,
            next_step="Make room first.",
        )
    return best[1], best[0]


def _placed(design: Design, ref: str) -> PartPlace:
    place = part_of(design, ref).place
    if place is None:
        raise EditRefused(f"{ref} is not on the board yet.", where=ref, next_step=f"Type: place {ref} 10 10")
    return place


def _turn(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "turn REF [DEGREES]")
    by = _number(words[1], "turn") if len(words) > 1 else 90.0
    place = _placed(design, words[0])
    turned = place.model_copy(update={"turn_deg": (place.turn_deg + by) % 360})
    return Proposal(
        f"turns {words[0]} to {turned.turn_deg:g} degrees",
        edits.PlaceParts(places={words[0]: turned}),
        about=(words[0],),
    )


def _flip(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "underside REF")
    place = _placed(design, words[0])
    side = "back" if place.side == "front" else "front"
    return Proposal(
        f"{words[0]} goes to the {side}",
        edits.PlaceParts(places={words[0]: place.model_copy(update={"side": side})}),
        about=(words[0],),
    )


def _lock(locked: bool) -> Callable[[Design, Sequence[str]], Proposal]:
    def make(design: Design, words: Sequence[str]) -> Proposal:
        _need(words, 1, "lock REF")
        place = _placed(design, words[0]).model_copy(update={"locked": locked})
        says = f"{words[0]} {'stays where it is' if locked else 'may move again'}"
        return Proposal(says, edits.PlaceParts(places={words[0]: place}), about=(words[0],))

    return make


def _width(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "width NET 2A [10K], or width NET 0.8mm")
    net = net_of(design, words[0])
    rule = design.rule_of(net.name)
    if words[1].upper().endswith("A"):
        amps = parse_value(words[1].upper(), "current")
        rise = parse_value(words[2].rstrip("kK"), "rise") if len(words) > 2 else 10.0
        needed = trace.trace(amps, rise, design.board.rules.copper_um, "outer").needed_mm
        least = max(design.board.rules.min_width_nm, nm(math.ceil(needed / 0.05 - 1e-9) * 0.05))
        rule = rule.model_copy(update={"width_nm": least, "current": CurrentNeed(current_a=amps, rise_k=rise)})
        says = (
            f"{net.name} carries {amps:g} A: {needed:.3f} mm for {rise:g} K ({trace.SOURCE}), rule {least / 1e6:g} mm"
        )
    else:
        width = parse_length_nm(words[1], "width")
        rule = rule.model_copy(update={"width_nm": width})
        says = f"tracks of {net.name} are to be {width / 1e6:g} mm wide"
    rule = NetRule.model_validate(rule.model_dump())
    return Proposal(says, edits.SetNetRule(net=net.name, rule=rule), about=(net.name,))


def _clearance(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "clearance NET 0.3mm")
    gap = parse_length_nm(words[1], "clearance")
    rule = NetRule.model_validate({**design.rule_of(net_of(design, words[0]).name).model_dump(), "clearance_nm": gap})
    return Proposal(
        f"other copper keeps {gap / 1e6:g} mm from {words[0]}",
        edits.SetNetRule(net=words[0], rule=rule),
        about=(words[0],),
    )


def _role(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "role NET supply")
    edit = edits.edit_from(
        {"kind": "set-net-rule", "net": words[0], "role": words[1], "rule": net_of(design, words[0]).rule}
    )
    return Proposal(f"{words[0]} is a {words[1]} net", edit, about=(words[0],))


def _route(design: Design, words: Sequence[str]) -> Proposal:
    links = connectivity(design).open_links
    fresh = "fresh" in words
    nets = [w for w in words if w != "fresh"]
    for name in nets:
        net_of(design, name)
    count = sum(1 for k in links if not nets or k.net in nets)
    if not count and not fresh:
        raise EditRefused(
            "There is no open link to route.", where="board", next_step="Type: route fresh, to lay everything anew."
        )
    what = "lifts what is not locked and routes everything" if fresh else f"routes {count} open links"
    return Proposal(what + (f" of {', '.join(nets)}" if nets else ""), action="route " + " ".join(words))


def _lift(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "lift NET, lift TRACK, or lift all")
    ids: list[str] = []
    for section in (design.tracks, design.vias, design.jumpers):
        ids += [
            k
            for k, item in section.items()
            if (words[0] in ("all", item.net) or k in words) and not getattr(item, "locked", False)
        ]
    if not ids:
        raise NotFound(f"There is no copper of {words[0]} to lift.", where=words[0])
    return Proposal(f"lifts {len(ids)} pieces of copper", edits.LayCopper(lift=tuple(ids)), about=(words[0],))


def _outline(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "outline 60x40 [RADIUS]")
    wide, cross, tall = words[0].lower().partition("x")
    if not cross:
        raise InputError(f"{words[0]!r} is no outline.", where="outline", value=words[0], allowed="60x40 in mm")
    w, h = parse_length_nm(wide, "width") / 1e6, parse_length_nm(tall, "height") / 1e6
    radius = parse_length_nm(words[1], "radius") if len(words) > 1 else 0
    if not (2 <= w <= 600 and 2 <= h <= 600 and 0 <= radius / 1e6 < min(w, h) / 2):
        raise InputError(
            "That is no board.", where="outline", value=words[0], allowed="2 to 600 mm a side, radius under half a side"
        )
    return Proposal(
        f"the board is {w:g} x {h:g} mm", edits.SetOutline(outline=rectangle(w, h), corner_radius_nm=radius)
    )


def _hole(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "hole X Y [DIAMETER]")
    size = parse_length_nm(words[2], "diameter") if len(words) > 2 else nm(3.2)
    k = 1
    while f"H{k}" in design.holes:
        k += 1
    hole = MountingHole(
        id=f"H{k}",
        x_nm=parse_length_nm(words[0], "x"),
        y_nm=parse_length_nm(words[1], "y"),
        drill_nm=size,
        keepout_nm=size,
    )
    return Proposal(f"drills H{k}, {size / 1e6:g} mm", edits.SetItem(hole=hole), about=(f"H{k}",))


def _text(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 3, 'text "WORDS" X Y [HEIGHT] [back]')
    k = 1
    while f"text{k}" in design.texts:
        k += 1
    side = "back" if words[-1] == "back" else "front"
    usual = max(nm(1.2), design.board.rules.legend_height_nm)
    sized = len(words) > 3 and words[3] not in ("front", "back")
    height = parse_length_nm(words[3], "height") if sized else usual
    text = LegendText(
        id=f"text{k}",
        text=words[0],
        x_nm=parse_length_nm(words[1], "x"),
        y_nm=parse_length_nm(words[2], "y"),
        height_nm=height,
        side=side,
    )
    return Proposal(f"prints “{words[0]}” on the {side}", edits.SetItem(text=text))


def _move(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 3, "move ID X Y")
    name = words[0]
    spot = {"x_nm": parse_length_nm(words[1], "x"), "y_nm": parse_length_nm(words[2], "y")}
    says = f"moves {name} to {spot['x_nm'] / 1e6:g}, {spot['y_nm'] / 1e6:g} mm"
    if name in design.holes:
        hole = MountingHole.model_validate({**design.holes[name].model_dump(), **spot})
        return Proposal(says, edits.SetItem(hole=hole), about=(name,))
    if name in design.texts:
        text = LegendText.model_validate({**design.texts[name].model_dump(), **spot})
        return Proposal(says, edits.SetItem(text=text), about=(name,))
    known = ", ".join([*design.holes, *design.texts])
    raise NotFound(f"There is no hole or text {name}.", where=name, allowed=known or "none yet")


def _pour(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 2, "pour NET LAYER")
    net_of(design, words[0])
    edit = edits.edit_from(
        {"kind": "set-item", "pour": {"id": f"{words[0]}-{words[1]}", "net": words[0], "layer": words[1]}}
    )
    if words[1] not in design.board.layers:
        raise EditRefused(f"The board has no layer {words[1]}.", where="pour", allowed=", ".join(design.board.layers))
    assert isinstance(edit, edits.SetItem) and isinstance(edit.pour, Pour)
    return Proposal(f"fills the {words[1]} with {words[0]}", edit)


def _arrange(design: Design, words: Sequence[str]) -> Proposal:
    edit = arrange(design)
    return Proposal(f"puts {len(edit.places)} parts on the board", edit)


def _action(name: str, says: str) -> Callable[[Design, Sequence[str]], Proposal]:
    def make(design: Design, words: Sequence[str]) -> Proposal:
        return Proposal(says, action=name)

    return make


def _go(design: Design, words: Sequence[str]) -> Proposal:
    _need(words, 1, "go REF or go NET")
    if words[0] not in design.parts and words[0] not in design.nets:
        raise NotFound(f"There is no part or net {words[0]}.", where=words[0])
    return Proposal(f"shows {words[0]}", action=f"go {words[0]}", about=(words[0],))


def rules_proposal(design: Design, sets: dict[str, RuleSet], words: Sequence[str]) -> Proposal:
    """Choose a maker's rules by name; the sets come from outside, since the core reads no files."""
    _need(words, 1, "rules NAME [LAYERS]")
    if words[0] not in sets:
        raise NotFound(f"There are no rules called {words[0]}.", where="rules", allowed=", ".join(sets))
    layers = round(_number(words[1], "layers")) if len(words) > 1 else design.board.copper_layers
    edit = edits.edit_from({"kind": "set-rules", "rules": sets[words[0]], "copper_layers": layers})
    return Proposal(f"the board is made by {sets[words[0]].title}, {layers} layers", edit)


VERBS: tuple[Verb, ...] = (
    Verb("join", "join PIN … NET", "connect pins", _join, ("pin", "pin-or-net", "pin-or-net", "pin-or-net")),
    Verb("part", "part PIN …", "take pins off their nets", _part, ("pin", "pin", "pin")),
    Verb("rename", "rename NET NEW", "give a net another name", _rename, ("net",)),
    Verb("merge", "merge NET INTO", "make two nets one", _merge, ("net", "net")),
    Verb("pin", "pin PIN NAME [ROLE]", "name a pin and say what it does", _pin, ("pin", "", "pin-role")),
    Verb("value", "value REF VALUE", "change a value", _value, ("ref",)),
    Verb("block", "block REF NAME", "move a part to a block of the sheet", _block, ("ref",)),
    Verb("add", "add REF PACKAGE [VALUE]", "add a part", _add, ("", "package")),
    Verb("remove", "remove REF", "take out a part, net, hole, pour or text", _remove, ("ref",)),
    Verb("nudge", "nudge REF DX DY", "shift a part on the sheet", _nudge, ("ref",)),
    Verb("place", "place REF X Y [TURN] · place REF by PIN", "put a part on the board", _place, ("ref", "by", "pin")),
    Verb("turn", "turn REF [DEGREES]", "turn a part", _turn, ("ref",)),
    Verb("underside", "underside REF", "move a part to the other side", _flip, ("ref",)),
    Verb("lock", "lock REF", "keep a part in its place", _lock(True), ("ref",)),
    Verb("unlock", "unlock REF", "let a part move", _lock(False), ("ref",)),
    Verb("arrange", "arrange", "put all waiting parts on the board", _arrange),
    Verb("width", "width NET 2A [10K] · width NET 0.8mm", "track width by current or by length", _width, ("net",)),
    Verb("clearance", "clearance NET 0.3mm", "gap to other copper", _clearance, ("net",)),
    Verb("role", "role NET ROLE", "say what a net is for", _role, ("net", "role")),
    Verb("route", "route [NET …] [fresh]", "route open links", _route, ("net", "net")),
    Verb("lift", "lift NET · lift all", "take copper off the board", _lift, ("net",)),
    Verb("outline", "outline 60x40 [RADIUS]", "board size in mm", _outline),
    Verb("hole", "hole X Y [DIAMETER]", "drill a mounting hole", _hole),
    Verb("text", 'text "WORDS" X Y [HEIGHT] [back]', "print on the legend", _text),
    Verb("move", "move ID X Y", "shift a hole or a text", _move, ("item",)),
    Verb("pour", "pour NET LAYER", "fill a layer with a net", _pour, ("net", "layer")),
    Verb("rules", "rules NAME [LAYERS]", "choose a maker", lambda d, w: rules_proposal(d, {}, w), ("rules",)),
    Verb("go", "go REF", "show a part or net", _go, ("ref-or-net",)),
    Verb("undo", "undo", "take the last change back", _action("undo", "takes the last change back")),
    Verb("redo", "redo", "do it again", _action("redo", "does it again")),
)
BY_NAME = {v.name: v for v in VERBS}


def split_words(text: str) -> list[str]:
    """Split a sentence into words; quotes keep words together."""
    try:
        return shlex.split(text.replace("'", "\\'"))
    except ValueError:
        return text.replace('"', "").split()


def ask(design: Design, text: str, sets: dict[str, RuleSet]) -> Proposal:
    """Understand a sentence.

    Raises
    ------
    InputError, NotFound, EditRefused
        When it is not understood or cannot be done; the design is untouched either way.
    """
    words = split_words(text)
    if not words or words[0] not in BY_NAME:
        raise InputError(
            f"{words[0] if words else ''!r} is no verb of the ask line.", where="ask line", allowed=", ".join(BY_NAME)
        )
    try:
        with alone:
            if words[0] == "rules":
                proposal = rules_proposal(design, sets, words[1:])
            else:
                proposal = BY_NAME[words[0]].make(design, words[1:])
            if proposal.edit is not None:
                apply(design, proposal.edit)
            return proposal
    except ValidationError as error:
        raise input_error(error, "ask line") from error


def complete(design: Design, text: str, sets: dict[str, RuleSet]) -> list[str]:
    """List how the last word of a sentence may go on, at most 12, best first."""
    words = split_words(text)
    if not text or text.endswith(" ") or not words:
        words.append("")
    if len(words) == 1:
        return [v.name for v in VERBS if v.name.startswith(words[0])][:12]
    verb = BY_NAME.get(words[0])
    place = min(len(words) - 2, len(verb.words) - 1) if verb and verb.words else -1
    if verb is None or place < 0 or len(words) - 2 >= len(verb.words) + 2:
        return []
    last = words[-1]
    found = [
        w for w in _choices(design, verb.words[place], last, sets) if w.lower().startswith(last.lower()) and w != last
    ]
    return sorted(found, key=natural)[:12]


def _choices(design: Design, what: str, last: str, sets: dict[str, RuleSet]) -> list[str]:
    refs, nets = list(design.parts), list(design.nets)
    pins: list[str] = []
    if "pin" in what:
        ref = last.partition(".")[0]
        pins = _pin_words(design.parts[ref]) if ref in design.parts else [f"{r}." for r in refs]
    table: dict[str, list[str]] = {
        "pin": pins, "pin-or-net": [*nets, *pins], "net": nets, "ref": refs, "ref-or-net": [*refs, *nets],
        "by": ["by", "off"],
        "rules": list(sets), "layer": list(design.board.layers),
        "role": list(get_args(NetRole)), "pin-role": list(get_args(PinRole)), "": [],
        "item": [*design.holes, *design.texts],
        "package": [*design.packages, *package_examples()],
    }  # fmt: skip
    return table[what]
