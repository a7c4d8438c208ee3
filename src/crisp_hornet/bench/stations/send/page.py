"""The Send station: the difference in words, risks to confirm, trial or keep, progress, proof, and the way back."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk, time_words
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.send import words
from crisp_hornet.bench.stations.send.change_list import ChangeLine, ChangeList
from crisp_hornet.bench.stations.send.identify import IdentifyPanel
from crisp_hornet.bench.stations.send.lines import change_lines, left_out_lines, lines_between
from crisp_hornet.bench.stations.send.target import Target, backup_target, draft_target
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Choice, Confirm
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import tune_of
from crisp_hornet.link.difference import Change
from crisp_hornet.link.send import Outcome, Plan, Progress, Report, needs_inhibit, trial_refusal

CONTROLLER = "what the controller holds"


class SendPage(Station):
    """Nothing is written blind."""

    number, name = 5, "Send"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.report: Report | None = None
        self.backup: Backup | None = None  # to be put back instead of sending the draft
        self._sent: list[Change] = []
        self._sending = False
        self.confirmations: dict[str, Confirm] = {}
        self._asked: list[str] = []
        self._title = label("", "title")
        self._note = label("", "quiet", wrap=True)
        self._against = QComboBox()
        self._against.setAccessibleName("compare the draft with")
        self._against.setMinimumHeight(34)
        self._against.activated.connect(lambda _index: self._show())
        self.identify = IdentifyPanel(link)
        self.calibration = Confirm(theme, words.CALIBRATION)
        self.calibration.toggled.connect(lambda _on: self._show())
        self.change_list = ChangeList(theme)
        self._proof = QVBoxLayout()
        self._meant = Consequences(theme)
        self._confirm = QVBoxLayout()
        self._confirm.setSpacing(6)
        self.trial = Choice(theme, "Trial: it runs until power-off, then the earlier values are back")
        self.keep = Choice(theme, "Keep: it outlasts power-off")
        self._no_trial = label("", "quiet", wrap=True)
        self.trial.setChecked(True)
        group = QButtonGroup(self)
        group.addButton(self.trial)
        group.addButton(self.keep)
        self._choice = QWidget()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.hide()
        self._step = label("", "quiet")
        self._stop = button("Stop and take back", link.stop, "large")
        self._stop.hide()
        self._back = QHBoxLayout()
        self._lay_out()
        for signal in (desk.controller_changed, desk.bike_changed, desk.units_changed, link.changed):
            signal.connect(self._show)
        desk.draft_changed.connect(self._draft_changed)
        link.contact_made.connect(self._forget_report)
        link.shown_changed.connect(self._show)
        link.progress.connect(self._take_progress)
        link.sent.connect(self._take_report)
        self.trial.toggled.connect(lambda _on: self.news.emit())
        self._show()

    def _lay_out(self) -> None:
        choice = QVBoxLayout(self._choice)
        choice.setContentsMargins(0, 0, 0, 0)
        choice.addWidget(label("HOW LONG", "caps"))
        choice.addWidget(self.trial)
        choice.addWidget(self._no_trial)
        choice.addWidget(self.keep)
        self._sensors = QWidget()
        sensors = QHBoxLayout(self._sensors)
        sensors.setContentsMargins(0, 0, 0, 0)
        sensors.addWidget(self.calibration)
        sensors.addWidget(label(words.CALIBRATION, wrap=True), 1)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self._against)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(10)
        column.addLayout(head)
        column.addWidget(self._note)
        column.addLayout(self._proof)
        for one in (self.change_list, self._sensors, self._meant, self.identify):
            column.addWidget(one)
        column.addLayout(self._confirm)
        column.addWidget(self._choice)
        column.addWidget(self._bar)
        progress = QHBoxLayout()
        progress.addWidget(self._step, 1)
        progress.addWidget(self._stop)
        column.addLayout(progress)
        column.addLayout(self._back)
        column.addStretch(1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 4, 0, 0)
        outer.addWidget(column_scroll(inside))

    def offer_hands(self, simulated: Simulated) -> None:
        """There is a simulated bike to lay hands on."""
        self.identify.offer_hands(simulated)

    def restore(self, backup: Backup) -> None:
        """Put a backup back instead of sending the draft."""
        self.backup, self.report = backup, None
        self.calibration.setChecked(False)
        self._show()

    # --- what is to be sent ---------------------------------------------------------------------------------

    def target(self) -> Target:
        """What leads from what the controller holds to the draft, or to the backup."""
        contact, draft = self.link.contact, self.desk.draft
        if contact is None:
            return Target()
        if self.backup is not None:
            return backup_target(contact, self.backup, self.calibration.isChecked())
        return draft_target(contact, draft) if draft is not None else Target()

    @property
    def _stops(self) -> list[Warning_]:
        """What the watch list stops; a backup ran before, it is what one goes back to."""
        if self.backup is not None:
            return []
        return [one for one in self.desk.warnings if one.strength is Strength.STOP]

    @property
    def _blocked(self) -> str:
        """Why nothing may be written to this controller at all."""
        contact = self.link.contact
        return next((doubt.text for doubt in contact.doubts if doubt.blocks), "") if contact is not None else ""

    def _to_confirm(self, target: Target) -> list[tuple[str, str]]:
        contact = self.link.contact
        asked = [("stand", words.STAND)]
        if contact is not None:
            asked += [(doubt.id, f"{doubt.text}.") for doubt in contact.doubts if not doubt.blocks]
            if needs_inhibit(target.changes):
                asked.append(("sensors", words.SENSORS if contact.map.inhibit is not None else words.NO_INHIBIT))
            if contact.interrupted is not None and not contact.interrupted.settled:
                asked.append(("interrupted", contact.interrupted.text))
        if target.restore is not None and target.restore.other_controller:
            asked.append(("other-controller", words.OTHER_CONTROLLER))
        if self.backup is None:
            warns = [one for one in self.desk.warnings if one.strength is Strength.WARN]
            asked += [(one.id, self.desk.units.text(f"{one.text}. {one.reason}")) for one in warns]
        return asked

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

    def _show(self) -> None:
        if not self.isVisible() and not self._sending and self.report is None:
            self.news.emit()  # nobody looks: the page is made up when it comes into view
            return
        target = self.target()
        ready = bool(target.changes) and not self._sending
        self._title.setText(
            words.headline(self.report, self.link.contact, self.backup, target.changes, len(self.desk.drafted))
        )
        note = target.misfit or words.restore_note(target.restore)
        self._note.setText(note)
        self._note.setVisible(bool(note))
        self._show_against()
        self._show_lines(target)
        self._sensors.setVisible(self.backup is not None and not self._sending and self.report is None)
        self._show_meant(self.backup is None and (ready or (self.link.contact is None and bool(self.desk.drafted))))
        self.identify.setVisible(ready and not self._blocked)
        if self.link.contact is not None:
            self.identify.refresh()
        self._show_confirmations(target if ready and not self._blocked else None)
        self._show_choice(target.changes if ready else [])
        self._bar.setVisible(self._sending)
        self._stop.setVisible(self._sending)
        if not self._sending:
            self._step.setText("")
        self._show_proof()
        self._show_back()
        self.news.emit()

    def _show_against(self) -> None:
        """The earlier tunes that the draft can be compared with."""
        wanted = [CONTROLLER]
        if self.desk.bike is not None:
            wanted += [
                f"{tune.name}, sent {time_words(at)}" for at, tune in self.desk.garage.sent_tunes(self.desk.bike_id)
            ]
        now = [self._against.itemText(index) for index in range(self._against.count())]
        if now != wanted:
            self._against.clear()
            self._against.addItems(wanted)
        self._against.setVisible(len(wanted) > 1 and self.backup is None and self.report is None and not self._sending)

    def _earlier(self) -> Tune | None:
        index = self._against.currentIndex()
        if index < 1 or self._against.isHidden():
            return None
        return self.desk.garage.sent_tunes(self.desk.bike_id)[index - 1][1]

    def _show_lines(self, target: Target) -> None:
        contact, draft, earlier = self.link.contact, self.desk.draft, self._earlier()
        if self.report is not None and self._sent:
            lines = change_lines(self._sent, self.report.held)
        elif earlier is not None and draft is not None:
            note = f"against {earlier.name}; what is sent is the difference to the controller"
            lines = lines_between(earlier, draft, note, contact.map if contact else None)
        elif contact is not None:
            lines = change_lines(target.changes) + left_out_lines(target.left_out)
        elif draft is not None and self.desk.controller is not None:
            lines = lines_between(self.desk.controller, draft, "as last read; connect to send")
        else:
            lines = []
        turn = self.desk.units.text
        self.change_list.show_lines([_turned(one, turn(one.before), turn(one.after), turn(one.note)) for one in lines])

    def _show_meant(self, wanted: bool) -> None:
        drafted, now = self.desk.draft_prediction, self.desk.controller_prediction
        self._meant.show_figures(
            drafted.consequences if drafted else [], now.consequences if now else [], self.desk.units
        )
        self._meant.setVisible(wanted and bool(drafted and drafted.consequences))

    def _show_choice(self, changes: list[Change]) -> None:
        self._choice.setVisible(bool(changes))
        refusal = trial_refusal(changes)
        self.trial.setEnabled(not refusal)
        self._no_trial.setText(f"Not on trial: {self.desk.units.text(refusal)}." if refusal else "")
        self._no_trial.setVisible(bool(refusal))
        if refusal and changes:
            self.keep.setChecked(True)

    def _show_confirmations(self, target: Target | None) -> None:
        asked = self._to_confirm(target) if target is not None else []
        if [f"{key} {text}" for key, text in asked] == self._asked:
            return
        self._asked = [f"{key} {text}" for key, text in asked]
        clear(self._confirm)
        self.confirmations = {}
        if not asked:
            return
        self._confirm.addWidget(label("CONFIRM", "caps"))
        for key, text in asked:
            box = Confirm(self.theme, text)
            box.setObjectName(f"confirm {key}")
            box.toggled.connect(lambda _on: self.news.emit())
            self.confirmations[key] = box
            says = label(text, wrap=True)
            says.setBuddy(box)
            row = QHBoxLayout()
            row.setSpacing(6)
            row.addWidget(box)
            row.addWidget(says, 1)
            self._confirm.addLayout(row)

    def _show_proof(self) -> None:
        clear(self._proof)
        if self.report is not None:
            severity, head = words.verdict(self.report)
            self._proof.addWidget(card(self.theme, severity, head, self.desk.units.text(self.report.message)))
        elif self._blocked:
            self._proof.addWidget(
                card(self.theme, "stop", "Nothing is written to this controller", f"{self._blocked}. See Hook-up.")
            )

    def _show_back(self) -> None:
        clear(self._back)
        contact = self.link.contact
        if contact is None or self.link.busy:
            return
        if self.backup is not None:
            self._back.addWidget(button("Back to the draft", self._leave_backup, "link"))
        else:
            backups = [
                (at, one) for at, one in self.desk.garage.backups(self.desk.bike_id) if one.raws() != contact.raws
            ]
            if backups:
                at, backup = backups[0]
                draft_it = button(f"Draft what the backup of {time_words(at)} holds", lambda: self._draft_backup(backup), "link",
                                  "Draft the newest other backup")  # fmt: skip
                put_back = button(
                    "put it back as it is", lambda: self.restore(backup), "link", "Put the newest other backup back"
                )
                self._back.addWidget(draft_it)
                self._back.addSpacing(14)
                self._back.addWidget(put_back)
        self._back.addStretch(1)

    def _leave_backup(self) -> None:
        self.backup = None
        self._forget_report()

    def _draft_backup(self, backup: Backup) -> None:
        assert self.link.contact is not None
        try:
            self.desk.open_draft(tune_of(self.link.contact.map, backup.raws(), "From the backup"))
        except DocumentError as error:
            self.desk.said.emit("stop", f"That backup does not fit this controller: {error}")

    # --- sending --------------------------------------------------------------------------------------------

    def _take_progress(self, progress: Progress) -> None:
        if not self._sending:
            return
        self._bar.setRange(0, progress.total)
        self._bar.setValue(progress.done)
        self._step.setText(f"Step {progress.done + 1} of {progress.total}: {progress.text}")
        self.news.emit()

    def _take_report(self, report: Report | Exception, tune: Tune) -> None:
        self._sending = False
        if isinstance(report, Exception):
            report = Report(Outcome.NOT_PROVED, str(report))
        in_words = [change.in_words() for change in self._sent]
        running = self._running(tune)
        what = "backup" if self.backup is not None else tune.name
        if report.outcome is Outcome.PROVED and running is not None:
            if self.backup is not None:
                self.desk.take_restored(running, report.message, in_words, report.kept)
            else:
                self.desk.take_sent(running, report.message, in_words, report.kept)
        else:
            self.desk.log("send", f"Send {report.outcome.value}: {what}", f"{'; '.join(in_words)}. {report.message}")
            if running is not None:
                self.desk.take_running(running)
        self.report = report
        self._asked = ["again"]  # confirmations count once
        self._show()

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
        if (self._stops and self.desk.drafted) or self._blocked:
            return BoltState.NEEDS_A_LOOK
        if self._sending or self.desk.drafted:
            return BoltState.IN_WORK if self.link.contact else BoltState.UNTOUCHED
        sent = self.desk.controller and self.desk.garage.tune(self.desk.bike_id, "sent")
        return BoltState.DONE if sent else BoltState.UNTOUCHED

    def caption(self) -> str:
        if self._sending:
            return "sending"
        if self.report is not None:
            return self.report.outcome.value
        if self.backup is not None:
            return "a backup to put back"
        drafted = len(self.desk.drafted)
        return f"{drafted} to send" if drafted else "nothing to send"

    def meaning(self) -> tuple[str, str]:
        if self._sending:
            return words.SENDING
        if self.report is not None:
            return "WHAT THE CONTROLLER HOLDS", self.report.message
        contact = self.link.contact
        if contact is None:
            return words.NOT_CONNECTED
        if self._blocked:
            return "NOT TO THIS ONE", f"<b>{self._blocked}.</b> Nothing is written to it."
        if self._stops:
            stop = self._stops[0]
            return (
                "STOPPED BY THE WATCH LIST",
                f"<b>{stop.text}.</b> {stop.reason} Nothing overrides a stop; change the draft.",
            )
        if not self.target().changes:
            return "NOTHING TO SEND", "The controller already holds it."
        if not contact.shown:
            return words.NOT_SHOWN
        left = sum(not box.isChecked() for box in self.confirmations.values())
        return words.WHAT_HAPPENS if not left else words.to_confirm(left, len(self.confirmations))

    def act_text(self) -> str:
        if self.link.contact is None:
            return "Hook up the controller" if self.desk.drafted else ""
        if self._sending:
            return "Sending"
        count = len(self.target().changes)
        if not count:
            return "Ride, then import the log" if self.report and self.report.outcome is Outcome.PROVED else ""
        return f"Send {count} change{'s' if count != 1 else ''} {'on trial' if self.trial.isChecked() else 'and keep'}"

    def act_enabled(self) -> bool:
        contact = self.link.contact
        if contact is None:
            return True
        if self.link.busy or self._stops or self._blocked:
            return False
        if not self.target().changes:
            return True
        return bool(contact.shown) and all(box.isChecked() for box in self.confirmations.values())

    def act(self) -> None:
        if self.link.contact is None:
            self.go.emit(2)
            return
        changes, tune = self.target().changes, self.desk.draft or self.desk.controller
        if not changes:
            self.go.emit(6)
        elif tune is not None and self.desk.bike is not None:
            self.desk.judge_worst()
            if self._stops:  # found only now, at a corner
                self._show()
                return
            self.report, self._sent, self._sending = None, changes, True
            plan = Plan(changes, self.keep.isChecked(), wheel_up="sensors" in self.confirmations)
            self.link.send(plan, tune, self.desk.bike, self.desk.conditions.rested_v)


def _turned(line: ChangeLine, before: str, after: str, note: str) -> ChangeLine:
    return replace(line, before=before, after=after, note=note)
