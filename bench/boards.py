"""Measurements of the board step beside routing times: what the copper is worth, arranging, pouring, moving a part."""

from __future__ import annotations

import gc
import random
import statistics
import time
from contextlib import nullcontext
from unittest import mock

import numpy as np
import shapely

from bench.baselines import sequential_route
from bench.run import Run
from bench.timing import least_of
from vane_step.core.board.analysis.score import score, tree_mm
from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.diff_pairs import sense_pairs
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.placement.placer import arrange, propose, warm_up as warm_arranging
from vane_step.core.board.tracks.centre import centred
from vane_step.core.design.edits import ExchangePins, PlaceParts, apply
from vane_step.core.design.model import Design, Pour
from vane_step.core.memo import forget
from vane_step.core.route.router import route

# Seconds for routing, and wires on one layer; missed ones are told, not hidden.
SECONDS = {
    "1-frost-sentinel": 3.0,
    "2-seedling-thirst-beeper": 3.0,
    "smd2L_015_s1": 0.4,
    "smd2L_040_s1": 0.6,
    "smd2L_080_s1": 1.5,
    "smd2L_150_s1": 3.0,
    "smd2L_300_s1": 10.0,
    "hard2L_150_s1": 10.0,
    "hard4L_150_s1": 15.0,
    "th1L_015_s1": 2.0,
    "th1L_040_s1": 15.0,
    "th1L_080_s1": 30.0,
}
# Parts with so many pins are controllers; nets with more than so many pins are supplies.
MANY_PINS, FEW_PINS = 16, 6
SEEDS = (1, 4)
DENSE_SEEDS = (2, 9)
WIRES = {"th1L_015_s1": 2, "th1L_040_s1": 9, "th1L_080_s1": 20}
VIAS_PER_LINK = {"smd2L_150_s1": 0.45, "smd2L_300_s1": 0.45}


def worth(run: Run, boards: dict[str, Design]) -> None:
    """Measure length, vias and wire jumpers of routed boards, against the shortest tree without Steiner points."""
    for name, design in boards.items():
        tree = tree_mm(design)
        laid = sum(i.spine.length for i in copper_items(design) if i.kind == "track")
        if design.board.copper_layers > 1:
            limit = 1.1 if name.startswith("hard") else 1.0
            run.row(
                f"track length over shortest tree, {name}", laid / tree, "", limit, f"the tree: {tree:.0f} mm"
            )
        if name in VIAS_PER_LINK:
            links = connectivity(design).links_total
            run.row(
                f"vias a connection, {name}",
                len(design.vias) / links,
                "",
                VIAS_PER_LINK[name],
                "two a connection: 2.0",
            )
        if name in WIRES:
            run.row(
                f"wire jumpers, {name}",
                len(design.jumpers),
                "",
                WIRES[name],
                "crossings of straight lines: see score",
            )


def arranging(run: Run, design: Design, name: str) -> None:
    """Measure arranging all parts anew and routing the result, against arranging quickly what waits."""
    warm_arranging()
    bare = apply(design, PlaceParts(places={r: None for r, p in design.parts.items() if len(p.pins) > 1}))[0]
    bare = bare.replaced(tracks={}, vias={}, jumpers={})
    begun = time.perf_counter()
    quick = score(apply(bare, arrange(bare))[0])
    took = time.perf_counter() - begun
    forget()
    begun = time.perf_counter()
    found = propose(bare, 1)[0]
    seconds = time.perf_counter() - begun
    after = apply(bare, found.edit)[0]
    run.row(
        f"arranging, {name}",
        seconds,
        "s",
        20,
        f"an eighth of the moves: {took:.1f} s",
        f"connections {found.score.link_mm:.0f} mm, {found.score.crossings} crossings; quickly {quick.link_mm:.0f} mm, "
        f"{quick.crossings}; as given {score(design).link_mm:.0f} mm, {score(design).crossings}",
    )
    begun = time.perf_counter()
    result = route(after)
    stops = check(apply(after, result.edit)[0]).stops
    seconds = time.perf_counter() - begun
    links = f"{result.links_made}/{result.links_wanted} connections, {seconds:.1f} s"
    run.row(f"connections open or breaching after arranging, {name}", stops, "", 0, "as given: none", links)


def pouring(run: Run, boards: dict[str, tuple[Design, float]]) -> None:
    """Measure filling one layer round a routed board, against uniting drawn shapes one after the other."""
    for name, (design, limit) in boards.items():
        d = design.replaced(pours={"P1": Pour(id="P1", net="GND", layer="back")})
        times = []
        for _ in range(5):
            forget()
            copper_items(d)
            begun = time.perf_counter()
            pour_pieces(d)
            times.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        area = shapely.Polygon()
        for item in copper_items(d)[:200]:
            area = area.union(item.shape(0.2))
        plain = (time.perf_counter() - begun) / min(200, len(copper_items(d))) * len(copper_items(d))
        seconds = statistics.median(times)
        run.row(
            f"pouring one layer, {name}",
            seconds * 1000,
            "ms",
            limit,
            f"one union after the other: {plain * 1000:.0f} ms",
        )


def moving(run: Run, design: Design, name: str) -> None:
    """Measure the whole check after one part moved by a tenth of a millimetre, against the check in full."""
    # Others use the machine as well: of each part the lesser of three times counts.
    rounds = []
    for _ in range(3):
        forget()
        begun = time.perf_counter()
        check(design)
        full = time.perf_counter() - begun
        # As the application does when it has started, see ``web.serve``.
        gc.collect()
        gc.freeze()
        times = []
        for part in list(design.parts.values())[:12]:
            if part.place:
                place = part.place.model_copy(update={"x_nm": part.place.x_nm + 100_000})
                moved = apply(design, PlaceParts(places={part.ref: place}))[0]
                begun = time.perf_counter()
                check(moved)
                times.append(time.perf_counter() - begun)
        gc.unfreeze()
        rounds.append(times)
    worst = float(np.min(rounds, axis=0).max())
    run.row(f"check after moving one part, {name}", worst * 1000, "ms", 16, f"in full: {full * 1000:.0f} ms")


def centring(run: Run, boards: dict[str, tuple[Design, float]]) -> None:
    """Measure sliding all tracks to the middle of their room, against one check of all gaps of the board."""
    for name, (design, limit) in boards.items():
        forget()
        begun = time.perf_counter()
        found = centred(design)
        seconds = time.perf_counter() - begun
        forget()
        begun = time.perf_counter()
        stops = check(apply(design, found)[0]).stops
        plain = time.perf_counter() - begun
        tracks = f"{len(found.tracks)} of {len(design.tracks)} tracks"
        run.row(
            f"centring tracks, {name}", seconds, "s", limit, f"checking the board once: {plain:.2f} s", tracks
        )
        run.row(f"breaches after centring, {name}", stops, "", 0, "as routed: none")


def pairing(run: Run, design: Design, name: str) -> None:
    """Measure how much of their ways sense pairs run side by side, against routing them like any other nets."""
    shares = []
    for led in (True, False):
        forget()
        with nullcontext() if led else mock.patch("vane_step.core.route.negotiate.pair_up", return_value={}):
            after = apply(design, route(design, fresh=True).edit)[0]
        pairs = sense_pairs(after)
        total = sum(sum(p.lengths_mm) for p in pairs)
        shares.append(sum(p.beside * sum(p.lengths_mm) for p in pairs) / total)
    run.row(
        f"ways of sense pairs not side by side, {name}",
        100 * (1 - shares[0]),
        "%",
        40,
        f"routed like other nets: {100 * (1 - shares[1]):.0f} %",
        f"{len(sense_pairs(design))} pairs",
    )


def scrambled(design: Design, seed: int, share: float = 1.0) -> Design:
    """Give a board with the nets of a share of its controllers' pins permuted, supplies and grounds left out."""
    pick = random.Random(seed)
    for ref, part in design.parts.items():
        if len(part.pins) < MANY_PINS:
            continue
        names = [f"{ref}.{pin.number}" for pin in part.pins]
        nets = {name: design.net_of(name) for name in names}
        free = [name for name in names if (net := nets[name]) and len(design.nets[net].pins) <= FEW_PINS]
        some = pick.sample(free, int(len(free) * share))
        design = apply(
            design, ExchangePins(takes=dict(zip(some, pick.sample(some, len(some)), strict=True)))
        )[0]
    return design


def coarse(design: Design, like: Design) -> Design:
    """Give a board with the rules of another of its kind, each net with the rule of one of its rank by width there."""
    ours, theirs = (
        sorted({n.rule.width_nm: n.rule for n in d.nets.values() if n.rule}.items()) for d in (design, like)
    )
    rank = {width: rule for (width, _), (_, rule) in zip(ours, theirs, strict=True)}
    nets = {
        k: n.model_copy(update={"rule": rank[n.rule.width_nm]}) if n.rule else n
        for k, n in design.nets.items()
    }
    return design.replaced(nets=nets, board=design.board.model_copy(update={"rules": like.board.rules}))


def dense(run: Run, design: Design, like: Design, name: str, limit: float) -> None:
    """Measure routing by coarse rules, 30 % of the controllers' pins permuted, against routing without rip-up."""
    for seed in DENSE_SEEDS:
        _permuted(
            run,
            scrambled(coarse(design, like), seed, 0.3),
            f"{name} coarse, 30 % of pins permuted, seed {seed}",
            limit,
        )


def permuting(run: Run, design: Design, name: str) -> None:
    """Measure routing with all pins of the controllers permuted, against routing without rip-up."""
    for seed in SEEDS:
        _permuted(run, scrambled(design, seed), f"{name}, all controller pins permuted, seed {seed}", 30)


def _permuted(run: Run, board: Design, name: str, limit: float) -> None:
    seconds, result = least_of(lambda: route(board, fresh=True))
    after = apply(board, result.edit)[0]
    plain, failed = sequential_route(board)
    open_links, stops = result.links_wanted - result.links_made, check(after).stops
    run.row(
        f"route {name}",
        seconds,
        "s",
        limit,
        f"{figures(plain)['links_completed']}/{result.links_wanted} connections, {failed} without a way",
        f"{result.links_made}/{result.links_wanted} connections, {len(after.vias)} vias",
    )
    run.row(f"connections open or breaching, {name}", open_links + stops, "", 0, "as above")
