"""What every model of the document is made of: lengths, names, sides and layers, and the frozen base model."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from typing import Annotated, Any, Final, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, PrivateAttr

MAX_NM: Final = 2_000_000_000

Nm = Annotated[int, Field(ge=-MAX_NM, le=MAX_NM)]
SizeNm = Annotated[int, Field(ge=0, le=MAX_NM)]
PositiveNm = Annotated[int, Field(gt=0, le=MAX_NM)]
Name = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[^\s.,;]+$")]
Text = Annotated[str, Field(max_length=200)]
PointNm = tuple[Nm, Nm]
Side = Literal["front", "back"]
Layer = Literal["front", "in1", "in2", "back"]

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

    model_config = ConfigDict(frozen=True, extra="forbid")

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
