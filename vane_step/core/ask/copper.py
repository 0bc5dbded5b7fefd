"""Verbs of the ask line for tracks: width, clearance, routing and lifting; placing parts is in ``board``."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Action, Proposal, measures, need, no_more
from vane_step.core.board.analysis.copper_currents import hot_vias, too_warm
from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.figures import steps_of
from vane_step.core.board.drc.track_heat import wide_enough_nm
from vane_step.core.board.geometry.necks import MOST_MM, copper_rule
from vane_step.core.board.tracks.centre import centred
from vane_step.core.board.tracks.current_vias import strengthened
from vane_step.core.board.tracks.reroute import widened
from vane_step.core.board.tracks.teardrops import tapered
from vane_step.core.board.tracks.thermal_vias import thermal_vias
from vane_step.core.circuit.pins import counted, find_pin
from vane_step.core.design import edits
from vane_step.core.design.base import LAYERS
from vane_step.core.design.edits import apply, net_of
from vane_step.core.design.model import (
    CurrentNeed,
    Design,
    NetRule,
    Via,
    natural,
)
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.operation.hot_copper import cooler
from vane_step.core.power import trace
from vane_step.core.quantity import nm, parse_length_nm, parse_value

MAX_WIDTH_NM = 50_000_000


@verb("current", "current NET 500mA [1s] [10K] · current NET none", "say what a net carries", ("net",))
def set_current(design: Design, words: Sequence[str]) -> Proposal:
    """Say what a net carries, as ``width`` does; a bare number is amperes here."""
    form = "current NET 500mA [1s] [10K] · current NET none"
    need(words, 2, form)
    said = measures(words[1:])
    if said[0].replace(",", ".").replace(".", "", 1).isdigit():
        said[0] += "A"
    if said[0] != "none" and not said[0].endswith("A"):
        raise InputError(
            f"{said[0]!r} is no current.", where="current", value=said[0], allowed="500mA, 2A or none"
        )
    return set_width(design, [words[0], *said])


@verb(
    "width",
    "width NET 0.8mm · width NET 2A [1s] [10K] · width NET none",
    "track width by length or by current",
    ("net",),
)
def set_width(design: Design, words: Sequence[str]) -> Proposal:
    """Set a track width by current or by length, or take the current off a net again."""
    form = "width NET 0.8mm · width NET 2A [1s] [10K] · width NET none"
    need(words, 2, form)
    net = net_of(design, words[0])
    said = measures(words[1:])
    rules = design.board.rules
    rule = design.rule_of(net.name)
    if said[0] == "none":
        no_more(said, 1, form)
        plain = rule.model_copy(update={"width_nm": rules.default_width_nm, "current": None})
        says = f"{net.name} carries no current to speak of: tracks {rules.default_width_nm / 1e6:g} mm wide, as usual"
        return Proposal(says, edits.SetNetRule(net=net.name, rule=plain), about=(net.name,))
    if said[0].endswith("A"):
        pulse = next((w for w in said[1:] if w.endswith("s")), None)
        said = [w for w in said if w is not pulse]
        no_more(said, 2, form)
        amps = parse_value(said[0], "current", "A")
        seconds = _seconds(pulse) if pulse else None
        rise = parse_value(said[1], "rise", "K") if len(said) > 1 else 10.0
        needed = _needed_mm(design, rule, amps, rise, seconds)
        # A current never makes a track thinner than it would be without one.
        least = max(rules.min_width_nm, rules.default_width_nm, nm(math.ceil(needed / 0.05 - 1e-9) * 0.05))
        rule = rule.model_copy(
            update={"width_nm": least, "current": CurrentNeed(current_a=amps, rise_k=rise, seconds=seconds)}
        )
        long = f" for {seconds:g} s" if seconds else ""
        says = f"{net.name} carries {amps:g} A{long}: {needed:.3f} mm for {rise:g} K ({trace.source_of(seconds)})"
        says += f", rule {least / 1e6:g} mm"
        wide = design.replaced(nets={**design.nets, net.name: net.model_copy(update={"rule": rule})})
        if (narrow := copper_rule(wide, net.name)).neck_width_nm and narrow.neck_length_nm:
            says += f"; {narrow.neck_width_nm / 1e6:g} mm within {narrow.neck_length_nm / 1e6:g} mm of its finest pins"
    else:
        no_more(said, 1, form)
        least = parse_length_nm(said[0], "width")
        rule = rule.model_copy(update={"width_nm": least})
        says = f"tracks of {net.name} are to be {least / 1e6:g} mm wide"
        carries = rule.current
        if carries is not None:
            needed = _needed_mm(design, rule, carries.current_a, carries.rise_k, carries.seconds)
            if needed > least / 1e6:
                says += f", though the {carries.current_a:g} A it carries need {needed:.2f} mm for {carries.rise_k:g} K"
    if not 0 < least <= MAX_WIDTH_NM:
        raise InputError(
            f"A track {least / 1e6:g} mm wide is none.",
            where="width",
            value=" ".join(words[1:]),
            allowed=f"above 0 to {MAX_WIDTH_NM / 1e6:g} mm",
            next_step=f"Pour it instead. Type: pour {net.name} LAYER",
        )
    return Proposal(says, edits.SetNetRule(net=net.name, rule=rule), about=(net.name,))


@verb("neck", "neck NET 0.4mm [3mm] · neck NET none", "how thin tracks may be near fine pins", ("net",))
def set_neck(design: Design, words: Sequence[str]) -> Proposal:
    """Set how thin the tracks of a net may be near its pins, and how far from them; or leave it to its pads again."""
    form = "neck NET 0.4mm [3mm] · neck NET none"
    need(words, 2, form)
    net = net_of(design, words[0])
    said = measures(words[1:])
    no_more(said, 2, form)
    rule = design.rule_of(net.name)
    if said[0] == "none":
        rule = rule.model_copy(update={"neck_width_nm": None, "neck_length_nm": None})
        says = f"the finest pads of {net.name} say how thin its tracks may be near them"
        return Proposal(says, edits.SetNetRule(net=net.name, rule=rule), about=(net.name,))
    thin = parse_length_nm(said[0], "neck")
    long = parse_length_nm(said[1], "length") if len(said) > 1 else nm(MOST_MM)
    least = design.board.rules.min_width_nm
    if not least <= thin <= rule.width_nm:
        raise InputError(
            f"{net.name} cannot have a neck {thin / 1e6:g} mm wide.",
            where="neck",
            value=said[0],
            allowed=f"{least / 1e6:g} to {rule.width_nm / 1e6:g} mm, the maker's least and the width of {net.name}",
        )
    rule = rule.model_copy(update={"neck_width_nm": thin, "neck_length_nm": long})
    says = f"tracks of {net.name} may be {thin / 1e6:g} mm wide within {long / 1e6:g} mm of its pins"
    if rule.current is not None:
        amps, copper = rule.current.current_a, design.board.rules.copper_um
        rise = trace.neck_rise_k(
            thin / 1e6, rule.width_nm / 1e6, long / 1e6, amps, copper, "outer", rule.current.seconds
        )
        says += f": up to {rise:.0f} K warm at the pin with {amps:g} A"
    return Proposal(says, edits.SetNetRule(net=net.name, rule=rule), about=(net.name,))


def _seconds(said: str) -> float:
    seconds = parse_value(said, "time", "s")
    if not 0 < seconds <= 600:
        raise InputError(
            f"{said} is no pulse.", where="time", value=said, allowed="above 0 to 600 s, or none for ever"
        )
    return seconds


def _needed_mm(
    design: Design, rule: NetRule, amps: float, rise_k: float, seconds: float | None = None
) -> float:
    """Give the width a current needs on the worst of the layers a net's tracks run on."""
    return max(
        trace.trace(amps, rise_k, um, where, seconds=seconds).needed_mm
        for um, where in _copper_of(design, rule)
    )


def _copper_of(design: Design, rule: NetRule) -> list[tuple[float, trace.Where]]:
    """Give thickness and law of the copper a net's tracks run on: outer copper where no layers are named."""
    rules = design.board.rules
    found: list[tuple[float, trace.Where]] = []
    if not rule.layers or any(x in ("front", "back") for x in rule.layers):
        found.append((rules.copper_um, "outer"))
    if any(x not in ("front", "back") for x in rule.layers):
        found.append((rules.inner_copper_um, "inner"))
    return found


@verb("clearance", "clearance NET 0.3mm", "gap to other copper", ("net",))
def set_clearance(design: Design, words: Sequence[str]) -> Proposal:
    """Set the gap to other copper."""
    need(words, 2, "clearance NET 0.3mm")
    said = measures(words[1:])
    no_more(said, 1, "clearance NET 0.3mm")
    gap, least = parse_length_nm(said[0], "clearance"), design.board.rules.min_clearance_nm
    if not least <= gap <= MAX_WIDTH_NM:
        raise InputError(
            f"{design.board.rules.title or design.board.rules.name} cannot make a gap of {gap / 1e6:g} mm."
            if gap < least
            else f"A gap of {gap / 1e6:g} mm is none.",
            where="clearance",
            value=said[0],
            allowed=f"{least / 1e6:g} to {MAX_WIDTH_NM / 1e6:g} mm",
        )
    rule = NetRule.model_validate(
        {**design.rule_of(net_of(design, words[0]).name).model_dump(), "clearance_nm": gap}
    )
    return Proposal(
        f"other copper keeps {gap / 1e6:g} mm from {words[0]}",
        edits.SetNetRule(net=words[0], rule=rule),
        about=(words[0],),
    )


@verb(
    "layers",
    "layers NET LAYER … · layers NET all · layers 2",
    "keep a net's tracks to some layers; or make the board of so many",
    ("net", "layer", "layer"),
)
def keep_to_layers(design: Design, words: Sequence[str]) -> Proposal:
    """Say on which layers a net's tracks run, or of how many layers of copper the board is."""
    if len(words) == 1 and words[0].isdigit() and words[0] not in design.nets:
        return _made_of_layers(design, int(words[0]))
    need(words, 2, "layers NET LAYER … | all; layers 1, 2 or 4")
    net = net_of(design, words[0]).name
    have = design.board.layers
    wanted = () if words[1] == "all" else tuple(words[1:])
    unknown = next((x for x in wanted if x not in have), None)
    if unknown:
        raise EditRefused(
            f"The board has no layer {unknown}.",
            where="layers",
            value=unknown,
            allowed=", ".join((*have, "all")),
        )
    rule = NetRule.model_validate({**design.rule_of(net).model_dump(), "layers": wanted})
    where = " and ".join(f"the {x}" for x in wanted) or "any layer"
    says = f"tracks of {net} run on {where}"
    return Proposal(says, edits.SetNetRule(net=net, rule=rule), about=(net,))


def _made_of_layers(design: Design, count: int) -> Proposal:
    if count not in LAYERS:
        raise InputError(
            f"No board is made of {count} layers of copper.", where="layers", value=count, allowed="1, 2 or 4"
        )
    edit = edits.edit_from({"kind": "set-rules", "rules": design.board.rules, "copper_layers": count})
    return Proposal(f"the board has {count} layer{'' if count == 1 else 's'} of copper", edit)


@verb(
    "route",
    "route [NET …] [fresh] · route PIN PIN",
    "route unrouted connections, or one between two pins",
    ("pin-or-net", "pin-or-net"),
)
def route_links(design: Design, words: Sequence[str]) -> Proposal:
    """Route unrouted connections, or one between two pins among copper that stays where it is."""
    if len(words) == 2 and "." in words[0] and "." in words[1]:
        # Here, since it loads the compiled search, which no other sentence needs.
        from vane_step.core.route.guide import link

        pins = [find_pin(design, w) for w in words]
        edit = link(design, *pins)
        length = sum(math.dist(a, b) for t in edit.tracks for a, b in pairwise(t.points)) / 1e6
        says = f"routes {pins[0]} to {pins[1]}: {length:.1f} mm, {len(edit.vias)} vias"
        return Proposal(says, edit, about=tuple(pins))
    links = connectivity(design).open_links
    fresh = "fresh" in words
    nets = [w for w in words if w != "fresh"]
    for name in nets:
        net_of(design, name)
    count = sum(1 for k in links if not nets or k.net in nets)
    if not count and not fresh:
        raise EditRefused(
            "There is no unrouted connection.",
            where="board",
            next_step="Type: route fresh, to route everything again.",
        )
    many = f"routes {count} unrouted connection{'' if count == 1 else 's'}"
    what = "removes the tracks that are not locked and routes everything again" if fresh else many
    return Proposal(
        what + (f" of {', '.join(nets)}" if nets else ""),
        action=Action("route", tuple(nets), "fresh" if fresh else ""),
    )


@verb("widen", "widen NET [0.8mm] · widen all 0.8mm", "make tracks wider where there is room", ("net",))
def widen_tracks(design: Design, words: Sequence[str]) -> Proposal:
    """Make laid tracks as wide as their rule wants, or as said, where there is room."""
    need(words, 1, "widen NET [0.8mm], or widen all 0.8mm")
    if words[0] == "all" and "all" not in design.nets:
        return _all_widened(design, words)
    net = net_of(design, words[0])
    layers = design.board.layers
    if len(words) > 1:
        widths = dict.fromkeys(layers, parse_length_nm(words[1], "width"))
    else:
        widths = {layer: wide_enough_nm(design, net.name, layer) for layer in layers}
    laid_on = [t.layer for t in design.tracks.values() if t.net == net.name]
    wanted = max(widths[layer] for layer in laid_on or layers)
    warm = too_warm(design, net.name) if len(words) == 1 else None
    if warm is not None and (tried := cooler(design, warm)) is not None:
        says = f"widens {len(tried[0].lift)} tracks of {net.name} where what flows makes them warm: "
        says += f"{tried[1].rise_k:.0f} K instead of {warm.rise_k:.0f} K"
        return Proposal(says, tried[0], about=(net.name,))
    edit, least = widened(design, net.name, widths)
    if not edit.tracks:
        raise EditRefused(
            f"No track of {net.name} can be made wider.",
            where=net.name,
            value=f"{least / 1e6:g} mm",
            allowed=f"{wanted / 1e6:g} mm wanted",
            next_step="Move what is beside it, or draw it again."
            if least < wanted
            else "They are wide enough.",
        )
    says = f"widens {len(edit.lift)} tracks of {net.name} towards {wanted / 1e6:g} mm"
    if least < wanted:
        says += f"; {least / 1e6:g} mm is all there is room for at the narrowest"
    return Proposal(says, edit, about=(net.name,))


def _all_widened(design: Design, words: Sequence[str]) -> Proposal:
    """Widen the finer tracks of all nets, one net after the other, each as far as the others leave room."""
    need(words, 2, "widen all 0.8mm")
    wanted = parse_length_nm(words[1], "width")
    nets = sorted(
        {t.net for t in design.tracks.values() if t.width_nm < wanted and not t.locked}, key=natural
    )
    after, made = design, []
    for net in nets:
        edit, _ = widened(after, net, dict.fromkeys(after.board.layers, wanted))
        if edit.tracks:
            after = apply(after, edit)[0]
            made.append(edit)
    if not made:
        raise EditRefused(
            f"No track can be made {wanted / 1e6:g} mm wide.",
            where="tracks",
            value=words[1],
            next_step="Move what is beside them." if nets else "They are wide enough.",
        )
    left = sum(t.width_nm < wanted for t in after.tracks.values())
    says = f"widens tracks of {len(made)} nets towards {wanted / 1e6:g} mm"
    says += f"; {left} pieces have no room for it" if left else ""
    return Proposal(says, edits.edit_from({"kind": "together", "edits": made}))


@verb("vias", "vias NET", "add vias where the current of a net needs them", ("net",))
def more_vias(design: Design, words: Sequence[str]) -> Proposal:
    """Lay vias beside those that carry too little."""
    need(words, 1, "vias NET")
    net = net_of(design, words[0]).name
    hot = hot_vias(design, net)
    edit, short = strengthened(design, net, hot.amps, hot.rise_k) if hot else strengthened(design, net)
    count = len(edit.vias)
    says = f"adds {count} via{'' if count == 1 else 's'} of {net} beside others that carry too little"
    if short:
        says += f"; at {short} place{'' if short == 1 else 's'} there is no room for enough"
    return Proposal(says, edit, about=(net,))


@verb("thermal", "thermal REF …", "lay vias through thermal pads", ("some",))
def lay_thermal_vias(design: Design, words: Sequence[str]) -> Proposal:
    """Lay vias through the thermal pads of parts."""
    need(words, 1, "thermal REF …")
    refs = [r for word in words for r in counted(word.upper())]
    now, laid = design, list[Via]()
    for ref in refs:
        edit = thermal_vias(now, ref)
        now = edits.apply(now, edit)[0]
        laid += edit.vias
    says = (
        f"lays {len(laid)} via{'' if len(laid) == 1 else 's'} through the thermal pads of {', '.join(refs)}"
    )
    return Proposal(says, edits.LayCopper(vias=tuple(laid)), about=tuple(refs))


@verb(
    "teardrops",
    "teardrops NET [off] · teardrops all [off]",
    "let tracks widen towards pads and vias",
    ("net",),
    also=("taper",),
)
def taper_tracks(design: Design, words: Sequence[str]) -> Proposal:
    """Let tracks widen in steps where they run into pads and vias."""
    need(words, 1, "teardrops NET [off], or teardrops all [off]")
    nets = None if words[0] == "all" else {net_of(design, words[0]).name}
    if words[1:] not in ([], ["off"]):
        raise InputError(f"{words[1]!r} says nothing here.", where="teardrops", value=words[1], allowed="off")
    if words[1:]:
        ids = steps_of(design, nets)
        if not ids:
            raise NotFound(
                "No track widens towards a pad.",
                where=words[0],
                next_step="Type: teardrops all, to add some.",
            )
        return Proposal(f"takes {len(ids)} steps off the ends of tracks", edits.LayCopper(lift=ids))
    edit = tapered(design, nets)
    return Proposal(f"lets tracks widen towards pads in {len(edit.tracks)} steps", edit)


@verb("centre", "centre NET · centre all", "slide tracks to the middle of the room they lie in", ("net",))
def centre_tracks(design: Design, words: Sequence[str]) -> Proposal:
    """Slide tracks to the middle of the room they lie in."""
    need(words, 1, "centre NET, or centre all")
    edit = centred(design, None if words[0] == "all" else {net_of(design, words[0]).name})
    count = len(edit.tracks)
    return Proposal(f"slides {count} track{'' if count == 1 else 's'} to where they have more room", edit)


@verb("unroute", "unroute NET · unroute all", "remove tracks and vias", ("net",), also=("lift",))
def lift_copper(design: Design, words: Sequence[str]) -> Proposal:
    """Remove tracks, vias and wire jumpers."""
    need(words, 1, "unroute NET, unroute TRACK, or unroute all")
    ids: list[str] = []
    for section in (design.tracks, design.vias, design.jumpers):
        ids += [
            k
            for k, item in section.items()
            if (words[0] in ("all", item.net) or k in words) and not getattr(item, "locked", False)
        ]
    if not ids:
        raise NotFound(
            f"There is no copper of {words[0]} to remove.",
            where=words[0],
            next_step="Route it first, or name a net that has copper.",
        )
    return Proposal(
        f"removes {len(ids)} tracks and vias", edits.LayCopper(lift=tuple(ids)), about=(words[0],)
    )


@verb("advise", "advise", "tell what another number of layers would gain")
def advise_layers(design: Design, words: Sequence[str]) -> Proposal:
    """Find out what another number of copper layers would gain."""
    if any(p.place is None for p in design.parts.values()):
        raise EditRefused("Every part needs a place first.", where="board", next_step="Type: arrange")
    return Proposal(
        "routes the board on one, two and four layers and tells; nothing is changed", action=Action("advise")
    )
