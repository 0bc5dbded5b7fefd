"""Reads what ships with the program: maker rules, the catalogue and demo designs; nothing is computed here."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from importlib.resources import files
from typing import Any

from vane_step.core.ask import Resources
from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.own import read_own, with_own
from vane_step.core.catalogue.tables import read_catalogue
from vane_step.core.circuit.blocks import SavedBlock, block_from
from vane_step.core.design.fileformat import from_json
from vane_step.core.design.model import Design, RuleSet
from vane_step.core.errors import NotFound

_ROOT = files("vane_step.data")


@lru_cache(maxsize=1)
def rule_sets() -> dict[str, RuleSet]:
    """Give the shipped rule sets by name."""
    found = {}
    for name in ("standard-house", "four-layer-house", "fine-line-house", "kitchen-table"):
        text = (_ROOT / "rules" / f"{name}.json").read_text(encoding="utf-8")
        found[name] = RuleSet.model_validate(json.loads(text))
    return found


def rule_set(name: str) -> RuleSet:
    """Give a shipped rule set, or raise :class:`NotFound`."""
    if name not in rule_sets():
        raise NotFound(f"There are no rules called {name}.", where="rules", allowed=", ".join(rule_sets()))
    return rule_sets()[name]


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    """Give the shipped catalogue; every number, maker and figure in it is invented."""
    folder = _ROOT / "catalogue"
    names = sorted(p.name for p in folder.iterdir() if p.name.endswith(".json"))
    return read_catalogue({n: json.loads((folder / n).read_text(encoding="utf-8")) for n in names})


@lru_cache(maxsize=4)
def catalogue_with(own: tuple[str, ...]) -> Catalogue:
    """Give the shipped catalogue with parts of one's own among the others, from their JSON."""
    return (
        with_own(catalogue(), [p for text in own for p in read_own(text, "own part")]) if own else catalogue()
    )


@lru_cache(maxsize=1)
def blocks() -> dict[str, SavedBlock]:
    """Give the shipped blocks by name."""
    folder = _ROOT / "blocks"
    names = sorted(p.name for p in folder.iterdir() if p.name.endswith(".json"))
    found = [block_from((folder / n).read_text(encoding="utf-8"), n) for n in names]
    return {b.name: b for b in found}


def resources(own: Mapping[str, SavedBlock] | None = None, parts: tuple[str, ...] = ()) -> Resources:
    """Give what the ask line draws on: rules, catalogue and blocks, with the user's own parts and blocks among them."""
    mine = {name: r for name, r in own_rules(parts).items() if name not in rule_sets()}
    known = {**blocks(), **(own or {})}
    return Resources({**rule_sets(), **mine}, catalogue_with(parts), known, frozenset(mine))


@lru_cache(maxsize=4)
def own_rules(own: tuple[str, ...]) -> dict[str, RuleSet]:
    """Give the rule sets among what is kept of one's own, by name, from their JSON."""
    return {r.name: r for text in own for r in read_own(text, "own rules") if isinstance(r, RuleSet)}


@lru_cache(maxsize=1)
def demo_records() -> dict[str, dict[str, Any]]:
    """Give what happened to the demo designs, orders and etchings, by file name."""
    folder = _ROOT / "records"
    names = sorted(p.name for p in folder.iterdir() if p.name.endswith(".json"))
    return {n.removesuffix(".json"): json.loads((folder / n).read_text(encoding="utf-8")) for n in names}


@lru_cache(maxsize=1)
def demo_designs() -> dict[str, Design]:
    """Give the demo designs by file name, in the order of the shelf."""
    folder = _ROOT / "designs"
    names = sorted(p.name for p in folder.iterdir() if p.name.endswith(".json"))
    return {n.removesuffix(".json"): from_json((folder / n).read_text(encoding="utf-8"), n) for n in names}
