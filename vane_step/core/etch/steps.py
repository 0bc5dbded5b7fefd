"""What is done step by step, from bare laminate to tinned board, for each method, with cautions where they apply."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

from vane_step.core.design.model import Design
from vane_step.core.etch.cautions import BATH, DRILLING, HEAT
from vane_step.core.etch.methods import BY_HAND, EtchMethod


@dataclass(frozen=True)
class WorkStep:
    """One step of the work: a stable key it is ticked off by, what is done, and what may hurt."""

    key: str
    title: str
    text: str
    cautions: tuple[str, ...] = ()


_CAUTIONS: Final[dict[str, tuple[str, ...]]] = {
    "heat": HEAT,
    "bath": BATH,
    "drilling": DRILLING,
    "dust": DRILLING[:1],
    "lamp": ("Do not look into an ultraviolet lamp.",),
    "caustic": ("Developer is caustic: goggles and gloves.",),
    "rinse": ("The first rinse holds copper too: to the used bath, not into the drain.",),
    "iron": ("Hot iron and fumes: stand, fresh air.",),
}
# Groups of steps: "[group]", then "key: title (cautions)" with its text below.
_TABLE: Final = """
[begin]
print: Print and measure
  Print at 100 %. Measure both rulers. Read the word on the sheet: the caption says how it must look.
cut: Cut the laminate (dust)
  A few millimetres larger than the board, or the blank the sheet shows; deburr it.
clean: Clean the copper
  Abrasive and detergent, rinse, then solvent. From here no fingers on the copper: water must run off as one film.
[register]
register: Bring front and back together
  Put both sheets against the light until the named holes and all marks meet; tape two edges to a pocket, or drill the
  pin holes.
[toner]
iron: Iron the toner on (heat)
  Printed side on the copper, on wood. Iron without steam at its hottest, firmly, the edges too, 3 to 5 minutes.
soak: Soak the paper off
  Warm water until the paper comes off by itself; rub what is left in the gaps off with a thumb.
[release]
laminate: Run it through the laminator (heat)
  Film on the copper, printed side down, held by a strip of tape; five to ten times through, turned each time.
peel: Cool it and peel the film
  Let it become cold, then pull the film off flat, backwards.
[film]
expose: Expose (lamp)
  In dim yellow light peel the cover, put the film on as the sheet says, press it flat under glass, expose; a test strip
  tells how long.
develop: Develop (caustic)
  Positive resist: what the light reached dissolves. Move it, rinse when the picture stands clear.
[dry-film]
film-on: Put the resist film on (heat)
  In dim yellow light: inner cover off, film on the wet copper without bubbles, once or twice through a warm
  laminator.
expose: Expose (lamp)
  Put the inverted film on as the sheet says, press it flat under glass, expose, wait ten minutes; a test strip tells
  how long.
develop: Develop (caustic)
  Outer cover off. Negative resist: what the light did not reach dissolves. Move it, rinse when bare copper is bright.
[pen]
punch: Mark the hole centres
  Put the sheet on the copper and prick each centre through it with a needle or punch.
draw: Draw
  Pads first, round each mark, then tracks, with a resist pen; let it dry and go over it once more.
[tape]
punch: Mark the hole centres
  Put the sheet on the copper and prick each centre through it with a needle or punch.
lay: Lay rings and tape
  Rings over each mark, then tape from ring to ring; overlap by a millimetre and press it on with a spoon.
[rub]
rub: Rub the rims through
  Soft pencil over the rims, the sheet face down on the copper, rub its back with a spoon.
draw: Fill them with a pen
  Pads first, then tracks, with a resist pen; let it dry and go over it once more.
[mill]
mill: Mill the copper (drilling)
  Laminate flat on the table, an old board first. Copper, holes, edge, in the order of the programs.
wash: Brush and wash (dust)
  Brush the burrs off across the tracks, wash, dry.
[etch]
retouch: Look for gaps and mend them with a pen
  Before the bath a pen mends what is missing and a blade takes away what is too much. The thinnest tracks first.
etch: Etch (bath)
  Copper up, moved all the time. Start the timer. Take it out when the widest bare areas are clear.
rinse: Rinse and strip (rinse)
  Much water first.
[look]
inspect: Look at all copper against the light
  Gaps are mended with solder or a wire jumper now, bridges with a blade. Write down where.
[drill]
drill: Drill (drilling)
  By the drill plan; the dot in each pad leads the bit.
[test]
probe: Test every net
  Meter on continuity: each net holds together and touches none of its neighbours.
[through]
through: Solder the vias through (iron)
  A wire soldered on both sides in each via, cut flush.
[end]
tin: Tin or varnish it (iron)
  A thin coat of solder, chemical tin or rosin varnish, so that it stays bright.
"""
_STRIP: Final[dict[str, str]] = {
    "toner": "Acetone or steel wool takes the toner off.",
    "release": "Acetone or steel wool takes the toner off.",
    "film": "Acetone, or light and developer once more, takes the resist off.",
    "dry-film": "Caustic or acetone takes the resist off.",
    "pen": "Alcohol takes the ink off.",
    "tape": "Peel the tape, alcohol for what it leaves.",
    "rub": "Alcohol takes the ink off.",
}


def _groups() -> dict[str, tuple[WorkStep, ...]]:
    found: dict[str, list[WorkStep]] = {}
    for group, body in re.findall(r"^\[([\w-]+)\]\n((?:(?!\[).*\n)*)", _TABLE, re.M):
        for key, title, caution, text in re.findall(
            r"^([\w-]+): ([^(\n]+?)(?: \((\w+)\))?\n((?:  .*\n)+)", body, re.M
        ):
            step = WorkStep(key, title, " ".join(text.split()), _CAUTIONS[caution] if caution else ())
            found.setdefault(group, []).append(step)
    return {group: tuple(steps) for group, steps in found.items()}


_GROUPS: Final = _groups()


def work_steps(method: EtchMethod, design: Design) -> tuple[WorkStep, ...]:
    """List the steps of a method for a design, in their order."""
    kind = method.name.removesuffix("-away")
    two = design.board.copper_layers > 1
    if kind == "mill":
        groups = ["mill", "look", "test"]
    else:
        # By hand nothing is laid on both sides at once: each is drawn by its own marks.
        register = ["register"] if two and method.name not in BY_HAND else []
        groups = ["begin", *register, kind, "etch", "look", "drill", "test"]
    groups += ["through"] if two else []
    steps = [step for group in (*groups, "end") for step in _GROUPS[group]]
    return tuple(
        WorkStep(s.key, s.title, f"{s.text} {_STRIP[kind]}", s.cautions) if s.key == "rinse" else s
        for s in steps
    )
