"""Verbs of the ask line for the bare board and what is poured on it: outline, holes, cut-outs, pours, makers."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need, number, pairs, side_of
from vane_step.core.board.geometry.filled_shapes import ink
from vane_step.core.board.geometry.shapes import opening, rectangle
from vane_step.core.board.tracks.stitching import stitch
from vane_step.core.design import edits
from vane_step.core.design.edits import net_of
from vane_step.core.design.model import Cutout, Design, MountingHole, PointNm, Pour, Zone
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.quantity import nm, parse_length_nm

POUR_WORDS = ("hatch", "gap", "priority", "box", "width", "spoke", "plane")


def _size(text: str, where: str) -> tuple[float, float]:
    wide, cross, tall = text.lower().partition("x")
    if not cross:
        raise InputError(f"{text!r} is no size.", where=where, value=text, allowed="60x40 in mm")
    return parse_length_nm(wide, "width") / 1e6, parse_length_nm(tall, "height") / 1e6


@verb("outline", "outline 60x40 [RADIUS]", "board size in mm")
def set_outline(design: Design, words: Sequence[str]) -> Proposal:
    """Give the board another size."""
    need(words, 1, "outline 60x40 [RADIUS]")
    w, h = _size(words[0], "outline")
    radius = parse_length_nm(words[1], "radius") if len(words) > 1 else 0
    if not (2 <= w <= 600 and 2 <= h <= 600 and 0 <= radius / 1e6 < min(w, h) / 2):
        raise InputError(
            "That is no board.",
            where="outline",
            value=words[0],
            allowed="2 to 600 mm a side, radius under half a side",
        )
    return Proposal(
        f"the board is {w:g} x {h:g} mm", edits.SetOutline(outline=rectangle(w, h), corner_radius_nm=radius)
    )


@verb("hole", "hole X Y [DIAMETER]", "drill a mounting hole")
def drill_hole(design: Design, words: Sequence[str]) -> Proposal:
    """Drill a mounting hole."""
    need(words, 2, "hole X Y [DIAMETER]")
    size = parse_length_nm(words[2], "diameter") if len(words) > 2 else nm(3.2)
    name = _free("H", {*design.holes, *design.parts})
    hole = MountingHole(
        id=name,
        x_nm=parse_length_nm(words[0], "x"),
        y_nm=parse_length_nm(words[1], "y"),
        drill_nm=size,
        keepout_nm=size,
    )
    return Proposal(f"drills {name}, {size / 1e6:g} mm", edits.SetItem(hole=hole), about=(name,))


def _free(letter: str, used: object) -> str:
    k = 1
    while f"{letter}{k}" in used:  # type: ignore[operator]
        k += 1
    return f"{letter}{k}"


def _box(x: str, y: str, size: str, where: str, radius_mm: float = 0.0) -> tuple[PointNm, ...]:
    """Give a rectangle by its lower left corner and size, its corners rounded."""
    left, low = parse_length_nm(x, "x") / 1e6, parse_length_nm(y, "y") / 1e6
    wide, tall = _size(size, where)
    if not (0.1 <= wide <= 600 and 0.1 <= tall <= 600 and 0 <= radius_mm <= min(wide, tall) / 2):
        raise InputError(
            "That is no opening.",
            where=where,
            value=size,
            allowed="0.1 to 600 mm a side, radius up to half a side",
        )
    from shapely.geometry import box

    shape = box(left, low, left + wide, low + tall)
    # At half a side nothing would be left to grow back.
    radius_mm = min(radius_mm, min(wide, tall) / 2 - 0.001)
    if radius_mm > 0:
        shape = shape.buffer(-radius_mm, join_style="mitre").buffer(radius_mm, quad_segs=16)
    return tuple((nm(a), nm(b)) for a, b in shape.exterior.coords[:-1])


@verb("cutout", "cutout X Y 20x8 [RADIUS]", "mill an opening")
def cut_out(design: Design, words: Sequence[str]) -> Proposal:
    """Mill a rectangular opening."""
    need(words, 3, "cutout X Y 20x8 [RADIUS]")
    radius = parse_length_nm(words[3], "radius") / 1e6 if len(words) > 3 else 0.0
    return _milled(
        design, Cutout(id=_new(design), points=_box(words[0], words[1], words[2], "cutout", radius))
    )


@verb("slot", "slot X1 Y1 X2 Y2 WIDTH", "mill a slot")
def mill_slot(design: Design, words: Sequence[str]) -> Proposal:
    """Mill a slot."""
    need(words, 5, "slot X1 Y1 X2 Y2 WIDTH")
    x1, y1, x2, y2, width = (parse_length_nm(w, "slot") for w in words[:5])
    return _milled(design, Cutout(id=_new(design), points=((x1, y1), (x2, y2)), width_nm=width))


def _new(design: Design) -> str:
    return _free("CUT", [c.id for c in design.board.cutouts])


def _milled(design: Design, cutout: Cutout) -> Proposal:
    shape = opening(cutout)
    if not shape.is_valid or shape.area < 0.01:
        raise InputError("That is no opening.", where=cutout.id, allowed="a shape that does not cross itself")
    edit = edits.SetCutouts(cutouts=(*design.board.cutouts, cutout))
    return Proposal(f"mills {cutout.id}, {shape.area:.1f} mm²", edit, about=(cutout.id,))


ZONES, SIDES = ("hand", "low", "quiet", "clear"), ("front", "back", "both")


@verb(
    "zone",
    f"zone {'|'.join(ZONES)} X Y 10x5 [TALL] [front|back|both]",
    "keep parts, heights, tracks or copper out of a box",
    ("zone",),
)
def set_zone(design: Design, words: Sequence[str]) -> Proposal:
    """Say that a box of the board is held by hands, under a low case on a side, quiet, or clear of copper."""
    form = f"zone {'|'.join(ZONES)} X Y 10x5 [TALL] [front|back|both]"
    need(words, 4, form)
    if words[0] not in ZONES:
        raise InputError(f"{words[0]!r} is no zone.", where="zone", value=words[0], allowed=", ".join(ZONES))
    if words[0] == "low":
        need(words, 5, "zone low X Y 10x5 TALL [front|back|both]")
    side = words[5] if len(words) > 5 else "front"
    if len(words) > 6 or side not in SIDES:
        raise InputError(f"{words[5]!r} is no side.", where="zone", value=" ".join(words[5:]), allowed=form)
    tall = parse_length_nm(words[4], "tall") if len(words) > 4 else 0
    name = _free("Z", [z.id for z in design.board.zones])
    zone = Zone.model_validate(
        {
            "id": name,
            "kind": words[0],
            "points": _box(words[1], words[2], words[3], "zone"),
            "tall_nm": tall,
            "side": side,
        }
    )
    edit = edits.SetZones(zones=(*design.board.zones, zone))
    return Proposal(f"makes {words[3]} mm of the board zone {name}: {words[0]}", edit, about=(name,))


@verb(
    "pour",
    "pour NET LAYER [plane=yes] [hatch=1.5] [gap=0.3] [priority=1] [box=X,Y,20x10]",
    "fill a layer, or a box on it, with a net",
    ("net", "layer"),
)
def pour_net(design: Design, words: Sequence[str]) -> Proposal:
    """Fill a layer, or a box on it, with a net; what is not said of a pour stays as it was."""
    need(
        words,
        2,
        "pour NET LAYER [hatch=1.5] [gap=0.3] [width=0.25] [spoke=0.4] [priority=1] [plane=yes] [box=X,Y,20x10]",
    )
    net, layer = net_of(design, words[0]).name, words[1]
    said = pairs(words[2:], "pour NET LAYER hatch=1.5 gap=0.3 priority=1 box=X,Y,20x10")
    unknown = next((k for k in said if k not in POUR_WORDS), None)
    if unknown:
        raise InputError(
            f"{unknown!r} says nothing of a pour.", where="pour", value=unknown, allowed=", ".join(POUR_WORDS)
        )
    if layer not in design.board.layers:
        raise EditRefused(
            f"The board has no layer {layer}.", where="pour", allowed=", ".join(design.board.layers)
        )
    name = f"{net}-{layer}"
    update: dict[str, object] = {}
    if "box" in said:
        x, y, size = (*said["box"].split(","), "", "")[:3]
        update["area"] = _box(x, y, size, "box")
        if name in design.pours:
            name = _free(f"{name}-", design.pours)
    old = design.pours.get(name)
    if "hatch" in said:
        update["hatch_nm"] = parse_length_nm(said["hatch"], "hatch")
    for word, field in (("gap", "clearance_nm"), ("width", "min_width_nm"), ("spoke", "spoke_nm")):
        if word in said:
            update[field] = parse_length_nm(said[word], word)
    if "plane" in said:
        if said["plane"] not in ("yes", "no"):
            raise InputError(
                "A pour is a plane or not.", where="plane", value=said["plane"], allowed="yes, no"
            )
        update["plane"] = said["plane"] == "yes"
    if "priority" in said:
        update["priority"] = round(number(said["priority"], "priority"))
    before = old.model_dump() if old else {"id": name, "net": net, "layer": layer}
    pour = Pour.model_validate({**before, **update})
    hatched = f" in lines {pour.hatch_nm / 1e6:g} mm apart" if pour.hatch_nm else ""
    return Proposal(f"fills the {layer} with {net}{hatched}", edits.SetItem(pour=pour))


@verb("clear", "clear POUR X Y 10x5", "keep a pour out of a box", ("pour",))
def clear_pour(design: Design, words: Sequence[str]) -> Proposal:
    """Keep a pour out of a box."""
    need(words, 4, "clear POUR X Y 10x5")
    pour = design.pours.get(words[0])
    if pour is None:
        raise NotFound(
            f"There is no pour {words[0]}.", where=words[0], allowed=", ".join(design.pours) or "none yet"
        )
    cut = _box(words[1], words[2], words[3], "clear")
    edit = edits.SetItem(pour=pour.model_copy(update={"cuts": (*pour.cuts, cut)}))
    return Proposal(f"keeps {pour.id} out of {words[3]} mm", edit)


@verb("field", "field X Y 20x8 [back]", "print a field to write on")
def print_field(design: Design, words: Sequence[str]) -> Proposal:
    """Print a field to write on."""
    need(words, 3, "field X Y 20x8 [back]")
    w, h = (nm(side) for side in _size(words[2], "field"))
    if not (1_000_000 <= w <= 200_000_000 and 1_000_000 <= h <= 200_000_000):
        raise InputError("That is no field.", where="field", value=words[2], allowed="1 to 200 mm a side")
    ring = ((-w // 2, -h // 2), (w // 2, -h // 2), (w // 2, h // 2), (-w // 2, h // 2))
    at = parse_length_nm(words[0], "x"), parse_length_nm(words[1], "y")
    side = side_of(words[3:], "field X Y 20x8 [back]")
    field = ink(design, f"field {words[2]}", (ring,), at, side)
    return Proposal(
        f"prints a field of {words[2]} mm on the {side}", edits.SetItem(text=field), about=(field.id,)
    )


@verb("stitch", "stitch NET [SPACING]", "join pours of a net with vias", ("net",))
def stitch_pours(design: Design, words: Sequence[str]) -> Proposal:
    """Join the pours of a net with vias."""
    need(words, 1, "stitch NET [SPACING]")
    spacing = parse_length_nm(words[1], "spacing") / 1e6 if len(words) > 1 else 5.0
    if not 0.5 <= spacing <= 100:
        raise InputError("That is no spacing.", where="stitch", value=words[1], allowed="0.5 to 100 mm")
    edit = stitch(design, words[0], spacing)
    return Proposal(
        f"stitches the pours of {words[0]} with {len(edit.vias)} vias, {spacing:g} mm apart", edit
    )


@verb("drills", "drills 0.6 0.8 1.0 … · drills any", "say which drills there are")
def set_drills(design: Design, words: Sequence[str]) -> Proposal:
    """Say which drills there are, the maker's or those at hand."""
    need(words, 1, "drills 0.6 0.8 1.0 … | any")
    sizes = [] if words[0] == "any" else sorted({parse_length_nm(w, "drill") for w in words})
    rules = design.board.rules
    odd = next((s for s in sizes if not 50_000 <= s <= 20_000_000), None)
    if odd is not None:
        raise InputError(
            "That is no drill.", where="drills", value=f"{odd / 1e6:g} mm", allowed="0.05 to 20 mm"
        )
    told = (
        f"there are drills of {', '.join(f'{s / 1e6:g}' for s in sizes)} mm"
        if sizes
        else "any drill can be had"
    )
    edit = edits.SetRules(
        rules=rules.model_copy(update={"drills_nm": tuple(sizes)}), copper_layers=design.board.copper_layers
    )
    return Proposal(told, edit)
