"""A garage that is shared, seen from the window: in step every few seconds, beside it; what others did appears, what both changed is
asked, a lost line is said once and work goes on.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.in_step import Elsewhere, InStep, LineLost, WorkshopError
from crisp_hornet.garage.merging import CUSTOMERS
from crisp_hornet.garage.workshop import Workshop

if TYPE_CHECKING:
    from crisp_hornet.garage.merging import Conflict, Key, Side

EVERY_MS, DRAG_MS = 3_000, 150
LOST = "The line to the shared garage is lost. Work goes on here and is taken up when it is back."
BACK = "The shared garage is reached again: all is in step."
READS_ONLY = "You may read the shared garage, not change it: what you change stays on this bench."


class Shared(QObject):
    """``open_workshop`` connects; it is called beside the window, and again while the line is lost. While the link
    is ``busy`` nothing is taken in: it could change what is being sent. ``asked``: what both sides changed
    otherwise of the active bike. ``news``: who is where, or whether the line stands, has changed."""

    asked = pyqtSignal(list)
    news = pyqtSignal()

    def __init__(self, desk: Desk, open_workshop: Callable[[], Workshop], busy: Callable[[], bool]) -> None:
        super().__init__()
        self._desk, self._open, self._busy = desk, open_workshop, busy
        self.workshop: Workshop | None = None
        self.others: tuple[Elsewhere, ...] = ()
        self.conflicts: Mapping[str, list[Conflict]] = {}
        self.lost = False
        self._said_reads_only, self._ended = False, [False]
        self._said = ""
        self._decided: dict[str, dict[Key, Side]] = {}
        self._work = Background(WorkshopError, DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(self._fail)
        desk.bike_changed.connect(self._ask)
        self._came: list[tuple[Workshop, InStep, dict[str, dict[Key, Side]]]] = []
        self._later = QTimer(self)
        self._later.setInterval(DRAG_MS)
        self._later.timeout.connect(self._take_up)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.step)
        self._timer.start()

    @property
    def running(self) -> bool:
        """Whether a step is under way."""
        return self._work.running

    def step(self) -> None:
        """Bring the bench in step with the others, if neither that is under way nor a drag nor a send."""
        if self._work.running or self._busy() or QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            return
        desk, decided, known = self._desk, self._decided, self.workshop
        desk.draft.keep_what_waits()
        garage, bike_id, ended = desk.garage, desk.bike_id, self._ended

        def work() -> tuple[Workshop, InStep, dict[str, dict[Key, Side]]]:
            workshop = known or self._open()
            try:
                uid = garage.bikes.uid(bike_id) if bike_id else None
                return workshop, workshop.bring_in_step(garage, decided, uid), decided
            except WorkshopError:
                workshop.close()
                raise
            finally:
                if ended[0]:  # the window was closed meanwhile
                    workshop.close()

        self._work.start(work)

    def decide(self, sides: Mapping[Key, Side]) -> None:
        """Whose counts of what was asked about the active bike."""
        desk = self._desk
        for key, side in sides.items():
            of = CUSTOMERS if key[0] == CUSTOMERS else desk.garage.bikes.uid(desk.bike_id)
            self._decided = {**self._decided, of: {**self._decided.get(of, {}), key: side}}
        self.step()

    def of_bike(self, bike_id: int) -> str:
        """Who else has a bike open; "" for nobody."""
        uids = [one.bike_uid for one in self.others]
        if not any(uids):
            return ""
        uid = self._desk.garage.bikes.uid(bike_id)
        return ", ".join(one.who for one in self.others if one.bike_uid == uid)

    def finish(self) -> None:
        """No more steps; the line is let go of."""
        self._ended[0] = True
        self._timer.stop()
        self._later.stop()
        self._work.cancel()
        if self.workshop is not None:
            self.workshop.close()

    def _take(self, made: tuple[Workshop, InStep, dict[str, dict[Key, Side]]]) -> None:
        """What a step came to, once nothing is being dragged: what is shown anew would end the drag."""
        self.workshop = made[0]
        self._came.append(made)
        self._take_up()

    def _take_up(self) -> None:
        self._later.stop()
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._later.start()
            return
        came, self._came = self._came, []
        for _, told, decided in came:
            self._show(told, decided)

    def _show(self, told: InStep, decided: dict[str, dict[Key, Side]]) -> None:
        self._say_once(" ".join(dict.fromkeys(told.refused)))
        if self._decided is decided:
            self._decided = {}
        if self.lost:
            self.lost = False
            self._desk.said.emit("settled", BACK)
        if told.held and not self._said_reads_only:
            self._said_reads_only = True
            self._desk.said.emit("warn", READS_ONLY)
        if told.changed:
            self._show_changes(told.changed)
        moved = (told.others, told.conflicts) != (self.others, self.conflicts)
        self.others, self.conflicts = told.others, told.conflicts
        if moved:
            self.news.emit()
            self._ask()

    def _show_changes(self, changed: tuple[int, ...]) -> None:
        if self._desk.bike is None or self._desk.bike_id in changed:
            self._desk.draft.keep_what_waits()
            self._desk.reload()
            self._desk.said.emit("note", "Another bench changed this bike: what it did is shown.")
        else:
            self._desk.bike_changed.emit()

    def _ask(self) -> None:
        bike_id = self._desk.bike_id
        uid = self._desk.garage.bikes.uid(bike_id) if bike_id and self.conflicts else ""
        self.asked.emit([*self.conflicts.get(uid, []), *self.conflicts.get(CUSTOMERS, [])])

    def _fail(self, error: Any) -> None:
        if not isinstance(error, LineLost):
            self._say_once(str(error))
            return
        self.workshop = None  # it is opened again
        if not self.lost:
            self.lost, self.others = True, ()  # who works where is not known any more
            self._desk.said.emit("warn", LOST)
            self.news.emit()

    def _say_once(self, words: str) -> None:
        """It is tried again and again."""
        if words and words != self._said:
            self._desk.said.emit("stop", words)
        self._said = words
