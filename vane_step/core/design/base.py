"""What every model of the document is made of: lengths, names, sides and layers, and the frozen base model."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from typing import Annotated, Any, Final, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PrivateAttr

MAX_NM: Final = 2_000_000_000

Nm = Annotated[int, Field(ge=-MAX_NM, le=MAX_NM)]
SizeNm = Annotated[int, Field(ge=0, le=MAX_NM)]
PositiveNm = Annotated[int, Field(gt=0, le=MAX_NM)]
# Controls are kept out as well: names go into files whose lines end there.
Name = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[^\s.,;\x00-\x1f\x7f-\x9f]+$")]


def one_line(text: Any) -> Any:
    """Put a space in place of what is no character of a line: line ends and other controls, halves of surrogates."""
    if not isinstance(text, str) or text.isprintable():
        return text
    return "".join(c if c.isprintable() or c == "\u00a0" else " " for c in text)


def lines(text: Any) -> Any:
    """Do the same for a text of several lines, which keeps its line ends and tabs."""
    if not isinstance(text, str) or text.isprintable():
        return text
    return "".join(c if c.isprintable() or c in "\n\t\u00a0" else " " for c in text.replace("\r\n", "\n"))


Line = Annotated[str, BeforeValidator(one_line)]
Text = Annotated[Line, Field(max_length=200)]
Lines = Annotated[str, BeforeValidator(lines)]
PointNm = tuple[Nm, Nm]
Side = Literal["front", "back"]
Layer = Literal["front", "in1", "in2", "back"]
# The ways a board is made at home; what each can do is in ``etch.methods``.
EtchMethodName = Literal[
    "toner", "release", "film", "film-away", "dry-film", "dry-film-away", "pen", "tape", "rub", "mill"
]

LAYERS: Final[dict[int, tuple[Layer, ...]]] = {
    1: ("back",),
    2: ("front", "back"),
    4: ("front", "in1", "in2", "back"),
}


class Frozen(BaseModel):
    """Base of all models of the document: immutable, and strict about unknown fields.

    Equality goes by content; each knows the digest of its content once it was asked for, and copies with changes
    ask anew, so that the digest of a design of thousands of pieces costs little after one edit.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    _mark: bytes | None = PrivateAttr(default=None)

    def mark(self) -> bytes:
        """Give a digest of the content."""
        # Asked thousands of times after an edit: the private attribute is reached without pydantic's detour.
        private = self.__pydantic_private__ or {}
        found: bytes | None = private.get("_mark")
        if found is None:
            self._mark = found = hashlib.blake2b(self.model_dump_json().encode(), digest_size=16).digest()
        return found

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Copy, with changes that are already valid."""
        result = super().model_copy(update=update, deep=deep)
        result._mark = None
        return result

    def __eq__(self, other: object) -> bool:
        """Compare the content; what was computed from it meanwhile does not count."""
        return self.__dict__ == other.__dict__ if type(other) is type(self) else NotImplemented

    def __hash__(self) -> int:
        """Hash the content."""
        return hash(self.mark())
