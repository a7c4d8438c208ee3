"""One page for a customer: what was ridden, what was reached, what the ride says, and what to do; HTML that stands alone, or PDF."""

from __future__ import annotations

import base64
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QSizeF, Qt
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QPixmap, QTextDocument

from crisp_hornet.bench.marks import paint_severity
from crisp_hornet.bench.paper import rendered
from crisp_hornet.bench.stations.verdict.estimate_figures import FIGURES
from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.stations.verdict.peak_table import PeakLine
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.bench.written import turned_over
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents import wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import long_name
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.sensors import UNCHECKED
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

CHART_PX, DPI, MOST_DIFFERENCES, MARK_PX = 325, 150, 6, 48
CAUTION = (
    "Predictions rest on the figures of the bike. What may be ridden where, the local code decides; where wiring, packs or road approval "
    "are in doubt, a licensed workshop does the work."
)
WORDS = {"stop": "blocks sending", "warn": "warning", "note": "note"}


@dataclass(frozen=True, eq=False)
class Told:
    """What the page says: heads, the bike, what was found, the charts with their captions, the units it is shown in; the ride's name, when
    it was ridden and what its card says of the day; the tune it was ridden on, and the draft that comes after it."""

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
    ride: str
    ridden: str
    card: str
    tunes: tuple[Tune, Tune | None]


@dataclass(frozen=True)
class Changed:
    """Something before and after: a setting in the draft, or a figure of the bike that was learned from this ride."""

    words: str
    before: str
    after: str


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
        about=_begun(told.about),
        headlines=told.headlines,
        charts=[(words, _picture(chart)) for words, chart in told.charts],
        reached=told.lines,
        learned=list(_learned(told)),
        ridden=told.ridden,
        printed=f"{datetime.now().astimezone():%-d %B %Y}",
        conditions=_conditions(told),
        settings=list(_settings(told)),
        taken=list(_taken(told)),
        tunes=[one.name if one is not None else "" for one in told.tunes],
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


def _begun(words: str) -> str:
    """As the beginning of a sentence."""
    return words[:1].upper() + words[1:]


def _conditions(told: Told) -> list[str]:
    """The day and the sensors, in lines."""
    bike, found = told.bike, [_begun(turned_over(told.card, told.units))] if told.card else []
    checked = [long_name(one) for one in UNCHECKED if bike.sensors.gain_checked(one)]
    gain = quantity(100 * bike.sensors.off("battery_a").gain_spread, "%", ".1g")
    found.append(
        f"Sensors held against instruments: {', '.join(checked)}."
        if checked
        else say("Sensors unchecked: currents to {gain}.", gain=gain)
    )
    return found


def _settings(told: Told) -> Iterator[Changed]:
    """What the draft changes of the tune it was ridden on."""
    before, after = told.tunes
    if after is None:
        return
    for path in before.differing(after):
        yield Changed(label_of(path), in_words(path, before.setting(path)), in_words(path, after.setting(path)))


def _taken(told: Told) -> Iterator[Changed]:
    """What was learned from this ride, and what stood there before."""
    for figure in FIGURES:
        source = told.bike.sources.get(figure.path) if figure.path else None
        if source is None or source.before is None or all(one.ride != told.ride for one in source.rides):
            continue
        spec = f".{figure.digits + 1}g"
        unit = figure.unit or figure.take(told.verdict).unit
        before, after = (
            say("{value}", value=quantity(value * figure.factor, unit, spec))
            for value in (source.before, told.bike.figure(figure.path))
        )
        yield Changed(figure.words, before, after)


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
