"""The card that F1 opens: help on what has the focus, else on the station; the glossary, and all cautions in one place."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QDialog, QLineEdit, QWidget

from crisp_hornet.bench.helping.drawing import Drawing
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.watch_list import SeverityMark
from crisp_hornet.help import HANDBOOK, Topic, about, glossary, of_place, places
from crisp_hornet.system.about import libraries, licence_text, version

HELP = "help"  # a widget's property: the path of the figure that it shows


def topic_of(focused: QWidget | None, station: str) -> Topic | None:
    """Help on the nearest widget that says what it is about, else on the station."""
    one = focused
    while one is not None:
        path = one.property(HELP)
        if isinstance(path, str) and (found := about(path)) is not None:
            return found
        one = one.parentWidget()
    return of_place(station)


class HelpCard(QDialog):
    """Stays open beside the work; Esc closes it."""

    def __init__(self, theme: Theme, show_keys: Callable[[], object], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setWindowTitle(tr("Help"))
        self.setObjectName("ground")
        self.resize(real(560, 540))
        self.topic: Topic | None = None
        self.opens = QDesktopServices.openUrl
        self.line = QLineEdit()
        self._captioned = Captioned("word", self.line)
        inside = QWidget()
        self._rows = column_of(inside, margins=(18, 14, 18, 8), spacing=6)
        column = column_of(self, margins=0, spacing=0)
        column.addWidget(self._captioned)
        column.addWidget(column_scroll(inside), 1)
        acts = row_of(margins=(18, 8, 18, 14), spacing=8)
        for words, act in (
            ("Open the glossary", self.show_glossary),
            ("Show all cautions", self.show_cautions),
            ("Show the keys", show_keys),
            ("Open the handbook", self.open_handbook),
            ("About", self.show_about),
        ):
            acts.addWidget(button(words, act, "small"))
        acts.addStretch(1)
        acts.addWidget(button("Close", self.hide, "small", "Close the help"))
        column.addLayout(acts)
        self._captioned.setContentsMargins(18, 12, 18, 0)
        self.line.textChanged.connect(self._list_words)
        self._captioned.hide()

    def show_topic(self, topic: Topic) -> None:
        """One text of help."""
        self.topic = topic
        self._begin(topic.title)
        if topic.drawing:
            self._rows.addWidget(Drawing(topic.drawing, self.theme))
        for heading, text in topic.parts:
            if heading:
                self._rows.addWidget(label(heading.upper(), "caps"))
            self._rows.addWidget(label(text, wrap=True))
        if topic.caution:
            self._caution(topic.caution)
        self._rows.addStretch(1)
        self._come_up()

    def show_glossary(self) -> None:
        """Words of the field; a few letters find one."""
        self.topic = None
        self.line.clear()
        self._list_words()
        self._captioned.show()
        self.line.setFocus(Qt.FocusReason.OtherFocusReason)
        self._come_up()

    def show_cautions(self) -> None:
        """What stands at each step, in one place."""
        self.topic = None
        self._begin("Cautions")
        for place in places():
            if place.caution:
                self._rows.addWidget(label(place.title.upper(), "caps"))
                self._caution(place.caution)
        local = "Power, speed and throttle rules differ from place to place: the local code decides. Where wiring, packs or road approval "
        self._rows.addWidget(label(local + "are in doubt, a licensed workshop does.", wrap=True))
        self._rows.addStretch(1)
        self._come_up()

    def open_handbook(self) -> None:
        """All of help and more as one PDF, in whatever shows those here."""
        if not self.opens(QUrl.fromLocalFile(str(HANDBOOK))):
            self._begin("The handbook")
            self._rows.addWidget(label(f"Nothing here opens a PDF. It lies at {HANDBOOK}.", wrap=True))
            self._rows.addStretch(1)

    def show_about(self) -> None:
        """Version, licence, and the libraries it stands on."""
        self.topic = None
        self._begin("Crisp Hornet")
        self._rows.addWidget(
            label(f"Version {version()}. Free software, GPL-3.0-or-later, without any warranty.", wrap=True)
        )
        self._rows.addWidget(label("The font Barlow Semi Condensed is under the SIL Open Font License 1.1.", wrap=True))
        self._rows.addWidget(label("LIBRARIES", "caps"))
        for name, number, licence in libraries():
            self._rows.addWidget(label(f"{name} {number}: {licence}", "quiet", wrap=True))
        self._rows.addWidget(label("LICENCE", "caps"))
        self._rows.addWidget(
            label(licence_text() or "GPL-3.0-or-later: its text is in the file LICENSE.", "quiet", wrap=True)
        )
        self._rows.addStretch(1)
        self._come_up()

    def _list_words(self) -> None:
        wanted = self.line.text().strip().lower()
        self._begin("Glossary", words=True)
        found = {word: text for word, text in glossary().items() if wanted in f"{word} {text}".lower()}
        for word, text in sorted(found.items(), key=lambda one: (wanted not in one[0].lower(), one[0].lower())):
            strong = label(word)
            strong.setStyleSheet("font-weight: 600;")
            self._rows.addWidget(strong)
            self._rows.addWidget(label(text, wrap=True))
        if not found:
            self._rows.addWidget(label("No such word. Ctrl+K looks through everything.", "quiet", wrap=True))
        self._rows.addStretch(1)

    def _begin(self, title: str, words: bool = False) -> None:
        clear(self._rows)
        self._captioned.setVisible(words)
        self._rows.addWidget(label(title, "title"))

    def _caution(self, text: str) -> None:
        row = row_of(spacing=8)
        row.addWidget(SeverityMark("warn", self.theme), alignment=Qt.AlignmentFlag.AlignTop)
        row.addWidget(label(text, wrap=True), 1)
        self._rows.addLayout(row)

    def _come_up(self) -> None:
        self.show()
        self.raise_()
        self.activateWindow()
