"""Recording from the link: a ride card and a test programme before, laps and notes while riding, the ride into the garage afterwards."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.stations.rides.card_fields import CardFields
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.pack.resting import REST_A
from crisp_hornet.core.programmes.catalogue import programmes
from crisp_hornet.core.programmes.lead import Lead, Result
from crisp_hornet.core.programmes.run import Programme
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.saying import Symbol, say
from crisp_hornet.garage.opening import RECORDINGS
from crisp_hornet.link.contact import Live
from crisp_hornet.rides.recorder import ENDING, Recorder, left_behind

FREE = "free ride"
RECORDING = "a ride is being recorded"
NOT_CONNECTED = (
    "Here a ride is recorded live, 50 rows a second, with laps, notes and a guided test programme. "
    "It needs the controller: hook it up first."
)
STILL_S = 180.0
LEAST_KG, MOST_KG = 1.0, 1000.0
FAST_MS = 20  # 50 readings a second while recording


class RecordBar(QWidget):
    """``recorded`` carries the file of a finished recording and its card."""

    recorded = pyqtSignal(object, object)
    told = pyqtSignal()  # how far the recording is has changed

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self.recorder: Recorder | None = None
        self.lead: Lead | None = None
        self._card = RideCard()
        self._note_at_s: float | None = None
        self.waits = Confirm(theme, "record from the first movement")
        self.waits.setChecked(True)
        self.card = CardFields("ride card", after=False)
        self.fields = self.card.fields
        self.programme = Chooser("test programme to be guided through")
        self.programme.activated.connect(lambda _at: self.refresh())
        self.flywheel = NumberField(unit="kg", least=LEAST_KG, most=MOST_KG)
        self.flywheel.setAccessibleName(
            tr(say("on a stand: what the flywheel weighs at the tyre, {unit}; empty on the road", unit=Symbol("kg")))
        )
        self.flywheel.setToolTip(
            tr("On a stand: what the flywheel weighs at the tyre. Left empty, bike and rider on the road count.")
        )
        self._waits_label = label("from first movement", "quiet")
        self._lap = button("Lap  F2", self.lap, "large", "Mark a lap")
        self.note = QLineEdit()
        self.note.setAccessibleName(tr("note while recording"))
        self.note.returnPressed.connect(self._take_note)
        self._told = label("", "value")
        self._led, self._last_run = label("", wrap=True), label("", "quiet", wrap=True)
        self._lay_out()
        QShortcut(QKeySequence("F2"), self).activated.connect(self.lap)
        QShortcut(QKeySequence("F3"), self).activated.connect(self.begin_note)
        link.live_changed.connect(self._take)
        link.changed.connect(self.refresh)
        desk.held.changed.connect(self.refresh)  # the page calls it first, once the bar stands in it

    def _lay_out(self) -> None:
        self._programme_row = Captioned("test programme", self.programme)
        self._flywheel_row = Captioned("flywheel", self.flywheel)
        self._note_row = Captioned("note of this moment, F3, then Enter", self.note)
        self._nothing = label(NOT_CONNECTED, wrap=True)
        self._guides = QWidget()
        guides = QGridLayout(self._guides)
        guides.setHorizontalSpacing(24)
        guides.setVerticalSpacing(4)
        guides.addWidget(label("TEST PROGRAMMES", "caps"), 0, 0)
        for row, programme in enumerate(self._programmes, 1):
            guides.addWidget(label(programme.title), row, 0)
            guides.addWidget(label(programme.purpose, "quiet"), row, 1)
        guides.setColumnStretch(1, 1)
        before, riding = row_of(spacing=14), row_of(spacing=10)
        for widget in (self._programme_row, self._flywheel_row, self.waits, self._waits_label):
            before.addWidget(widget)
        before.addStretch(1)
        riding.addWidget(self._lap)
        riding.addWidget(self._note_row, 1)
        column = column_of(self, margins=(0, 8, 0, 0), spacing=12)
        column.addWidget(self._nothing)
        column.addWidget(self._told)
        column.addLayout(before)
        column.addLayout(riding)
        column.addWidget(self.card)
        for below in (self._led, self._last_run, self._guides):
            column.addWidget(below)
        column.addStretch(1)

    @property
    def folder(self) -> Path:
        """Where recordings are written until they are rides."""
        return self._desk.folder / RECORDINGS

    @property
    def _programmes(self) -> tuple[Programme, ...]:
        tune = self._desk.held.tune
        return programmes(len(tune.assist.levels) if tune is not None else 5, self.flywheel.value())

    @property
    def _chosen(self) -> Programme | None:
        at = self.programme.currentIndex() - 1
        return self._programmes[at] if 0 <= at < len(self._programmes) else None

    # --- begin and end --------------------------------------------------------------------------------------

    def lay_ready(self, programme: str) -> None:
        """Choose a programme by its id."""
        at = next((at for at, one in enumerate(self._programmes, 1) if one.id == programme), 0)
        self.programme.setCurrentIndex(at)
        self.refresh()

    def start(self) -> None:
        """Begin to record, or to wait for the first movement."""
        now, programme, bike = datetime.now().astimezone(), self._chosen, self._desk.bike
        path = self.folder / f"Recorded {now:%Y-%m-%d %H-%M-%S}{ENDING}"
        try:
            self.recorder = Recorder(path, self.waits.isChecked(), STILL_S)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            return
        self.lead = Lead(programme, bike) if programme is not None and bike is not None else None
        self._link.want_rate(RECORDING, FAST_MS)
        self._desk.pin(RECORDING)
        tune = self._desk.held.tune.name if self._desk.held.tune is not None else "not known"
        self._card = self._rested(self.card.card).model_copy(update={"programme": programme.title if programme else ""})
        known = {name.replace("_", " "): str(value) for name, value in self._card.model_dump().items() if value}
        self.recorder.card(known | {"tune": tune})
        if bike is not None:
            self.recorder.bike(bike.name)
        self._last_run.setText("")
        self.refresh()

    def _rested(self, card: RideCard) -> RideCard:
        """The card with the pack's voltage of now, where it rests and none was typed in."""
        live = self._link.live
        if card.rested_start_v is not None or live is None:
            return card
        volts, amps, speed = (live.values.get(one) for one in ("pack_v", "battery_a", "wheel_speed_kmh"))
        rests = volts is not None and volts > 0 and abs(amps or 0.0) <= REST_A and not speed
        return card.model_copy(update={"rested_start_v": round(volts, 2)}) if rests and volts is not None else card

    def stop(self) -> None:
        """End the recording and hand it over."""
        recorder = self.recorder
        if recorder is None:
            return
        if self.lead is not None:
            self._tell_run(self.lead.mark())
        self.recorder = self.lead = None
        self._link.want_rate(RECORDING, None)
        self._desk.unpin(RECORDING)
        try:
            recorder.finish()
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
        self.refresh()
        if recorder.rows > 1:
            self.recorded.emit(recorder.path, self._card)
        else:
            recorder.path.unlink(missing_ok=True)
            self._desk.said.emit("note", "Nothing moved: no ride was recorded.")

    # --- while riding ---------------------------------------------------------------------------------------

    def lap(self) -> None:
        """Mark a lap; it also ends the run of a programme that is under way."""
        if self.recorder is None:
            return
        self.recorder.lap()
        self._desk.said.emit("settled", f"Lap at {clock(self.recorder.lasts_s)}.")
        if self.lead is not None:
            self._tell_run(self.lead.mark())

    def left(self) -> list[Path]:
        """Recordings that a crash left behind."""
        mine = self.recorder.path if self.recorder is not None else None
        return [path for path in left_behind(self.folder) if path != mine]

    def begin_note(self) -> None:
        """A note of this moment: it is typed now, but counts from here."""
        if self.recorder is not None:
            self._note_at_s = self.recorder.lasts_s
            self.note.setFocus()

    def _take_note(self) -> None:
        if self.recorder is not None and self.note.text().strip():
            self.recorder.note(self.note.text().strip(), self._note_at_s)
            self.note.clear()
        self._note_at_s = None

    def _take(self, live: Live) -> None:
        recorder = self.recorder
        if recorder is None:
            return
        try:
            recorder.take(live.at_s, live.values)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            self.stop()
            return
        if self.lead is not None and not recorder.waiting:
            self._tell_run(self.lead.take(recorder.lasts_s, live.values))
        if recorder.done:  # it stood for long
            self.stop()
        elif recorder.rows % 10 == 0:
            self._tell()

    def _tell_run(self, result: Result | None) -> None:
        if result is None or self.recorder is None or self.lead is None:
            return
        self.recorder.note(f"{self.lead.programme.title}, {result.text}")
        self._last_run.setText(("Usable: " if result.usable else "Again: ") + self._desk.units.text(result.text))
        self._tell()

    @property
    def so_far(self) -> str:
        """How far the recording is, in a word or two; "" while none runs."""
        if self.recorder is None:
            return ""
        return "waits to record" if self.recorder.waiting else f"recording {clock(self.recorder.lasts_s)}"

    def _tell(self) -> None:
        self.told.emit()
        if self.recorder is not None:
            waiting = "waits for the first movement"
            self._told.setText(
                waiting if self.recorder.waiting else f"{clock(self.recorder.lasts_s)}, {self.recorder.rows} rows"
            )
        if self.lead is not None:
            self._led.setText(self._desk.units.text(self.lead.sentence))

    def refresh(self) -> None:
        """Show what can be done now."""
        recording, chosen = self.recorder is not None, self._chosen
        titles = [FREE, *(programme.title for programme in self._programmes)]
        if [self.programme.itemText(at) for at in range(self.programme.count())] != titles:
            self.programme.clear()
            self.programme.addItems(titles)
        can = self._link.contact is not None
        before = (self._programme_row, self.waits, self._waits_label, self.card)
        while_riding = (self._lap, self._note_row, self._told)
        for widget, shown in [(one, can and not recording) for one in before] + [
            (one, recording) for one in while_riding
        ]:
            widget.setVisible(shown)
        self._nothing.setVisible(not can and not recording)
        self._guides.setVisible(not recording and chosen is None)
        if not recording and chosen is not None:
            self._led.setText(f"{chosen.title}: {chosen.purpose}. {chosen.caution}")
        self._flywheel_row.setVisible(can and not recording and chosen is not None and chosen.id == "dyno")
        self._led.setVisible(self.lead is not None if recording else can and chosen is not None)
        self._last_run.setVisible(recording and self.lead is not None)
        self._tell()
