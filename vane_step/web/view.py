"""What the pages show, as plain data: boards to draw, step bar, findings; no rule of the job is decided here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import shapely

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.breadboard import pin_rows, pins_nm
from vane_step.core.board.geometry.lettering import copper_lines, in_copper, layer_of, line_mm
from vane_step.core.board.geometry.shapes import (
    CopperItem,
    bare_holes,
    copper_items,
    outline,
    view_box,
    zone_shape,
)
from vane_step.core.board.geometry.strokefont import text_width
from vane_step.core.board.silkscreen.legend import legend
from vane_step.core.brief.needs import evidence
from vane_step.core.derive import derived
from vane_step.core.design.model import SECTIONS, Brief, Design, LegendText, Part, natural
from vane_step.core.finding import Finding
from vane_step.core.judge import all_findings
from vane_step.core.rules import LEVELS
from vane_step.store.designs import Kept
from vane_step.web.language.catalogue import text

STEPS = (
    ("brief", "Brief"),
    ("parts", "Parts"),
    ("circuit", "Circuit"),
    ("power", "Power"),
    ("board", "Board"),
    ("make", "Make"),
)
MOST_CONNECTIONS = 8


@derived(*SECTIONS)
def findings_of(design: Design) -> tuple[Finding, ...]:
    """Give all findings of a design, kept by content."""
    return tuple(all_findings(design))


def step_of(finding: Finding) -> str:
    """Name the step a finding belongs to."""
    return "power" if finding.code == "track-current" else finding.place.step


def step_bar(design: Design, current: str, found: Sequence[Finding]) -> list[dict[str, str]]:
    """Give the links with their states: asks for you, under way, shown, untouched."""
    stops = {step: sum(1 for f in found if step_of(f) == step and f.level == "stop") for step, _ in STEPS}
    looks = {step: sum(1 for f in found if step_of(f) == step and f.level == "look") for step, _ in STEPS}
    begun = {
        "brief": bool(design.requirements) or design.brief != Brief(),
        "parts": any(p.catalogue for p in design.parts.values()),
        "circuit": bool(design.nets),
        "power": any(n.rule and n.rule.current for n in design.nets.values()),
        "board": any(p.place for p in design.parts.values()),
        "make": False,
    }
    waiting = sum(1 for e in evidence(design) if e.state == "waits")
    links = []
    for step, title in STEPS:
        if stops[step]:
            state, mark, says = "asks", "▲", f"{stops[step]} {text('stop')}"
        elif looks[step]:
            state, mark, says = "asks", "▲", f"{looks[step]} {text('to look at')}"
        elif step == "make" and begun["board"] and not stops["board"] and not stops["circuit"]:
            state, mark, says = "under-way", "◐", text("ready")
        elif step == "brief" and waiting:
            state, mark, says = "under-way", "◐", f"{waiting} {text('to show')}"
        elif begun[step]:
            state, mark, says = "shown", "✓", text("clean")
        else:
            state, mark, says = "untouched", "○", text("not begun")
        links.append(
            {
                "step": step,
                "title": title,
                "state": state,
                "mark": mark,
                "says": says,
                "current": "yes" if step == current else "",
            }
        )
    return links


def panel(step: str, found: Sequence[Finding]) -> dict[str, Any]:
    """Give the findings for their panel: this step's first; open connections are summed up beyond a handful."""
    mine = sorted((f for f in found if step_of(f) == step), key=lambda f: LEVELS.index(f.level))
    others = [f for f in found if step_of(f) != step]
    counts = {level: sum(1 for f in found if f.level == level) for level in LEVELS}
    links = [f for f in mine if f.code == "unrouted"]
    rest = [f for f in mine if f.code != "unrouted"]
    return {
        "counts": counts,
        "groups": [("here", [*rest, *links[:MOST_CONNECTIONS]]), ("other steps", others[:30])],
        "more_connections": max(0, len(links) - MOST_CONNECTIONS),
        "step": step,
    }


def bar(finding: Finding) -> dict[str, float] | None:
    """Scale a finding's bar: share filled and place of the limit, 0 to 100; the scale ends at twice the greater."""
    if finding.reading is None or finding.limit is None or finding.reading < 0:
        return None
    top = 1.25 * max(finding.reading, finding.limit)
    if top <= 0:
        return None
    return {"fill": round(100 * finding.reading / top, 1), "limit": round(100 * finding.limit / top, 1)}


def _shape(item: CopperItem) -> dict[str, Any]:
    kind = item.spine.geom_type
    if kind == "Polygon":
        return {"poly": [[round(x, 4), round(y, 4)] for x, y in item.spine.exterior.coords[:-1]]}
    return {
        "line": [[round(c[0], 4), round(c[1], 4)] for c in item.spine.coords],
        "r": round(item.radius_mm, 4),
    }


def _mm(value_nm: float) -> float:
    return value_nm / 1e6


def _points(points: Iterable[tuple[float, float]], digits: int) -> list[list[float]]:
    return [[round(x, digits), round(y, digits)] for x, y in points]


def _pad(item: CopperItem) -> dict[str, Any]:
    return {
        "pin": item.id,
        "net": item.net or "",
        "layers": list(item.layers),
        "drill": item.drill_mm,
        **({"slot": list(item.slot_mm)} if any(item.slot_mm) else {}),
        "x": round(item.x_mm, 4),
        "y": round(item.y_mm, 4),
        **_shape(item),
    }


def _part(design: Design, part: Part) -> dict[str, Any]:
    return {
        "ref": part.ref,
        "value": part.value,
        "package": part.package,
        "block": part.block,
        "place": part.place.model_dump() if part.place else None,
        "yard": [_mm(v) for v in design.packages[part.package].courtyard_nm],
    }


def _copper(design: Design) -> dict[str, Any]:
    """Give the copper that was laid: tracks, vias and jumpers."""
    tracks = [
        {
            "id": t.id,
            "net": t.net,
            "layer": t.layer,
            "width": _mm(t.width_nm),
            "points": [[_mm(x), _mm(y)] for x, y in t.points],
        }
        for t in design.tracks.values()
    ]
    vias = [
        {
            "id": v.id,
            "net": v.net,
            "x": _mm(v.x_nm),
            "y": _mm(v.y_nm),
            "pad": _mm(v.pad_nm),
            "drill": _mm(v.drill_nm),
        }
        for v in design.vias.values()
    ]
    jumpers = [
        {
            "id": j.id,
            "net": j.net,
            "a": [_mm(v) for v in j.a],
            "b": [_mm(v) for v in j.b],
            "pad": _mm(j.pad_nm),
            "drill": _mm(j.drill_nm),
            "wire": _mm(j.wire_nm),
        }
        for j in design.jumpers.values()
    ]
    return {"tracks": tracks, "vias": vias, "jumpers": jumpers}


def _rules(design: Design) -> dict[str, Any]:
    """Give what a hand-laid track is held against while it is drawn."""
    rules = design.board.rules
    nets = {name: design.rule_of(name) for name in design.nets}
    return {
        "rules": {
            name: {"width": _mm(r.width_nm), "clearance": _mm(r.clearance_nm)} for name, r in nets.items()
        },
        "least": {
            "clearance": _mm(rules.min_clearance_nm),
            "edge": _mm(rules.edge_clearance_nm),
            "width": _mm(rules.min_width_nm),
            "via_pad": _mm(rules.via_pad_nm),
            "via_drill": _mm(rules.via_drill_nm),
        },
        "roles": {n.name: n.role for n in design.nets.values()},
    }


def _grid_at(design: Design) -> list[float]:
    """Give where the grid begins: at the holes a board's pin rows plug into, where it is to plug in somewhere."""
    rows = [p for p in pin_rows(design) if p.place] if design.brief.breadboard else []
    if not rows or rows[0].place is None:
        return [0.0, 0.0]
    return [_mm(v) for v in pins_nm(design, rows[0], rows[0].place)[0].tolist()]


def board_view(kept: Kept) -> dict[str, Any]:
    """Give everything the board page draws, in millimetres, y up."""
    d = kept.design
    return {
        "version": kept.version,
        "box": list(view_box(d)),
        "grid_at": _grid_at(d),
        "layers": list(d.board.layers),
        "rims": [_points(ring.coords, 4) for ring in (outline(d).exterior, *outline(d).interiors)],
        "parts": [_part(d, p) for p in sorted(d.parts.values(), key=lambda p: natural(p.ref))],
        "pads": [_pad(i) for i in copper_items(d) if i.kind == "pad"],
        **_copper(d),
        "holes": [
            {
                "id": h.id,
                "x": h.x_mm,
                "y": h.y_mm,
                "drill": h.drill_mm,
                "own": h.id in d.holes,
                **({"slot": list(h.slot_mm)} if h.slotted else {}),
            }
            for h in bare_holes(d)
        ],
        "pours": [
            {
                "id": p.id,
                "net": p.net,
                "layer": p.layer,
                "plane": d.pours[p.id].plane,
                "rings": [_rings(q) for q in p.pieces],
            }
            for p in pour_pieces(d)
        ],
        "legend": [
            {"owner": k.owner, "side": k.side, "points": _points(k.points, 3), "width": k.width_mm}
            for k in legend(d)
        ],
        "zones": [
            {"id": z.id, "kind": z.kind, "points": _points(zone_shape(z).exterior.coords, 3)}
            for z in d.board.zones
        ],
        "texts": [_text(t) for t in d.texts.values()],
        "letters": [_letters(d, t) for t in in_copper(d).values()],
        "links": [
            {"net": k.net, "a": k.a, "b": k.b, "from": k.a_mm, "to": k.b_mm}
            for k in connectivity(d).open_links
        ],
        **_rules(d),
    }


def _letters(design: Design, text: LegendText) -> dict[str, Any]:
    """Give the lines of a text in copper."""
    width = line_mm(text, design.board.rules)
    lines = [_points(line, 3) for line in copper_lines(text, width)]
    return {"id": text.id, "layer": layer_of(text), "width": width, "lines": lines}


def _text(text: LegendText) -> dict[str, Any]:
    """Give the box a legend text fills, by which it is taken hold of."""
    wide, tall = text_width(text.text, _mm(text.height_nm)) + 0.6, _mm(text.height_nm) + 0.6
    if text.shape:
        xs = [x for ring in text.shape for x, _ in ring]
        wide = _mm(max(xs) - min(xs))
    return {
        "id": text.id,
        "text": text.text,
        "x": _mm(text.x_nm),
        "y": _mm(text.y_nm),
        "turn": text.turn_deg,
        "width": wide,
        "height": tall,
    }


def _rings(polygon: shapely.Polygon) -> list[list[list[float]]]:
    return [_points(ring.coords, 3) for ring in (polygon.exterior, *polygon.interiors)]
