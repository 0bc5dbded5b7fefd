"""Verbs of the ask line for who makes the board: a maker's rules, rules of one's own, the method it is etched by."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, Resources, need, number
from vane_step.core.design import edits
from vane_step.core.design.model import Brief, Design
from vane_step.core.design.rulefigures import FIGURES, shown, with_figures
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.etch.methods import METHODS, method_of, rules_for


@verb("rules", "rules NAME [LAYERS]", "choose a maker", ("rules",))
def choose_rules(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Choose a maker's rules by name."""
    sets = resources.rules
    need(words, 1, "rules NAME [LAYERS]")
    if words[0] not in sets:
        raise NotFound(f"There are no rules called {words[0]}.", where="rules", allowed=", ".join(sets))
    layers = round(number(words[1], "layers")) if len(words) > 1 else design.board.copper_layers
    edit = edits.edit_from({"kind": "set-rules", "rules": sets[words[0]], "copper_layers": layers})
    return Proposal(
        f"the board is made by {sets[words[0]].title}, {layers} layer{'' if layers == 1 else 's'}", edit
    )


@verb(
    "rule",
    'rule FIGURE VALUE [FIGURE VALUE …] [name "…"]',
    "change a figure of the maker's rules",
    ("figure",),
)
def change_rules(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Change figures of the rules the board is made by; rules that others go by as well are copied first."""
    form = 'rule FIGURE VALUE [FIGURE VALUE …] [name "…"]'
    need(words, 2, form)
    if len(words) % 2:
        raise InputError(f"{words[-1]} has no value.", where="rule", value=words[-1], allowed=form)
    said = dict(zip(words[::2], words[1::2], strict=True))
    name, rules = said.pop("name", ""), design.board.rules
    shipped = resources.rules.keys() - resources.own_rules
    if rules.name in shipped and not name:
        name = f"Own rules after {rules.title or rules.name}"
    after = with_figures(rules, said, name)
    if after.name in shipped:
        raise InputError(
            f"{after.name} are the rules of a house.",
            where="name",
            value=name,
            next_step="Choose another name.",
        )
    changed = [
        f"{f.title} {shown(rules, f)} → {shown(after, f)}"
        for f in FIGURES.values()
        if shown(rules, f) != shown(after, f)
    ]
    if not changed and after == rules:
        raise EditRefused("The rules are so already.", where="rule", value=" ".join(words))
    says = f"{after.title or after.name}: {'; '.join(changed) or 'named so'}"
    layers = design.board.copper_layers
    edit = edits.edit_from({"kind": "set-rules", "rules": after, "copper_layers": layers})
    return Proposal(says, edit)


@verb("method", "method NAME", "choose how it is etched; the kitchen table's rules follow", ("method",))
def choose_method(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Keep the method a board is made by at home, and let the rules of an etched board have its figures."""
    need(words, 1, f"method {'|'.join(METHODS)}")
    method = method_of(words[0].lower())
    brief = Brief.model_validate({**design.brief.model_dump(), "method": method.name})
    board = design.board
    says = f"made at home by: {method.title.lower()}"
    if not board.rules.etched:
        if design.brief.method == method.name:
            raise EditRefused(
                f"It is made by {method.title.lower()} already.", where="method", value=method.name
            )
        return Proposal(f"{says}; the rules stay those of {board.rules.title}", edits.SetBrief(brief=brief))
    rules = rules_for(method, resources.rules.get("kitchen-table", board.rules))
    rules = rules.model_copy(update={"drills_nm": board.rules.drills_nm, "copper_um": board.rules.copper_um})
    if rules == board.rules and brief == design.brief:
        raise EditRefused(f"It is made by {method.title.lower()} already.", where="method", value=method.name)
    width, gap = method.track_mm[1], method.gap_mm[1]
    says += f"; tracks from {width:g} mm, gaps from {gap:g} mm, routed with {method.usual_mm[0]:g} mm"
    both = {
        "kind": "together",
        "edits": [
            {"kind": "set-brief", "brief": brief},
            {"kind": "set-rules", "rules": rules, "copper_layers": board.copper_layers},
        ],
    }
    return Proposal(says, edits.edit_from(both))
