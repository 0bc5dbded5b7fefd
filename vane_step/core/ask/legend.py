"""Verbs of the ask line for the legend: texts, names at pins, values beside parts."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from vane_step.core.ask.group import some_parts
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, few, need, no_more, number, side_of
from vane_step.core.board.geometry.lettering import layer_of, least_height_mm, line_mm
from vane_step.core.board.silkscreen.labels import pin_labels, value_label
from vane_step.core.design import edits
from vane_step.core.design.model import Design, LegendText
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm, parse_length_nm


@verb("text", 'text "WORDS" X Y [HEIGHT] [turn=90] [back] [copper]', "print on the legend, or in copper")
def print_text(design: Design, words: Sequence[str]) -> Proposal:
    """Print on the legend, or make the words in copper."""
    form = 'text "WORDS" X Y [HEIGHT] [turn=90] [back] [copper]'
    turned = [w for w in words[3:] if w.startswith("turn=")]
    copper = "copper" in words[3:]
    words = [*words[:3], *(w for w in words[3:] if w not in (*turned, "copper", "legend"))]
    need(words, 3, form)
    k = 1
    while f"text{k}" in design.texts:
        k += 1
    rules = design.board.rules
    usual = max(nm(1.2), rules.legend_height_nm)
    sized = len(words) > 3 and words[3] not in ("front", "back")
    height = parse_length_nm(words[3], "height") if sized else usual
    told = words[3 + sized :]
    no_more(told, 1, form)
    side = side_of(told or ("back",) * (copper and "front" not in design.board.layers), form)
    text = LegendText(
        id=f"text{k}",
        text=words[0],
        x_nm=parse_length_nm(words[1], "x"),
        y_nm=parse_length_nm(words[2], "y"),
        height_nm=height,
        turn_deg=number(turned[0].removeprefix("turn="), "turn") % 360 if turned else 0.0,
        side=side,
        copper=copper,
    )
    if not copper:
        return Proposal(f"prints “{words[0]}” on the {side}", edits.SetItem(text=text))
    if layer_of(text) not in design.board.layers:
        raise EditRefused(
            f"There is no copper on the {side}.",
            where=text.id,
            value=side,
            allowed=", ".join(design.board.layers),
            next_step="Leave the side out, or print it on the legend.",
        )
    if not sized:
        # As high as its lines want room between them.
        while text.height_nm / 1e6 < least_height_mm(text, rules):
            text = text.model_copy(update={"height_nm": text.height_nm + nm(0.1)})
    says = f"makes “{words[0]}” in the copper of the {side}, {text.height_nm / 1e6:g} mm high"
    return Proposal(f"{says} in lines of {line_mm(text, rules):g} mm", edits.SetItem(text=text))


@verb("names", "names REF … [net|pin] [HEIGHT] · names REF … off", "print names at pins", ("some",))
def print_names(design: Design, words: Sequence[str]) -> Proposal:
    """Print the names of nets or of pins at the pins of parts, or take them off again."""
    form = "names REF … [net|pin] [HEIGHT] · names REF … off"
    need(words, 1, form)
    rest = list(words)
    height = parse_length_nm(rest.pop(), "height") / 1e6 if len(rest) > 1 and rest[-1][0].isdigit() else None
    what = rest.pop() if len(rest) > 1 and rest[-1] in ("net", "pin", "off") else "net"
    return _labelled(
        design,
        rest,
        what == "off",
        "names",
        lambda d, ref: pin_labels(d, ref, "pin" if what == "pin" else "net", height),
    )


@verb("values", "values REF … [off]", "print values beside parts", ("some",))
def print_values(design: Design, words: Sequence[str]) -> Proposal:
    """Print the values of parts beside them where there is room, or take them off again."""
    need(words, 1, "values REF … [off]")
    off = words[-1] == "off"
    return _labelled(design, words[:-1] if off else words, off, "values", lambda d, ref: value_label(d, ref))


def _labelled(
    design: Design,
    words: Sequence[str],
    off: bool,
    kind: str,
    make: Callable[[Design, str], list[LegendText]],
) -> Proposal:
    """Put labels of parts on the legend in the stead of those they have."""
    refs = some_parts(design, words)
    now, steps, none = design, list[edits.Edit](), list[EditRefused]()
    for ref in refs:
        mine = [t for t in now.texts if _is_label(t, ref, kind)]
        gone: list[edits.Edit] = [edits.RemoveItem(id=t) for t in mine]
        try:
            fresh = [] if off else make(now, ref)
        except EditRefused as error:
            none.append(error)
            continue
        more: list[edits.Edit] = [*gone, *(edits.SetItem(text=t) for t in fresh)]
        for edit in more:
            now = edits.apply(now, edit)[0]
        steps += more
    if not steps:
        raise (
            none[0]
            if none
            else EditRefused(
                f"{few(refs)} have no {kind} on the legend.",
                where=refs[0],
                next_step=f"Type: {kind} {refs[0]}",
            )
        )
    count = sum(isinstance(e, edits.SetItem) for e in steps)
    says = (
        f"takes the {kind} of {few(refs)} off the legend" if off else f"prints {count} {kind} at {few(refs)}"
    )
    if none:
        says += f"; {len(none)} {'part has' if len(none) == 1 else 'parts have'} no room or nothing to say"
    wanted = 0 if off else sum(len(design.parts[r].pins) if kind == "names" else 1 for r in refs)
    if kind == "names" and count < wanted:
        says += f"; {wanted - count} pins are on no net or have no room"
    return Proposal(says, edits.Together(edits=tuple(steps)), about=tuple(refs))


def _is_label(name: str, ref: str, kind: str) -> bool:
    """Tell whether a text is a label of a part of some kind, by its id."""
    owner, sign, of = name.rpartition("-")
    return bool(sign) and owner == ref and (of == "value") is (kind == "values")
