"""Edits of the board: places, laid copper, outline, cut-outs and rules; those of the circuit are in ``edits``."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from vane_step.core.design.changes import Changes, part_of
from vane_step.core.design.model import (
    Cutout,
    Design,
    Frozen,
    Jumper,
    PartPlace,
    PointNm,
    RuleSet,
    SizeNm,
    Track,
    Via,
    Zone,
)
from vane_step.core.errors import EditRefused, NotFound


class PlaceParts(Frozen):
    """Put parts on the board, or off it with ``None``; a locked part refuses unless the edit unlocks it."""

    kind: Literal["place-parts"] = "place-parts"
    places: dict[str, PartPlace | None] = Field(min_length=1)

    def changes(self, design: Design) -> Changes:
        changes: Changes = {}
        for ref, place in self.places.items():
            part = part_of(design, ref)
            stays = place is not None and part.place is not None and _same_spot(part.place, place)
            if part.place and part.place.locked and not stays:
                raise EditRefused(f"{ref} is locked in place.", where=ref, next_step=f"Type: unlock {ref}")
            changes[("parts", ref)] = part.model_copy(update={"place": place})
        return changes


def _same_spot(a: PartPlace, b: PartPlace) -> bool:
    return a.model_copy(update={"locked": b.locked}) == b


class LayCopper(Frozen):
    """Lay tracks, vias and jumpers and lift others, in one step."""

    kind: Literal["lay-copper"] = "lay-copper"
    lift: tuple[str, ...] = ()
    tracks: tuple[Track, ...] = ()
    vias: tuple[Via, ...] = ()
    jumpers: tuple[Jumper, ...] = ()

    def changes(self, design: Design) -> Changes:
        changes: Changes = {}
        for key in self.lift:
            section = next((s for s in ("tracks", "vias", "jumpers") if key in getattr(design, s)), None)
            if section is None:
                raise NotFound(
                    f"There is no copper {key}.", where=key, next_step="Look at what the board has now."
                )
            changes[(section, key)] = None
        for name, items in (("tracks", self.tracks), ("vias", self.vias), ("jumpers", self.jumpers)):
            for item in items:
                if item.id in getattr(design, name) and (name, item.id) not in changes:
                    raise EditRefused(
                        f"{item.id} is already there.",
                        where=item.id,
                        next_step="Give it another name, or remove the old one first.",
                    )
                changes[(name, item.id)] = item
        return changes


class Names:
    """Gives ids not yet used by the copper of a design."""

    def __init__(self, design: Design) -> None:
        self.used = {*design.tracks, *design.vias, *design.jumpers}
        self.count = len(design.tracks) + len(design.vias)

    def next(self, letter: str) -> str:
        """Give the next free id that starts with a letter."""
        while True:
            self.count += 1
            if (name := f"{letter}{self.count}") not in self.used:
                return name


class SetOutline(Frozen):
    """Give the board another outline."""

    kind: Literal["set-outline"] = "set-outline"
    outline: tuple[PointNm, ...] = Field(min_length=3, max_length=5000)
    corner_radius_nm: SizeNm = 0

    def changes(self, design: Design) -> Changes:
        update = {"outline": self.outline, "corner_radius_nm": self.corner_radius_nm}
        return {("board", ""): design.board.model_copy(update=update)}


def _only_once(what: str, names: list[str]) -> None:
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice:
        raise EditRefused(
            f"There are two {what} {twice}.", where=twice, next_step="Give each a name of its own."
        )


class SetCutouts(Frozen):
    """Say which openings are milled into the board."""

    kind: Literal["set-cutouts"] = "set-cutouts"
    cutouts: tuple[Cutout, ...] = Field(max_length=500)

    def changes(self, design: Design) -> Changes:
        _only_once("cut-outs", [x.id for x in self.cutouts])
        return {("board", ""): design.board.model_copy(update={"cutouts": self.cutouts})}


class SetZones(Frozen):
    """Say where on the board something may not be."""

    kind: Literal["set-zones"] = "set-zones"
    zones: tuple[Zone, ...] = Field(max_length=200)

    def changes(self, design: Design) -> Changes:
        _only_once("zones", [x.id for x in self.zones])
        return {("board", ""): design.board.model_copy(update={"zones": self.zones})}


class SetRules(Frozen):
    """Choose a maker's rules and the number of copper layers."""

    kind: Literal["set-rules"] = "set-rules"
    rules: RuleSet
    copper_layers: Literal[1, 2, 4]

    def changes(self, design: Design) -> Changes:
        if self.copper_layers not in self.rules.copper_layers:
            raise EditRefused(
                f"{self.rules.title or self.rules.name} does not make {self.copper_layers} copper layers.",
                where="board",
                value=self.copper_layers,
                allowed=", ".join(map(str, self.rules.copper_layers)),
            )
        update = {"rules": self.rules, "copper_layers": self.copper_layers}
        return {("board", ""): design.board.model_copy(update=update)}
