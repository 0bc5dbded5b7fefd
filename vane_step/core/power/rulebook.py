"""The rules of power as rows of the list of rules: code, finding, levels, sense, units, source; they are judged in
``operation``."""

from __future__ import annotations

from typing import Final, Literal

STATES: Final = "what flows in its worst state"
Row = tuple[str, str, str, Literal["at least", "at most", "either way", "is"], str, str]
POWER: Final[tuple[Row, ...]] = (
    ("source-unknown", "nothing says what feeds a connector", "note", "is", "", "sources that were said"),
    ("ends-gone", "a source or load hangs on a net or pin that is gone", "look", "is", "", "the circuit"),
    ("state-wrong", "a named state sets what is not there", "look", "is", "", "the circuit"),
    ("unsettled", "a state comes to no rest", "look", "is", "", "sums of currents at its nodes"),
    (
        "back-feed",
        "current flows into a source or an output that feeds",
        "stop, look",
        "at most",
        "A",
        STATES,
    ),
    ("output-fight", "two outputs drive one net against each other", "stop, look", "at most", "A", STATES),
    ("rail-low", "a part has less supply than it needs", "stop, look", "at least", "V", "the catalogue"),
    ("rail-high", "a part has more supply than it bears", "stop", "at most", "V", "the catalogue"),
    (
        "rail-claim",
        "a rail is not at what it is said or called",
        "look",
        "either way",
        "V",
        "its name or what was said",
    ),
    (
        "headroom",
        "a regulator has too little over its output",
        "stop, look",
        "at least",
        "V",
        "the catalogue",
    ),
    (
        "stage-input",
        "a regulator has more at its input than it bears",
        "stop",
        "at most",
        "V",
        "the catalogue",
    ),
    ("stage-current", "a regulator gives more than it is rated for", "stop", "at most", "A", "the catalogue"),
    ("duty", "a converter is at the end of its duty", "look", "at most", "%", "rule of thumb"),
    (
        "saturation",
        "the peak of a coil's current saturates it",
        "stop, look",
        "at most",
        "A",
        "the catalogue",
    ),
    ("never-on", "a regulator is off in every state", "look", "at least", "V", STATES),
    ("source-current", "a source gives all it can", "stop, look", "at most", "A", "what was said of it"),
    ("load-starved", "a load gets less than it asks for", "stop", "at least", "A, W", "what was said of it"),
    (
        "part-current",
        "a part carries more than it is rated for",
        "stop, look",
        "at most",
        "A",
        "the catalogue",
    ),
    (
        "part-power",
        "a part turns more into heat than it bears",
        "stop, look",
        "at most",
        "W",
        "the catalogue",
    ),
    ("part-hot", "a part's junction gets too hot", "stop, look", "at most", "°C", "usual limit"),
    (
        "part-warmed",
        "a part's junction gets too hot by what is beside it",
        "stop, look",
        "at most",
        "°C",
        "usual limit",
    ),
    ("board-hot", "the board gets too warm", "look", "at most", "°C", "FR-4 for long (rule of thumb)"),
    (
        "on-in-reset",
        "a load that is switched runs before firmware does",
        "stop, look",
        "at most",
        "W",
        STATES,
    ),
    ("copper-hot", "a track gets hot by what really flows in it", "stop, look", "at most", "K", "IPC-2221"),
    (
        "gate-open",
        "nothing holds a gate in a state",
        "stop, look",
        "at least",
        "S",
        "a gate keeps any charge",
    ),
    ("pin-range", "a pin is driven beyond its part's supply", "stop, look", "at most", "A", "rule of thumb"),
)
