"""The rules of making as rows of the list of rules: at home, milled, read back; they are judged where each is made."""

from __future__ import annotations

from typing import Final

from vane_step.core.power.rulebook import Row

HOUSE, METHOD, FILES = "rules of the maker", "the method", "read back from the files"
MAKE: Final[tuple[Row, ...]] = (
    ("etch-width", "a track is finer than the method can do", "look, stop", "at least", "mm", METHOD),
    ("etch-gap", "a gap is finer than the method can do", "look, stop", "at least", "mm", METHOD),
    (
        "etch-pad",
        "too little copper goes round a hole drilled by hand",
        "look, stop",
        "at least",
        "mm",
        METHOD,
    ),
    (
        "etch-islands",
        "copper was to be left between nets of a high voltage",
        "look",
        "at most",
        "V",
        "limit of extra-low direct voltage",
    ),
    ("etch-joined", "the sheet joins two nets", "stop", "at most", "nets", "the circuit"),
    (
        "etch-legend",
        "texts come on no sheet",
        "note",
        "at most",
        "texts",
        "sheets have the front's legend",
    ),
    ("sheet-margin", "a printer cannot print so near to the edge", "look", "at least", "mm", "rule of thumb"),
    ("etch-drill", "no drill at hand makes a hole", "look", "at most", "mm", "the drills at hand"),
    (
        "etch-ring",
        "the drill used instead leaves too narrow a ring",
        "look, stop",
        "at least",
        "mm",
        HOUSE,
    ),
    (
        "etch-layers",
        "inner layers cannot be etched at home",
        "stop",
        "at most",
        "layers",
        "laminate has two sides",
    ),
    ("etch-plating", "connections hang on holes nobody plates", "stop", "at most", "connections", HOUSE),
    ("stencil-ratio", "paste stays in an opening of the stencil", "look", "at least", "", "IPC-7525"),
    ("mill-gap", "the milling tool does not fit between two nets", "stop", "at least", "mm", "the tool"),
    ("mill-cutout", "the end mill does not fit into a cut-out", "look", "at least", "mm", "the tool"),
)
READ_BACK: Final[tuple[Row, ...]] = (
    ("outline-missing", "the files have no outline", "stop", "is", "", FILES),
    ("outline-open", "the outline is not closed", "stop", "is", "", FILES),
    ("outline", "the outline differs", "stop", "at most", "mm", FILES),
    ("cutouts", "the cut-outs differ", "stop", "at most", "cut-outs", FILES),
    ("drill-count", "the number of holes differs", "stop", "at most", "holes", FILES),
    ("netlist", "the test netlist differs", "stop", "at most", "points", FILES),
    ("pad-missing", "there is no copper at a pad", "stop", "is", "", FILES),
    ("file-short", "two nets are one piece of copper", "stop", "is", "", FILES),
    ("file-open", "a net is in more pieces than in the design", "stop", "at most", "connections", FILES),
    ("file-thin", "copper is thinner than the maker can hold", "stop", "at least", "mm", HOUSE),
    ("image", "copper differs from the design", "stop", "at most", "mm²", FILES),
    ("layers", "layers are missing", "stop", "is", "", FILES),
    ("panel-objects", "a panel has other objects than its boards", "stop", "at most", "objects", FILES),
    ("panel-copy", "a board of a panel differs from the board", "stop", "is", "", FILES),
    ("panel-overlap", "boards of a panel share copper", "stop", "is", "", FILES),
)
