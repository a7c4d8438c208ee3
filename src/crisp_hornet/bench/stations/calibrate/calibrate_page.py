"""The Calibrate station: cautions once a contact, the lever first, then one instrument per sensor, and the live scope."""

from __future__ import annotations

import time

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.calibrate.bench_view import InstrumentView
from crisp_hornet.bench.stations.calibrate.instrument_list import InstrumentList
from crisp_hornet.bench.stations.calibrate.instruments import INSTRUMENTS, Instrument
from crisp_hornet.bench.stations.calibrate.recording import Ring
from crisp_hornet.bench.stations.calibrate.scope_view import ScopeView
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import column_scroll, label, sheet
from crisp_hornet.link.contact import Live
from crisp_hornet.link.session import ContactMade

CAUTION = "Wheel off the ground and clear of fingers, clothes and tools; pack and brakes ready; pedals clear before anything turns."
SCOPE_WORDS = (
    "Choose channels on the left. A trigger freezes half a window after a channel rises through its level; Space freezes, a click and a "
    "click with Shift set two cursors, arrows move them."
)
FAST_MS = 20
STALE_S = 1.5


class CalibratePage(Station):
    """Half of what is called bad tuning is a sensor nobody calibrated."""

    key = "calibrate"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        channels = {channel.name for one in link.maps for channel in one.channels}
        self.ring = Ring(sorted(channels))
        self.lever_proved = False
        self.confirm = Confirm(theme, CAUTION)
        self.confirm.toggled.connect(lambda _on: self._show())
        self._caution = QWidget()
        row = QHBoxLayout(self._caution)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.confirm)
        row.addWidget(label(CAUTION, wrap=True), 1)
        self.list = InstrumentList(desk, theme)
        self.list.chosen.connect(self.choose)
        self.view = InstrumentView(desk, link, theme, self.ring)
        self.view.judged.connect(self._take_judged)
        self.view.news.connect(self.news)
        self.scope_view = ScopeView(desk, theme, self.ring)
        self._views = Pages()
        self.pages = PageChoice(("Instruments", "Live scope"), "Calibrate", 14)
        self.pages.chosen.connect(self._show_view)
        self._watch = QTimer(self)
        self._watch.setInterval(500)
        self._watch.timeout.connect(self._stop_if_stale)
        self._lay_out()
        link.live_changed.connect(self._take_live)
        link.contact_made.connect(self._take_contact)
        link.changed.connect(self._show)
        desk.story.calibrations_changed.connect(self._show)
        desk.bike_changed.connect(self._show)
        self.choose(INSTRUMENTS[0])

    def _lay_out(self) -> None:
        left = column_scroll(self.list)
        fix(left, wide=268)
        bench = QWidget()
        row = row_of(bench, margins=0, spacing=22)
        row.addWidget(left)
        row.addWidget(self.view, 1)
        for view in (bench, self.scope_view):
            self._views.addWidget(view)
        column = column_of(self, margins=(0, 4, 0, 0), spacing=8)
        column.addWidget(self.pages)
        column.addWidget(sheet(self._caution, margin=4))
        column.addWidget(self._views, 1)

    def show_view(self, index: int) -> None:
        """The instruments (0) or the live scope (1)."""
        self.pages.choose(index)

    def _show_view(self, index: int) -> None:
        self._views.setCurrentIndex(index)
        self.news.emit()

    def take(self, thing: object) -> None:
        """An instrument to be put on the bench, by its kind."""
        self.show_view(0)
        self.choose(next(one for one in INSTRUMENTS if one.kind == str(thing)))

    def choose(self, instrument: Instrument) -> None:
        """Put an instrument on the bench."""
        self.list.mark(instrument.kind)
        self.view.show_instrument(instrument)
        self._show()

    def shown(self) -> None:
        self.link.want_rate("calibrate", FAST_MS)
        self._show()

    def left(self) -> None:
        """The station goes out of view: whatever turns the wheel stops."""
        self.view.stop_all()
        self.link.want_rate("calibrate", None)

    # --- what the link says ---------------------------------------------------------------------------------

    def _take_live(self, live: Live) -> None:
        self.ring.take(live)
        self.view.take_live(live)

    def _take_contact(self, _made: ContactMade) -> None:
        self.ring.clear()
        self.lever_proved = False
        self.confirm.setChecked(False)
        self._show()

    def _take_judged(self, kind: str, passed: bool) -> None:
        if kind == "brake":
            self.lever_proved = passed
        self._show()

    def _stop_if_stale(self) -> None:
        live = self.link.live
        if live is None or time.monotonic() - live.at_s > STALE_S:
            self.view.stop_all()

    def _show(self) -> None:
        contact = self.link.contact
        self._caution.parentWidget().setVisible(contact is not None and not self.confirm.isChecked())  # type: ignore[union-attr]
        if contact is None:
            self._watch.stop()
            self.view.block("Hook up the controller: an instrument needs its live values.")
        elif not self.confirm.isChecked():
            self.view.block("Confirm above that the bike is secured.")
        elif self.view.instrument is not None and self.view.instrument.turns and not self.lever_proved:
            self.view.block("Test the brake lever first; until then nothing may drive the wheel.")
        else:
            self.view.block("")
            self._watch.start()
        self.list.refresh()
        self.news.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.view.space(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.view.space(False)
        else:
            super().keyReleaseEvent(event)

    # --- the job line and the footer ------------------------------------------------------------------------

    def meaning(self) -> tuple[str, str]:
        if self._views.currentIndex() == 1:
            return "THE LIVE SCOPE", SCOPE_WORDS
        return self.view.meaning()

    def act_text(self) -> str:
        if self.link.contact is None:
            return "Hook up the controller"
        return self.view.act_text() if self._views.currentIndex() == 0 else ""

    def act_enabled(self) -> bool:
        return self.link.contact is None or self.view.act_enabled()

    def act(self) -> None:
        if self.link.contact is None:
            self.go.emit("hookup")
        else:
            self.view.act()
