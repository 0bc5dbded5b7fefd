"""The one Finding type that every check returns, made by its rule: a reading, its limit and the limit's source."""

from __future__ import annotations

from typing import Any, Final, Literal

from pydantic import BaseModel, ConfigDict

from vane_step.core.rules import LEVELS, RULES, Level, Room, Rule

Step = Literal["brief", "parts", "circuit", "power", "board", "make"]
# The step of the work at which what a rule finds is looked at.
STEP_OF: Final[dict[Room, Step]] = {
    "brief": "brief",
    "parts": "parts",
    "order": "parts",
    "circuit": "circuit",
    "power": "power",
    "board": "board",
    "legend": "board",
    "make": "make",
    "read back": "make",
}


class Place(BaseModel):
    """Where a finding is: the things it is about and, on the board, a point.

    ``refs`` are part references, ``pins`` read ``U1.5``; ``x_nm`` and ``y_nm`` are board coordinates.
    """

    model_config = ConfigDict(frozen=True)
    step: Step = "board"
    refs: tuple[str, ...] = ()
    pins: tuple[str, ...] = ()
    net: str | None = None
    layer: str | None = None
    x_nm: int | None = None
    y_nm: int | None = None

    @classmethod
    def of_pins(cls, *pins: str, net: str | None = None) -> Place:
        """Give the place of some pins, and so of their parts."""
        return cls(pins=pins, refs=tuple(dict.fromkeys(p.rpartition(".")[0] for p in pins)), net=net)

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

    @property
    def rule(self) -> Rule:
        """The rule that was broken."""
        return RULES[self.code]

    def as_listed(self) -> bool:
        """Tell whether level, sense and unit are those that the list of rules gives its rule."""
        rule = self.rule
        units = {u.removesuffix("s") for u in rule.units}
        return (
            self.level in rule.levels
            and (self.reading is None or rule.sense in ("either way", "is", self.sense))
            and (self.unit.removesuffix("s") in units or not self.unit or "its own" in units)
        )

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


def tell(
    code: str,
    message: str,
    reading: float | None = None,
    limit: float | None = None,
    place: Place | None = None,
    *,
    level: Level | None = None,
    sense: Literal["at least", "at most"] | None = None,
    unit: str | None = None,
    source: str | None = None,
    remedy: Remedy | None = None,
) -> Finding:
    """Make a finding by its rule.

    Level, unit and source are the rule's first where none is given, and so is the step of the place. Where a rule holds
    readings either way, one above the limit had to be at most the limit. Lengths are told to the nanometre, all else to
    four decimals.

    Raises
    ------
    KeyError
        When there is no such rule: list it in ``rules``.
    """
    rule = RULES[code]
    where = place or Place()
    if "step" not in where.model_fields_set:
        where = where.model_copy(update={"step": STEP_OF[rule.room]})
    unit = unit if unit is not None else (rule.units or ("",))[0]
    digits = 6 if unit == "mm" else 4
    if sense is None:
        if rule.sense in ("at least", "at most"):
            sense = rule.sense
        else:
            sense = "at most" if reading is not None and limit is not None and reading > limit else "at least"
    return Finding(
        level=level or rule.levels[0],
        code=code,
        message=message,
        reading=None if reading is None else round(reading, digits),
        limit=None if limit is None else round(limit, digits),
        unit=unit,
        sense=sense,
        source=source or rule.source,
        place=where,
        remedy=remedy,
    )


def ordered(findings: list[Finding]) -> list[Finding]:
    """Sort findings by level, then rule, then place; the same input gives the same order."""
    return sorted(findings, key=lambda f: (LEVELS.index(f.level), f.code, f.key(), f.message))
