"""One page for a customer: what was ridden, what was reached, what the ride says, and what to do; HTML that stands alone, or PDF."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QPixmap, QTextDocument

from crisp_hornet.bench.stations.verdict.estimates_view import FIGURES
from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.stations.verdict.peak_table import PeakLine
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents import wire
from crisp_hornet.documents.bike import Bike

CHART_PX, DPI, MOST_DIFFERENCES = 325, 150, 6
STYLE = (
    "body{font-family:'Barlow Semi Condensed',sans-serif;color:#1E2326;font-size:9pt}"
    "h1{font-size:16pt;margin:0}h2{font-size:11pt;margin:6pt 0 1pt}td{padding-right:8pt;padding-top:1pt;vertical-align:top}"
    "td.q,p.q{color:#565C57}p{margin:2pt 0}"
)
CAUTION = (
    "Predictions rest on the figures of the bike. What may be ridden where, the local code decides; where wiring, packs or road approval "
    "are in doubt, a licensed workshop does the work."
)
WORDS = {"stop": "stops sending", "warn": "look at it", "note": "note"}
Turn = Callable[[str], str]


@dataclass(frozen=True, eq=False)
class Told:
    """What the page says: heads, the bike, what was found, the charts with their captions; ``turn`` puts figures into the shown units."""

    title: str
    about: str
    bike: Bike
    verdict: Verdict
    lines: Sequence[PeakLine]
    findings: Sequence[Finding]
    charts: Sequence[tuple[str, QPixmap]]
    against: Against | None
    turn: Turn


def page(told: Told) -> str:
    """The page as HTML, the charts in it."""
    title = f"{escape(told.bike.name)}: {escape(told.title)}"
    charts = "".join(f"<td><img width={CHART_PX} src='{_picture(chart)}'><br>{escape(told.turn(words))}</td>"
                     for words, chart in told.charts)  # fmt: skip
    return (
        f"<!doctype html><html><head><meta charset=utf-8><title>{title}</title><style>{STYLE}</style></head><body>"
        f"<h1>{title}</h1><p class=q>{escape(told.about)}</p><table><tr>{charts}</tr></table>"
        f"<table><tr><td width={CHART_PX}><h2>Reached</h2>{_reached(told.lines)}</td>"
        f"<td><h2>What the ride says, 95 % sure</h2>{_learned(told)}</td></tr></table>"
        f"{_against(told)}<h2>Findings</h2>{_findings(told)}<p class=q>{CAUTION}</p></body></html>"
    )


def _reached(lines: Sequence[PeakLine]) -> str:
    rows = "".join(f"<tr><td class=q>{escape(one.label)}</td><td><b>{escape(one.value)}</b></td><td>{escape(one.against)}</td>"
                   f"<td>{escape(one.word)}</td></tr>" for one in lines)  # fmt: skip
    return f"<table cellpadding=2>{rows}</table>"


def _learned(told: Told) -> str:
    rows = ""
    for figure in FIGURES:
        one = figure.take(told.verdict)
        if not one.known:
            continue
        shown = one.times(figure.factor, figure.unit or one.unit)
        document = f"{told.bike.figure(figure.path) * figure.factor:.{figure.digits + 1}g} told" if figure.path else ""
        value = escape(told.turn(shown.in_words(figure.digits)))
        rows += f"<tr><td class=q>{escape(figure.words)}</td><td><b>{value}</b></td><td>{escape(document)}</td></tr>"
    return f"<table cellpadding=2>{rows}</table>"


def _against(told: Told) -> str:
    if told.against is None:
        return ""
    rows = "".join(
        f"<tr><td class=q>{escape(told.turn(one.what))}</td><td><b>{escape(one.in_words)}</b></td>"
        f"<td>{escape(told.turn(f'{one.this} against {one.other}'))}</td></tr>"
        for one in told.against.found[:MOST_DIFFERENCES]
    )
    head = f"<h2>Against {escape(told.against.name)}</h2><p>{escape(told.turn(told.against.sentence))}</p>"
    return f"{head}<table cellpadding=2>{rows}</table>"


def _findings(told: Told) -> str:
    open_ones = "".join(f"<p><b>{WORDS[one.severity]}: {escape(told.turn(one.text))}.</b> {escape(told.turn(one.reason))}"
                        f"{_change(one, told.turn)}</p>" for one in told.findings if one.severity in WORDS)  # fmt: skip
    settled = "; ".join(
        told.turn(f"{one.text} ({one.reason.rstrip('.')})") for one in told.findings if one.severity == "settled"
    )
    return open_ones + (f"<p><b>In order:</b> {escape(settled)}.</p>" if settled else "")


def _change(one: Finding, turn: Turn) -> str:
    if one.suggest is None:
        return ""
    return f" <i>Suggested: {escape(turn(one.suggest.effect))}. {escape(turn(one.effects_in_words))}</i>"


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
