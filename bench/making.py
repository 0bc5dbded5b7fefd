"""Measures making at home and asking houses: sheets after a method is chosen, bitmaps, quotes with one house dead."""

from __future__ import annotations

import io
import time

import numpy as np
import shapely
from PIL import Image

from bench.run import Run
from vane_step.core.design.model import Design
from vane_step.core.etch import artwork
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.written import write_svg
from vane_step.core.houses.options import usual_order
from vane_step.simulated.host import Hosted
from vane_step.simulated.houses import create_houses
from vane_step.suppliers.houses import behaviour, directory, quotes


def sheets(run: Run, boards: dict[str, Design]) -> None:
    """Measure how long the sheets of another method and a bitmap take, against uniting and compressing alone."""
    for name, design in boards.items():
        artwork.sheets(design, art_plan({"method": "pen"}))
        begun = time.perf_counter()
        made = artwork.sheets(design, art_plan({"method": "dry-film"}))
        drawn = [write_svg(s) for s in made]
        took = time.perf_counter() - begun
        begun = time.perf_counter()
        for s in made:
            shapely.union_all(list(s.ink))
        plain = time.perf_counter() - begun
        run.row(
            f"sheets after choosing a method, {name}",
            1000 * took,
            "ms",
            # A board of one layer, as is etched; two full layers take longer.
            300 if design.board.copper_layers == 1 else 600,
            f"uniting their shapes once: {1000 * plain:.0f} ms",
            f"{len(made)} sheets, {sum(map(len, drawn)) / 1e3:.0f} kB",
        )
        begun = time.perf_counter()
        data = artwork.bitmap(design, art_plan({"method": "dry-film"}), 1, 1200)
        took = time.perf_counter() - begun
        Image.MAX_IMAGE_PIXELS = None
        image = Image.open(io.BytesIO(data))
        begun = time.perf_counter()
        image.save(io.BytesIO(), "PNG", compress_level=1)
        plain = time.perf_counter() - begun
        black = 1 - float(np.asarray(image).mean())
        run.row(
            f"bitmap of an A4 sheet at 1,200 dots an inch, {name}",
            took,
            "s",
            3,
            f"compressing it alone: {plain:.2f} s",
            f"{image.size[0]} x {image.size[1]} dots, {black:.1%} black",
        )


def asking(run: Run, design: Design) -> None:
    """Measure five houses asked at once, one of them dead, against the four alone one after the other."""
    hosted = Hosted(create_houses())
    try:
        address = hosted.address()
        ids, asked = directory(address), usual_order(design, 5)
        quotes(address, ids, asked)
        begun = time.perf_counter()
        for id in list(ids)[:-1]:
            quotes(address, {id: ids[id]}, asked)
        plain = time.perf_counter() - begun
        behaviour(address, list(ids)[-1], {"mode": "responding", "delay_ms": 60_000})
        begun = time.perf_counter()
        answers = quotes(address, ids, asked)
        took = time.perf_counter() - begun
    finally:
        hosted.close()
    run.row(
        "quotes of five houses, one of them dead",
        took,
        "s",
        1.5,
        f"the four that live, one by one: {plain:.2f} s",
        f"{len(answers.quotes)} answers, told: {'; '.join(answers.silent.values())}",
    )
