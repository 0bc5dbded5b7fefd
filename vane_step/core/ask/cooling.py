"""What would cool a part that gets too hot, or copper that does, tried on a copy: a sink, another part, more copper."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Iterator

from vane_step.core.ask.cooler_copper import TOO_LITTLE, copper_ways
from vane_step.core.ask.remedies import judged_after
from vane_step.core.ask.words import Resources
from vane_step.core.board.drc.check import check
from vane_step.core.circuit.review import review
from vane_step.core.design.model import Design, Part
from vane_step.core.finding import Finding, Remedy
from vane_step.core.network.thermal import sink_for, theta_of
from vane_step.core.operation.bearing import WARM_C
from vane_step.core.operation.findings import power_findings
from vane_step.core.operation.hot_copper import copper_findings
from vane_step.core.operation.lost_volts import lost_findings

# Rules that tell of a part that is too hot; so many ways are tried for one part, so many parts looked at.
HOT = ("part-hot", "part-power", "stage-current")
TRIED = (*HOT, *TOO_LITTLE)
MOST_WAYS, MOST_PARTS = 3, 2


def with_cooling(design: Design, findings: Iterable[Finding], resources: Resources) -> tuple[Finding, ...]:
    """Offer for what gets too hot, or loses too much, what cures that and makes nothing worse.

    Parts by a sink, else by another part; copper by vias, a second way or a pour, where widening is not offered yet.

    Parameters
    ----------
    findings : iterable of Finding
        As the rules gave them.

    Returns
    -------
    tuple of Finding
        The same, in the same order, some with a remedy.
    """
    before: Counter[tuple[str, str]] | None = None
    found, looked = [], 0
    for finding in findings:
        if finding.code in TRIED and finding.remedy is None and looked < MOST_PARTS:
            looked += 1
            before = before if before is not None else _judged(design)
            finding = _cooled(design, finding, resources, before)
        found.append(finding)
    return tuple(found)


def _cooled(
    design: Design, finding: Finding, resources: Resources, before: Counter[tuple[str, str]]
) -> Finding:
    refs = finding.place.refs
    if finding.code in TOO_LITTLE:
        ways = copper_ways(design, finding)
    else:
        ways = _ways(design, finding, design.parts[refs[0]], resources) if len(refs) == 1 else iter(())
    for label, said in itertools.islice(ways, MOST_WAYS):
        after = judged_after(design, said, resources, _judged)
        of = (finding.level, finding.code)
        if after is not None and not after - before and after[of] < before[of]:
            return finding.model_copy(update={"remedy": Remedy(label=label, ask=said)})
    return finding


def _ways(design: Design, finding: Finding, part: Part, resources: Resources) -> Iterator[tuple[str, str]]:
    """Give what to try for a part: the smallest sink that is enough, then converters with the same pins."""
    parts, ambient = resources.catalogue.parts, design.brief.ambient_c
    theta = theta_of(part)
    if finding.code == "part-hot" and theta is not None and finding.reading is not None:
        most = sink_for(part, (finding.reading - ambient) / theta[0], WARM_C - ambient)
        sinks = sorted(
            (e for e in parts.values() if "k_per_w" in e.params), key=lambda e: -e.params["k_per_w"]
        )
        flat = part.package.startswith(("TO-252", "TO-263"))
        for sink in [k for k in sinks if most is not None and k.params["k_per_w"] <= most]:
            if ("stick-on" in sink.title) is flat:
                yield f"Put {sink.number} on {part.ref}: {sink.title}", f"sink {part.ref} {sink.number}"
                break
    volts = part.params.get("vout_v")
    if volts is None or "dropout_v" not in part.params:
        return
    pins = {p.number: p.role for p in part.pins}
    for entry in parts.values():
        other = entry.params
        alike = {p.number: p.role for p in entry.pins} == pins and "efficiency" in other
        if alike and abs(other.get("vout_v", 0.0) - volts) < 0.02 * volts:
            yield f"{entry.number} instead of {part.ref}: {entry.title}", f"swap {part.ref} {entry.number}"


def _judged(design: Design) -> Counter[tuple[str, str]]:
    found = (
        *review(design),
        *power_findings(design),
        *copper_findings(design),
        *lost_findings(design),
        *check(design).findings,
    )
    return Counter((f.level, f.code) for f in found if f.level != "note")
