"""The power of a board on paper: its flow in a state, how warm it gets, all states, what is wrong; what is on it is
worked out beside."""

from __future__ import annotations

import base64
import io
import itertools
import re
from collections.abc import Sequence
from typing import Final

from reportlab.lib.colors import Color, HexColor, black, white
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.finding import Finding
from vane_step.core.network.readings import Reading, readings
from vane_step.core.network.sweeps import Curve
from vane_step.core.operation.board_picture import Picture, current_picture, heat_picture
from vane_step.core.operation.budget import Lifetime, lifetimes
from vane_step.core.operation.flow_drawing import CARD_W, Card, FlowDrawing, flow_drawing
from vane_step.core.operation.overview import KINDS, overview
from vane_step.core.operation.plots import plot_of
from vane_step.core.operation.power_flow import power_flow
from vane_step.core.quantity import format_value

MARGIN: Final = 34.0
GREY, HEAT, RIBBON = HexColor("#6b6b66"), HexColor("#a32a22"), Color(0.06, 0.37, 0.4, alpha=0.3)
GRID: Final = HexColor("#d8d6cc")
# Of a curve's lines, in their order.
INKS: Final = tuple(map(HexColor, ("#0f5e66", "#a32a22", "#b8860b", "#1f2a30", "#6b6b66", "#7a4fa0")))
# From so many hours on a time is told in days.
LONG_H: Final = 72
RANK: Final = {"stop": 0, "look": 1, "note": 2}


def power_pdf(
    design: Design, state: Reading, findings: Sequence[Finding], made: str, curves: Sequence[Curve] = ()
) -> bytes:
    """Write the power of a board as PDF.

    Parameters
    ----------
    state
        The state whose flow and heat are drawn.
    findings
        Of the power step, told as the list beside the page does.
    made
        Which version, and of when.
    curves
        Those somebody asked for, each on a page of its own.

    Raises
    ------
    InputError
        When nothing feeds the board, so that there is nothing to draw.
    """
    if not state.sources and not state.setting.sources:
        raise InputError(
            "Nothing feeds this board.",
            where=design.name,
            next_step="Say a source first. Type: source BATT NET GND 12V",
        )
    out = io.BytesIO()
    paper = _Paper(Canvas(out, pagesize=landscape(A4), invariant=True), design, made)
    paper.flow(state)
    if any(part.place for part in design.parts.values()):
        heat = heat_picture(design, state)
        assert heat.heat is not None
        hottest, x, y = heat.heat.hottest
        paper.picture(
            heat,
            "how warm the board gets",
            f"State {heat.state}: {heat.heat.ambient_c + hottest:.0f} °C at its hottest, {x:.1f}, {y:.1f} mm, "
            f"in air of {heat.heat.ambient_c:g} °C",
        )
        for layer in design.board.layers:
            drawn = current_picture(design, state, layer)
            if drawn.lines or drawn.rasters:
                told = f"State {drawn.state}, copper of the {layer}: up to {drawn.top:g} {drawn.unit}"
                paper.picture(drawn, "what flows in its copper", told)
    for curve in curves:
        paper.curve(curve, state.name)
    paper.states(design)
    for life in lifetimes(design, readings(design)):
        paper.life(life)
    paper.findings(findings)
    paper.canvas.save()
    return out.getvalue()


class _Paper:
    """Pages with a head, written from the top down."""

    def __init__(self, canvas: Canvas, design: Design, made: str) -> None:
        self.canvas, self.design, self.made = canvas, design, made
        self.width, self.height = landscape(A4)
        self.y = 0.0
        self.page = 0
        canvas.setTitle(f"{design.name}: power")

    def begin(self, title: str) -> None:
        """Begin a page with its head."""
        if self.page:
            self.canvas.showPage()
        self.page += 1
        self.y = self.height - MARGIN - 10
        self.word(MARGIN, self.y, f"{self.design.name}: {title}", 15, bold=True)
        self.word(self.width - MARGIN, self.y, f"{self.made}, page {self.page}", 9, anchor="end", ink=GREY)
        self.y -= 22

    def word(
        self,
        x: float,
        y: float,
        text: str,
        size: float = 9.5,
        bold: bool = False,
        anchor: str = "start",
        ink: Color = black,
    ) -> None:
        """Write a word with its baseline at a height."""
        self.canvas.setFont("Helvetica-Bold" if bold else "Helvetica", size)
        self.canvas.setFillColor(ink)
        # The fonts every reader has know no Ω and no minus sign of their own.
        text = text.replace("Ω", "ohm").replace("▾", "").replace("−", "-")
        draw = {"start": self.canvas.drawString, "end": self.canvas.drawRightString}.get(
            anchor, self.canvas.drawCentredString
        )
        draw(x, y, text)

    def room(self, wanted: float, title: str) -> None:
        """Begin a page where less room is left than wanted."""
        if self.y - wanted < MARGIN:
            self.begin(title)

    def flow(self, state: Reading) -> None:
        """Draw the flow of power of a state on a page of its own."""
        self.begin("flow of power")
        flow = power_flow(self.design, state)
        given = sum(max(s.watts, 0.0) for s in state.sources.values())
        self.word(
            MARGIN,
            self.y,
            f"State {state.name}: {format_value(given, 'W')} from the sources, "
            f"{format_value(flow.heat_w, 'W')} become heat on the way",
        )
        drawing = flow_drawing(flow)
        scale = min(
            1.0, (self.width - 2 * MARGIN) / drawing.width, (self.y - MARGIN - 14) / max(drawing.height, 1)
        )
        canvas = self.canvas
        canvas.saveState()
        canvas.translate(MARGIN, self.y - 14)
        canvas.scale(scale, scale)
        self._drawn(drawing)
        canvas.restoreState()

    def _drawn(self, drawing: FlowDrawing) -> None:
        canvas = self.canvas
        for ribbon in drawing.ribbons:
            canvas.setStrokeColor(RIBBON)
            canvas.setLineWidth(ribbon.width)
            self._path(ribbon.path)
        for ribbon in drawing.ribbons:
            told = ribbon.transfer
            self.word(ribbon.label_x, -ribbon.label_y + 10, " ".join(told.refs), 8, anchor="middle")
            if told.heat_w > 5e-4:
                heat = f"{format_value(told.heat_w, 'W')} heat"
                self.word(ribbon.label_x, -ribbon.label_y, heat, 8, anchor="middle", ink=HEAT)
        for card in drawing.cards:
            self._card(card)

    def _card(self, card: Card) -> None:
        canvas, rail = self.canvas, card.rail
        canvas.setFillColor(white)
        canvas.setStrokeColor(black)
        canvas.setLineWidth(1)
        canvas.roundRect(card.x, -card.y - card.height, CARD_W, card.height, 3, fill=1)
        self.word(card.x + 8, -card.y - 15, rail.name, 10, bold=True)
        volts = "off" if card.off else format_value(rail.volts, "V", 4)
        self.word(card.x + 8, -card.y - 34, volts, 15, bold=True)
        self.word(card.x + 8, -card.y - 48, format_value(rail.amps, "A"), 9, ink=GREY)
        self.word(card.x + 8, -card.y - 60, format_value(rail.watts, "W"), 9, ink=GREY)
        for k, feed in enumerate(card.feeds):
            y = -card.y - card.height + 18 * (len(card.feeds) - k) - 13
            said = f"{feed.name}: {format_value(feed.amps, 'A') if feed.on else 'off'}"
            self.word(card.x + 8, y, said, 9, bold=True)
        for draw, y, _ in card.draws:
            self.word(card.x + 4, -y, draw.name, 9)
            self.word(card.x + CARD_W - 4, -y, format_value(draw.watts, "W"), 9, anchor="end", ink=GREY)

    def picture(self, picture: Picture, title: str, told: str) -> None:
        """Draw the board with what is coloured on it."""
        self.begin(title)
        self.word(MARGIN, self.y, told)
        x0, y0, x1, y1 = picture.bounds
        scale = min((self.width - 2 * MARGIN - 90) / (x1 - x0), (self.y - MARGIN - 20) / (y1 - y0))
        canvas = self.canvas
        canvas.saveState()
        canvas.translate(MARGIN, self.y - 14 - (y1 - y0) * scale)
        canvas.scale(scale, scale)
        canvas.translate(-x0, -y0)
        for raster in picture.rasters:
            data = ImageReader(io.BytesIO(base64.b64decode(raster.data.partition(",")[2])))
            canvas.drawImage(data, *raster.box, mask="auto")
        canvas.setLineCap(1)
        for line in picture.lines:
            canvas.setStrokeColor(HexColor(line.colour))
            canvas.setLineWidth(max(line.width_mm, 0.6 / scale))
            canvas.line(*line.ends_mm)
        canvas.setStrokeColor(GREY)
        canvas.setLineWidth(0.5 / scale)
        for _, outline in picture.bodies:
            self._outline(outline)
        canvas.setStrokeColor(black)
        canvas.setLineWidth(1.2 / scale)
        self._outline(picture.board)
        for name, x, y, value in picture.marks:
            self.word(x, y, f"{name} {value:.3g}", 9 / scale, bold=True, anchor="middle")
        canvas.restoreState()
        self.word(self.width - MARGIN - 80, self.y - 24, f"up to {picture.top:g} {picture.unit}", 9)

    def _outline(self, said: str) -> None:
        for ring in said.split("Z"):
            points = [tuple(map(float, p.split())) for p in re.split("[ML]", ring) if p]
            if points:
                path = self.canvas.beginPath()
                path.moveTo(*points[0])
                for point in points[1:]:
                    path.lineTo(*point)
                path.close()
                self.canvas.drawPath(path)

    def curve(self, curve: Curve, state: str) -> None:
        """Draw a curve with its axes, what each line is, and what is said of it."""
        self.begin(f"{', '.join(curve.labels)} over {curve.title}")
        self.word(MARGIN, self.y, f"State {state}")
        plot, canvas = plot_of(curve, log=curve.unit == "Hz"), self.canvas
        scale = min((self.width - 2 * MARGIN) / plot.width, (self.y - MARGIN - 60) / plot.height)
        canvas.saveState()
        canvas.translate(MARGIN, self.y - 14)
        canvas.scale(scale, scale)
        low, high = plot.panels[0].top, plot.panels[-1].top + plot.panels[-1].height
        canvas.setStrokeColor(GRID)
        canvas.setLineWidth(0.5)
        for tick in plot.ticks:
            canvas.line(tick.at, -low, tick.at, -high)
            self.word(tick.at, -plot.height + 14, tick.label, 9, anchor="middle")
        for panel in plot.panels:
            for tick in panel.ticks:
                canvas.setStrokeColor(GRID)
                canvas.line(plot.left, -tick.at, plot.right, -tick.at)
                self.word(plot.left - 6, -tick.at - 3, tick.label, 9, anchor="end")
            canvas.setLineWidth(1.3)
            for trace in panel.traces:
                canvas.setStrokeColor(INKS[trace.number % len(INKS)])
                self._path(trace.path)
            canvas.setLineWidth(0.5)
            canvas.setStrokeColor(black)
            canvas.rect(plot.left, -panel.top - panel.height, plot.right - plot.left, panel.height)
        canvas.restoreState()
        self.y -= 14 + plot.height * scale
        x = MARGIN
        for panel in plot.panels:
            for trace in panel.traces:
                self.word(x, self.y - 12, trace.label, 9.5, bold=True, ink=INKS[trace.number % len(INKS)])
                x += canvas.stringWidth(trace.label, "Helvetica-Bold", 9.5) + 18
        for k, note in enumerate(curve.notes):
            self.word(MARGIN, self.y - 26 - 12 * k, note, 9, ink=GREY)

    def _path(self, said: str) -> None:
        """Draw lines and curves written as letters and places, y down."""
        path = self.canvas.beginPath()
        for letter, numbers in re.findall(r"([MCL])([^MCL]*)", said):
            at = [float(v) for v in numbers.split()]
            at[1::2] = [-v for v in at[1::2]]
            {"M": path.moveTo, "L": path.lineTo, "C": path.curveTo}[letter](*at)
        self.canvas.drawPath(path)

    def states(self, design: Design) -> None:
        """Write all states, the gravest first."""
        title = "states"
        self.begin(title)
        columns = [MARGIN + 250 + k * 106 for k in range(len(KINDS))]
        for (_, name), x in zip(KINDS, columns, strict=True):
            self.word(x + 96, self.y, name.capitalize(), 9, bold=True, anchor="end")
        for row in sorted(overview(design, readings(design)), key=lambda r: RANK.get(r.level, 2)):
            self.room(24, title)
            self.y -= 24
            self.word(MARGIN, self.y, row.reading.setting.name[:58], 9)
            for (kind, _), x in zip(KINDS, columns, strict=True):
                cell = row.cells[kind]
                if cell.of:
                    ink = HEAT if cell.level == "stop" else black
                    reading = format_value(cell.reading, cell.unit)
                    bold = bool(cell.level)
                    self.word(x + 96, self.y, reading, 9, anchor="end", ink=ink, bold=bold)
                    limit = (
                        "" if cell.limit is None else f" {cell.held} {format_value(cell.limit, cell.unit)}"
                    )
                    self.word(x + 96, self.y - 9, f"{cell.of}{limit}"[:26], 7, anchor="end", ink=GREY)

    def life(self, life: Lifetime) -> None:
        """Draw how a source's charge and voltage fall over time."""
        self.begin(f"how long {life.source} lasts")
        days = life.hours >= LONG_H
        unit, top = ("days", life.hours / 24) if days else ("hours", life.hours)
        by = f"as that of {life.cells} cells usually does" if life.cells else "evenly with its charge"
        in_mode = "with the modes' shares of the time" if life.shares else f"in mode {life.mode}"
        said = f"{top:.1f} {unit} {in_mode}, {format_value(life.mean_a, 'A')} in the mean, its voltage falling {by}"
        self.word(MARGIN, self.y, f"{said} (rule of thumb)")
        low, wide, high = MARGIN + 40, self.width - 2 * MARGIN - 60, 0.6 * self.height
        base = self.y - 30 - high
        canvas = self.canvas
        canvas.setStrokeColor(GREY)
        canvas.setLineWidth(0.6)
        for k in range(5):
            x, y = low + wide * k / 4, base + high * k / 4
            canvas.line(x, base, x, base + high)
            canvas.line(low, y, low + wide, y)
            self.word(x, base - 14, f"{top * k / 4:.3g} {unit if k == 4 else ''}".strip(), 9, anchor="middle")
            self.word(low - 6, y - 3, f"{25 * k} %", 9, anchor="end")
        canvas.setStrokeColor(black)
        canvas.setLineWidth(1.4)
        points = [(low + wide * h / life.hours, base + high * left) for h, left, _ in life.curve]
        for one, two in itertools.pairwise(points):
            canvas.line(*one, *two)
        for (x, y), (_, _, volts) in zip(points, life.curve, strict=True):
            self.word(x + 4, y + 4, format_value(volts, "V"), 8)

    def findings(self, findings: Sequence[Finding]) -> None:
        """Write what is wrong, with the source of each limit."""
        title = "findings of power"
        self.begin(title)
        if not findings:
            self.word(MARGIN, self.y, "None.")
        for finding in findings:
            lines = _wrapped(finding.message, 125)
            self.room(16 + 12 * len(lines), title)
            self.y -= 6
            self.word(
                MARGIN, self.y, finding.level, 9, bold=True, ink=HEAT if finding.level == "stop" else black
            )
            for line in lines:
                self.word(MARGIN + 46, self.y, line)
                self.y -= 12
            self.word(MARGIN + 46, self.y, f"limit: {finding.source}", 7.5, ink=GREY)
            self.y -= 8


def _wrapped(text: str, most: int) -> list[str]:
    lines = [""]
    for word in text.split():
        if lines[-1] and len(lines[-1]) + len(word) >= most:
            lines.append("")
        lines[-1] = f"{lines[-1]} {word}".strip()
    return lines
