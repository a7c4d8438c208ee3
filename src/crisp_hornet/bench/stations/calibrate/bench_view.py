"""The instrument on the bench: what to do, the live trace, the judgement, writing it to the controller, and the history."""

from __future__ import annotations

import math
import time
from datetime import datetime

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.calibrate.instruments import Instrument, Known
from crisp_hornet.bench.stations.calibrate.instruments import Question as Asked
from crisp_hornet.bench.stations.calibrate.recording import Recording, Ring, in_words, unit_of
from crisp_hornet.bench.stations.calibrate.scope import Scope
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.questions import Questions
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.calibrate.checked import checked
from crisp_hornet.core.calibrate.judgement import Judgement, Verdict
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.link.contact import Live
from crisp_hornet.link.difference import changes_to, said
from crisp_hornet.link.operations import Detect, Question, WriteCalibration, Zero
from crisp_hornet.link.report import Outcome, Report
from crisp_hornet.link.session import ContactMade

HOLD_MS = 200
DETECTED = 2.0
SEVERITY = {Verdict.PASSED: "settled", Verdict.DOUBTFUL: "warn", Verdict.FAILED: "stop"}
MOST_HISTORY = 4


class InstrumentView(QWidget):
    """Records, judges, writes. What turns the wheel runs only while it is held."""

    judged = pyqtSignal(str, bool)
    news = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme, ring: Ring) -> None:
        super().__init__()
        self._desk, self._link, self.theme, self._ring = desk, link, theme, ring
        self.instrument: Instrument | None = None
        self.judgement: Judgement | None = None
        self.recording_since: float | None = None
        self._blocked = ""
        self._title, self._do = label("", "title"), label("", wrap=True)
        self.scope = Scope(theme, ring)
        self.fields: dict[str, NumberField | Chooser] = {}
        self._questions = QGridLayout()
        self._questions.setHorizontalSpacing(10)
        self._found = QVBoxLayout()
        self.questions = Questions(theme)
        self._history = label("", "quiet", wrap=True)
        self.hold: QPushButton = button("Hold to run", lambda: None, "large", "Hold to run the detection")
        self.hold.pressed.connect(lambda: self._run_detection(True))
        self.hold.released.connect(lambda: self._run_detection(False))
        self._deadman = QTimer(self)
        self._deadman.setInterval(HOLD_MS)
        self._deadman.timeout.connect(self._ask_detection)
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(self._title)
        column.addWidget(self._do)
        column.addWidget(self.scope, 1)
        column.addLayout(self._questions)
        column.addWidget(self.hold)
        column.addLayout(self._found)
        column.addWidget(self.questions)
        column.addWidget(self._history)

    def show_instrument(self, instrument: Instrument) -> None:
        """Another instrument."""
        self.stop_all()
        self.instrument, self.judgement = instrument, None
        self._title.setText(instrument.title)
        self._do.setText(self._desk.units.text(instrument.do))
        self.scope.show_channels(list(instrument.channels))
        clear(self._questions)
        self.fields = {}
        for row, question in enumerate(instrument.questions):
            field = self._field(question)
            self.fields[question.name] = field
            self._questions.addWidget(Captioned(question.label, field), row // 2, row % 2)
        self._questions.setColumnStretch(4, 1)
        self.hold.setVisible(instrument.detects)
        self._show()

    def _field(self, question: Asked) -> NumberField | Chooser:
        """A field for a figure, a list to choose from for words; where the bike knows the answer already, that."""
        if question.words:
            chooser = Chooser(question.label)
            chooser.addItems(question.words)
            chooser.setCurrentIndex(int(question.guess))
            return chooser
        field = NumberField(thousandths=True)
        field.setText(f"{question.guess:g}")
        field.setAccessibleName(tr(question.label))
        field.show_unit(question.unit)
        fix(field, wide=110)
        return field

    def block(self, why: str) -> None:
        """Say why nothing can be recorded now; "" lets it."""
        self._blocked = why
        self.hold.setEnabled(not why)
        if why:
            self.stop_all()
        self._show()

    def space(self, down: bool) -> None:
        """Space holds the detection; for every other instrument it stops whatever runs."""
        if self.instrument is not None and self.instrument.detects and not self._blocked:
            self._run_detection(down)
        elif down:
            self.stop_all()

    def stop_all(self) -> None:
        """Nothing is recorded and nothing runs any more."""
        self._deadman.stop()
        if self.recording_since is not None:
            self.recording_since = None
            self._show()

    def take_live(self, live: Live) -> None:
        """The detection ends by itself when it is done."""
        detects = self.instrument is not None and self.instrument.detects
        if (
            detects
            and self.recording_since is not None
            and live.values.get("detect_state") == DETECTED
            and self._deadman.isActive()
        ):
            self._run_detection(False)

    # --- recording ------------------------------------------------------------------------------------------

    def start(self) -> None:
        """Record from now on."""
        if self._blocked or self.instrument is None:
            return
        self.judgement = None
        self.recording_since = time.monotonic()
        self._show()

    def judge_ride(self) -> None:
        """Judge from the ride on the desk."""
        instrument, contact, ride = self.instrument, self._link.contact, self._desk.ride.cleaned
        if instrument is None or instrument.ride is None or contact is None or self._desk.bike is None:
            return
        if ride is None:
            self._desk.said.emit("note", "No ride is open: import one on Rides first.")
            return
        self.judgement = instrument.ride(ride, Known(self._desk.bike, {}, contact.map.values(contact.raws)))
        self._keep(instrument, self.judgement, contact.identity.serial)
        self.judged.emit(instrument.kind, self.judgement.verdict is Verdict.PASSED)
        self._show()

    def zero(self) -> None:
        """Let the controller zero the sensor."""
        self._link.perform("zeroing", Zero(), self.questions.confirmed, self._zeroed)

    def _zeroed(self, report: Report) -> None:
        if report.outcome is Outcome.PROVED:
            self._desk.log("calibration", "Current sensor zeroed by the controller")
            self._desk.said.emit("settled", report.message)
        else:
            self._desk.log("calibration", "Current sensor not zeroed", report.message)
            self._desk.said.emit("stop", report.message)
        self._show()

    def finish(self) -> None:
        """Stop recording, judge, keep."""
        if self.recording_since is None or self.instrument is None or self._desk.bike is None:
            return
        times, channels = self._ring.since(self.recording_since)
        self.recording_since = None
        contact = self._link.contact
        answers = self._answers()
        if contact is None or answers is None:
            self._show()
            return
        if len(times) < (1 if self.instrument.detects else 5):
            self._desk.said.emit("note", "Too short: nothing was recorded.")
            self._show()
            return
        known = Known(self._desk.bike, answers, contact.map.values(contact.raws))
        self.judgement = self.instrument.judge(Recording(times, channels), known)
        self._keep(self.instrument, self.judgement, contact.identity.serial)
        self.judged.emit(self.instrument.kind, self.judgement.verdict is Verdict.PASSED)
        self._show()

    def _answers(self) -> dict[str, float] | None:
        found: dict[str, float] = {}
        for name, field in self.fields.items():
            if isinstance(field, Chooser):
                found[name] = float(field.currentIndex())
                continue
            try:
                found[name] = field.read()
            except Misread as why:
                self._desk.said.emit("note", f"{field.accessibleName()}: {why}.")
                return None
        return found

    def _keep(self, instrument: Instrument, judged: Judgement, serial: str, written: bool = False) -> None:
        figures = {name: value for name, value in judged.figures.items() if math.isfinite(value)}
        self._desk.story.keep_calibration(
            Calibration(
                kind=instrument.kind, taken=datetime.now().astimezone().isoformat(timespec="seconds"), serial=serial,
                verdict=judged.verdict.value, reason=judged.reason, next=judged.next, figures=figures, written=written,
            )
        )  # fmt: skip

    # --- what turns the wheel -------------------------------------------------------------------------------

    def _run_detection(self, on: bool) -> None:
        if on and not self._blocked:
            self.start()
            self._ask_detection()
            self._deadman.start()
        elif self._deadman.isActive():
            self._deadman.stop()
            self.finish()

    def _ask_detection(self) -> None:
        """Once more; the controller ends it by itself when it is not asked again in time."""

        self._link.perform_quietly(Detect(), self._detection_answered)

    def _detection_answered(self, report: Report) -> None:
        if report.outcome is not Outcome.PROVED and self.recording_since is not None:
            self._deadman.stop()
            self.recording_since = None
            self._desk.said.emit("stop", report.message)
            self._show()

    # --- writing it -----------------------------------------------------------------------------------------

    def to_write(self) -> dict[str, float]:
        """What this judgement would write, by register name."""
        contact, judged, instrument = self._link.contact, self.judgement, self.instrument
        if contact is None or judged is None or instrument is None:
            return {}
        if not self._stands:
            return {}
        wanted = {}
        for figure, name in instrument.writes:
            register, value = contact.map.register(name), judged.figures.get(figure, math.nan)
            if register is not None and register.choices and figure in instrument.words and math.isfinite(value):
                # the controller counts its kinds in its own order, and need not know them all
                word = instrument.words[figure][int(value)]
                value = float(register.choices.index(word)) if word in register.choices else math.nan
            if register is not None and math.isfinite(value) and register.min <= value <= register.max:
                wanted[name] = value
        return wanted

    def write(self) -> None:
        """Write what was found, through the guarded and proved way every write goes."""
        contact, instrument = self._link.contact, self.instrument
        wanted = self.to_write()
        if contact is None or instrument is None or not wanted:
            return
        operation = self._writing(contact, wanted)
        if isinstance(operation, str):
            self._desk.said.emit("stop", operation)
        elif not operation.changes:
            self._desk.said.emit("note", "The controller holds that already.")
        else:
            self._link.perform("writing a calibration", operation, self.questions.confirmed, self._written)

    def _writing(self, contact: ContactMade, wanted: dict[str, float]) -> WriteCalibration | str:
        """The operation that writes it, or why there is none."""
        try:
            return WriteCalibration(tuple(changes_to(contact.map, contact.raws, wanted)))
        except ValueError as error:
            return f"{error}."

    def _asked(self) -> list[Question]:
        """What the session wants to have confirmed before this is written."""
        contact, wanted = self._link.contact, self.to_write()
        if contact is None or contact.blocked:
            return []
        operation = self._writing(contact, wanted) if wanted else None
        if isinstance(operation, WriteCalibration) and operation.changes:
            return contact.questions(operation)
        return contact.questions(Zero()) if self.judgement is not None and self._zeroes else []

    @property
    def _stands(self) -> bool:
        """Whether what was found can be used: of a failed sensor only where writing it mends that."""
        judged, instrument = self.judgement, self.instrument
        failed = judged is None or judged.verdict is Verdict.FAILED
        return not failed or (instrument is not None and instrument.writes_mends and judged is not None)

    @property
    def _zeroes(self) -> bool:
        return self.instrument is not None and self.instrument.zeroes

    def take_over(self) -> None:
        """Take what was found into the bike document, as measured; undoable."""
        judged, instrument = self.judgement, self.instrument
        if judged is None or instrument is None:
            return

        def with_found(bike: Bike) -> Bike:
            if instrument.checks:
                meter = (self._answers() or {}).get("meter_percent", 1.0) / 100
                day, figures = f"{datetime.now().astimezone():%Y-%m-%d}", judged.figures
                bike = checked(bike, instrument.checks, day, figures.get("gain"), meter, figures.get("zero_a"))
            for figure, path in instrument.takes_over:
                value = judged.figures.get(figure, math.nan)
                if figure in instrument.words and math.isfinite(value):
                    bike = bike.with_value(path, instrument.words[figure][int(value)], "measured")
                elif value > 0:
                    bike = bike.with_figure(path, float(f"{value:.5g}"), "measured")
            return bike

        if self._desk.active.try_change(with_found, f"{instrument.title.lower()} saved to the bike"):
            self._desk.said.emit("settled", "Saved to the bike as measured. Undo restores the earlier values.")

    def _written(self, report: Report) -> None:
        if report.outcome is not Outcome.PROVED:
            self._desk.log("calibration", "Calibration not written", report.message)
            self._desk.said.emit("stop", report.message)
        elif self.instrument is not None and self.judgement is not None and self._link.contact is not None:
            self._keep(self.instrument, self.judgement, self._link.contact.identity.serial, written=True)
            self._desk.said.emit("settled", f"Written. {report.message}")
        self.questions.forget()
        self._show()

    # --- showing it -----------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours."""
        self.theme = theme
        self._show()

    def _show(self) -> None:
        clear(self._found)
        self.questions.ask(self._asked(), tuple(self.to_write().items()))
        if self.judgement is not None:
            judged = self.judgement
            words = f"{self._desk.units.text(judged.reason)}."
            self._found.addWidget(
                card(
                    self.theme,
                    SEVERITY[judged.verdict],
                    f"{judged.verdict.value.capitalize()}",
                    f"{words} {judged.next}",
                )
            )
            if self._zeroes:
                self._found.addWidget(button("Zero it on the controller", self.zero, "large"))
            takes = self.instrument is not None and (
                any(one in judged.figures for one, _ in self.instrument.takes_over)
                or bool(self.instrument.checks and judged.figures)
            )
            if takes and self._stands:
                self._found.addWidget(button("Save to the bike", self.take_over, "large"))
            wanted = self.to_write()
            if wanted:
                told = self._told(wanted)
                self._found.addWidget(
                    button(f"Write {told} to the controller", self.write, "large", "Write it to the controller")
                )
        self._history.setText(self._past())
        self.news.emit()

    def _told(self, wanted: dict[str, float]) -> str:
        """What would be written, in the builder's words."""
        contact = self._link.contact
        registers = {register.name: register for register in contact.map.register_list} if contact is not None else {}
        return ", ".join(
            f"{registers[name].label} {said(registers[name], float(f'{value:.4g}'))}" for name, value in wanted.items()
        )

    def _figure(self, name: str, value: float) -> str:
        units = self._desk.units
        return f"{units.text(in_words(name))} {units.value(value, unit_of(name)):.4g}"

    def _past(self) -> str:
        """The calibrations before, and how far the first figure has drifted since."""
        if self.instrument is None or self._desk.bike is None:
            return ""
        past = self._desk.story.calibrations(self.instrument.kind)[:MOST_HISTORY]
        lines = []
        for one in past:
            told = ", ".join(
                f"{self._desk.units.text(in_words(name))} {self._desk.units.value(value, unit_of(name)):.4g}"
                for name, value in list(one.figures.items())[:2]
            )
            lines.append(
                f"{time_words(datetime.fromisoformat(one.taken).astimezone())}  {one.verdict}{'  written' if one.written else ''}  {told}"
            )
        main = next(iter(past[0].figures), "") if past else ""
        older = next((one.figures[main] for one in past[1:] if main in one.figures), None)
        if main and older is not None:
            lines.append(
                f"{self._desk.units.text(in_words(main))} moved by "
                f"{self._desk.units.difference(past[0].figures[main] - older, unit_of(main)):+.3g} since the one before"
            )
        return "\n".join(lines)

    def meaning(self) -> tuple[str, str]:
        """Heading and words for the footer."""
        if self._blocked:
            return "NOT YET", self._blocked
        if self.recording_since is not None:
            return "RECORDING", f"{self._do.text()} Then stop. Space stops at any time."
        if self.judgement is not None:
            return "WHAT THE CHECK SAYS", f"<b>{self.judgement.reason}.</b> {self.judgement.next}"
        return "WHAT TO DO", self._do.text()

    def act_text(self) -> str:
        """What the main button says."""
        if self.instrument is None or self.instrument.detects:
            return ""
        if self.instrument.ride is not None:
            return "Check the open ride"
        return "Stop and check" if self.recording_since is not None else "Record"

    def act_enabled(self) -> bool:
        """Whether it can be pressed."""
        return not self._blocked and not self._link.busy

    def act(self) -> None:
        """Begin, or end and judge."""
        if self.instrument is not None and self.instrument.ride is not None:
            self.judge_ride()
        elif self.recording_since is None:
            self.start()
        else:
            self.finish()
