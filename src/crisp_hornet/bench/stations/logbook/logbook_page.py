"""The Logbook station: what happened, the newest first, searchable."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from functools import partial
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QPixmap
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.logbook.customers_view import CustomersView
from crisp_hornet.bench.stations.logbook.family_view import FamilyView
from crisp_hornet.bench.stations.logbook.fleet_view import FleetView
from crisp_hornet.bench.stations.logbook.packs_view import PacksView
from crisp_hornet.bench.stations.logbook.together_view import TogetherView
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import Pages, column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, rule
from crisp_hornet.bench.written import turned_over
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.book import ENDINGS, PICTURES, Entry
from crisp_hornet.garage.merging import NOUNS

if TYPE_CHECKING:
    from crisp_hornet.garage.meeting import Taken
    from crisp_hornet.garage.merging import Key, Side

KINDS = {
    "send": "sent",
    "calibration": "sensor",
    "firmware": "firmware",
    "finding": "finding",
    "promise": "promised",
    "ask": "asked",
}
OWN = "note"  # the kind of entry that the user writes
SHOWN: dict[str, tuple[str, ...]] = {
    "all": (),
    "tunes": ("draft", "send", "backup", "ask"),
    "rides": ("ride", "finding", "promise"),
    "bike": ("bike", "calibration", "firmware", "job", "chain"),
    "contacts": ("link", "fault"),
    "notes": ("note",),
}
FAMILY, PACKS, FLEET, CUSTOMERS = "tunes by family", "packs", "all bikes", "customers"
ARCHIVES = "A bike with its story (*.zip);;All files (*)"
SAME_MOMENT = timedelta(seconds=5)  # a tune that was sent and its line are written one after the other
MOST_SHOWN = 300


class LogbookPage(Station):
    """Kept over restarts."""

    key = "logbook"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.entries: list[Entry] = []
        self.search = QLineEdit()
        self.search.setAccessibleName(tr("search the logbook"))
        self.search.setClearButtonEnabled(False)
        self.search.textChanged.connect(self._show)
        self.note = QLineEdit()
        self.note.setAccessibleName(tr("a new note"))
        self.note.returnPressed.connect(self._keep_note)
        inside = QWidget()
        self._lines = column_of(inside, margins=(0, 0, 12, 0), spacing=6)
        scroll = column_scroll(inside)
        head = QHBoxLayout()
        head.addWidget(label("What happened, the newest first", "title"))
        head.addStretch(1)
        head.addWidget(button("Export the bike", self._ask_export, "small", "Export the bike with its whole story"))
        head.addSpacing(8)
        head.addWidget(button("Import a bike", self._ask_import, "small", "Import a bike with its story"))
        head.addSpacing(8)
        head.addWidget(Captioned("search", self.search))
        fix(self.search, wide=280)
        self.kinds = PageChoice((*SHOWN, FAMILY, PACKS, FLEET, CUSTOMERS), "logbook")
        self.kinds.chosen.connect(lambda _at: self._show())
        self.family = FamilyView(desk, self._draft_again)
        self.packs = PacksView(desk, theme)
        self.fleet = FleetView(desk, theme)
        self.customers = CustomersView(desk, theme)
        self.together = TogetherView(desk)
        self.together.chosen.connect(self._decide)
        self._pages = Pages()
        write = QHBoxLayout()
        write.addWidget(Captioned("note", self.note), 1)
        write.addWidget(button("Save the note", self._keep_note))
        write.addWidget(button("With a file", self._ask_attach, "", "Save the note with a picture or another file"))
        column = column_of(self, margins=(0, 4, 0, 0), spacing=10)
        column.addLayout(head)
        column.addLayout(write)
        column.addWidget(self.together)
        column.addWidget(self.kinds)
        self._pages.addWidget(scroll)
        self._views = (self.family, self.packs, self.fleet, self.customers)
        for view in self._views:
            self._pages.addWidget(column_scroll(view))
        column.addWidget(self._pages, 1)
        desk.logbook_changed.connect(self._read)
        desk.bike_changed.connect(self._read)
        desk.units_changed.connect(self._show)
        self._packing = Background(DocumentError)
        self._packing.done.connect(self._take_packed)
        self._packing.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        self._read()

    def finish(self) -> None:
        self.fleet.stop()

    # --- out and in -----------------------------------------------------------------------------------------

    def _ask_export(self) -> None:
        if self.desk.bike is None:
            self.desk.said.emit("note", "There is no bike to export.")
            return
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the bike"), f"{self.desk.bike.name}.zip", ARCHIVES)
        if name:
            self.export_bike(Path(name))

    def export_bike(self, path: Path) -> None:
        """Write the bike with its whole story, off the interface thread."""
        self.desk.draft.keep()
        write = self.desk.story.archive_to(path)

        def work() -> str:
            write()
            return f"Written with tunes, rides and logbook: {path.name}."

        self._packing.start(work)

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a bike"), "", ARCHIVES)
        if name:
            self.import_bike(Path(name))

    def import_bike(self, path: Path, decided: Mapping[Key, Side] | None = None) -> None:
        """Take a bike with its story into the garage and open it; ``decided``: whose counts where it was changed here and elsewhere."""
        self.desk.draft.keep()
        take = self.desk.story.archive_from(path, decided)
        self._packing.start(lambda: (take(), path))

    def _decide(self, path: Path, sides: dict[Key, Side]) -> None:
        if path == Path() and self.desk.shared is not None:  # another bench, not an archive
            self.desk.shared.decide(sides)
        else:
            self.import_bike(path, sides)

    def _take_packed(self, found: str | tuple[Taken, Path]) -> None:
        if isinstance(found, str):
            self.desk.said.emit("settled", found)
            return
        taken, path = found
        self.desk.reload()
        self.together.show_taken(taken, path)
        name = self.desk.bike.name if self.desk.bike is not None else ""
        self.desk.said.emit("note" if taken.conflicts else "settled", _told(name, taken))

    # --- what is shown --------------------------------------------------------------------------------------

    def _read(self) -> None:
        self.entries = self.desk.story.lines()
        self._show()

    def _keep_note(self) -> None:
        text = self.note.text().strip()
        if text and self.desk.bike is not None:
            self.note.clear()
            self.desk.log("note", text)

    def _ask_attach(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Attach a file"), "", f"Files (*{' *'.join(ENDINGS)})")
        if name:
            self.attach(Path(name))

    def attach(self, path: Path) -> None:
        """Keep a copy of a file with the note that is typed."""
        if self.desk.bike is None:
            self.desk.said.emit("note", "Open a bike first: a note belongs to a bike.")
            return
        try:
            self.desk.story.attach(path, self.note.text().strip())
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))
            return
        self.note.clear()

    def _show(self) -> None:
        wanted = self.search.text().strip().lower()
        page = max(self.kinds.at - len(SHOWN) + 1, 0)  # 0: lines of a kind
        self._pages.setCurrentIndex(page)
        if page:
            if self.isVisible():
                self._views[page - 1].refresh()
            return
        kinds = list(SHOWN.values())[self.kinds.at]
        said = [one for one in self.entries if wanted in f"{one.title} {one.detail}".lower()]
        chosen = [one for one in said if not kinds or one.kind in kinds]
        clear(self._lines)
        for day, entries in groupby(chosen[:MOST_SHOWN], key=lambda one: one.at.date()):
            self._lines.addLayout(self._day(day))
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

    def _attached(self, file: Path) -> QHBoxLayout:
        """A picture in small, or just the way to the file."""
        row = QHBoxLayout()
        picture = QPixmap(str(file)) if file.suffix in PICTURES else QPixmap()
        if not picture.isNull():
            shown = QLabel()
            shown.setPixmap(
                picture.scaled(220, 130, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            )
            shown.setAccessibleName(tr("attached picture"))
            row.addWidget(shown)
        if file.is_file():
            url = QUrl.fromLocalFile(str(file))
            row.addWidget(
                button("Open", partial(QDesktopServices.openUrl, url), "small", f"Open the attached {file.suffix[1:]}")
            )
        else:
            row.addWidget(label("the attached file is gone", "quiet"))
        row.addStretch(1)
        return row

    def _day(self, day: date) -> QHBoxLayout:
        """The day, and what was on the bike at its end as far as it was sent from here."""
        row = QHBoxLayout()
        row.addWidget(label(tr(f"{day:%A}, {day.day} {day:%B %Y}").upper(), "caps", own=True))
        row.addStretch(1)
        on_it = next((tune for at, tune in self.desk.held.sent() if at.date() <= day), None)
        if on_it is not None:
            row.addWidget(label(f"on the bike: {on_it.name}", "quiet"))
        return row

    def _sent_tune(self, entry: Entry) -> Tune | None:
        near = [tune for at, tune in self.desk.held.sent() if abs(at - entry.at) <= SAME_MOMENT]
        return near[0] if entry.kind == "send" and near else None

    def _draft_again(self, tune: Tune) -> None:
        self.desk.draft.open(tune)
        self.desk.said.emit("settled", f"{tune.name} is the draft again; Send shows what that would change.")

    def _line(self, entry: Entry) -> QHBoxLayout:
        time = label(f"{entry.at:%H:%M}", "quiet")
        fix(time, wide=44)
        kind = label(KINDS.get(entry.kind, entry.kind), "quiet")
        fix(kind, wide=58)
        title = label(turned_over(entry.title, self.desk.units), wrap=True, own=entry.kind == OWN)
        title.setStyleSheet("font-weight: 600;")
        words = column_of(spacing=1)
        words.addWidget(title)
        if entry.detail:
            words.addWidget(
                label(turned_over(entry.detail, self.desk.units), "quiet", wrap=True, own=entry.kind == OWN)
            )
        if entry.file is not None:
            words.addLayout(self._attached(entry.file))
        row = QHBoxLayout()
        row.addWidget(time, alignment=Qt.AlignmentFlag.AlignTop)
        row.addWidget(kind, alignment=Qt.AlignmentFlag.AlignTop)
        row.addLayout(words, 1)
        if (tune := self._sent_tune(entry)) is not None:
            again = partial(self._draft_again, tune)
            row.addWidget(button("Draft it again", again, "small", f"Draft {tune.name} of {entry.at:%H:%M} again"))
        return row

    def meaning(self) -> tuple[str, str]:
        sent = sum(entry.kind == "send" for entry in self.entries)
        rides = sum(entry.kind == "ride" for entry in self.entries)
        return (
            "THE RECORD",
            f"{len(self.entries)} lines: {sent} about sending, {rides} about rides. It is written as things happen, nothing to save.",
        )


def _told(name: str, taken: Taken) -> str:
    """What came of an import, in a sentence."""
    if not taken.known:
        return f"{name} is here with its whole story."
    came = [counted(count, NOUNS[table]) for table, count in taken.new.items()]
    words = (
        f"{name} is home again with {', '.join(came)}."
        if came
        else f"{name} is home again; nothing new was written elsewhere."
    )
    if taken.conflicts:
        return f"{words} Some of it was changed here too: choose which counts."
    return words
