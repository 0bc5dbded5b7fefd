"""Verbs of the ask line for what a part bears and what cools it: its ratings, its heat sink."""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from typing import Final

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import NONE, Proposal, Resources, need, no_more, pairs
from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.design import edits
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.network.thermal import case_of, theta_of
from vane_step.core.quantity import format_value, parse_value

RATING_FORM: Final = "rating REF vout_v=3.3V iout_a=1A"
SINK_FORM: Final = "sink REF HS1|IC-220|20K/W"


@verb(
    "rating",
    f"{RATING_FORM} … · rating REF NAME=none",
    "say ratings of a part, of your own above all: they decide what the circuit does and what the part bears",
    ("ref", "rating"),
)
def set_rating(design: Design, words: Sequence[str]) -> Proposal:
    """Say ratings of a part."""
    need(words, 2, RATING_FORM)
    part = part_of(design, words[0])
    params = dict(part.params)
    told = []
    for key, text in pairs(words[1:], RATING_FORM).items():
        known = PARAMETERS.get(key)
        if known is None:
            like = difflib.get_close_matches(key, PARAMETERS, n=4, cutoff=0.4)
            raise InputError(
                f"{key!r} is no rating.",
                where=part.ref,
                value=key,
                allowed=", ".join(like) or ", ".join(PARAMETERS)[:200],
            )
        if text == NONE:
            params.pop(key, None)
            told.append(f"{known.title} not said")
            continue
        params[key] = parse_value(
            text, key, known.unit if known.unit not in ("", "mm", "nm", "mcd", "bit", "ppm") else ""
        )
        told.append(f"{known.title} {format_value(params[key], known.unit)}")
    return Proposal(
        f"{part.ref}: {', '.join(told)}", edits.SetPart(ref=part.ref, params=params), about=(part.ref,)
    )


@verb(
    "sink",
    f"{SINK_FORM} · sink REF none",
    "put a heat sink on a part: one of the board, a number of the catalogue, or its thermal resistance",
    ("ref", "sink"),
)
def set_sink(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Say what cools a part."""
    need(words, 2, SINK_FORM)
    no_more(words, 2, SINK_FORM)
    part, text = part_of(design, words[0]), words[1]
    params = {k: v for k, v in part.params.items() if k != "sink_k_per_w"}
    if text == NONE:
        return Proposal(
            f"{part.ref} has no sink", edits.SetPart(ref=part.ref, params=params), about=(part.ref,)
        )
    if case_of(part) is None:
        raise EditRefused(
            f"{part.ref} in {part.package} has no face for a heat sink.",
            where=part.ref,
            allowed="parts in TO-220, TO-247, TO-126, TO-252 or TO-263, or whose rating theta_jc_k_per_w is said",
            next_step=f"Type: rating {part.ref} theta_jc_k_per_w=5",
        )
    params["sink_k_per_w"] = _sink_k_w(design, text, resources)
    theta = theta_of(part.model_copy(update={"params": params}))
    assert theta is not None
    text = f"{part.ref}: {theta[0]:.3g} K/W ({theta[1]})"
    return Proposal(text, edits.SetPart(ref=part.ref, params=params), about=(part.ref,))


def _sink_k_w(design: Design, text: str, resources: Resources) -> float:
    """Read a heat sink: a part of the design, a number of the catalogue, or kelvin per watt."""
    own = design.parts.get(text) or design.parts.get(text.upper())
    entry = resources.catalogue.parts.get(text) or resources.catalogue.parts.get(text.upper())
    for known in (own, entry):
        if known is not None and "k_per_w" in known.params:
            return known.params["k_per_w"]
    if own is not None or entry is not None:
        raise InputError(
            f"{text} is no heat sink.",
            where=text,
            value=text,
            allowed=", ".join(n for n, e in resources.catalogue.parts.items() if "k_per_w" in e.params)[:200],
        )
    k_w = parse_value(text.removesuffix("K/W"), "heat sink", "")
    if not 0.05 <= k_w <= 200:
        raise InputError("That is no heat sink.", where="heat sink", value=text, allowed="0.05 to 200 K/W")
    return k_w
