"""The Logbook station: what happened, the newest first, searchable."""

from __future__ import annotations

from itertools import groupby

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, rule
from crisp_hornet.garage.garage import Entry

KINDS = {"bike": "bike", "backup": "backup", "send": "sent", "ride": "ride", "link": "link", "note": "note"}
MOST_SHOWN = 300


class LogbookPage(Station):
    """Kept over restarts."""

    number, name = 8, "Logbook"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.entries: list[Entry] = []
        self.search = QLineEdit()
        self.search.setPlaceholderText("search in titles and details")
        self.search.setAccessibleName("search the logbook")
        self.search.setClearButtonEnabled(False)
        self.search.textChanged.connect(self._show)
        self.note = QLineEdit()
        self.note.setPlaceholderText("write a note and press Enter")
        self.note.setAccessibleName("a new note")
        self.note.returnPressed.connect(self._keep_note)
        inside = QWidget()
        self._lines = QVBoxLayout(inside)
        self._lines.setContentsMargins(0, 0, 12, 0)
        self._lines.setSpacing(6)
        scroll = column_scroll(inside)
        head = QHBoxLayout()
        head.addWidget(label("What happened, the newest first", "title"))
        head.addStretch(1)
        head.addWidget(self.search)
        self.search.setFixedWidth(280)
        write = QHBoxLayout()
        write.addWidget(self.note, 1)
        write.addWidget(button("Keep the note", self._keep_note))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(10)
        column.addLayout(head)
        column.addLayout(write)
        column.addWidget(scroll, 1)
        desk.logbook_changed.connect(self._read)
        desk.bike_changed.connect(self._read)
        desk.units_changed.connect(self._show)
        self._read()

    def _read(self) -> None:
        self.entries = self.desk.garage.logbook(self.desk.bike_id) if self.desk.bike else []
        self._show()

    def _keep_note(self) -> None:
        text = self.note.text().strip()
        if text and self.desk.bike is not None:
            self.note.clear()
            self.desk.log("note", text)

    def _show(self) -> None:
        wanted = self.search.text().strip().lower()
        chosen = [one for one in self.entries if wanted in f"{one.title} {one.detail}".lower()]
        clear(self._lines)
        for day, entries in groupby(chosen[:MOST_SHOWN], key=lambda one: one.at.date()):
            self._lines.addWidget(label(f"{day:%A}, {day.day} {day:%B %Y}".upper(), "caps"))
            for entry in entries:
                self._lines.addLayout(self._line(entry))
                self._lines.addWidget(rule())
        if not chosen:
            self._lines.addWidget(
                label(
                    "Nothing found." if wanted else "Nothing yet: backups, sends, rides and notes will stand here.",
                    "quiet",
                )
            )
        elif len(chosen) > MOST_SHOWN:
            self._lines.addWidget(label(f"{len(chosen) - MOST_SHOWN} older lines; search to find them.", "quiet"))
        self._lines.addStretch(1)
        self.news.emit()

    def _line(self, entry: Entry) -> QHBoxLayout:
        time = label(f"{entry.at:%H:%M}", "quiet")
        time.setFixedWidth(44)
        kind = label(KINDS.get(entry.kind, entry.kind), "quiet")
        kind.setFixedWidth(58)
        title = label(self.desk.units.text(entry.title), wrap=True)
        title.setStyleSheet("font-weight: 600;")
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(title)
        if entry.detail:
            words.addWidget(label(self.desk.units.text(entry.detail), "quiet", wrap=True))
        row = QHBoxLayout()
        row.addWidget(time, alignment=Qt.AlignmentFlag.AlignTop)
        row.addWidget(kind, alignment=Qt.AlignmentFlag.AlignTop)
        row.addLayout(words, 1)
        return row

    def state(self) -> BoltState:
        return BoltState.DONE if self.entries else BoltState.UNTOUCHED

    def caption(self) -> str:
        if not self.entries:
            return "empty"
        first = self.entries[-1].at
        return f"{len(self.entries)} lines since {first.day} {first:%b}"

    def meaning(self) -> tuple[str, str]:
        sent = sum(one.kind == "send" for one in self.entries)
        rides = sum(one.kind == "ride" for one in self.entries)
        return (
            "THE RECORD",
            f"{len(self.entries)} lines: {sent} about sending, {rides} about rides. It is kept as things happen, nothing to save.",
        )
