"""The sheet of a job, in a window beside: what the customer said, hints one by one, handing over, how it stands, the debrief."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.practice.practising import Practising
from crisp_hornet.bench.practice.words import of_hidden
from crisp_hornet.bench.scale import real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.bolt import Bolt
from crisp_hornet.bench.widgets.choice import Choice
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, rule
from crisp_hornet.bench.widgets.watch_list import SeverityMark
from crisp_hornet.practice.judging import ENDINGS, Outcome

MARKS = {
    Outcome.SOLVED: BoltState.DONE,
    Outcome.FLAWED: BoltState.DONE,
    Outcome.NOT_YET: BoltState.IN_WORK,
    Outcome.ENDED: BoltState.STOPPED,
}
MOST_SENTENCE = 500


class JobSheet(QDialog):
    """Not modal: the work goes on in the window behind it."""

    def __init__(self, practising: Practising, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._practising, self.theme = practising, theme
        self.setWindowTitle(tr(f"Job {practising.room.file.title}"))
        self.setObjectName("ground")
        self.setModal(False)
        self.resize(real(560, 720))
        self.sentence = QLineEdit()
        self.sentence.setMaxLength(MOST_SENTENCE)
        self.endings = {key: Choice(theme, words.capitalize()) for key, words in ENDINGS.items()}
        self.endings["ride"].setChecked(True)
        self._hints, self._standing = column_of(spacing=6), column_of(spacing=6)
        self.give = button("Hand over", self._hand_over, "large", "Hand over: the bike goes back to the customer")
        inside = QWidget()
        column = column_of(inside, margins=(18, 14, 18, 14), spacing=8)
        self._head(column)
        column.addLayout(self._hints)
        column.addWidget(rule())
        self._form(column)
        column.addLayout(self._standing)
        column.addStretch(1)
        self._scroll = column_scroll(inside)
        column_of(self, margins=0).addWidget(self._scroll)
        practising.judged.connect(lambda _judgement: QTimer.singleShot(0, self._look_at_standing))
        practising.changed.connect(self._show)
        self._show()

    def _head(self, column: QVBoxLayout) -> None:
        job = self._practising.job
        column.addWidget(label(self._practising.room.file.title, "title", wrap=True))
        column.addWidget(label("THE CUSTOMER SAYS", "caps"))
        for said in job.complaint:
            column.addWidget(label(f"“{said}”", wrap=True))
        if job.caution:
            row = row_of(spacing=8)
            row.addWidget(SeverityMark("warn", self.theme), alignment=Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(job.caution, wrap=True), 1)
            column.addLayout(row)
        about = "All of the workshop is yours: the stations, the controls of the simulated bike with its instruments, the roads above."
        column.addWidget(label(about, "quiet", wrap=True))
        if self._practising.room.guided and job.path:
            column.addWidget(label("HOW A MASTER WOULD GO ABOUT IT", "caps"))
            for number, step in enumerate(job.path, 1):
                column.addWidget(label(f"{number}. {step}", wrap=True))

    def _form(self, column: QVBoxLayout) -> None:
        column.addWidget(label("HAND OVER", "caps"))
        column.addWidget(Captioned("one sentence to the customer", self.sentence, above=True))
        for choice in self.endings.values():
            column.addWidget(choice)
        column.addWidget(self.give)

    def _hand_over(self) -> None:
        ending = next(key for key, choice in self.endings.items() if choice.isChecked())
        self._practising.hand_over(self.sentence.text().strip(), ending)

    def _show(self) -> None:
        self.give.setEnabled(not self._practising.busy)
        self.give.setText("Trying the bike" if self._practising.busy else "Hand over")
        clear(self._hints)
        hints = self._practising.job.hints or []
        if hints:
            self._hints.addWidget(label("HINTS", "caps"))
        for number, hint in enumerate(hints[: self._practising.hints], 1):
            self._hints.addWidget(label(f"{number}. {hint}", wrap=True))
        if self._practising.hints < len(hints):
            words = f"Open hint {self._practising.hints + 1} of {len(hints)}"
            self._hints.addWidget(button(words, self._practising.open_hint, "small"))
        clear(self._standing)
        if self._practising.judgement is not None and not self._practising.busy:
            self._show_judgement(self._standing)

    def _look_at_standing(self) -> None:
        bar = self._scroll.verticalScrollBar()
        if bar is not None:
            bar.setValue(max(self.give.geometry().bottom() - 40, 0))

    def _show_judgement(self, column: QVBoxLayout) -> None:
        judgement = self._practising.judgement
        assert judgement is not None
        job, room = self._practising.job, self._practising.room
        column.addWidget(rule())
        row = row_of(spacing=10)
        row.addWidget(Bolt(MARKS[judgement.outcome], self.theme))
        row.addWidget(label(judgement.outcome.value.capitalize(), "title"), 1)
        column.addLayout(row)
        for line in judgement.lines:
            column.addWidget(label(line, wrap=True))
        if judgement.outcome is Outcome.NOT_YET:
            column.addWidget(label("Go on: nothing is lost by handing over too early.", "quiet", wrap=True))
            return
        column.addWidget(label("WHAT WAS SEEN", "caps"))
        for text, so in judgement.seen:
            one = row_of(spacing=8)
            one.addWidget(SeverityMark("settled" if so else "stop", self.theme), alignment=Qt.AlignmentFlag.AlignTop)
            one.addWidget(label(text[:1].upper() + text[1:], wrap=True), 1)
            column.addLayout(one)
        column.addWidget(label("WHAT WAS SO", "caps"))
        for text in of_hidden(room.drawn.figures):
            column.addWidget(label(text[:1].upper() + text[1:], wrap=True))
        column.addWidget(label("DEBRIEF", "caps"))
        for text in job.debrief or ():
            column.addWidget(label(text, wrap=True))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        elif event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):  # Enter in the sentence hands nothing over
            super().keyPressEvent(event)
