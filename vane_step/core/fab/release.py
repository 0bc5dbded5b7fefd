"""A release: the frozen set of files for a board house, offered only when reading it back agrees with the design."""

from __future__ import annotations

import csv
import hashlib
import io
import re
import zipfile
from dataclasses import dataclass

from vane_step.core.derive import derived
from vane_step.core.design.model import Design
from vane_step.core.errors import ReleaseRefused
from vane_step.core.fab import drill, gerber, netlist, tables
from vane_step.core.fab.readback import ReadBack, read_back
from vane_step.core.fab.reader import UnreadableFile

LAYER_TITLES = {"front": "copper-front", "in1": "copper-inner-1", "in2": "copper-inner-2", "back": "copper-back"}


@dataclass(frozen=True)
class Release:
    """Files by name, and what reading them back gave."""

    name: str
    files: dict[str, str]
    read: ReadBack

    @property
    def offered(self) -> bool:
        """Whether the release may leave the program."""
        return self.read.agrees

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
        ReleaseRefused
            When the files differ from the design.
        """
        if not self.offered:
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
    files[f"{base}-parts.csv"] = tables.parts_list(design)
    files[f"{base}-placement.csv"] = tables.placement(design)
    if design.jumpers:
        files[f"{base}-wires.csv"] = _wire_list(design)
    described = {n: _function(t) for n, t in files.items() if n.endswith(".gbr")}
    files[f"{base}-job.gbrjob"] = tables.job_file(design, described, stamp)
    return files


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


@derived("name", "parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes", "texts")
def release(design: Design, stamp: str) -> Release:
    """Write a release and read it back.

    Raises
    ------
    ReleaseRefused
        When a file cannot even be read.
    """
    files = write_files(design, stamp)
    try:
        return Release(slug(design.name), files, read_back(design, files))
    except UnreadableFile as error:
        raise ReleaseRefused(f"A file cannot be read back: {error}.", where=design.name) from error
