"""What each file for a board is: by what it says itself, else by its name and what it shows; a guess is told as one."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from vane_step.core.errors import InputError
from vane_step.core.fab.read_types import ReadDrill, ReadLayer

FRONT, BACK = "front", "back"
KINDS: Final = ("copper", "mask", "legend", "paste", "outline", "drill", "components", "other")
SIDED: Final = ("copper", "mask", "legend", "paste", "components")
# What a person may say of a file of holes.
DRILLS: Final = ("drill plated", "drill unplated")
# Words in names, as people write them, for what is on a layer and for its side.
_KIND_WORDS: Final = {
    "mask": ("mask", "soldermask", "resist", "stopmask", "stop"),
    "legend": ("legend", "silk", "silkscreen", "print", "overlay", "screen", "ident", "nomenclature"),
    "paste": ("paste", "stencil", "cream", "solderpaste"),
    "outline": (
        "outline",
        "edge",
        "edges",
        "profile",
        "border",
        "contour",
        "dimension",
        "mill",
        "route",
        "cutout",
    ),
    "components": ("components", "assembly"),
    "copper": ("copper", "cu", "layer", "signal", "plane", "etch", "art", "track", "tracks", "conductor"),
}
_FRONT_WORDS: Final = ("front", "top", "upper", "f", "t", "component", "l1", "layer1", "side1")
_BACK_WORDS: Final = ("back", "bottom", "bot", "lower", "b", "underside", "side2")
_UNPLATED: Final = ("npth", "nonplated", "unplated", "nplated", "mechanical")
# Flashes within this of each other are at one place; from this share of them on two layers belong together.
SAME_MM, SHARE = 0.02, 0.6
# What reaches so much farther than the outline is no layer of the board.
BEYOND = 1.1
# Ends of an outline's lines this near to each other meet.
MEET_MM: Final = 0.002


@dataclass(frozen=True)
class Role:
    """What a file is: its kind, its side where it has one (``front``, ``back``, ``in1`` ...), and why that is thought.

    ``sure`` tells that the file says so itself, or a person did.
    """

    kind: str
    side: str = ""
    why: str = ""
    sure: bool = False

    def told(self) -> str:
        """Say it the way a person would."""
        return f"{self.kind} {self.side}".strip()


def role_of(text: str) -> Role:
    """Read a role a person gives: ``copper front``, ``mask back``, ``outline``, ``copper in1``.

    Raises
    ------
    InputError
        When there is no such kind or side.
    """
    kind, _, side = text.strip().lower().partition(" ")
    known = side in ("", FRONT, BACK) or bool(re.fullmatch(r"in\d{1,2}", side))
    if kind not in KINDS or not known or (kind in SIDED) != bool(side):
        raise InputError(
            f"{text!r} is no kind of file.",
            where="file",
            value=text,
            allowed=f"{', '.join(KINDS)}; with front, back or in1 after {', '.join(SIDED)}",
        )
    return Role(kind, side, "a person said so", True)


def by_itself(function: Sequence[str]) -> Role | None:
    """Read the file function a Gerber file states; none where it states none."""
    if not function:
        return None
    kind, rest = function[0], list(function[1:])
    side = {"Top": FRONT, "Bot": BACK}.get(next((w for w in rest if w in ("Top", "Bot")), ""), "")
    if kind == "Copper" and not side:
        number = re.search(r"\d+", rest[0]) if rest else None
        side = f"in{int(number[0]) - 1}" if number else "in1"
    name = {
        "Copper": "copper",
        "Soldermask": "mask",
        "Legend": "legend",
        "Paste": "paste",
        "Profile": "outline",
        "Component": "components",
    }.get(kind, "other")
    return Role(name, side if name in SIDED else "", "the file says so", True)


def by_name(name: str) -> Role:
    """Guess by the words of a name: the kind may stay empty, and so may the side."""
    base = name.rpartition("/")[2]
    words = [w.lower() for w in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+\d?|\d+", base)]
    joined = [a + b for a, b in pairwise(words)]
    told = {*words, *joined}
    kind = next((k for k, some in _KIND_WORDS.items() if told & set(some)), "")
    side = FRONT if told & set(_FRONT_WORDS) else BACK if told & set(_BACK_WORDS) else ""
    inner = re.search(r"(?:inner|inn?|int|l|layer)[-_ ]?(\d{1,2})", base.lower())
    if inner and kind in ("", "copper") and not side:
        kind, side = "copper", f"in{inner[1]}"
    return Role(kind, side, "by its name" if kind or side else "")


def says_unplated(name: str) -> bool:
    """Tell whether a drill file's name says that its holes have no plating."""
    base = name.rpartition("/")[2].lower()
    squeezed = re.sub(r"[^a-z]", "", base)
    return any(w in squeezed for w in _UNPLATED)


def guessed(layers: Mapping[str, ReadLayer], drills: Mapping[str, ReadDrill]) -> dict[str, Role]:
    """Say of each file what it is.

    What a file says of itself counts; else the words of its name; what is still open goes by what is on it: the
    outline encloses the others and has no pads; copper has most pads and lines, and the layer with the same pads a
    little larger is its mask, with fewer or smaller ones its paste; lines without pads are legend.

    Returns
    -------
    dict of str to Role
        By name, drill files among them.
    """
    found = {name: Role("drill", "", "it is a drill file", True) for name in drills}
    open_: dict[str, Role] = {}
    for name, layer in layers.items():
        said = by_itself(layer.function)
        if said is not None:
            found[name] = said
        else:
            open_[name] = by_name(name)
    for name, role in tuple(open_.items()):
        if role.kind and (role.side or role.kind not in SIDED):
            found[name] = open_.pop(name) if role.kind in SIDED else Role(role.kind, "", role.why)
            open_.pop(name, None)
    _by_content(layers, open_, found)
    return _one_of_each(layers, found)


def _closed(layer: ReadLayer) -> bool:
    """Tell whether all lines of a layer go on: no end lies alone."""
    ends = Counter(_nearby(p) for line in layer.lines if line[0] != line[1] for p in line)
    return bool(ends) and min(ends.values()) > 1


def _nearby(at: tuple[float, float]) -> tuple[int, int]:
    return round(at[0] / MEET_MM), round(at[1] / MEET_MM)


def _by_content(layers: Mapping[str, ReadLayer], open_: dict[str, Role], found: dict[str, Role]) -> None:
    """Say what is still open by what is on it."""
    pads = {name: _spots(layer) for name, layer in layers.items()}
    if not any(r.kind == "outline" for r in found.values()):
        bare = [n for n in open_ if open_[n].kind in ("", "outline") and not pads[n] and layers[n].lines]
        if bare:
            # Drawings of the board hold its outline too, and lines that end somewhere.
            rings = [n for n in bare if _closed(layers[n])]
            widest = max(rings or bare, key=lambda n: (_spread(layers[n]), -len(layers[n].lines)))
            within = (x for n, x in layers.items() if not rings or pads[n])
            if all(_spread(layers[widest]) >= 0.98 * _spread(x) for x in within):
                found[widest] = Role("outline", "", "it goes round all others and has no pads")
                del open_[widest]
    copper = [n for n in open_ if open_[n].kind in ("", "copper") and _is_copper(layers[n], pads[n])]
    copper.sort(key=lambda n: -len(pads[n]))
    for name in copper:
        alike = [n for n in open_ if n not in copper and _share(pads[n], pads[name]) > SHARE]
        side = open_[name].side or next((open_[n].side for n in alike if open_[n].side), "")
        taken = {r.side for r in found.values() if r.kind == "copper"}
        side = side or next((s for s in (FRONT, BACK) if s not in taken), f"in{len(taken) - 1}")
        found[name] = Role("copper", side, "it has pads and what joins them")
        del open_[name]
    known = [n for n, r in found.items() if r.kind == "copper" and r.side in (FRONT, BACK)]
    edge = [n for n, r in found.items() if r.kind == "outline" and n in layers]
    for name, role in tuple(open_.items()):
        best = max(known, key=lambda n: _alike(pads[name], pads[n]), default=None)
        fits = best is not None and bool(pads[name]) and _share(pads[name], pads[best]) > SHARE
        side = role.side or (found[best].side if fits and best is not None else FRONT)
        if fits and best is not None and role.kind in ("", "mask", "paste"):
            larger = layers[name].flashed.area > layers[best].flashed.area * 0.98
            kind = role.kind or ("mask" if larger else "paste")
            found[name] = Role(kind, side, f"its pads are those of {best}")
        elif role.kind in SIDED:
            found[name] = Role(role.kind, side, "by its name, its side is a guess")
        elif edge and _spread(layers[name]) > BEYOND * max(_spread(layers[n]) for n in edge):
            found[name] = Role("other", "", "it goes on beyond the board: a drawing of it")
        elif layers[name].lines:
            found[name] = Role("legend", side, "it has lines and no pads of the copper")
        else:
            found[name] = Role("other", "", "nothing tells what it is")


def _spots(layer: ReadLayer) -> set[tuple[int, int]]:
    return {(round(f.x / SAME_MM / 2), round(f.y / SAME_MM / 2)) for f in layer.flashes}


def _share(some: set[tuple[int, int]], others: set[tuple[int, int]]) -> float:
    return len(some & others) / len(some) if some else 0.0


def _alike(some: set[tuple[int, int]], others: set[tuple[int, int]]) -> float:
    """Give how much of two sets of places both have: pads of one side have holes in common with the other."""
    return len(some & others) / len(some | others) if some or others else 0.0


def _spread(layer: ReadLayer) -> float:
    if layer.image.is_empty:
        return 0.0
    x0, y0, x1, y1 = layer.image.bounds
    return float((x1 - x0) * (y1 - y0))


def _is_copper(layer: ReadLayer, pads: set[tuple[int, int]]) -> bool:
    """Whether pads are joined by lines or fills: a line ends at one, or a fill covers more than pads do."""
    if not pads:
        return layer.filled.area > 0 and not layer.lines
    ends = {(round(x / SAME_MM / 2), round(y / SAME_MM / 2)) for line in layer.lines for x, y in line}
    return bool(ends & pads) or layer.filled.area > layer.flashed.area


def _one_of_each(layers: Mapping[str, ReadLayer], found: dict[str, Role]) -> dict[str, Role]:
    """Let one file be of a kind and side: of several guessed so the one with most on it, others are left out."""
    best: dict[tuple[str, str], str] = {}
    for name, role in found.items():
        if role.kind in ("drill", "other"):
            continue
        key = role.kind, role.side
        rank = (role.sure, layers[name].image.area)
        if key not in best or rank > (found[best[key]].sure, layers[best[key]].image.area):
            best[key] = name
    kept = set(best.values())
    return {
        name: role
        if role.kind in ("drill", "other") or name in kept
        else Role("other", "", f"{best[role.kind, role.side]} is the {role.told()} already")
        for name, role in found.items()
    }
