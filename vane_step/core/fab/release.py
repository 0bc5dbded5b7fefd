"""A release: the frozen set of files for a board house, offered when no stop forbids it and reading back agrees."""

from __future__ import annotations

import csv
import hashlib
import io
import re
import zipfile
from dataclasses import dataclass, replace

from vane_step.core.circuit.variants import BASE
from vane_step.core.derive import derived
from vane_step.core.design.model import Design
from vane_step.core.errors import ReleaseRefused, StopsOpen
from vane_step.core.fab import drill, gerber, netlist, tables
from vane_step.core.fab.readback import ReadBack, read_back
from vane_step.core.fab.reader import UnreadableFile
from vane_step.core.finding import Finding
from vane_step.core.judge import board_stops, stops, waived_findings

LAYER_TITLES = {"front": "copper-front", "in1": "copper-inner-1", "in2": "copper-inner-2", "back": "copper-back"}


@dataclass(frozen=True)
class Release:
    """Files by name, and what reading them back gave."""

    name: str
    files: dict[str, str]
    read: ReadBack
    stops: tuple[Finding, ...] = ()

    @property
    def offered(self) -> bool:
        """Whether the release may leave the program."""
        return self.read.agrees and not self.stops

    def digest(self) -> str:
        """Give a digest of all files, by which an order can name exactly this release."""
        mark = hashlib.blake2b(digest_size=8)
        for name, text in sorted(self.files.items()):
            mark.update(name.encode() + b"\0" + text.encode())
        return mark.hexdigest()

    def zipped(self) -> bytes:
        """Pack the files; the same release gives the same bytes.

        Raises
        ------
        StopsOpen
            Naming the findings of level stop that nobody accepted.
        ReleaseRefused
            When the files differ from the design.
        """
        if self.stops:
            count = len(self.stops)
            few = "; ".join(f"{f.code}: {f.message}" for f in self.stops[:4]) + ("; …" if count > 4 else "")
            raise StopsOpen(
                f"{count} stop{'' if count == 1 else 's'} forbid{'s' if count == 1 else ''} a release: {few}.",
                where=self.name, value=count, allowed="no finding of level stop",
                next_step="Clear them, or accept those of the circuit with a reason.",
            )  # fmt: skip
        if not self.read.agrees:
            first = self.read.differences[0]
            raise ReleaseRefused(
                f"The files differ from the design: {first.message}.",
                where=self.name, value=len(self.read.differences),
                allowed="no difference", next_step="This is a fault of the program; keep the design and report it.",
            )  # fmt: skip
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in self.files.items():
                archive.writestr(zipfile.ZipInfo(name), text, zipfile.ZIP_DEFLATED)
        return out.getvalue()


def slug(name: str) -> str:
    """Give a name that is safe in file names."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "board"


def write_files(design: Design, stamp: str) -> dict[str, str]:
    """Write every file of a release; ``stamp`` is the creation date in ISO 8601."""
    base = slug(design.name)
    files: dict[str, str] = {}
    for layer in design.board.layers:
        files[f"{base}-{LAYER_TITLES[layer]}.gbr"] = gerber.copper(design, layer, stamp)
    for side in ("front", "back"):
        files[f"{base}-mask-{side}.gbr"] = gerber.mask(design, side, stamp)
        files[f"{base}-legend-{side}.gbr"] = gerber.printed_legend(design, side, stamp)
        if design.board.copper_layers > 1 or side == "back":
            files[f"{base}-paste-{side}.gbr"] = gerber.paste(design, side, stamp)
    files[f"{base}-profile.gbr"] = gerber.profile(design, stamp)
    if design.board.scores:
        files[f"{base}-score.gbr"] = gerber.score_lines(design, stamp)
    files[f"{base}-plated.xnc"] = drill.drill_file(design, True, stamp)
    files[f"{base}-unplated.xnc"] = drill.drill_file(design, False, stamp)
    files[f"{base}-netlist.ipc"] = netlist.test_netlist(design)
    for variant, of in _names_of_variants(design, base).items():
        files[f"{of}-parts.csv"] = tables.parts_list(design, variant)
        files[f"{of}-placement.csv"] = tables.placement(design, variant)
    if design.jumpers:
        files[f"{base}-wires.csv"] = _wire_list(design)
    described = {n: _function(t) for n, t in files.items() if n.endswith(".gbr")}
    files[f"{base}-job.gbrjob"] = tables.job_file(design, described, stamp)
    return files


def _names_of_variants(design: Design, base: str) -> dict[str, str]:
    """Give how the files of each variant begin, the board as drawn first; no two begin alike."""
    names = {BASE: base}
    for variant in design.variants:
        name, k = f"{base}-{slug(variant)}", 1
        while name in names.values():
            k += 1
            name = f"{base}-{slug(variant)}-{k}"
        names[variant] = name
    return names


def _function(text: str) -> tuple[str, str]:
    """Give a Gerber file's own function and polarity for the job file."""
    function = re.search(r"TF\.FileFunction,([^*]+)\*", text)
    polarity = re.search(r"TF\.FilePolarity,([^*]+)\*", text)
    assert function and polarity
    return function[1], polarity[1]


def _wire_list(design: Design) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["wire", "net", "x1_mm", "y1_mm", "x2_mm", "y2_mm"])
    for j in design.jumpers.values():
        writer.writerow([j.id, j.net, *(f"{v / 1e6:.6f}" for v in (*j.a, *j.b))])
    return out.getvalue()


def release(design: Design, stamp: str, of_board: Design | None = None) -> Release:
    """Write a release and read it back.

    Parameters
    ----------
    of_board : Design, optional
        For a panel, the board it repeats: its circuit is judged once, and what the panel itself adds beside.

    Raises
    ------
    ReleaseRefused
        When a file cannot even be read.
    """
    made = _written(design, stamp)
    forbid = stops(design) if of_board is None else (*stops(of_board), *board_stops(design))
    lived_with = waived_findings(of_board or design)
    if not lived_with:
        return replace(made, stops=forbid)
    files = {**made.files, f"{made.name}-accepted.csv": tables.accepted(lived_with)}
    return replace(made, files=files, stops=forbid)


@derived(
    "name", "title", "parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes", "texts",
    "variants", "extras",
)  # fmt: skip
def _written(design: Design, stamp: str) -> Release:
    files = write_files(design, stamp)
    try:
        return Release(slug(design.name), files, read_back(design, files))
    except UnreadableFile as error:
        raise ReleaseRefused(
            f"A file cannot be read back: {error}.", where=design.name,
            next_step="This is a fault of the program; keep the design and report it.",
        ) from error
