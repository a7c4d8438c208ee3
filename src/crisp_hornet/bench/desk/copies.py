"""Copies of the garage by themselves: each day or each week into a folder that was chosen, beside the window."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.draft import Draft
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.documents.errors import DocumentError

if TYPE_CHECKING:
    from crisp_hornet.garage.copies import Copied

PREFERENCE, LOOK_MS, MOST_KEPT = "copies", 10 * 60_000, 1000
EVERY = {"each day": 1, "each week": 7}
NEVER = "never"


@dataclass(frozen=True)
class Schedule:
    """Copies into a folder ``every`` so often, of which ``keep`` stay; ``last``: when the newest was made."""

    to: str = ""
    every: str = NEVER
    keep: int = 14
    last: str = ""

    def due(self, now: datetime) -> bool:
        """Whether one is to be made."""
        days = EVERY.get(self.every)
        if days is None or not self.to:
            return False
        try:
            passed = now - datetime.fromisoformat(self.last)
            return passed >= timedelta(days=days) or passed < timedelta()  # or the clock was set back
        except (ValueError, TypeError):
            return True  # there is none yet


def schedule_of(told: object) -> Schedule:
    """A schedule as it was kept; what is none is never."""
    if not isinstance(told, dict):
        return Schedule()
    keep, texts = told.get("keep"), [told.get(name) for name in ("to", "every", "last")]
    if type(keep) is not int or not 1 <= keep <= MOST_KEPT or not all(isinstance(text, str) for text in texts):
        return Schedule()
    return Schedule(str(texts[0]), str(texts[1]), keep, str(texts[2]))


class Copies(QObject):
    """None is made by itself before :meth:`begin`. ``changed``: a copy was made, or could not be; ``failed``: why the last could not, in
    words."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike, draft: Draft) -> None:
        super().__init__()
        self._bike, self._draft = bike, draft
        self.failed = ""
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(self._fail)
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)

    def begin(self) -> None:
        """Make those that are due, now and from now on."""
        self._timer.start()
        self.look()

    @property
    def running(self) -> bool:
        """Whether a copy is being made."""
        return self._work.running

    @property
    def schedule(self) -> Schedule:
        """How often, and where to."""
        return schedule_of(self._bike.remembered(PREFERENCE))

    def set(self, schedule: Schedule) -> None:
        """Another schedule; a copy is made at once where one is due."""
        self._bike.remember(PREFERENCE, dict(vars(schedule)))
        if self._timer.isActive():
            self.look()
        self.changed.emit()

    def look(self) -> None:
        """Make a copy where one is due."""
        schedule = self.schedule
        if not self._work.running and schedule.due(datetime.now().astimezone()):
            self.copy_now(schedule)

    def copy_now(self, schedule: Schedule) -> None:
        """Make one."""
        from crisp_hornet.garage.copies import copy_garage

        self._draft.keep()
        garage = self._bike.garage
        self._work.start(lambda: copy_garage(garage, Path(schedule.to), schedule.keep))
        self.changed.emit()

    def finish(self) -> None:
        """No more copies."""
        self._timer.stop()
        self._work.cancel()

    def _take(self, _made: Copied) -> None:
        self.failed = ""
        last = datetime.now().astimezone().isoformat(timespec="seconds")
        self._bike.remember(PREFERENCE, vars(self.schedule) | {"last": last})
        self.changed.emit()

    def _fail(self, error: DocumentError) -> None:
        words = f"The garage could not be copied: {error}"
        if words != self.failed:  # it is tried again and again
            self._bike.said.emit("warn", words)
        self.failed = words
        self.changed.emit()
