"""What is to be entered by hand: the sheet to carry to the bike, printed on one page or shown large."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QBuffer, pyqtSignal
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QDialog, QFileDialog, QTextBrowser, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.paper import rendered
from crisp_hornet.bench.stations.send import words
from crisp_hornet.bench.stations.send.change_list import ChangeLine
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.rules import Strength
from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.link.difference import Change
from crisp_hornet.link.hand import HandPlan, shown_text
from crisp_hornet.link.operations import Question

CAUTION = "Wheel lifted or blocked, hands clear, throttle closed while settings change. Local codes decide what may be ridden where."
SIZES, LARGE = range(24, 7, -1), 26
DPI = 150


@dataclass(frozen=True)
class SheetLine:
    """One line to enter, as the display has it."""

    menu: str
    label: str
    before: str
    after: str


class HandSheet(QWidget):
    """The acts for a plan that is to be entered by hand. ``entered``: somebody has done so and wants to type what it shows."""

    entered = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self.may_enter = True
        self.plan: HandPlan | None = None
        self.large: QDialog | None = None
        self._title = label("", wrap=True)
        self.acts = QWidget()
        row = row_of(self.acts, margins=0, spacing=12)
        self._print_button = button("Print the sheet", self._ask_file, "large")
        row.addWidget(self._print_button)
        self._large_button = button("Show it large", self.show_large, "large")
        row.addWidget(self._large_button)
        row.addWidget(button("Type what the display shows", self.entered.emit, "small"))
        row.addStretch(1)
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(label("BY HAND", "caps"))
        column.addWidget(self._title)
        column.addWidget(self.acts)
        self.hide()

    def refresh(self) -> None:
        """Work out what is to be entered: of a controller that is connected only what it does not have itself."""
        plan, sheet, contact = self._desk.by_hand.plan(), self._desk.by_hand.sheet, self._link.contact
        if plan is not None and contact is not None:
            left = [one for one in plan.changes if contact.map.register(one.register.name) is None]
            plan = replace(plan, changes=left)
        self.plan = plan
        unread = sheet is not None and not self._desk.by_hand.raws and contact is None
        wanted = plan is not None and sheet is not None and bool(plan.changes or plan.misfit)
        self.setVisible(wanted or unread)
        self._print_button.setVisible(wanted)
        if unread and sheet is not None:
            self._title.setText(f"First type what {sheet.name} shows now: only then is it known what to change.")
            self._large_button.hide()
            self.acts.show()
        if plan is None or sheet is None or not wanted:
            return
        if plan.misfit:
            self._title.setText(f"{sheet.name} cannot be set to this: {plan.misfit}. Change it on Tune.")
        else:
            order = (
                ""
                if plan.ordered
                else " No order keeps every state in between safe: keep the wheel lifted until all are entered."
            )
            self._title.setText(
                f"At {sheet.name}, in this order. Nothing here proves what it holds: read it back by eyes.{order}"
            )
        self.acts.setVisible(not plan.misfit)
        self._large_button.setVisible(not self.alone)  # else it is the page's main act

    @property
    def alone(self) -> bool:
        """Whether this bike is set by hand, with nothing connected."""
        return self._link.contact is None and bool(self.changes)

    @property
    def headline(self) -> str:
        """The page's title, where it is about this alone."""
        sheet = self._desk.by_hand.sheet
        return (
            f"{counted(len(self.changes), 'change')} to enter at {sheet.name}"
            if self.alone and sheet is not None
            else ""
        )

    def meaning(self, left: int, total: int) -> tuple[str, str]:
        """What it means, with so many of the points not confirmed yet."""
        if stops := self.stops:
            return "STOPPED BY THE WATCH LIST", f"<b>{stops[0]}</b> Nothing overrides a stop; change the draft."
        return words.to_confirm(left, total) if left else words.BY_HAND

    def allow(self, left: int) -> None:
        """The sheet may be made once nothing stops it and what it warns of is confirmed."""
        self.may_enter = not self.stops and not left
        self.acts.setEnabled(self.may_enter)

    @property
    def changes(self) -> list[Change]:
        """What is to be entered, in its order."""
        return self.plan.changes if self.plan is not None else []

    @property
    def about(self) -> Hashable:
        """What tells this part of the difference from any other."""
        return tuple((one.register.name, one.raw_after) for one in self.changes)

    @property
    def stops(self) -> list[str]:
        """What the watch list stops, of the values as the display can hold them."""
        warnings = self.plan.warnings if self.plan is not None and self.changes else []
        return [f"{one.text}. {one.mend}" for one in warnings if one.strength is Strength.STOP]

    def questions(self) -> list[Question]:
        """What must be confirmed before the sheet is made."""
        warnings = self.plan.warnings if self.plan is not None and self.changes else []
        turn = self._desk.units.text
        return [
            Question(one.id, turn(f"{one.text}. {one.reason}")) for one in warnings if one.strength is Strength.WARN
        ]

    def lines(self) -> list[ChangeLine]:
        """The list on the page: from, to, and what was rounded."""
        return [
            ChangeLine(
                f"{at}. {one.register.label}",
                shown_text(one.register, one.raw_before),
                shown_text(one.register, one.raw_after),
                _note(one),
                None,
                "by hand, in this order",
            )
            for at, one in enumerate(self.changes, start=1)
        ]

    def left_out(self) -> list[ChangeLine]:
        """A grey line per setting of the draft that the display does not have."""
        sheet, draft, now = self._desk.by_hand.sheet, self._desk.draft.tune, self._desk.held.tune
        if sheet is None or draft is None or now is None:
            return []
        return [
            ChangeLine(
                label_of(path),
                in_words(path, now.setting(path)) if now.holds(path) else "",
                in_words(path, draft.setting(path)) if draft.holds(path) else "",
                "not on this display: it stays as it is",
                None,
                "not on this display",
                grey=True,
            )
            for path in self._desk.draft.differing
            if sheet.register(path) is None
        ]

    def print_to(self, path: Path) -> None:
        """One page, in the largest type that fits."""
        written = QBuffer()
        written.open(QBuffer.OpenModeFlag.WriteOnly)
        writer = QPdfWriter(written)
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        if len(self.changes) < 12:
            writer.setPageOrientation(QPageLayout.Orientation.Landscape)
        writer.setResolution(DPI)
        for size in SIZES:
            page = QTextDocument()
            page.setHtml(self._html(size))
            page.setPageSize(writer.pageLayout().paintRectPixels(DPI).size().toSizeF())
            if page.pageCount() == 1 or size == SIZES[-1]:
                break
        page.setPageSize(page.pageSize() * 0)  # as the printer has it
        page.print(writer)
        del writer  # it ends the document
        try:
            wire.write_bytes(path, bytes(written.data().data()))
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            return
        self._carried()

    def show_large(self) -> None:
        """A window to read across the workshop; Escape closes it."""
        self.large = QDialog(self.window())
        self.large.setWindowTitle(tr(f"{self._desk.by_hand.sheet.name if self._desk.by_hand.sheet else ''}: to enter"))
        shown = QTextBrowser()
        shown.setHtml(self._html(LARGE))
        shown.setAccessibleName(tr("the sheet, large"))
        column_of(self.large, margins=12).addWidget(shown)
        self.large.resize(1100, 720)
        self._carried()
        self.large.open()

    def _carried(self) -> None:
        if self.plan is not None:
            self._desk.by_hand.carry(self.plan)

    def _html(self, size: int) -> str:
        hand, draft, bike = self._desk.by_hand, self._desk.draft.tune, self._desk.bike
        sheet = hand.sheet
        assert sheet is not None  # the acts are there only then
        own = sheet.sheet.caution if sheet.sheet is not None and sheet.sheet.caution else ""
        lines = [
            SheetLine(
                _menu(one),
                one.register.label,
                shown_text(one.register, one.raw_before),
                shown_text(one.register, one.raw_after),
            )
            for one in self.changes
        ]
        given = {
            "size": size,
            "family": self.font().family(),
            "name": sheet.name,
            "bike": bike.name if bike is not None else "",
            "day": f"{datetime.now().astimezone():%d %B %Y}",
            "tune": draft.name if draft is not None else "",
            "caution": f"{CAUTION} {own}".strip(),
            "lines": lines,
            "ordered": self.plan is None or self.plan.ordered,
        }
        return rendered("send/hand_sheet.html", self._desk.units, **given)

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Print the sheet"), "sheet.pdf", "PDF (*.pdf)")
        if name:
            self.print_to(Path(name))


def _menu(change: Change) -> str:
    shown = change.register.shown
    return shown.menu if shown is not None and shown.menu else ""


def _note(change: Change) -> str:
    """Where it stands, and that the display's steps moved it."""
    menu = _menu(change)
    told = f"menu {menu}" if menu else ""
    if not change.rounded or change.asked is None:
        return told
    rounded = (
        f"{change.asked:g} {change.register.unit}".strip()
        + " asked; rounded to what the display holds, to the safe side"
    )
    return f"{told}; {rounded}" if told else rounded
