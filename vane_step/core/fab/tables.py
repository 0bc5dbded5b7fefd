"""Writes the parts list, the placement file and the accepted findings; prices are not here."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence

from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, Part, Waiver, natural
from vane_step.core.finding import Finding
from vane_step.core.order.sources import Source


def parts_list(design: Design, variant: str = BASE, sources: Mapping[str, Source] | None = None) -> str:
    """Write the parts list of a variant as CSV: a line for each order number, or value and package, then extra lines.

    Parts that are not fitted are left out. Makers, and what could take a part's place, are told where sources know.
    """
    known = sources or {}

    def source(number: str) -> tuple[str, str]:
        found = known.get(number)
        return (found.maker, found.told()) if found else ("", "")

    have = fitted(design, variant)
    groups: dict[tuple[str, str, str], list[str]] = {}
    for part in design.parts.values():
        if have[part.ref]:
            groups.setdefault((part.value, part.package, part.catalogue), []).append(part.ref)
    rows: list[Sequence[object]] = [
        (
            len(refs),
            number,
            source(number)[0],
            value,
            package,
            " ".join(sorted(refs, key=natural)),
            source(number)[1],
        )
        for (value, package, number), refs in sorted(
            groups.items(), key=lambda kv: natural(min(kv[1], key=natural))
        )
    ]
    for wire in sorted({j.wire_nm for j in design.jumpers.values()}):
        some = [j.id for j in design.jumpers.values() if j.wire_nm == wire]
        rows.append(
            (
                len(some),
                "",
                "",
                f"wire jumper, {wire / 1e6:g} mm",
                "",
                " ".join(sorted(some, key=natural)),
                "",
            )
        )
    rows += [
        (e.count, e.catalogue, source(e.catalogue)[0], e.title, "", e.about, source(e.catalogue)[1])
        for e in design.extras.values()
    ]
    return csv_text(("count", "number", "maker", "value", "package", "references", "alternates"), rows)


def placement(design: Design, variant: str = BASE) -> str:
    """Write the placement file of a variant as CSV: middle in mm, angle, side and mounting of what is fitted."""
    have = fitted(design, variant)
    rows = []
    for ref in sorted(design.parts, key=natural):
        part = design.parts[ref]
        if part.place and have[ref]:
            p = part.place
            rows.append(
                (
                    ref,
                    part.value,
                    part.package,
                    f"{p.x_nm / 1e6:.4f}",
                    f"{p.y_nm / 1e6:.4f}",
                    f"{p.turn_deg % 360:g}",
                    p.side,
                    mounting(design, part),
                )
            )
    return csv_text(("ref", "value", "package", "x_mm", "y_mm", "turn_deg", "side", "mounting"), rows)


def mounting(design: Design, part: Part) -> str:
    """Tell whether a part is mounted on the surface, through holes, or both."""
    pads = design.packages[part.package].pads
    surface = any(p.layers != "through" for p in pads)
    through = any(p.layers == "through" and not p.bare_hole for p in pads)
    return "both" if surface and through else "surface" if surface else "through"


def accepted(lived_with: Iterable[tuple[Finding, Waiver]]) -> str:
    """Write the findings that somebody accepted, with the reason, as CSV: they go with the files."""
    rows = [(f.level, f.code, f.place.label(), f.message, w.reason) for f, w in lived_with]
    return csv_text(("level", "rule", "place", "finding", "reason"), rows)


def csv_text(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Write rows under a head as CSV, with no text that a spreadsheet would work out."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(head)
    writer.writerows([_cell(v) for v in row] for row in rows)
    return out.getvalue()


def _cell(value: object) -> object:
    """Keep spreadsheets from working out what a text that begins like a formula says."""
    if isinstance(value, str) and value[:1] in ("=", "+", "-", "@") and not _number(value):
        return f"'{value}"
    return value


def _number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
