"""What the field's terms mean, in a sentence each, for who meets them first; which words are used where is not here."""

from __future__ import annotations

import re
from typing import Final

TERMS: Final[dict[str, str]] = {
    "annular ring": "The copper left round a hole in a pad or via. Too narrow a ring tears or is drilled away.",
    "aspect ratio": "How deep a hole is for its width. Deep narrow holes plate badly.",
    "back-feed": "A supply that is off gets current through another path, such as a signal pin or a diode.",
    "brown-out": "The supply sags so far that the controller stops or works wrongly, without being off.",
    "bulk capacitor": "A large capacitor on a supply that covers slow changes of current, one for a whole area.",
    "bypass capacitor": "A small capacitor right at a supply pin. It gives the short current pulses the pin takes; "
    "also called decoupling capacitor.",
    "bypass part": "A small capacitor right at a supply pin, which gives the short current pulses the pin takes.",
    "castellated": "Half holes on the edge of a module, by which it is soldered flat onto another board.",
    "clearance": "The least distance between copper of two nets.",
    "courtyard": "The area a part needs for itself on the board, with room to place and solder it.",
    "creepage": "The distance along the surface between nets of different voltage. More voltage needs more of it.",
    "crossings": "How often straight lines between the connected pins cross. Fewer are easier to route.",
    "decoupling": "Small capacitors right at the supply pins, which give the short current pulses the pins take.",
    "dropout": "By how much a regulator's input must lie above its output for it to work.",
    "duty": "The share of time in which something is switched on.",
    "fiducial": "A bare dot of copper by which a placement machine finds the board.",
    "flyback diode": "A diode across a coil. Without it the coil makes a voltage that kills the switch.",
    "inrush": "The current that flows for a moment when something is switched on.",
    "junction temperature": "How hot the silicon inside a part is; the limit of what it bears.",
    "keep-out": "An area that stays free of copper or parts.",
    "land pattern": "The pads a part is soldered to, also called its footprint.",
    "legend": "What is printed on the board, also called silkscreen.",
    "loop area": "The area a current runs round, there and back. The larger, the more it disturbs.",
    "neck": "A short narrow piece of a track or pour, where it has to fit between pads.",
    "net": "All pins that are connected with each other.",
    "open-drain": "An output that only pulls down. A resistor has to pull its net up.",
    "panel": "Several boards made in one piece and parted afterwards.",
    "paste": "Solder paste, printed through a stencil onto the pads of surface parts.",
    "plane": "A layer filled with one net and free of other tracks.",
    "pour": "An area filled with copper of one net, up to the clearances of others.",
    "pull-up": "A resistor that holds a net high while nothing drives it.",
    "quiescent current": "What a part takes for itself, without a load.",
    "rail": "A net that supplies parts, such as 3V3 or 12V.",
    "return path": "The copper the current flows back through, best right under its track.",
    "ripple": "How far a current or voltage goes up and down about its mean.",
    "saturation": "The current at which an inductor's core is full and it stops being an inductor.",
    "score lines": "Grooves along which boards of a panel are broken apart; also called V-score.",
    "sense leads": "The two thin connections that measure a voltage right at a resistor.",
    "solder mask": "The lacquer over the copper, open only where solder shall go.",
    "spoke": "One of the narrow bridges between a pad and the pour round it, so that it can be soldered.",
    "stack-up": "The order and thickness of a board's copper and insulation.",
    "stitching": "Vias that join the pours of one net on several layers.",
    "switching loop": "The way a converter's switched current runs, there and back. The larger, the more it disturbs.",
    "tab": "A bridge that holds a board in its panel until it is broken off.",
    "teardrop": "A track that widens where it meets a pad or via, so that drilling does not part them.",
    "test point": "A pad to put a probe on.",
    "thermal relief": "Narrow bridges between a pad and the pour round it, so that the iron can heat it.",
    "unrouted": "Connected in the circuit, and not yet by copper.",
    "variant": "One of several ways to fit the same board with parts.",
    "via": "A plated hole that joins a net's copper on several layers.",
    "wire jumper": "A piece of wire in place of a track, where a board of one layer has no way.",
}
# The longest first: “bypass capacitor” is not “pass”, and “test point” stays together.
_KNOWN: Final = re.compile(
    r"(?<![\w-])(" + "|".join(sorted(map(re.escape, TERMS), key=len, reverse=True)) + r")(e?s)?(?![\w-])",
    re.IGNORECASE,
)


def parted(text: str) -> list[tuple[str, str]]:
    """Part a sentence at the first use of every term it has.

    Returns
    -------
    list of (str, str)
        Pieces that together are the sentence, each with the term's meaning, or an empty string.

    >>> [bool(means) for _, means in parted("The annular ring of a via")]
    [False, True, False, True]
    """
    pieces: list[tuple[str, str]] = []
    seen: set[str] = set()
    end = 0
    for found in _KNOWN.finditer(text):
        term = found.group(1).lower()
        if term in seen:
            continue
        seen.add(term)
        if found.start() > end:
            pieces.append((text[end : found.start()], ""))
        pieces.append((found.group(0), TERMS[term]))
        end = found.end()
    if end < len(text):
        pieces.append((text[end:], ""))
    return pieces
