"""One page for a customer: what was ridden, what was reached, what the ride says, and what to do; HTML that stands alone, or PDF."""

from __future__ import annotations

import base64
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QSizeF, Qt
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QPixmap, QTextDocument

from crisp_hornet.bench.marks import paint_severity
from crisp_hornet.bench.paper import rendered
from crisp_hornet.bench.stations.verdict.estimate_figures import FIGURES
from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.stations.verdict.peak_table import PeakLine
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents import wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

CHART_PX, DPI, MOST_DIFFERENCES, MARK_PX = 325, 150, 6, 48
CAUTION = (
    "Predictions rest on the figures of the bike. What may be ridden where, the local code decides; where wiring, packs or road approval "
    "are in doubt, a licensed workshop does the work."
)
WORDS = {"stop": "blocks sending", "warn": "warning", "note": "note"}


@dataclass(frozen=True, eq=False)
class Told:
    """What the page says: heads, the bike, what was found, the charts with their captions, and the units it is shown in."""

    title: str
    about: str
    headlines: str
    bike: Bike
    verdict: Verdict
    lines: Sequence[PeakLine]
    findings: Sequence[Finding]
    charts: Sequence[tuple[str, QPixmap]]
    against: Against | None
    units: Units


@dataclass(frozen=True)
class Learned:
    """A figure that the ride says: its name, what it says, and what the document said."""

    words: str
    says: str
    document: str


def page(told: Told) -> str:
    """The page as HTML, the charts in it."""
    return rendered(
        "verdict/report.html",
        told.units,
        title=f"{told.bike.name}: {told.title}",
        about=told.about,
        headlines=told.headlines,
        charts=[(words, _picture(chart)) for words, chart in told.charts],
        reached=told.lines,
        learned=list(_learned(told)),
        against=told.against,
        findings=told.findings,
        words=WORDS,
        marks={severity: _picture(_mark(severity)) for severity in WORDS},
        caution=CAUTION,
        chart_px=CHART_PX,
        most_differences=MOST_DIFFERENCES,
    )


def _learned(told: Told) -> Iterator[Learned]:
    for figure in FIGURES:
        one = figure.take(told.verdict)
        if one.known:
            shown = one.times(figure.factor, figure.unit or one.unit)
            stands = told.bike.figure(figure.path) * figure.factor if figure.path else math.nan
            document = (
                say("set on Build: {stands}", stands=quantity(stands, shown.unit, f".{figure.digits + 1}g"))
                if figure.path
                else ""
            )
            yield Learned(figure.words, shown.in_words(figure.digits), document)


def _mark(severity: str) -> QPixmap:
    """The shape that a severity has on the screens."""
    mark = QPixmap(MARK_PX, MARK_PX)
    mark.fill(Qt.GlobalColor.transparent)
    painter = QPainter(mark)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint_severity(painter, LIGHT, severity, QPointF(MARK_PX / 2, MARK_PX / 2), 0.42 * MARK_PX)
    painter.end()
    return mark


def _picture(chart: QPixmap) -> str:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    chart.save(buffer, "PNG")
    return f"data:image/png;base64,{base64.b64encode(buffer.data().data()).decode()}"


def save(html: str, path: Path) -> None:
    """Write the page: PDF by that ending, HTML by any other. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    if path.suffix.lower() != ".pdf":
        wire.write_bytes(path, html.encode())
        return
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(DPI)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4),
            QPageLayout.Orientation.Portrait,
            QMarginsF(16, 13, 16, 13),
            QPageLayout.Unit.Millimeter,
        )
    )
    document = QTextDocument()
    document.documentLayout().setPaintDevice(writer)  # type: ignore[union-attr]  # a document has a layout
    document.setDocumentMargin(0)
    document.setPageSize(QSizeF(writer.width(), writer.height()))  # or printing adds margins of its own
    document.setHtml(html)
    document.print(writer)
    wire.write_bytes(path, buffer.data().data())
