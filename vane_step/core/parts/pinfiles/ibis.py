"""Reads the pins out of an IBIS file (ANSI/EIA-656): components, pins and model types; waveforms are passed over."""

from __future__ import annotations

import re

from vane_step.core.design.model import PinRole
from vane_step.core.errors import InputError
from vane_step.core.parts.pinfiles.table import MAX_PINS, PinTable, make_table, role_of_name

_KEYWORD = re.compile(r"\[([^\]\n]{1,60})\]\s*(.*)")
_RESERVED: dict[str, PinRole] = {"power": "supply-in", "gnd": "ground", "nc": "unconnected"}
_TYPES: dict[str, PinRole] = {
    "input": "input",
    "output": "output",
    "i/o": "io",
    "3-state": "io",
    "open_drain": "open-drain",
    "open_sink": "open-drain",
    "open_source": "output",
    "i/o_open_drain": "open-drain",
    "i/o_open_sink": "open-drain",
    "i/o_open_source": "io",
    "input_ecl": "input",
    "output_ecl": "output",
    "i/o_ecl": "io",
    "terminator": "passive",
    "series": "passive",
    "series_switch": "passive",
    "input_diff": "input",
    "output_diff": "output",
    "i/o_diff": "io",
    "3-state_diff": "io",
}


# The standard ends lines at 1024 characters; what is beyond is not read.
MAX_LINE = 4096


class _File:
    """What matters of a file: pins by component, model types, and what a selector chooses first."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.pins: dict[str, list[tuple[int, list[str]]]] = {}
        self.packages: dict[str, str] = {}
        self.types: dict[str, str] = {}
        self.selected: dict[str, str] = {}


def read_ibis(text: str, name: str, component: str = "") -> PinTable:
    """Read the pins of an IBIS file.

    Parameters
    ----------
    component : str
        Name of a component; may be left out when the file has one.

    Raises
    ------
    InputError
        Naming file and line; for a component the file does not have, those it has.
    """
    file = _scan(text, name)
    if not file.pins:
        raise InputError(
            "There is no component with pins in it.",
            where=name,
            next_step="Choose a file with a component, or paste the pins as a table.",
        )
    found = {k.lower(): k for k in file.pins}
    if (component and component.lower() not in found) or (not component and len(found) > 1):
        says = f"There is no component {component!r}." if component else "The file has several components."
        raise InputError(says, where=name, allowed=", ".join(file.pins), next_step="Name the one you want.")
    part = found[component.lower()] if component else next(iter(file.pins))
    rows = [_row(fields, line, file) for line, fields in file.pins[part]]
    return make_table(part, file.packages.get(part, ""), rows, f"{name} (IBIS)")


def _row(fields: list[str], line: int, file: _File) -> tuple[str, str, PinRole]:
    if len(fields) < 3:
        raise InputError(
            "A pin has number, signal and model.",
            where=f"{file.name}, line {line}",
            value=" ".join(fields),
            next_step="Mend the file there.",
        )
    number, signal, model = fields[:3]
    reserved = _RESERVED.get(model.lower())
    if reserved:
        return number, signal, reserved
    chosen = file.selected.get(model.lower(), model).lower()
    role = _TYPES.get(file.types.get(chosen, "").lower())
    return number, signal, role or role_of_name(signal) or "passive"


def _scan(text: str, name: str) -> _File:
    """Go through the file once, keyword by keyword; lines of keywords that do not matter are passed over."""
    file = _File(name)
    mark = "|"
    keyword = component = model = ""
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.split(mark, 1)[0][:MAX_LINE].rstrip()
        if not line.strip():
            continue
        match = _KEYWORD.match(line)
        if match:
            keyword = re.sub(r"[\s_]+", " ", match[1].strip().lower())
            rest = match[2].strip()
            if keyword == "comment char":
                if not re.match(r"\S_char", rest):
                    raise InputError(
                        "The comment character reads like '|_char'.",
                        where=f"{name}, line {number}",
                        next_step="Mend the file there.",
                    )
                mark = rest[0]
            elif keyword == "component":
                component = rest or f"component {len(file.pins) + 1}"
                file.packages.setdefault(component, "")
            elif keyword in ("model", "model selector"):
                model = rest.split()[0] if rest else ""
            elif keyword == "end":
                break
            continue
        fields = line.split()
        if keyword == "pin" and component:
            if fields[0].lower() != "signal_name":
                file.pins.setdefault(component, []).append((number, fields))
                if len(file.pins[component]) > MAX_PINS:
                    raise InputError(
                        "There are too many pins.", where=f"{name}, line {number}", allowed=f"{MAX_PINS}"
                    )
        elif keyword == "model" and fields[0].lower() == "model_type" and len(fields) > 1:
            file.types.setdefault(model.lower(), fields[1])
        elif keyword == "model selector" and model:
            file.selected.setdefault(model.lower(), fields[0])
        elif keyword == "package model" and component:
            file.packages[component] = fields[0]
    return file
