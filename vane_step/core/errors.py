"""The one tree of errors a user can act on; what they look like on a page or a terminal belongs elsewhere.

VaneStepError
|- InputError        what came in cannot be used (terminal: exit 2, page: 422)
|- NotFound          the thing named does not exist (404)
|- EditRefused       the edit would break the design (409)
|  |- StaleEdit      the edit was made on an older version of the design (409)
|- ReleaseRefused    what was written does not match the design (409)
"""

from __future__ import annotations

from typing import Any


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
    """

    status = 500
    code = "error"

    def __init__(
        self, message: str, *, where: str = "", value: object = None, allowed: str = "", next_step: str = ""
    ) -> None:
        super().__init__(message)
        self.message = message
        self.where = where
        self.value = value
        self.allowed = allowed
        self.next_step = next_step

    def as_dict(self) -> dict[str, Any]:
        """Give the error as plain data, the same for page, JSON and terminal."""
        return {
            "code": self.code,
            "message": self.message,
            "where": self.where,
            "value": None if self.value is None else str(self.value),
            "allowed": self.allowed,
            "next_step": self.next_step,
        }

    def line(self) -> str:
        """Give the error as one line of text."""
        parts = [f"{self.where}: " if self.where else "", self.message]
        if self.allowed:
            parts.append(f" Allowed: {self.allowed}.")
        if self.next_step:
            parts.append(f" {self.next_step}")
        return "".join(parts)


class InputError(VaneStepError):
    """What came in from outside cannot be used."""

    status = 422
    code = "unusable-input"


class NotFound(VaneStepError):
    """The thing named does not exist."""

    status = 404
    code = "not-found"


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
