"""The one Finding type that every check returns: a reading, its limit and the limit's source."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, field_validator

from vane_step.core.rules import RULES, Rule

Level = Literal["stop", "look", "note"]
ORDER: dict[str, int] = {"stop": 0, "look": 1, "note": 2}


class Place(BaseModel):
    """Where a finding is: the things it is about and, on the board, a point.

    ``refs`` are part references, ``pins`` read ``U1.5``; ``x_nm`` and ``y_nm`` are board coordinates.
    """

    model_config = ConfigDict(frozen=True)
    step: Literal["brief", "parts", "circuit", "power", "board", "make"] = "board"
    refs: tuple[str, ...] = ()
    pins: tuple[str, ...] = ()
    net: str | None = None
    layer: str | None = None
    x_nm: int | None = None
    y_nm: int | None = None

    def label(self) -> str:
        """Give a short name of the place for a list."""
        things = self.pins or self.refs or ((self.net,) if self.net else ())
        if things:
            return " · ".join(things[:3]) + (" …" if len(things) > 3 else "")
        if self.x_nm is not None and self.y_nm is not None:
            return f"{self.x_nm / 1e6:.2f}, {self.y_nm / 1e6:.2f} mm"
        return ""


class Remedy(BaseModel):
    """What would cure a finding; ``ask`` is an ask-line sentence the program can carry out."""

    model_config = ConfigDict(frozen=True)
    label: str
    ask: str


class Finding(BaseModel):
    """A reading held against a limit.

    Parameters
    ----------
    level
        ``stop`` forbids a release, ``look`` wants a decision, ``note`` is good to know.
    code
        Stable short name of its rule, such as ``clearance``; all are listed in ``rules``.
    reading, limit
        Both in ``unit``; ``None`` where the rule is yes or no.
    sense
        Whether the reading has to be at least or at most the limit.
    source
        Where the limit comes from: the maker's rules, a standard, or a rule of thumb.
    """

    model_config = ConfigDict(frozen=True)
    level: Level
    code: str
    message: str
    reading: float | None = None
    limit: float | None = None
    unit: str = ""
    sense: Literal["at least", "at most"] = "at least"
    source: str
    place: Place = Place()
    remedy: Remedy | None = None

    @field_validator("code")
    @classmethod
    def _known(cls, code: str) -> str:
        if code not in RULES:
            raise ValueError(f"there is no rule {code}: list it in core/rules.py")
        return code

    @property
    def rule(self) -> Rule:
        """The rule that was broken."""
        return RULES[self.code]

    def key(self) -> str:
        """Name the finding so that a list can keep its place when others come and go."""
        where = self.place
        return (
            f"{self.code}|{','.join(where.refs)}|{','.join(where.pins)}|{where.net}|{where.x_nm}|{where.y_nm}"
        )

    def as_report(self) -> dict[str, Any]:
        """Give the finding as one entry of a ``--report`` file."""
        return {
            "level": self.level,
            "code": self.code,
            "message": self.message,
            "reading": self.reading,
            "limit": self.limit,
            "unit": self.unit,
            "sense": self.sense,
            "source": self.source,
            "where": self.place.model_dump(exclude_none=True),
        }


def ordered(findings: list[Finding]) -> list[Finding]:
    """Sort findings by level, then rule, then place; the same input gives the same order."""
    return sorted(findings, key=lambda f: (ORDER[f.level], f.code, f.key(), f.message))
