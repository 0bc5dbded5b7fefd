"""Holds files for a board house against their standards, whoever wrote them: every breach by file, line and rule.

Nothing here is shared with the writers, and no image is made: whether the copper is right is found by reading back.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any, Final

from vane_step.core.errors import InputError
from vane_step.core.fab.archive import unpacked
from vane_step.core.fab.standard_words import GUID, STAMP, Breach, Grade
from vane_step.core.fab.strict_gerber import check_gerber
from vane_step.core.fab.strict_xnc import check_xnc

MOST_LINES: Final = 40
# From so many files on they are taken for all of a board's.
WHOLE: Final = 4


def check_archive(files: Mapping[str, bytes]) -> tuple[list[str], list[Breach]]:
    """Check what a user gives: files, or a zip of them. Gives what was checked, and the breaches.

    Raises
    ------
    InputError
        When there is no Gerber or drill file among them.
    """
    texts = {name: data.decode("utf-8", "replace") for name, data in unpacked(files).items()}
    wanted = [n for n, t in texts.items() if n.endswith(".gbrjob") or _kind(n, t) is not None]
    if not wanted:
        raise InputError(
            "There is no Gerber or drill file among them.",
            where=", ".join(files)[:80],
            allowed="Gerber and XNC files, a job file, or a zip of them",
        )
    # Folders within an archive do not belong to the names of its files.
    plain = {n.rpartition("/")[2]: texts[n] for n in wanted}
    return list(plain), check_files(plain)


def check_files(files: Mapping[str, str]) -> list[Breach]:
    """Check all files of a release: each by itself, and whether they belong together.

    Parameters
    ----------
    files
        Texts by name; what is neither Gerber, drill nor job file is passed over.

    Returns
    -------
    list of Breach
        In the order of the files, at most :data:`MOST_LINES` of each.
    """
    found: list[Breach] = []
    told: dict[str, dict[str, str]] = {}
    for name, text in files.items():
        read = _kind(name, text)
        if read is not None:
            own, told[name] = read(name, text)
            found += own[:MOST_LINES]
    found += _together(told)
    for name, text in files.items():
        if name.endswith(".gbrjob"):
            found += list(_job(name, text, told))[:MOST_LINES]
    return found


def _kind(name: str, text: str) -> Callable[[str, str], tuple[list[Breach], dict[str, str]]] | None:
    head = text[:4000]
    if re.search(r"%FS|%MO(MM|IN)|^G04", head, re.M):
        return check_gerber
    if re.match(r"\s*M48", head):
        return check_xnc
    return None


def _together(told: Mapping[str, Mapping[str, str]]) -> Iterator[Breach]:
    """Hold the files against each other: layers numbered without a gap, one profile, one project, one system."""
    functions = {n: t.get("FileFunction", "").split(",") for n, t in told.items()}
    copper = {n: f for n, f in functions.items() if f[0] == "Copper" and len(f) > 2}
    numbers = sorted(int(f[1][1:]) for f in copper.values() if f[1][1:].isdigit())
    # Of some files out of a set nothing is missing.
    if copper and len(told) >= WHOLE:
        if numbers != list(range(1, len(numbers) + 1)):
            yield Breach(
                min(copper), 1, "error", f"Copper layers are numbered {numbers}", "5.6.3: 1 to their count"
            )
        for name, f in copper.items():
            wanted = {1: "Top", len(numbers): "Bot"}.get(int(f[1][1:]) if f[1][1:].isdigit() else 0, "Inr")
            if len(numbers) > 1 and f[2] != wanted:
                yield Breach(name, 1, "error", f"{f[1]} is said to be {f[2]}, not {wanted}", "5.6.3")
        for name, f in functions.items():
            if f[0] in ("Plated", "NonPlated") and f[1:3] and f[2].isdigit() and int(f[2]) > len(numbers):
                yield Breach(name, 1, "error", f"It bores to layer {f[2]} of {len(numbers)}", "5.6.3")
        if sum(f[0] == "Profile" for f in functions.values()) != 1:
            yield Breach(
                min(copper), 1, "error", "There is not exactly one profile", "6.5: it bounds the board"
            )
    for key in ("ProjectId", "SameCoordinates"):
        values = {t[key] for t in told.values() if key in t}
        if len(values) > 1:
            yield Breach(min(told), 1, "error", f"Files differ in their .{key}", "5.6.5, 5.6.8")


def _job(name: str, text: str, told: Mapping[str, Mapping[str, str]]) -> Iterator[Breach]:
    """Check a Gerber job file, and that it tells every file there is as that tells itself."""

    def told_of(message: str, grade: Grade = "error") -> Breach:
        return Breach(name, 1, grade, message, "Gerber job file specification")

    try:
        data: Any = json.loads(text)
    except ValueError:
        yield told_of("It is no JSON")
        return
    specs = data.get("GeneralSpecs", {}) if isinstance(data, dict) else {}
    if not isinstance(data, dict) or not isinstance(specs, dict):
        yield told_of("It has not the parts of a job file")
        return
    for part in ("Header", "GeneralSpecs", "FilesAttributes"):
        if part not in data:
            yield told_of(f"{part} is missing")
    if not re.fullmatch(STAMP, str(data.get("Header", {}).get("CreationDate", ""))):
        yield told_of("Its date is not ISO 8601 with a time zone")
    if not re.fullmatch(GUID, str(specs.get("ProjectId", {}).get("GUID", ""))):
        yield told_of("Its project has no RFC 4122 identity")
    size = specs.get("Size", {})
    if not all(isinstance(size.get(k), int | float) and size[k] > 0 for k in "XY"):
        yield told_of("The board's size is missing")
    for key in ("LayerNumber", "BoardThickness"):
        if not isinstance(specs.get(key), int | float) or specs[key] <= 0:
            yield told_of(f"{key} is missing")
    listed = {f.get("Path", ""): f for f in data.get("FilesAttributes", []) if isinstance(f, dict)}
    for path, entry in listed.items():
        if path not in told:
            yield told_of(f"{path} is listed and not there")
        elif entry.get("FileFunction") != told[path].get("FileFunction"):
            yield told_of(f"{path} is listed as {entry.get('FileFunction')}, it says another function")
    for path in told:
        if path not in listed:
            yield told_of(f"{path} is not listed")
    stack = data.get("MaterialStackup")
    if not stack:
        yield told_of("The stack of materials is missing", "warning")
        return
    layers = sum(1 for s in stack if s.get("Type") == "Copper")
    if layers != specs.get("LayerNumber"):
        yield told_of(f"The stack has {layers} copper layers of {specs.get('LayerNumber')}")
    thick = sum(s.get("Thickness", 0) for s in stack if s.get("Type") in ("Copper", "Dielectric"))
    if isinstance(specs.get("BoardThickness"), int | float) and abs(thick - specs["BoardThickness"]) > 0.05:
        yield told_of(
            f"The stack is {thick:.3f} mm thick, the board {specs['BoardThickness']:g} mm", "warning"
        )
