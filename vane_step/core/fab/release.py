"""A release: the frozen files for a board manufacturer, offered when no stop forbids it and reading back agrees."""

from __future__ import annotations

import csv
import hashlib
import io
import re
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.outline import parted_findings
from vane_step.core.circuit.variants import BASE
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import ReleaseRefused, StopsOpen
from vane_step.core.fab import drill, gerber, netlist, tables
from vane_step.core.fab.assembly_files import assembly_svg
from vane_step.core.fab.components import component_layer
from vane_step.core.fab.drillmap import drill_map
from vane_step.core.fab.heading import heading_of
from vane_step.core.fab.jobfile import job_file
from vane_step.core.fab.panel import PanelPlan, layout, panel
from vane_step.core.fab.panelback import Repeated, read_back_panel
from vane_step.core.fab.readback import ReadBack, read_back
from vane_step.core.fab.reader import UnreadableFile
from vane_step.core.fab.standard_words import Breach
from vane_step.core.fab.strict import check_files
from vane_step.core.finding import Finding
from vane_step.core.judge import board_stops, stops, waived_findings
from vane_step.core.order.sources import Source

LAYER_TITLES = {
    "front": "copper-front",
    "in1": "copper-inner-1",
    "in2": "copper-inner-2",
    "back": "copper-back",
}


@dataclass(frozen=True)
class Release:
    """Files by name, and what reading them back gave."""

    name: str
    files: dict[str, str]
    read: ReadBack
    stops: tuple[Finding, ...] = ()
    breaches: tuple[Breach, ...] = ()

    @property
    def offered(self) -> bool:
        """Whether the release may leave the program."""
        return self.read.agrees and not self.stops and not self.breaches

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
                where=self.name,
                value=count,
                allowed="no finding of level stop",
                next_step="Clear them, or accept those of the circuit with a reason.",
            )
        if not self.read.agrees:
            first = self.read.differences[0]
            raise ReleaseRefused(
                f"The files differ from the design: {first.message}.",
                where=self.name,
                value=len(self.read.differences),
                allowed="no difference",
                next_step="This is a fault of the program; keep the design and report it.",
            )
        if self.breaches:
            first_of = self.breaches[0]
            raise ReleaseRefused(
                f"{first_of.file}, line {first_of.line}: {first_of.message} ({first_of.rule}).",
                where=self.name,
                value=len(self.breaches),
                allowed="no breach of the files' standards",
                next_step="This is a fault of the program; keep the design and report it.",
            )
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in self.files.items():
                archive.writestr(zipfile.ZipInfo(name), text, zipfile.ZIP_DEFLATED)
        return out.getvalue()


def slug(name: str) -> str:
    """Give a name that is safe in file names."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "board"


def write_files(
    design: Design, stamp: str, repeated: Repeated | None = None, sources: Sequence[Source] = ()
) -> dict[str, str]:
    """Write every file of a release.

    Parameters
    ----------
    stamp : str
        The creation date in ISO 8601.
    repeated : Repeated, optional
        For a panel: the board it repeats, whose layers are written once and copied.
    sources : sequence of Source, optional
        Who makes the parts, and what could take their places.
    """
    base = slug(design.name)
    files: dict[str, str] = {}
    known = {s.number: s for s in sources}
    head = heading_of(design, stamp, "Single" if repeated is None else "Array")

    def layer(write: Callable[..., gerber.GerberFile], *which: str) -> str:
        if repeated is None:
            return write(design, *which, head).text()
        out, once = write(repeated.frame, *which, head), write(repeated.board, *which, head)
        for copy in repeated.copies:
            out.repeat(once, copy)
        return out.text()

    for name in design.board.layers:
        files[f"{base}-{LAYER_TITLES[name]}.gbr"] = layer(gerber.copper, name)
    sides: tuple[Side, Side] = ("front", "back")
    for side in sides:
        files[f"{base}-mask-{side}.gbr"] = layer(gerber.mask, side)
        files[f"{base}-legend-{side}.gbr"] = layer(gerber.printed_legend, side)
        if design.board.copper_layers > 1 or side == "back":
            files[f"{base}-paste-{side}.gbr"] = layer(gerber.paste, side)
        if repeated is None and any(p.place and p.place.side == side for p in design.parts.values()):
            files[f"{base}-components-{side}.gbr"] = component_layer(design, side, head, known).text()
    files[f"{base}-profile.gbr"] = gerber.profile(design, head).text()
    if repeated is None:
        files[f"{base}-drillmap.gbr"] = drill_map(design, head).text()
    if design.board.scores:
        files[f"{base}-score.gbr"] = gerber.score_lines(design, head).text()
    files[f"{base}-plated.xnc"] = drill.drill_file(design, True, head)
    files[f"{base}-unplated.xnc"] = drill.drill_file(design, False, head)
    files[f"{base}-netlist.ipc"] = netlist.test_netlist(design)
    for variant, of in _names_of_variants(design, base).items():
        files[f"{of}-parts.csv"] = tables.parts_list(design, variant, known)
        files[f"{of}-placement.csv"] = tables.placement(design, variant)
        files[f"{of}-assembly.svg"] = assembly_svg(repeated.board if repeated else design, variant)
    if design.jumpers:
        files[f"{base}-wires.csv"] = _wire_list(design)
    described = {n: _function(t) for n, t in files.items() if n.endswith(".gbr")}
    for way, plated in (("plated", True), ("unplated", False)):
        described[f"{base}-{way}.xnc"] = (drill.drill_function(design, plated), "Positive")
    files[f"{base}-job.gbrjob"] = job_file(design, described, head)
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


def release(design: Design, stamp: str, sources: tuple[Source, ...] = ()) -> Release:
    """Write a release and read it back.

    Parameters
    ----------
    stamp : str
        The creation date in ISO 8601.
    sources : tuple of Source
        Who makes the parts, and what could take their places: written into the list of parts.

    Raises
    ------
    ReleaseRefused
        When a file cannot even be read.
    """
    return _with_accepted(replace(_written(design, stamp, sources), stops=stops(design)), design)


def panel_release(design: Design, plan: PanelPlan, stamp: str, sources: tuple[Source, ...] = ()) -> Release:
    """Write the release of a panel and read it back, at the cost of one board and of what the panel adds.

    The board is released as it is; the panel's files are its layers copied, and are read back as such and held against
    their standards. Its rules are judged on as many copies as hold every pair of neighbours, two by two.

    Raises
    ------
    InputError, EditRefused
        When no such panel can be made.
    ReleaseRefused
        When a file cannot even be read.
    """
    laid, whole = layout(design, plan), panel(design, plan)
    once = release(design, stamp, sources)
    repeated = Repeated(design, laid.frame(whole.name), laid.copies)
    files = write_files(whole, stamp, repeated, sources)
    try:
        read = read_back_panel(repeated, once, whole, files)
    except UnreadableFile as error:
        raise _unreadable(design, error) from error
    found = (*once.stops, *panel_stops(design, plan, whole))
    made = Release(slug(whole.name), files, read, found, (*once.breaches, *check_files(files)))
    return _with_accepted(made, design)


def panel_stops(design: Design, plan: PanelPlan, whole: Design) -> tuple[Finding, ...]:
    """Give what forbids a panel beside what forbids its board: copper, parts and bores of neighbours, loose pieces."""
    few = panel(design, replace(plan, columns=min(2, plan.columns), rows=min(2, plan.rows)))
    found = [f for f in board_stops(few) if f.code != "parted"]
    return (*found, *(f for f in parted_findings(Layout(whole)) if f.level == "stop"))


def _with_accepted(made: Release, design: Design) -> Release:
    lived_with = waived_findings(design)
    if not lived_with:
        return made
    return replace(made, files={**made.files, f"{made.name}-accepted.csv": tables.accepted(lived_with)})


@derived(*COPPER, "name", "title", "variants", "extras")
def _written(design: Design, stamp: str, sources: tuple[Source, ...]) -> Release:
    files = write_files(design, stamp, sources=sources)
    try:
        return Release(slug(design.name), files, read_back(design, files), (), tuple(check_files(files)))
    except UnreadableFile as error:
        raise _unreadable(design, error) from error


def _unreadable(design: Design, error: UnreadableFile) -> ReleaseRefused:
    return ReleaseRefused(
        f"A file cannot be read back: {error}.",
        where=design.name,
        next_step="This is a fault of the program; keep the design and report it.",
    )
