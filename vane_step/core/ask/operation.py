"""Verbs of the ask line for what feeds and loads the board and what it is doing: sources, loads, pins, modes,
states."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from typing import get_args

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import NONE, Proposal, need, no_more, pairs
from vane_step.core.circuit.pins import find_pin, find_pins
from vane_step.core.design import edits
from vane_step.core.design.edits import Edit, Together
from vane_step.core.design.model import Design, Drive, Load, Mode, PowerState, Source, pin_name
from vane_step.core.design.operation import Level
from vane_step.core.errors import InputError, NotFound
from vane_step.core.network.states import setting_of
from vane_step.core.power.cells import KINDS
from vane_step.core.quantity import format_value, parse_value

LEVELS: tuple[str, ...] = get_args(Level)
SOURCE_FORM = "source NAME PLUS MINUS 12.6V [10.8..14.4V] [0.15ohm] [2Ah] [3A] [lithium|alkaline|lead …]"
MODE_FORM = "mode NAME 5%"
STATE_FORM = "state NAME BATT=on USB=off JP1=closed S1=A mode=peak"
DRIVES_FORM = "drives REF.PIN high|low|open|input|pullup|pulldown|analogue|none [in MODE]"
LOAD_FORM = "load NAME PLUS MINUS 2A|10ohm|5W [in MODE] [for 1s]"
_RANGE = re.compile(r"^(?P<low>.+?)\.\.(?P<high>.+)$")
_UNITS = (("Ah", "Ah"), ("ohm", "Ω"), ("Ω", "Ω"), ("V", "V"), ("W", "W"), ("A", "A"), ("R", "Ω"), ("s", "s"))


def _point(design: Design, text: str) -> str:
    """Read a net or a pin, as it is written in the design."""
    if text in design.nets:
        return text
    if "." in text and (
        text.partition(".")[0] in design.parts or text.partition(".")[0].upper() in design.parts
    ):
        pin = find_pin(design, text)
        if design.net_of(pin) is None:
            raise InputError(
                f"{text} is on no net.",
                where=text,
                value=text,
                allowed="a pin that is joined",
                next_step=f"Type: join {text} GND",
            )
        return pin
    like = difflib.get_close_matches(text, design.nets, n=2, cutoff=0.5)
    raise NotFound(
        f"There is no net or pin {text}.",
        where=text,
        allowed=", ".join([*like, *list(design.nets)[:12]]),
        next_step=f"Did you mean {' or '.join(like)}?" if like else "Name a net, or a pin such as J1.1.",
    )


def _two(design: Design, words: Sequence[str]) -> tuple[str, str]:
    plus, minus = (_point(design, w) for w in words)
    nets = [p if p in design.nets else design.net_of(p) for p in (plus, minus)]
    if nets[0] == nets[1]:
        raise InputError(
            f"{words[0]} and {words[1]} are one net.", where=words[0], value=nets[0] or "", allowed="two nets"
        )
    return plus, minus


def _unit_of(word: str) -> str:
    text = word.rstrip(".")
    return next((unit for tail, unit in _UNITS if text.endswith(tail)), "")


def _joined(words: Sequence[str]) -> list[str]:
    """Put units that stand apart behind their numbers: ``12.6 V`` becomes one word."""
    found: list[str] = []
    for word in words:
        if (
            found
            and re.fullmatch(r"[\d.,]+", found[-1])
            and re.fullmatch(r"(m|k|M|u|µ)?(V|A|Ah|W|ohm|Ω|s)", word)
        ):
            found[-1] += word
        else:
            found.append(word)
    return found


def _gone(section: str, what: str, id: str, design: Design) -> Proposal:
    if id not in getattr(design, section):
        known = ", ".join(getattr(design, section)) or "none yet"
        raise NotFound(f"There is no {what} {id}.", where=id, allowed=known, next_step="Name one there is.")
    return Proposal(f"{what} {id} is taken out", edits.RemoveItem(id=id, section=section))


@verb(
    "source",
    f"{SOURCE_FORM} · source NAME none",
    "say what feeds the board from outside, with its range, inner resistance, charge and greatest current",
    ("source", "pin-or-net", "pin-or-net", ""),
)
def set_source(design: Design, words: Sequence[str]) -> Proposal:
    """Say a source: a battery, a plug pack, a port."""
    need(words, 2, SOURCE_FORM)
    if words[1] == NONE:
        no_more(words, 2, "source NAME none")
        return _gone("sources", "source", words[0], design)
    need(words, 4, SOURCE_FORM)
    plus, minus = _two(design, words[1:3])
    data: dict[str, object] = {"id": words[0], "plus": plus, "minus": minus}
    for word in _joined(words[3:]):
        if match := _RANGE.match(word):
            unit = _unit_of(word)
            if unit not in ("V", ""):
                raise InputError(
                    f"{word!r} is no range of voltages.", where=words[0], value=word, allowed="10.8..14.4V"
                )
            data["low_v"] = parse_value(match["low"].removesuffix("V"), "low", "V")
            data["high_v"] = parse_value(match["high"], "high", "V")
            continue
        if word in KINDS:
            data["cells"] = word
            continue
        key = {"V": "volts", "Ω": "ohm", "Ah": "ah", "A": "most_a"}.get(_unit_of(word))
        if key is None or key in data:
            raise InputError(
                f"{word!r} says nothing of a source.",
                where=words[0],
                value=word,
                allowed=f"{SOURCE_FORM}; cells: {', '.join(KINDS)}",
            )
        data[key] = parse_value(word, words[0])
    if "volts" not in data:
        if "low_v" not in data:
            raise InputError(f"The voltage of {words[0]} is missing.", where=words[0], allowed=SOURCE_FORM)
        data["volts"] = (float(str(data["low_v"])) + float(str(data["high_v"]))) / 2
    source = Source.model_validate(data)
    says = f"source {source.id}: {format_value(source.volts, 'V')} from {plus} to {minus}"
    if source.low_v is not None:
        says += f", {format_value(source.lowest_v, 'V')} to {format_value(source.highest_v, 'V')}"
    if source.ohm:
        says += f", behind {format_value(source.ohm, 'Ω')}"
    if source.cells:
        says += f", {source.cells} cells"
    return Proposal(says, edits.SetItem(source=source))


@verb(
    "load",
    f"{LOAD_FORM} · load NAME none",
    (
        "say what draws from the board, by current, resistance or "
        "power; at a part's supply pin it stands for its own current"
    ),
    ("load", "pin-or-net", "pin-or-net", ""),
)
def set_load(design: Design, words: Sequence[str]) -> Proposal:
    """Say a load outside, or what a supply pin draws."""
    need(words, 2, LOAD_FORM)
    if words[1] == NONE:
        no_more(words, 2, "load NAME none")
        return _gone("loads", "load", words[0], design)
    need(words, 4, LOAD_FORM)
    plus, minus = _two(design, words[1:3])
    data: dict[str, object] = {"id": words[0], "plus": plus, "minus": minus}
    rest = _joined(words[3:])
    while rest:
        word = rest.pop(0)
        if word in ("in", "for") and rest:
            value = rest.pop(0)
            data["mode" if word == "in" else "seconds"] = (
                value if word == "in" else parse_value(value, "for", "s")
            )
            continue
        key = {"A": "amps", "Ω": "ohm", "W": "watts"}.get(_unit_of(word))
        if key is None:
            raise InputError(
                f"{word!r} says nothing of a load.", where=words[0], value=word, allowed=LOAD_FORM
            )
        data[key] = parse_value(word, words[0])
    if not data.keys() & {"amps", "ohm", "watts"}:
        raise InputError(f"What {words[0]} draws is missing.", where=words[0], allowed=LOAD_FORM)
    load = Load.model_validate(data)
    told = next(
        format_value(v, u) for v, u in ((load.amps, "A"), (load.ohm, "Ω"), (load.watts, "W")) if v is not None
    )
    says = f"load {load.id}: {told} from {plus} to {minus}" + (f" in {load.mode}" if load.mode else "")
    return Proposal(says, edits.SetItem(load=load))


def _driving(design: Design, net: str) -> list[str]:
    """Give the one pin on a net that can drive it."""
    able = [
        pin_name(part.ref, p.number)
        for part, p in design.pins_on(net)
        if p.role in ("output", "io", "open-drain")
    ]
    if len(able) != 1:
        raise InputError(
            f"{len(able) or 'No'} pins can drive {net}.",
            where=net,
            value=net,
            allowed=", ".join(able) or "a pin that is output, io or open-drain",
            next_step="Name the pin, such as U1.PA3.",
        )
    return able


@verb(
    "drives",
    DRIVES_FORM,
    "say what a pin, or the one that drives a net, does, always or in one mode; reset and loader are modes too",
    ("pin-or-net", "drive-level", "", "mode"),
)
def set_drive(design: Design, words: Sequence[str]) -> Proposal:
    """Say what a pin does."""
    need(words, 2, DRIVES_FORM)
    no_more(words, 4, DRIVES_FORM)
    mode = ""
    if len(words) > 2:
        if words[2] != "in" or len(words) < 4:
            raise InputError(
                f"{words[2]!r} says nothing here.", where="drives", value=words[2], allowed=DRIVES_FORM
            )
        mode = words[3]
    pins = _driving(design, words[0]) if words[0] in design.nets else find_pins(design, words[0])
    level = {"analog": "analogue", "pull-up": "pullup", "pull-down": "pulldown"}.get(words[1], words[1])
    if level == NONE:
        ids = [f"{pin}@{mode}" if mode else pin for pin in pins]
        gone: list[Edit] = [edits.RemoveItem(id=i, section="drives") for i in ids if i in design.drives]
        if not gone:
            raise NotFound(
                f"Nothing was said of {words[0]}.",
                where=words[0],
                allowed=", ".join(design.drives) or "none yet",
            )
        return Proposal(f"{words[0]}: nothing is said any more", Together(edits=tuple(gone)))
    if level not in LEVELS:
        raise InputError(
            f"{words[1]!r} is no level of a pin.", where=words[0], value=words[1], allowed=", ".join(LEVELS)
        )
    said: list[Edit] = [
        edits.SetItem(
            drive=Drive.model_validate(
                {"id": f"{pin}@{mode}" if mode else pin, "pin": pin, "level": level, "mode": mode}
            )
        )
        for pin in pins
    ]
    says = f"{words[0]} is {level}" + (f" in {mode}" if mode else "")
    return Proposal(
        says, said[0] if len(said) == 1 else Together(edits=tuple(said)), about=(words[0].partition(".")[0],)
    )


@verb(
    "mode",
    f"{MODE_FORM} · mode NAME none",
    "name something the board does, and for which share of the time",
    ("mode", ""),
)
def set_mode(design: Design, words: Sequence[str]) -> Proposal:
    """Name a mode with its share of the time."""
    need(words, 1, MODE_FORM)
    no_more(words, 3, MODE_FORM)
    if len(words) > 1 and words[1] == NONE:
        return _gone("modes", "mode", words[0], design)
    share = parse_value("".join(words[1:]).removesuffix("%"), "share") if len(words) > 1 else 0.0
    mode = Mode.model_validate({"id": words[0], "share_pct": share})
    others = sum(m.share_pct for m in design.modes.values() if m.id != mode.id)
    if others + mode.share_pct > 100.0001:
        raise InputError(
            f"With {mode.share_pct:g} % the modes make {others + mode.share_pct:g} %.",
            where=mode.id,
            value=mode.share_pct,
            allowed=f"up to {100 - others:g} %",
            next_step="Give another mode less first.",
        )
    return Proposal(f"mode {mode.id}, {mode.share_pct:g} % of the time", edits.SetItem(mode=mode))


@verb(
    "state",
    f"{STATE_FORM} … · state NAME none",
    "name a state that counts: sources on or off, switches and jumpers, the mode, the variant",
    ("state", "setting"),
)
def set_state(design: Design, words: Sequence[str]) -> Proposal:
    """Name a state."""
    need(words, 2, STATE_FORM)
    if words[1] == NONE:
        no_more(words, 2, "state NAME none")
        return _gone("states", "state", words[0], design)
    state = PowerState(id=words[0], settings=pairs(words[1:], STATE_FORM))
    setting = setting_of(design, state)
    return Proposal(f"state {state.id}: {setting.told()}", edits.SetItem(state=state))
