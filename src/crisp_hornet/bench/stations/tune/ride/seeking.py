"""Asking: what the draft reaches of each wish, the search for settings, and the map of where wishes hold."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.ask import EVERY_CASE
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.tune.ride.ride_column import RideColumn
from crisp_hornet.bench.stations.tune.ride.wishes_page import WishesPage, amps_of
from crisp_hornet.bench.stations.tune.ride.work import Sought, Turn, mapped, reached, sought, told
from crisp_hornet.core.goal.wish_map import WishMap
from crisp_hornet.core.virtual_ride.ride import Stopped
from crisp_hornet.documents.saying import quantity, say

MOST_NOTES, POLL_MS = 4000, 250


class Seeking(QObject):
    """Between the column, which asks, and the page of wishes, which answers. ``news``: an answer is there. ``look``: the page of wishes is
    to come into view."""

    news = pyqtSignal()
    look = pyqtSignal()

    def __init__(self, desk: Desk, column: RideColumn, page: WishesPage) -> None:
        super().__init__(page)
        self._desk, self._column, self._page = desk, column, page
        self._turn, self._map_turn, self._reach_turn = Turn(), Turn(), Turn()
        self.work, self._reach, self.drawing = (Background(Stopped, ValueError) for _ in range(3))
        self.work.done.connect(self._take_answer)
        self._reach.done.connect(column.show_reached)
        self.drawing.done.connect(self._take_map)
        self.work.failed.connect(lambda _error: self._show_seeking(False))
        for work in (self.work, self._reach, self.drawing):
            work.failed.connect(self._refuse)
        self._poll = QTimer(self)
        self._poll.setInterval(POLL_MS)
        self._poll.timeout.connect(self._show_progress)
        self._answer: Sought | None = None
        self._asked: object = None
        self._answer_units = desk.units
        self._reached_of: object = None
        self._mapped_of: object = None
        column.seek_asked.connect(self.seek)
        page.taken.connect(self.take_answer)
        page.axes_changed.connect(self.draw_map)
        desk.ask.changed.connect(self._forget)

    def stop(self) -> None:
        """Nobody waits for it any more."""
        for turn in (self._turn, self._map_turn, self._reach_turn):
            turn.begin()

    def _forget(self) -> None:
        """Something else is asked."""
        self._answer = self._asked = None
        self._turn.begin()
        self.work.cancel()
        self._show_seeking(False)
        self._page.show_answer(None, [], "")

    def _question(self) -> object:
        """All that an answer rests on; what the free settings are and how the draft is called changes nothing."""
        desk, tune = self._desk, self._desk.draft.tune
        if tune is not None:
            plain = tune.with_settings(dict.fromkeys(desk.ask.free, 1.0))
            tune = plain.model_copy(update={"name": "", "notes": ""})
        return (desk.bike, tune, desk.ask.document(), desk.conditions.rested_v, desk.ask.cases)

    def _refuse(self, error: Exception) -> None:
        if isinstance(error, ValueError):
            self._desk.said.emit("warn", f"The ask: {error}.")

    def refresh(self) -> None:
        """Show what was found in the units of now, and the marks where the tunes are."""
        if self._asked is not None and self._asked != self._question():
            self._forget()
        if self._answer_units != self._desk.units:
            self._show_answer()
        self._page.refresh()

    def rest(self, in_view: bool) -> None:
        """The hands rest: what the draft reaches is worked out, and the map where it is ``in_view``."""
        desk, goals = self._desk, self._desk.ask.document()
        bike, tune, rested_v = desk.bike, desk.draft.tune, desk.conditions.rested_v
        if bike is None or tune is None or goals is None:
            self._page.show_map(None, "Ask for something: then it is shown here where it holds.")
            return
        cases = desk.ask.cases
        wanted = (bike, tune, goals, rested_v, cases)
        if wanted != self._reached_of:
            self._reached_of = wanted
            self._column.show_reached(None)
            ticket = self._reach_turn.begin()
            self._reach.start(lambda: reached(bike, tune, goals, rested_v, cases, ticket))
        if in_view:
            self.draw_map()

    def draw_map(self) -> None:
        """Draw the map of what is asked now, where it is another one."""
        desk, goals = self._desk, self._desk.ask.document()
        bike, tune, rested_v, paths = desk.bike, desk.draft.tune, desk.conditions.rested_v, self._page.paths
        if bike is None or tune is None or goals is None:
            return
        others = tune.with_settings(dict.fromkeys(paths, 1.0))  # what the map goes over makes it no other map
        cases = desk.ask.cases
        wanted = (bike, others, goals, rested_v, paths, cases, desk.units)
        if wanted == self._mapped_of:
            return
        self._mapped_of = wanted
        ticket = self._map_turn.begin()
        self._poll.start()
        self.drawing.start(lambda: mapped(bike, tune, goals, rested_v, paths, cases, ticket))
        self._page.show_map(None, "Drawing the map …", drawing=True)

    def _show_progress(self) -> None:
        """How far search and map are."""
        if self.work.running:
            self._page.say(f"Looking for settings: {self._turn.calls} steps so far.")
        if self.drawing.running and self._map_turn.share > 0:
            self._page.show_map(None, f"Riding for the map: {100 * self._map_turn.share:.0f} %", drawing=True)
        if not (self.work.running or self.drawing.running):
            self._poll.stop()

    def _take_map(self, found: WishMap) -> None:
        volts, case = quantity(self._desk.conditions.rested_v, "V", ".1f"), self._desk.ask.case
        words = say("At {volts} at rest. Hatched: every wish holds.", volts=volts)
        if case:
            words = say("{words} Also {case}.", words=words, case="in every case" if case == EVERY_CASE else case)
        self._page.show_map(found, self._desk.units.text(words))
        self._page.refresh()

    def seek(self) -> None:
        """Find the settings for the wishes; once more ends the search."""
        if self.work.running:
            self._turn.begin()
            self.work.cancel()
            self._show_seeking(False)
            self._page.show_answer(None, [], "Stopped. Nothing was changed.")
            return
        desk, goals = self._desk, self._desk.ask.document()
        bike, tune, rested_v = desk.bike, desk.draft.tune, desk.conditions.rested_v
        if bike is None or tune is None or goals is None:
            desk.said.emit("note", "Ask for something first: add a wish.")
            return
        ticket, steps, cases = self._turn.begin(), desk.held.steps(desk.ask.free), desk.ask.cases
        self.work.start(lambda: sought(bike, tune, goals, rested_v, steps, cases, ticket))
        self._asked = self._question()
        self._show_seeking(True)
        self._poll.start()
        self.look.emit()
        self._page.show_answer(None, [], "Looking for settings …")

    def _show_seeking(self, on: bool) -> None:
        self._column.seek.setText("Stop the search" if on else "Find the settings")

    def _take_answer(self, found: Sought) -> None:
        self._show_seeking(False)
        self._answer = found
        self._show_answer()
        self.news.emit()

    def _show_answer(self) -> None:
        """What was found, in the units of now."""
        self._answer_units = self._desk.units
        if self._answer is not None:
            _, answer, parts = self._answer
            self._page.show_answer(answer, parts, self.words)

    @property
    def words(self) -> str:
        """What the ask comes to; "" while that is not known."""
        return self._desk.units.text(told(self._answer[1], self._answer[0])) if self._answer is not None else ""

    def take_answer(self) -> None:
        """Draft the settings that were found, and keep the ask in the logbook."""
        answer, desk = self._page.found, self._desk
        if answer is None or desk.draft.tune is None:
            return
        values = {path: answer.tune.setting(path) for path in desk.ask.free}
        notes = "\n".join(filter(None, [desk.draft.tune.notes, self.words]))[-MOST_NOTES:]
        desk.draft.open(
            desk.draft.tune.with_settings(values).model_copy(update={"notes": notes}), "the settings asked for"
        )
        desk.log("ask", f"Asked, and drafted {amps_of(answer.tune, desk.ask.free)}", self.words)
        desk.said.emit("settled", f"Drafted: {amps_of(answer.tune, desk.ask.free)}. Drafts has the steps there.")
