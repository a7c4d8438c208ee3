"""The Send station: the difference in words, risks to confirm, trial or keep, progress, proof, and the way back."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.send import words
from crisp_hornet.bench.stations.send.afterwards import Afterwards
from crisp_hornet.bench.stations.send.change_list import ChangeLine, ChangeList
from crisp_hornet.bench.stations.send.choices import Against, HowLong
from crisp_hornet.bench.stations.send.hand_sheet import HandSheet
from crisp_hornet.bench.stations.send.lines import change_lines, left_out_lines, lines_between
from crisp_hornet.bench.stations.send.power_cycle import PowerCycle
from crisp_hornet.bench.stations.send.target import Target, backup_target, draft_target
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.identify import IdentifyPanel
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.questions import Questions
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import tune_of
from crisp_hornet.link.difference import Change
from crisp_hornet.link.operations import Operation, Question, SendTune, Watched
from crisp_hornet.link.report import Kept, Outcome, Progress, Report
from crisp_hornet.link.session import ContactMade


class SendPage(Station):
    """Nothing is written blind."""

    key = "send"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.report: Report | None = None
        self.backup: Backup | None = None  # to be put back instead of sending the draft
        self._sent: list[Change] = []
        self._sending = False
        self._target = Target()  # what is on its way
        self.questions = Questions(theme)
        self._title = label("", "title")
        self._note = label("", "quiet", wrap=True)
        self._against = Against(desk)
        self._against.activated.connect(lambda _index: self._show())
        self.identify = IdentifyPanel(link)
        self.calibration = Confirm(theme, words.CALIBRATION)
        self.calibration.toggled.connect(lambda _on: self._show())
        self.change_list = ChangeList(theme)
        self.hand = HandSheet(desk, link, theme)
        self.hand.entered.connect(lambda: self.hand_over.emit("hookup", "By hand"))
        self._proof = QVBoxLayout()
        self._meant = Consequences(theme)
        self._how_long = HowLong(theme)
        self.trial, self.keep = self._how_long.trial, self._how_long.keep
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.hide()
        self._step = label("", "quiet")
        self._stop = button("Stop and restore", link.stop, "large")
        self._stop.hide()
        link.contact_made.connect(self._forget_report)
        self.power_cycle = PowerCycle(link)  # hears of a contact after the earlier report was let go
        self._afterwards = Afterwards(desk, link, self.power_cycle)
        self._lay_out()
        for signal in (desk.held.changed, desk.bike_changed, desk.units_changed, link.changed, desk.by_hand.changed):
            signal.connect(self._show)
        desk.draft.changed.connect(self._draft_changed)
        self._afterwards.keep_asked.connect(self._forget_report)
        self._afterwards.restore_asked.connect(self.restore)
        self._afterwards.draft_asked.connect(self._leave_backup)
        self.power_cycle.judged.connect(self._take_cycled)
        self.power_cycle.waits.connect(self._show)
        link.shown_changed.connect(self._show)
        link.progress.connect(self._take_progress)
        self.questions.changed.connect(self._confirmed)
        self.trial.toggled.connect(lambda _on: self.news.emit())
        self._show()

    def _lay_out(self) -> None:
        self._sensors = QWidget()
        sensors = QHBoxLayout(self._sensors)
        sensors.setContentsMargins(0, 0, 0, 0)
        sensors.addWidget(self.calibration)
        sensors.addWidget(label(words.CALIBRATION, wrap=True), 1)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self._against)
        inside = QWidget()
        column = column_of(inside, margins=(0, 0, 10, 0), spacing=10)
        column.addLayout(head)
        column.addWidget(self._note)
        column.addLayout(self._proof)
        for one in (self.change_list, self._sensors, self._meant, self.identify, self.hand):
            column.addWidget(one)
        column.addWidget(self.questions)
        column.addWidget(self._how_long)
        column.addWidget(self._bar)
        progress = QHBoxLayout()
        progress.addWidget(self._step, 1)
        progress.addWidget(self._stop)
        column.addLayout(progress)
        column.addWidget(self._afterwards)
        column.addStretch(1)
        outer = column_of(self, margins=(0, 4, 0, 0))
        outer.addWidget(column_scroll(inside))

    def offer(self, simulated: Simulated) -> None:
        """There is a simulated bike to lay hands on."""
        self.identify.offer_hands(simulated)

    def take(self, thing: object) -> None:
        if isinstance(thing, Backup):
            self.restore(thing)

    def restore(self, backup: Backup) -> None:
        """Put a backup back instead of sending the draft."""
        self.backup, self.report = backup, None
        self.calibration.setChecked(False)
        self._show()

    # --- what is to be sent ---------------------------------------------------------------------------------

    def target(self) -> Target:
        """What leads from what the controller holds to the draft, or to the backup."""
        contact, draft = self.link.contact, self.desk.draft.tune
        if contact is None:
            return Target()
        if self.backup is not None:
            return backup_target(contact, self.backup, self.calibration.isChecked())
        return draft_target(contact, draft) if draft is not None else Target()

    @property
    def sending(self) -> bool:
        """Whether a send is under way."""
        return self._sending

    @property
    def confirmations(self) -> dict[str, Confirm]:
        """The boxes to tick, by the id of what they confirm."""
        return self.questions.boxes

    @property
    def _stops(self) -> list[Warning_]:
        """What the watch list stops; a backup ran before, it is what one goes back to."""
        if self.backup is not None:
            return []
        return [warning for warning in self.desk.watch.warnings if warning.strength is Strength.STOP]

    @property
    def _blocked(self) -> str:
        """Why nothing may be written to this controller at all."""
        contact = self.link.contact
        return contact.blocked if contact is not None else ""

    def _operation(self, target: Target) -> Operation | None:
        """What the session would be asked for."""
        desk = self.desk
        if desk.bike is None or not target.writes:
            return None
        speeds = tuple(float(speed) for speed in desk.speeds) if desk.speeds is not None else None
        watched = Watched(desk.bike, desk.conditions, speeds, desk.watch.sensors)
        operation = target.operation(desk.bike, watched, self.keep.isChecked())
        return replace(operation, warnings=tuple(desk.watch.warnings)) if isinstance(operation, SendTune) else operation

    def _to_confirm(self, target: Target) -> list[Question]:
        contact, operation = self.link.contact, self._operation(target)
        if contact is None or operation is None:
            return []
        turn = self.desk.units.text
        asked = [Question(question.id, turn(question.text)) for question in contact.questions(operation)]
        return [Question("stand", words.STAND), *asked]

    def _ask(self, target: Target, ready: bool) -> None:
        """Ask what the line's part and the hand's part want confirmed: both are of one difference."""
        asked = self._to_confirm(target) if ready else []
        known = {question.id for question in asked}
        by_hand = [] if self._sending else self.hand.questions()
        asked += [question for question in by_hand if question.id not in known]
        self.questions.ask(asked, (target.about, self.hand.about))
        self.hand.allow(self.questions.left)

    # --- showing it -----------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours: make them anew."""
        self.theme = theme
        self._show_proof()

    def _draft_changed(self) -> None:
        if not self._sending:
            self.backup = None
        self._forget_report()

    def _forget_report(self) -> None:
        """Another draft or contact: the earlier report is history, it stands in the logbook."""
        if not self._sending:
            self.report = None
        self._show()

    def shown(self) -> None:
        self._show()

    def left(self) -> None:
        """What was confirmed belongs to this look at this difference."""
        self.questions.forget()

    def _confirmed(self) -> None:
        self.hand.allow(self.questions.left)
        self.news.emit()

    def _show(self) -> None:
        if not self.isVisible() and not self._sending and self.report is None:
            self.news.emit()  # nobody looks: the page is made up when it comes into view
            return
        target = self.target()
        self.hand.refresh()
        ready = (bool(target.changes) or (target.unkept and self.report is None)) and not self._sending
        self._title.setText(
            (self.hand.headline if self.report is None else "")
            or words.headline(
                self.report,
                self.link.contact,
                self.backup,
                target.changes,
                len(self.desk.draft.differing),
                target.unkept,
            )
        )
        note = target.misfit or words.restore_note(target.restore)
        self._note.setText(note)
        self._note.setVisible(bool(note))
        self._against.refresh(self.backup is None and self.report is None and not self._sending)
        self._show_lines(target)
        self._sensors.setVisible(self.backup is not None and not self._sending and self.report is None)
        self._show_meant(
            self.backup is None and (ready or (self.link.contact is None and bool(self.desk.draft.differing)))
        )
        self.identify.setVisible(ready and not self._blocked)
        if self.link.contact is not None:
            self.identify.refresh()
        self._ask(target, ready and not self._blocked)
        can_try = self.link.contact is None or self.link.contact.map.can_try
        self._how_long.ask(target.changes if ready else [], self.desk.units, can_try)
        self._bar.setVisible(self._sending)
        self._stop.setVisible(self._sending)
        if not self._sending:
            self._step.setText("")
        self._show_proof()
        self._afterwards.refresh(self.report, self.backup, self._sending)
        self.news.emit()

    def _show_lines(self, target: Target) -> None:
        contact, draft, earlier = self.link.contact, self.desk.draft.tune, self._against.earlier()
        if self.report is not None and self._sent:
            lines = change_lines(self._sent, self.report.held)
        elif earlier is not None and draft is not None:
            note = f"against {earlier.name}; what is sent is the difference to the controller"
            lines = lines_between(earlier, draft, note, contact.map if contact else None)
        elif contact is not None:
            by_hand = {one.register.name for one in self.hand.changes}
            left = [one for one in target.left_out if one.lack.name not in by_hand]
            lines = change_lines(target.changes) + self.hand.lines() + left_out_lines(left)
        elif self.hand.alone:
            lines = self.hand.lines() + self.hand.left_out()
        elif draft is not None and self.desk.held.tune is not None:
            lines = lines_between(self.desk.held.tune, draft, "as last read; connect to send")
        else:
            lines = []
        turn = self.desk.units.text
        self.change_list.setVisible(bool(lines) or (self.report is None and not target.unkept))
        self.change_list.show_lines(
            [_turned(line, turn(line.before), turn(line.after), turn(line.note)) for line in lines]
        )

    def _show_meant(self, wanted: bool) -> None:
        drafted, now = self.desk.draft.prediction, self.desk.held.prediction
        self._meant.show_figures(
            drafted.consequences if drafted else [], now.consequences if now else [], self.desk.units
        )
        self._meant.setVisible(wanted and bool(drafted and drafted.consequences))

    def _show_proof(self) -> None:
        clear(self._proof)
        if self.report is not None:
            severity, head = words.verdict(self.report)
            shown = card(self.theme, severity, head, self.desk.units.text(self.report.message))
            shown.setAccessibleName(tr(f"{head}. {self.report.message}"))
            shown.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self._proof.addWidget(shown)
        elif self._blocked:
            self._proof.addWidget(
                card(self.theme, "stop", "Nothing is written to this controller", f"{self._blocked}. See Hook-up.")
            )

    def _take_cycled(self, report: Report) -> None:
        """The key was turned off and on."""
        self.report, self._sent = report, []
        kind = "proved" if report.outcome is Outcome.PROVED else "not proved"
        self.desk.log("send", f"Power cycle: {kind}", report.message)
        self._show()

    def _leave_backup(self) -> None:
        self.backup = None
        self._forget_report()

    # --- sending --------------------------------------------------------------------------------------------

    def _take_progress(self, progress: Progress) -> None:
        if not self._sending:
            return
        self._bar.setRange(0, progress.total)
        self._bar.setValue(progress.done)
        self._step.setText(f"Step {progress.done + 1} of {progress.total}: {progress.text}")
        self.news.emit()

    def _take_report(self, report: Report, tune: Tune) -> None:
        self._sending = False
        in_words = [change.in_words() for change in self._sent]
        running, kept = self._running(tune), report.kept is not Kept.NO
        back = self._target.restore is not None
        if report.outcome is Outcome.PROVED and running is not None:
            take = self.desk.held.take_restored if back else self.desk.take_sent
            take(running, report.message, in_words or ["made permanent what was active"], kept)
        else:
            what = "backup" if back else tune.name
            self.desk.log("send", f"Send {report.outcome.value}: {what}", f"{'; '.join(in_words)}. {report.message}")
            if running is not None:
                self.desk.held.take_running(running)
        self.report = report
        self.questions.forget()  # confirmations count once
        self._show()
        QTimer.singleShot(0, self._focus_report)  # once it has come into view

    def _focus_report(self) -> None:
        """From Stop to what came of it."""
        first = self._proof.itemAt(0)
        shown = first.widget() if first is not None else None
        if self.isVisible() and self.report is not None and shown is not None:
            shown.setFocus()

    def _running(self, tune: Tune) -> Tune | None:
        """What the controller holds now, as far as the line still tells."""
        contact = self.link.contact
        if contact is None:
            return None
        try:
            held = tune_of(contact.map, contact.raws, tune.name)
        except DocumentError:  # values that make no tune: the report names them
            return None
        return held.completed_from(tune)

    # --- the job line and the footer ------------------------------------------------------------------------

    def state(self) -> BoltState:
        if self.report is not None and self.report.outcome is not Outcome.PROVED:
            return BoltState.NEEDS_A_LOOK
        if self._stops and self.desk.draft.differing:
            return BoltState.NEEDS_A_LOOK
        if self._sending and not self._blocked:
            return BoltState.IN_WORK if self.link.contact else BoltState.UNTOUCHED
        return super().state()

    def caption(self) -> str:
        if self._sending:
            return "sending"
        if self.report is not None:
            return self.report.outcome.value
        return "a backup to restore" if self.backup is not None else super().caption()

    def meaning(self) -> tuple[str, str]:
        if self._sending:
            return words.SENDING
        if self.power_cycle.waiting:
            return "PROOF BY A POWER CYCLE", words.CYCLE_WAITS if self.power_cycle.lost else words.CYCLE
        if self.report is not None:
            return "WHAT THE CONTROLLER HOLDS", self.report.message
        if self.link.contact is None:
            by_hand = self.hand.meaning(self.questions.left, len(self.confirmations))
            return by_hand if self.hand.alone else words.NOT_CONNECTED
        return self._meaning_before(self.link.contact)

    def _meaning_before(self, contact: ContactMade) -> tuple[str, str]:
        """What stands before a send to a controller that is connected."""
        if self._blocked:
            return "SENDING IS BLOCKED", f"<b>{self._blocked}.</b> Nothing is written to it."
        if self._stops:
            stop = self._stops[0]
            return (
                "STOPPED BY THE WATCH LIST",
                f"<b>{stop.text}.</b> {stop.reason} Nothing overrides a stop; change the draft.",
            )
        target = self.target()
        if not target.changes:
            return words.UNKEPT if target.unkept else ("NOTHING TO SEND", "The controller already holds it.")
        if not contact.shown:
            return words.NOT_SHOWN
        left = self.questions.left
        return words.WHAT_HAPPENS if not left else words.to_confirm(left, len(self.confirmations))

    def act_text(self) -> str:
        if self.hand.alone:
            return "Show the sheet large"
        if self.link.contact is None:
            return "Hook up the controller" if self.desk.draft.differing else ""
        if self._sending:
            return "Sending"
        if self.power_cycle.waiting:
            return ""
        target = self.target()
        count = len(target.changes)
        if count:
            return f"Send {counted(count, 'change')} {'on trial' if self.trial.isChecked() else 'permanently'}"
        if self.report is not None:
            return "Ride, then import the log" if self.report.outcome is Outcome.PROVED else ""
        return "Make it permanent" if target.unkept else ""

    def act_enabled(self) -> bool:
        contact = self.link.contact
        if self.hand.alone:
            return self.hand.may_enter
        if contact is None:
            return True
        if self.link.busy or self._stops or self._blocked:
            return False
        target = self.target()
        if not target.changes and not (target.unkept and self.report is None):
            return True
        return bool(contact.shown) and bool(self.questions.boxes) and not self.questions.left

    def act(self) -> None:
        if self.hand.alone:
            self.hand.show_large()
            return
        if self.link.contact is None:
            self.go.emit("hookup")
            return
        target, tune = self.target(), self.desk.draft.tune or self.desk.held.tune
        if not target.changes and not (target.unkept and self.report is None):
            self.go.emit("rides")
            return
        if tune is None:
            return
        self.desk.watch.judge_worst()
        operation = self._operation(target)
        self._ask(target, True)
        if operation is None or self._stops or self.questions.left:  # found only now, at a corner
            self._show()
            return
        self.report, self._target, self._sent, self._sending = None, target, target.changes, True
        confirmed = self.questions.confirmed
        self.link.perform("sending", operation, confirmed, lambda report: self._take_report(report, tune))
        self._stop.setFocus()


def _turned(line: ChangeLine, before: str, after: str, note: str) -> ChangeLine:
    return replace(line, before=before, after=after, note=note)
