"""One page for a customer: what was ridden, what was reached, what the ride says, and what to do; HTML that stands alone, or PDF."""

from __future__ import annotations

import base64
from html import escape
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

from crisp_hornet.bench.stations.verdict.estimates_view import FIGURES
from crisp_hornet.bench.stations.verdict.peak_table import PeakLine
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.bench.units import Units
from crisp_hornet.bench.widgets.force_chart import ForceChart
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents import wire
from crisp_hornet.documents.bike import Bike

CHART_PX = 600
STYLE = (
    "body{font-family:'Barlow Semi Condensed',sans-serif;color:#1E2326;font-size:10pt}"
    "h1{font-size:17pt;margin:0}h2{font-size:12pt;margin:9pt 0 2pt}td{padding:1pt 9pt 1pt 0}td.q,p.q{color:#565C57}p{margin:2pt 0}"
)
CAUTION = (
    "Predictions rest on the figures of the bike. What may be ridden where, the local code decides; where wiring, packs or road approval "
    "are in doubt, a licensed workshop does the work."
)
WORDS = {"stop": "stops sending", "warn": "look at it", "note": "note", "settled": "in order"}


def page(
    title: str,
    about: str,
    bike: Bike,
    verdict: Verdict,
    lines: list[PeakLine],
    findings: list[Finding],
    chart: ForceChart,
    units: Units,
) -> str:
    """The page as HTML, the chart in it."""
    turn = units.text
    rows = "".join(f"<tr><td class=q>{escape(one.label)}</td><td><b>{escape(one.value)}</b></td><td>{escape(one.against)}</td>"
                   f"<td>{escape(one.word)}</td></tr>" for one in lines)  # fmt: skip
    learned = ""
    for figure in FIGURES:
        one = figure.take(verdict)
        if not one.known:
            continue
        shown = one.times(figure.factor, figure.unit or one.unit)
        told = (
            f"{bike.figure(figure.path) * figure.factor:.{figure.digits + 1}g} in the document" if figure.path else ""
        )
        value = escape(turn(shown.in_words(figure.digits)))
        learned += f"<tr><td class=q>{escape(figure.words)}</td><td><b>{value}</b></td><td>{escape(told)}</td></tr>"
    said = "".join(f"<p><b>{WORDS[one.severity]}: {escape(turn(one.text))}.</b> {escape(turn(one.reason))}"
                   f"{_change(one, turn)}</p>" for one in findings)  # fmt: skip
    return (
        f"<!doctype html><html><head><meta charset=utf-8><title>{escape(title)}</title><style>{STYLE}</style></head><body>"
        f"<h1>{escape(bike.name)}: {escape(title)}</h1><p class=q>{escape(about)}</p>"
        f"<p><img width={CHART_PX} src='{_picture(chart)}'></p>"
        f"<h2>Reached</h2><table>{rows}</table><h2>What the ride says, 95 % sure</h2><table>{learned}</table><h2>Findings</h2>{said}"
        f"<p class=q>{CAUTION}</p></body></html>"
    )


def _change(one: Finding, turn: object) -> str:
    assert callable(turn)
    if one.suggest is None:
        return ""
    return f" <i>Suggested: {escape(turn(one.suggest.effect))}. {escape(turn(one.effects_in_words))}</i>"


def _picture(chart: ForceChart) -> str:
    """The chart as it is, on paper's colours."""
    shown, chart.theme = chart.theme, LIGHT
    picture = chart.grab()
    chart.theme = shown
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return f"data:image/png;base64,{base64.b64encode(buffer.data().data()).decode()}"


def save(html: str, path: Path) -> None:
    """Write the page: PDF by that ending, HTML by any other. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    if path.suffix.lower() != ".pdf":
        wire.write_bytes(path, html.encode())
        return
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(150)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(15, 12, 15, 12))
    )
    document = QTextDocument()
    document.setHtml(html)
    document.print(writer)
    wire.write_bytes(path, buffer.data().data())
