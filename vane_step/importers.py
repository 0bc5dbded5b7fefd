"""Reading what a user imports, each kind within the limits of ``confined``; how a kind is read is its own room's.

Page and terminal read through here, so that both give the same answer to the same file.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import PurePath

from vane_step.confined import Limits, confined
from vane_step.core.board.outline.image_trace import trace_shapes
from vane_step.core.board.outline.importers import PICTURES, Drawn, outline_from
from vane_step.core.catalogue.own import Own, read_own
from vane_step.core.circuit.blocks import SavedBlock, block_from
from vane_step.core.circuit.capture import connections
from vane_step.core.design.edits import SetOutline, Together
from vane_step.core.design.fileformat import from_json
from vane_step.core.design.model import Board, Design, Package, PointNm
from vane_step.core.errors import InputError
from vane_step.core.exchange import FILES, read_exchange, read_packages
from vane_step.core.fab.otherboard import OtherBoard, other_board
from vane_step.core.fab.standard_words import Breach
from vane_step.core.fab.strict import check_archive
from vane_step.core.inspect.look import Look, look_at
from vane_step.core.inspect.makers import Maker
from vane_step.core.parts.pinfiles import PinTable, read_pins

# A board of 300 parts takes three seconds; files made to hang are given up.
LOOKING = Limits(seconds=12.0)


def decoded(content: bytes, name: str) -> str:
    """Read bytes as UTF-8 text, or raise :class:`InputError` naming the file."""
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(
            f"It is not UTF-8 text (byte {error.start}).",
            where=name,
            next_step="Save it as UTF-8.",
        ) from error


def design_file(content: bytes, name: str) -> Design:
    """Read a design file."""
    return confined(from_json, decoded(content, name), name, where=name)


def exchange_folder(contents: Mapping[str, bytes], name: str, board: Board | None = None) -> Design:
    """Read the files of an exchange folder."""
    strange = sorted(contents.keys() - set(FILES))
    if strange:
        raise InputError(
            f"{strange[0]} is no file of an exchange folder.", where=name, allowed=", ".join(FILES)
        )
    texts = {file: decoded(content, file) for file, content in contents.items()}
    return confined(read_exchange, texts, name, board, where=name)


def package_file(content: bytes, name: str) -> dict[str, Package]:
    """Read packages of one's own, as in an exchange folder."""
    return confined(read_packages, decoded(content, name), name, where=name)


def pin_file(content: bytes, name: str, choice: str = "") -> PinTable:
    """Read the pins of a part from a BSDL file, an IBIS file or a table."""
    return confined(read_pins, decoded(content, name), name, choice, where=name)


def block_file(content: bytes, name: str) -> SavedBlock:
    """Read a block."""
    return confined(block_from, decoded(content, name), name, where=name)


def own_parts(content: bytes, name: str) -> list[Own]:
    """Read parts, packages and rule sets of one's own."""
    return confined(read_own, decoded(content, name), name, where=name)


def connection_list(design: Design, text: str, name: str = "connection list") -> Together:
    """Read a connection list."""
    return confined(connections, design, text, where=name)


def is_drawing(name: str) -> bool:
    """Tell whether a file is a drawing or a picture of one outline, by its ending."""
    return PurePath(name.lower()).suffix.lstrip(".") in (*PICTURES, "dxf", "svg")


def outline_file(content: bytes, name: str, width_mm: float) -> Drawn:
    """Read a board from a drawing, or trace its outline from a picture as wide as said."""
    return confined(_outline, content, name, width_mm, where=name)


def _outline(content: bytes, name: str, width_mm: float) -> Drawn:
    drawn = outline_from(content, name, width_mm)
    # What the document refuses is refused while it is read.
    SetOutline(outline=drawn.outline)
    return drawn


def legend_picture(
    content: bytes, name: str, width_mm: float, finest_mm: float
) -> tuple[tuple[PointNm, ...], ...]:
    """Trace a picture for the legend."""
    return confined(trace_shapes, content, name, width_mm, finest_mm, where=name)


def held_to_standards(files: Mapping[str, bytes]) -> tuple[list[str], list[Breach]]:
    """Hold files for a board house against their standards; gives what was checked, and the breaches."""
    return confined(check_archive, dict(files), where=", ".join(files)[:80])


def looked_at(
    files: Mapping[str, bytes],
    said: Mapping[str, str],
    makers: Sequence[Maker],
    other: Mapping[str, bytes] | None = None,
) -> Look:
    """Look at files of any board: what each is, measures against makers, differences from another's."""
    return confined(
        look_at, dict(files), dict(said), tuple(makers), other, limits=LOOKING, where=", ".join(files)[:80]
    )


def files_of_another_board(design: Design, files: Mapping[str, bytes]) -> OtherBoard:
    """Read outline, holes and connector places from another board's files."""
    return confined(other_board, design, dict(files), where=", ".join(files)[:80])
