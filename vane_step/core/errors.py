"""The one tree of errors a user can act on; what they look like on a page or a terminal belongs elsewhere.

VaneStepError
|- InputError        what came in cannot be used (terminal: exit 2, page: 422)
|- NotFound          the thing named does not exist (404)
|- DamagedDesign     what is stored of a design cannot be read (409)
|- StoreFailed       nothing could be written or read: disk full, locked, read-only (503)
|- EditRefused       the edit would break the design (409)
|  |- StaleEdit      the edit was made on an older version of the design (409)
|- ReleaseRefused    what was written does not match the design (409)
|  |- StopsOpen      findings of level stop forbid a release (terminal: exit 1)
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any


def _again(kind: type[VaneStepError], says: dict[str, Any]) -> VaneStepError:
    return kind(says.pop("message"), **says)


def _plain(text: str, most: int) -> str:
    text = text.encode("utf-8", "replace").decode("utf-8")
    return text if len(text) <= most else f"{text[: most - 2]} …"


class VaneStepError(Exception):
    """An error that names the object, the value, what is allowed and the next step.

    Parameters
    ----------
    message : str
        One sentence that says what is wrong.
    where : str
        The object, or file and line, it is about.
    value : object
        The value that was refused.
    allowed : str
        What would have been accepted.
    next_step : str
        What the user can do now.
    choices : sequence of str
        Sentences that each do one of the things that can have been meant, for the user to choose from.
    """

    status = 500
    code = "error"
    exit_code = 2

    def __init__(
        self,
        message: str,
        *,
        where: str = "",
        value: object = None,
        allowed: str = "",
        next_step: str = "",
        choices: Sequence[str] = (),
    ) -> None:
        super().__init__(message)
        # What came in may be quoted, however long, and may hold halves of surrogates, which no answer can carry.
        self.message = _plain(message, 600)
        self.where = _plain(where, 200)
        self.value = None if value is None else _plain(str(value), 200)
        self.allowed = _plain(allowed, 4000)
        self.next_step = _plain(next_step, 600)
        self.choices = [_plain(text, 400) for text in choices]

    def __reduce__(self) -> tuple[Any, ...]:
        """Let the error pass from one process to another with all it says."""
        return _again, (type(self), {k: v for k, v in self.as_dict().items() if k != "code"})

    def as_dict(self) -> dict[str, Any]:
        """Give the error as plain data, the same for page, JSON and terminal."""
        return {
            "code": self.code,
            "message": self.message,
            "where": self.where,
            "value": self.value,
            "allowed": self.allowed,
            "next_step": self.next_step,
            "choices": self.choices,
        }

    def line(self) -> str:
        """Give the error as one line of text."""
        parts = [f"{self.where}: " if self.where else "", self.message]
        if self.allowed:
            parts.append(f" Allowed: {self.allowed}.")
        if self.next_step:
            parts.append(f" {self.next_step}")
        if self.choices:
            parts.append(f" Type: {' · or: '.join(self.choices)}")
        return "".join(parts)


class InputError(VaneStepError):
    """What came in from outside cannot be used."""

    status = 422
    code = "unusable-input"


class NotFound(VaneStepError):
    """The thing named does not exist."""

    status = 404
    code = "not-found"


class DamagedDesign(VaneStepError):
    """What is stored of a design cannot be read; the others can."""

    status = 409
    code = "damaged-design"


class StoreFailed(VaneStepError):
    """The database could not be written or read; nothing was changed."""

    status = 503
    code = "not-stored"


class EditRefused(VaneStepError):
    """The edit would break the design."""

    status = 409
    code = "edit-refused"


class StaleEdit(EditRefused):
    """The edit was made on an older version of the design."""

    code = "stale-edit"


class ReleaseRefused(VaneStepError):
    """What was written for the maker does not match the design."""

    status = 409
    code = "release-refused"


class StopsOpen(ReleaseRefused):
    """Findings of level stop forbid a release; they are named."""

    code = "stops-open"
    exit_code = 1
