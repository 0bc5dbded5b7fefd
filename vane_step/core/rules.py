"""Every rule a design is held against: its code, what it finds, where, in what unit, and where its limit comes from.

A finding carries the code of its rule; how a rule is judged is in the room that makes its findings.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

from vane_step.core.making_rules import MAKE, READ_BACK
from vane_step.core.power.rulebook import POWER

Level = Literal["stop", "look", "note"]
Sense = Literal["at least", "at most", "either way", "is"]
Room = Literal["brief", "parts", "circuit", "power", "board", "legend", "make", "read back", "order"]
HOUSE, THUMB, CIRCUIT, CATALOGUE = "rules of the maker", "rule of thumb", "the circuit", "the catalogue"
BRIEF, SUPPLIER = "the brief", "the supplier's answer"
BREAD, LAND = "holes 2.54 mm apart, in groups of five", "the land patterns"


@dataclass(frozen=True)
class Rule:
    """What is held against what.

    Parameters
    ----------
    code
        Stable short name, which findings, reports and waivers carry.
    title
        What is found.
    levels
        Levels its findings have, the gravest first.
    sense, units
        Whether the reading is to be at least or at most the limit, or either by what it is, in which units; ``is``
        where there is no reading, or none that tells more.
    source
        Where the limit comes from; a finding names it in full.
    room
        Which part of the work the rule belongs to.
    """

    code: str
    title: str
    levels: tuple[Level, ...]
    sense: Sense
    units: tuple[str, ...]
    source: str
    room: Room

    def reading(self) -> str:
        """Say what its findings read, for a table of rules."""
        return "—" if self.sense == "is" else ", ".join([self.sense, *self.units])


LEVELS: Final[tuple[Level, ...]] = ("stop", "look", "note")


def _rows(room: Room, *rows: tuple[str, str, str, Sense, str, str]) -> list[Rule]:
    return [
        Rule(
            code,
            title,
            tuple(level for level in LEVELS if level in levels.split(", ")),
            sense,
            tuple(units.split(", ")) if units else (),
            source,
            room,
        )
        for code, title, levels, sense, units, source in rows
    ]


_ALL: Final = [
    *_rows(
        "brief",
        ("requirement", "a requirement is not met", "stop, look", "either way", "its own", "the requirement"),
        ("brief-size", "a side of the board is longer than the brief allows", "stop", "at most", "mm", BRIEF),
        ("brief-manufacturing", "the rules do not suit how the board is to be made", "look", "is", "", BRIEF),
        ("brief-skill", "parts want tools or skills the brief leaves out", "look", "at most", "parts", BRIEF),
        ("brief-underside", "parts lie where the brief wants none", "look", "at most", "parts", BRIEF),
        ("tile-joint", "boards side by side do not meet", "stop, look", "at most", "mm, pins", "next board"),
        ("breadboard", "pin rows do not plug in", "look, note", "either way", "mm, pins, holes, rows", BREAD),
        ("brief-height", "a part, or all together, is too tall for the case", "look", "at most", "mm", BRIEF),
        ("budget", "the parts of one board cost more than allowed", "look", "at most", "€", BRIEF),
    ),
    *_rows(
        "parts",
        (
            "unproved-pattern",
            "land patterns were not checked, or never soldered",
            "look, note",
            "at most",
            "patterns",
            LAND,
        ),
    ),
    *_rows(
        "order",
        ("no-number", "no part is chosen yet", "note", "is", "", "the list of parts"),
        ("no-offer", "nobody offers a part", "look", "at least", "pieces", SUPPLIER),
        ("short-stock", "less in stock than wanted", "look", "at least", "pieces", SUPPLIER),
        ("life", "a part is at its end, or not for new designs", "look, note", "is", "", SUPPLIER),
        ("one-source", "a part comes from one source only", "note", "at least", "sources", SUPPLIER),
        ("next-break", "more would cost less", "note", "at most", "€", SUPPLIER),
        ("order-late", "no house has the boards there in time", "look", "at most", "days", BRIEF),
        ("order-budget", "the cheapest board costs more than allowed", "look", "at most", "€", BRIEF),
    ),
    *_rows(
        "circuit",
        ("open-pin", "a pin is left open", "stop, look, note", "at least", "connections", CIRCUIT),
        (
            "bridged-part",
            "pins of a part that must be apart are on one net",
            "stop, look",
            "at least",
            "nets",
            CIRCUIT,
        ),
        ("lonely-net", "a net joins nothing", "look", "at least", "pins", CIRCUIT),
        ("outputs-fight", "outputs drive one net", "stop, look", "at most", "drivers", CIRCUIT),
        ("no-supply", "nothing feeds a supply net", "stop", "at least", "sources", CIRCUIT),
        ("ground-astray", "a ground pin is on another net", "stop", "at most", "pins", CIRCUIT),
        ("decoupling", "a supply pin has no bypass capacitor", "look", "at least", "capacitors", THUMB),
        ("backwards", "a polarised part is the wrong way round", "stop, look", "at least", "V", "polarity"),
        ("two-spellings", "two names look like one net", "look", "at most", "names", CIRCUIT),
        (
            "no-pull-up",
            "an open-drain net has no pull-up",
            "look",
            "at least",
            "pull-ups",
            "open-drain outputs",
        ),
        ("pull-ups", "a net has several pull-ups", "note", "at most", "pull-ups", THUMB),
        ("pull-up", "a pull-up is too strong or too weak", "look", "either way", "Ω", "3 mA; 1 µs at 100 pF"),
        (
            "crystal-load",
            "load capacitors do not suit the crystal",
            "look",
            "either way",
            "pF",
            "2 (CL - stray), 15 %",
        ),
        ("led-current", "an LED gets too much or too little current", "look", "either way", "mA", THUMB),
        ("led-bare", "an LED has no resistor", "stop", "at most", "V", CIRCUIT),
        ("reset-pull-up", "a reset pin is not held up", "look", "at least", "pull-ups", THUMB),
        (
            "voltage-domain",
            "an output drives an input beyond its supply",
            "stop",
            "either way",
            "V",
            CATALOGUE,
        ),
        (
            "rating",
            "a part gets more voltage or power than it bears",
            "stop, look",
            "either way",
            "V, W",
            CATALOGUE,
        ),
        ("supply-range", "a part's supply is outside its range", "stop, look", "either way", "V", CATALOGUE),
        ("flyback", "a coil has no diode, or a wrong one", "stop, look", "at least", "diodes", THUMB),
        (
            "start-up",
            "a load is on, or held by nothing, in reset or loader",
            "look",
            "either way",
            "pins, resistors",
            "pin states",
        ),
        ("shared-debug", "two controllers share a debug line", "look", "at most", "controllers", THUMB),
        (
            "programming",
            "nothing can program a controller",
            "note",
            "at least",
            "ways",
            "debug lines and loader",
        ),
        (
            "loader-port",
            "a serial line looks like the loader's",
            "look, note",
            "at least",
            "ways",
            "the loader",
        ),
        (
            "on-at-rest",
            "a load is fed while the relay is at rest",
            "look, note",
            "at most",
            "loads",
            "contact NC",
        ),
        (
            "connector",
            "a plug lacks ground, ways or current",
            "stop, look",
            "either way",
            "ways, A each, ground pins",
            CATALOGUE,
        ),
        ("unused-section", "inputs of an unused section float", "look", "at most", "floating inputs", THUMB),
        (
            "matrix-diode",
            "diodes of a key matrix face different ways",
            "look",
            "at most",
            "diodes",
            "one sense",
        ),
        ("output-grounded", "a supply output is on ground", "stop", "at most", "outputs", CIRCUIT),
        ("sources-tied", "two sources feed one another", "stop", "at most", "sources", CIRCUIT),
        ("diode-forward", "a diode shorts two rails", "stop", "at most", "V", CIRCUIT),
        ("over-current", "a part carries more than it bears", "stop", "at most", "A", CATALOGUE),
        ("zener", "a zener is straight across a higher rail", "stop", "at most", "V", CATALOGUE),
        ("coil-voltage", "a coil gets too much or too little voltage", "stop", "either way", "V", CATALOGUE),
        (
            "regulator-output",
            "a regulator gives another voltage than its rail has",
            "stop",
            "either way",
            "V",
            CATALOGUE,
        ),
        ("regulator-heat", "a regulator gets too hot", "stop", "at most", "°C", "125 °C, rule of thumb"),
        ("dropout", "a regulator gets too little voltage", "look", "at least", "V", CATALOGUE),
        (
            "no-current",
            "a current is not said of a net made for one",
            "look, note",
            "at least",
            "currents",
            THUMB,
        ),
        ("two-senders", "two senders are on one line", "stop", "at most", "senders", "what the pins do"),
        ("no-sender", "nobody sends on a line", "look", "at most", "receivers", "what the pins do"),
        ("address-twice", "two parts answer to one bus address", "stop", "at most", "parts", CATALOGUE),
        (
            "tied-off",
            "an enable or control pin is off for good",
            "look",
            "at most",
            "pins",
            "what the pins do",
        ),
        (
            "taps",
            "sense leads are exchanged or at the wrong end",
            "stop, look",
            "at most",
            "pins",
            "what the pins do",
        ),
        ("gate-drive", "a gate gets too little voltage", "stop, look", "at least", "V", CATALOGUE),
        ("gate-floats", "a gate floats", "stop, look", "at least", "pulls", THUMB),
        ("gate-off", "a gate is never off", "stop, look", "at most", "V", CATALOGUE),
        ("gate-over", "a gate gets more than it bears", "stop, look", "at most", "V", "20 V"),
        ("transistor-turned", "a transistor's ends are exchanged", "stop", "at most", "pins", CIRCUIT),
        ("base-bare", "a base has no resistor", "stop", "at most", "V", THUMB),
        (
            "output-capacitor",
            "a converter has no output capacitor",
            "stop, look",
            "at least",
            "capacitors",
            THUMB,
        ),
        ("bootstrap", "a converter has no bootstrap capacitor", "stop", "at least", "capacitors", THUMB),
        (
            "feedback",
            "the feedback parts set another voltage than the rail's",
            "stop",
            "either way",
            "V, resistors",
            "6 %",
        ),
        ("divider", "a divider gives a pin more than it bears", "stop", "at most", "V", CATALOGUE),
        (
            "stale-value",
            "a value is not what its calculation gives",
            "look",
            "is",
            "values",
            "the calculation",
        ),
        ("overruled", "a value was typed over its calculation", "note", "is", "values", "the calculation"),
        (
            "broken-reason",
            "a calculation lost what it reads",
            "look",
            "is",
            "calculations",
            "the calculation",
        ),
        ("old-voltage", "a text names a voltage no rail has", "look, note", "is", "V", CIRCUIT),
        ("either-or", "of a choice not one part is fitted", "look", "either way", "fitted", "the variant"),
    ),
    *_rows("power", *POWER),
    *_rows(
        "board",
        ("clearance", "copper of two nets is too near", "stop", "at least", "mm", HOUSE),
        ("short", "copper of two nets touches", "stop", "at least", "mm", HOUSE),
        ("creepage", "nets are too near for their voltage", "stop, look", "at least", "mm", "IPC-2221B, 6-1"),
        ("copper-to-edge", "copper is too near to the edge", "stop", "at least", "mm", HOUSE),
        (
            "edge-hole",
            "a plated hole on the edge that is not made, or too small",
            "stop",
            "either way",
            "mm",
            HOUSE,
        ),
        ("off-edge", "a plated hole is cut, and not on the edge", "stop", "at most", "mm", THUMB),
        ("ring", "an annular ring is too narrow", "stop", "at least", "mm", HOUSE),
        ("drill", "a hole is too small or too large to drill", "stop", "either way", "mm", HOUSE),
        ("drill-size", "there is no drill of that size", "look", "either way", "mm", "the drills there are"),
        ("hole-to-hole", "two holes are too close together", "stop", "at least", "mm", HOUSE),
        ("copper-to-hole", "copper is too near to a bare hole or a screw", "stop", "at least", "mm", HOUSE),
        ("hole-in-part", "a mounting hole goes through a part", "look", "at most", "mm", LAND),
        ("screw-on-part", "the head of a screw meets a part", "look", "at most", "mm", LAND),
        ("screw-in-zone", "a screw lies in an antenna's zone", "look", "at most", "mm", LAND),
        (
            "hole-over-edge",
            "a bare hole lies across the edge, or outside",
            "stop",
            "at least",
            "mm",
            "the outline",
        ),
        ("thin-wall", "the wall between a hole and the edge is too thin", "look", "at least", "mm", HOUSE),
        ("thin-bridge", "the board hangs together by a narrow bridge", "look", "at least", "mm", THUMB),
        ("slot", "a cut-out or a slot is too narrow to be milled", "stop", "at least", "mm", HOUSE),
        ("parted", "cut-outs part the board", "stop", "at most", "mm²", "the outline"),
        ("courtyard", "parts need more room", "stop", "at most", "mm", LAND),
        ("mouth-blocked", "a part stands before another's opening", "look", "at least", "mm", THUMB),
        ("outside", "a part reaches over the edge", "stop, look", "at most", "% of its body", "the outline"),
        ("keep-out", "copper lies in a zone free of copper", "stop", "either way", "mm, mm²", LAND),
        ("hand-zone", "a part lies where hands go", "look", "at most", "mm²", "the zone"),
        ("low-zone", "a part is taller than its zone allows", "look", "at most", "mm", "the zone"),
        ("quiet-zone", "a foreign track crosses a quiet zone", "look", "at most", "mm", "the zone"),
        ("quiet-return", "a foreign current runs back through a quiet zone", "look", "at most", "%", THUMB),
        ("width", "a track is thinner than the maker can hold", "stop", "at least", "mm", HOUSE),
        ("net-width", "a track is thinner than its net's rule", "stop", "at least", "mm", "rule of the net"),
        ("net-layer", "a net runs on a layer it is kept off", "stop", "at most", "mm", "rule of the net"),
        ("track-current", "a track or neck runs too hot", "stop, look", "at most", "K", "IPC-2221 chart fit"),
        ("via-current", "vias carry less than may pass", "look", "at least", "A", "IPC-2221 on barrels"),
        ("thin-joint", "copper hangs together by too little", "stop", "at least", "mm", HOUSE),
        ("sliver", "a pour is thinner than the maker can hold", "stop", "at least", "mm", HOUSE),
        ("few-spokes", "a pad hangs on one spoke of a pour", "look", "at least", "ways in", THUMB),
        ("thin-pad", "a pad is narrower than copper that can be held", "look", "at least", "mm", HOUSE),
        ("acute-corner", "a track turns back sharply", "look", "at least", "°", THUMB),
        ("loose-end", "a track ends in nothing", "look", "at least", "joined", THUMB),
        ("loose-via", "a via joins fewer than two layers", "look", "at least", "layers", THUMB),
        ("via-in-pad", "a via's hole lies in a surface pad", "look", "at least", "mm", THUMB),
        (
            "no-fiducials",
            "a side with fine parts has no marks for machines",
            "note",
            "at least",
            "marks",
            THUMB,
        ),
        ("thermal-vias", "no via carries heat off a thermal pad", "note", "at least", "vias", THUMB),
        ("filled-vias", "vias in pads must be filled", "note", "at most", "vias", HOUSE),
        ("aspect-ratio", "a hole is deep for its width", "look", "at most", "", THUMB),
        ("mask-bridge", "solder mask between pads is too narrow", "look", "at least", "mm", THUMB),
        ("paste-opening", "paste hardly leaves the stencil", "look", "at least", "area ratio", "IPC-7525"),
        ("unrouted", "a connection is not routed", "stop", "at most", "mm", CIRCUIT),
        ("no-copper", "a connected pin has no copper", "stop", "at most", "pins", CIRCUIT),
        ("not-placed", "a part has no place", "stop", "at most", "parts", CIRCUIT),
        (
            "crystal-distance",
            "a crystal or its capacitor is far from its pin",
            "look",
            "at most",
            "mm",
            THUMB,
        ),
        ("switching-loop", "a loop of switched current is wide", "look", "at most", "mm²", THUMB),
        ("decoupling-distance", "a bypass capacitor is far from its pin", "look", "at most", "mm", THUMB),
        ("jumper", "the maker's rules know no wire jumpers", "stop", "at most", "mm", HOUSE),
        ("jumper-length", "a wire jumper has an unusual length", "stop", "at least", "mm", HOUSE),
        ("jumper-blocked", "a wire jumper runs under a part", "look", "at most", "mm", LAND),
    ),
    *_rows(
        "legend",
        ("legend-on-pad", "a print is too near to a pad", "look", "at least", "mm", HOUSE),
        ("legend-height", "a text is too small to print", "look", "at least", "mm", HOUSE),
        ("stale-label", "a label says what is no longer so", "look", "at most", "labels", "the circuit"),
        ("unprinted", "a reference has no room", "note", "at most", "references", "the legend"),
    ),
    *_rows("make", *MAKE),
    *_rows("read back", *READ_BACK),
]
RULES: Final[dict[str, Rule]] = {rule.code: rule for rule in _ALL}


def rules_page() -> str:
    """Write all rules as tables of Markdown, one a room, for the docs."""
    lines = []
    for room in dict.fromkeys(r.room for r in _ALL):
        head = "| rule | finds that | level | reading | limit from |"
        lines += [f"### {room.capitalize()}", "", head, "|---|---|---|---|---|"]
        for rule in _ALL:
            if rule.room == room:
                levels = ", ".join(rule.levels)
                lines.append(
                    f"| `{rule.code}` | {rule.title} | {levels} | {rule.reading()} | {rule.source} |"
                )
        lines.append("")
    return "\n".join(lines)
