"""What every file of a release says of itself: who wrote it, when, of which project, that all belong together."""

from __future__ import annotations

import hashlib
import uuid
from dataclasses import dataclass
from typing import Final, Literal

from vane_step import __version__
from vane_step.core.derive import COPPER
from vane_step.core.design.model import Design

WRITER: Final = ("Vane Step", "vane-step", __version__)
PartOf = Literal["Single", "Array"]


@dataclass(frozen=True)
class Heading:
    """The file attributes all files of a release share (Gerber layer format 2024.05, 5.6).

    Parameters
    ----------
    stamp
        When it was made, in ISO 8601.
    name, guid, revision
        The project: its name, an RFC 4122 identity made of that name, and a mark of what is made.
    part
        A single board, or an array of them.
    """

    stamp: str
    name: str
    guid: str
    revision: str
    part: PartOf = "Single"

    def attributes(self, function: str) -> list[str]:
        """Give the file attributes as ``Name,value,…``, the file's own function among them."""
        return [
            f"GenerationSoftware,{','.join(WRITER)}",
            f"CreationDate,{self.stamp}",
            f"ProjectId,{field(self.name)},{self.guid},{self.revision}",
            f"Part,{self.part}",
            # Files whose coordinates are alike say the same here.
            f"SameCoordinates,{self.guid[:8]}",
            f"FileFunction,{function}",
        ]


def heading_of(design: Design, stamp: str, part: PartOf = "Single") -> Heading:
    """Give the heading of a design's files; the same design gives the same identity and revision."""
    mark = hashlib.blake2b(design.name.encode(), digest_size=16)
    made = hashlib.blake2b(digest_size=4)
    for section in (*COPPER, "variants"):
        made.update(design.digest(section).encode())
    return Heading(stamp, design.name, str(uuid.UUID(bytes=mark.digest(), version=4)), made.hexdigest(), part)


def field(text: str) -> str:
    """Escape what would end a field of an attribute."""

    def plain(c: str) -> bool:
        return c.isascii() and (c.isalnum() or c in "_-+./$~# ")

    return "".join(
        c if plain(c) else f"\\u{ord(c):04X}" if ord(c) < 0x10000 else f"\\U{ord(c):08X}" for c in text
    )
