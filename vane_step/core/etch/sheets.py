"""Sheets of paper at true scale: their size, rulers, correction for the printer; what is drawn on them is elsewhere."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.errors import InputError

PAPERS_MM: Final[dict[str, tuple[float, float]]] = {
    "A4": (210.0, 297.0),
    "Letter": (215.9, 279.4),
    "A3": (297.0, 420.0),
}
TURNS: Final = ("auto", "portrait", "landscape")
# Printers that leave less than this white shrink the page instead, silently.
SURE_MARGIN_MM: Final = 5.0
MARGIN_MM: Final = 10.0
# Captions and the ruler across stand in the head, the ruler upwards in a strip at the right.
HEAD_MM, STRIP_MM = 46.0, 8.0
RULER_MM: Final = 50.0


@dataclass(frozen=True)
class Page:
    """A sheet of paper and what of it is left white all round, in millimetres."""

    width_mm: float = 210.0
    height_mm: float = 297.0
    margin_mm: float = MARGIN_MM

    @property
    def room(self) -> tuple[float, float]:
        """What is left for pictures, across and up."""
        return self.width_mm - 2 * self.margin_mm - STRIP_MM, self.top_mm - self.margin_mm

    @property
    def top_mm(self) -> float:
        """Up to where pictures may reach."""
        return self.height_mm - self.margin_mm - HEAD_MM


def page_of(paper: str, landscape: bool = False, margin_mm: float = MARGIN_MM) -> Page:
    """Give a page by the name of its paper.

    Raises
    ------
    InputError
        For a paper that is none, or a margin that leaves nothing.
    """
    if paper not in PAPERS_MM:
        raise InputError(
            f"There is no paper {paper!r}.", where="paper", value=paper, allowed=", ".join(PAPERS_MM)
        )
    if not 0 <= margin_mm <= 40:
        raise InputError(
            f"A margin of {margin_mm:g} mm is none.", where="margin", value=margin_mm, allowed="0 to 40 mm"
        )
    wide, tall = PAPERS_MM[paper]
    return Page(tall, wide, margin_mm) if landscape else Page(wide, tall, margin_mm)


@dataclass(frozen=True)
class Placed:
    """A picture on a sheet: which, where its lower left corner is, its size, and whether it stands on its head."""

    kind: str
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    turned: bool = False


@dataclass(frozen=True)
class Sheet:
    """One sheet: black shapes in millimetres from the lower left corner of the page, and lines of plain text.

    ``labels`` are small texts at places of the sheet: (x, y, text).
    """

    title: str
    page: Page
    ink: tuple[BaseGeometry, ...]
    ruler: tuple[BaseGeometry, ...]
    captions: tuple[str, ...]
    labels: tuple[tuple[float, float, str], ...] = ()
    placed: tuple[Placed, ...] = ()


def ruler(page: Page) -> tuple[BaseGeometry, ...]:
    """Draw a ruler of 50 mm across and one upwards; its end marks are 0.2 mm lines whose middles are 50 mm apart."""
    x0, y0 = page.margin_mm, page.top_mm + 3
    shapes: list[BaseGeometry] = [box(x0 - 0.1, y0 - 0.1, x0 + RULER_MM + 0.1, y0 + 0.1)]
    shapes += [box(x0 + k - 0.1, y0, x0 + k + 0.1, y0 + (4 if k % 10 == 0 else 2)) for k in range(0, 51, 5)]
    ux, uy = page.width_mm - page.margin_mm, page.height_mm - page.margin_mm - RULER_MM
    shapes += [box(ux - 0.1, uy - 0.1, ux + 0.1, uy + RULER_MM + 0.1)]
    shapes += [box(ux - (4 if k % 10 == 0 else 2), uy + k - 0.1, ux, uy + k + 0.1) for k in range(0, 51, 5)]
    return tuple(shapes)


def scale_of(measured_x_mm: float, measured_y_mm: float) -> tuple[float, float]:
    """Give the correction for a printer whose ruler measured other than 50 mm.

    Raises
    ------
    InputError
        For lengths that no working printer gives: check that the page was not fitted.
    """
    for name, value in (("ruler across", measured_x_mm), ("ruler upwards", measured_y_mm)):
        if not 45 <= value <= 55:
            raise InputError(
                f"The {name} measures {value:g} mm.",
                where=name,
                value=value,
                allowed="45 to 55 mm",
                next_step="Print at 100 % and measure again.",
            )
    return RULER_MM / measured_x_mm, RULER_MM / measured_y_mm


def polygons(shape: BaseGeometry) -> Iterator[Polygon]:
    """Give the polygons of a shape, of collections in collections too."""
    if isinstance(shape, Polygon):
        if not shape.is_empty:
            yield shape
        return
    for part in getattr(shape, "geoms", ()):
        yield from polygons(part)
