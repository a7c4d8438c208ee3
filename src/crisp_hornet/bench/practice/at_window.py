"""A job of practice in the window: its bar, its sheet, and what was ridden for it. Without a job there is nothing of this."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.notice import Notice

if TYPE_CHECKING:
    from crisp_hornet.bench.practice.job_sheet import JobSheet
    from crisp_hornet.bench.practice.practising import Practising, Ridden


class PracticeAtWindow:
    """``sheet`` is made when it is first shown, over the window."""

    def __init__(self, practising: Practising, desk: Desk, notice: Notice, theme: Theme, over: QWidget) -> None:
        self._practising, self._desk, self._notice, self._theme, self._over = practising, desk, notice, theme, over
        self.sheet: JobSheet | None = None
        practising.watch(desk)
        practising.ridden.connect(self._take_ride)
        practising.failed.connect(lambda why: notice.say("warn", why))
        practising.judged.connect(lambda _judgement: self.show_job())

    def bar(self) -> QWidget:
        """What leads the job, above the page."""
        from crisp_hornet.bench.practice.bar import PracticeBar

        return PracticeBar(self._practising, self.show_job)

    def show_job(self) -> None:
        """The sheet of the job."""
        from crisp_hornet.bench.practice.job_sheet import JobSheet

        if self.sheet is None:
            self.sheet = JobSheet(self._practising, self._theme, self._over)
        self.sheet.show()
        self.sheet.raise_()

    def _take_ride(self, ridden: Ridden) -> None:
        from crisp_hornet.bench.practice.words import of_ride

        self._desk.kept(lambda: self._desk.ride.take(ridden.log, [f"ridden in practice on {ridden.road}"]))
        self._notice.say("note", self._desk.units.text(of_ride(ridden)))
