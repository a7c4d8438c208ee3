"""The Send station: the difference, what to confirm, trial or keep, progress, proof."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk, time_words
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.stations.send.change_list import ChangeLine, ChangeList
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Choice, Confirm
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import SETTING_GROUPS, Tune
from crisp_hornet.link.contact import tune_of
from crisp_hornet.link.difference import Change, difference, shown
from crisp_hornet.link.send import Held, Outcome, Progress, Report

STAND_CAUTION = "The bike stands safe: driven wheel in the air or held, hands clear of it, throttle closed."


class SendPage(Station):
    """Nothing is written blind."""

    number, name = 5, "Send"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.report: Report | None = None
        self._sent: list[Change] = []
        self.confirmations: dict[str, Confirm] = {}
        self._asked: list[str] = []
        self._title = label("", "title")
        self._note = label("", "quiet", wrap=True)
        self.change_list = ChangeList(theme)
        self._proof = QVBoxLayout()
        self._meant = Consequences(theme)
        self._confirm = QVBoxLayout()
        self._confirm.setSpacing(6)
        self.trial = Choice(theme, "Trial: it runs until power-off, then the earlier values are back")
        self.keep = Choice(theme, "Keep: it outlasts power-off")
        self.trial.setChecked(True)
        group = QButtonGroup(self)
        group.addButton(self.trial)
        group.addButton(self.keep)
        self._choice = QWidget()
        choice = QVBoxLayout(self._choice)
        choice.setContentsMargins(0, 0, 0, 0)
        choice.addWidget(label("HOW LONG", "caps"))
        choice.addWidget(self.trial)
        choice.addWidget(self.keep)
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.hide()
        self._step = label("", "quiet")
        self._stop = button("Stop and take back", link.stop_sending, "large")
        self._stop.hide()
        self._back = QHBoxLayout()
        self._lay_out()
        for signal in (desk.controller_changed, desk.bike_changed, desk.units_changed, link.changed):
            signal.connect(self._show)
        desk.draft_changed.connect(self._forget_report)
        link.contact_made.connect(self._forget_report)
        link.progress.connect(self._take_progress)
        link.sent.connect(self._take_report)
        self.trial.toggled.connect(self._choice_changed)
        self._show()

    def _lay_out(self) -> None:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(10)
        column.addWidget(self._title)
        column.addWidget(self._note)
        column.addLayout(self._proof)
        column.addWidget(self.change_list)
        column.addWidget(self._meant)
        column.addSpacing(2)
        column.addLayout(self._confirm)
        column.addWidget(self._choice)
        column.addWidget(self._bar)
        progress = QHBoxLayout()
        progress.addWidget(self._step, 1)
        progress.addWidget(self._stop)
        column.addLayout(progress)
        column.addLayout(self._back)
        column.addStretch(1)
        scroll = column_scroll(inside)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 4, 0, 0)
        outer.addWidget(scroll)

    # --- what is to be sent ---------------------------------------------------------------------------------

    def changes(self) -> tuple[list[Change], str]:
        """The difference, and why it cannot be sent if a value does not fit the controller."""
        contact, draft = self.link.contact, self.desk.draft
        if contact is None or draft is None:
            return [], ""
        try:
            return difference(contact.map, contact.words, draft), ""
        except ValueError as error:
            return [], f"{error}. Change it on Tune."

    @property
    def _stops(self) -> list[Warning_]:
        return [one for one in self.desk.warnings if one.strength is Strength.STOP]

    @property
    def _to_confirm(self) -> list[tuple[str, str]]:
        warns = [one for one in self.desk.warnings if one.strength is Strength.WARN]
        turn = self.desk.units.text
        return [("stand", STAND_CAUTION)] + [(one.id, turn(f"{one.text}. {one.reason}")) for one in warns]

    # --- showing it -----------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours: make them anew."""
        self.theme = theme
        self._show_proof()

    def _forget_report(self) -> None:
        """Another draft or contact: the earlier report is history, it stands in the logbook."""
        if self.link.busy != "sending":
            self.report = None
        self._show()

    def shown(self) -> None:
        self._show()

    def _show(self) -> None:
        if not self.isVisible() and self.link.busy != "sending" and self.report is None:
            self.news.emit()  # nobody looks: the page is made up when it comes into view
            return
        changes, misfit = self.changes()
        busy = self.link.busy == "sending"
        self._title.setText(self._headline(changes))
        self._note.setText(misfit)
        self._note.setVisible(bool(misfit))
        self._show_lines(changes)
        self._show_meant(bool(changes) or (self.link.contact is None and bool(self.desk.drafted)))
        self._show_confirmations(bool(changes) and not busy)
        self._choice.setVisible(bool(changes) and not busy)
        self._bar.setVisible(busy)
        self._stop.setVisible(busy)
        if not busy:
            self._step.setText("")
        self._show_proof()
        self._show_back()
        self.news.emit()

    def _headline(self, changes: list[Change]) -> str:
        if self.report is not None:
            return {
                Outcome.PROVED: "Sent and proved",
                Outcome.REFUSED: "Refused",
                Outcome.NOT_PROVED: "Not proved",
                Outcome.STOPPED: "Stopped",
            }[self.report.outcome]
        if self.link.contact is None:
            return f"{len(self.desk.drafted)} changes are drafted" if self.desk.drafted else "Nothing to send"
        return f"{len(changes)} change{'s' if len(changes) != 1 else ''} for {self.link.contact.identity.product}"

    def _show_lines(self, changes: list[Change]) -> None:
        if self.report is not None and self._sent:
            held = self.report.held
            lines = [_line(change, held.get(change.register.name)) for change in self._sent]
        elif self.link.contact is not None:
            lines = [_line(change) for change in changes]
        else:
            lines = self._unconnected_lines()
        turn = self.desk.units.text
        self.change_list.show_lines(
            [replace(one, before=turn(one.before), after=turn(one.after), note=turn(one.note)) for one in lines]
        )

    def _show_meant(self, wanted: bool) -> None:
        drafted, now = self.desk.draft_prediction, self.desk.controller_prediction
        self._meant.show_figures(
            drafted.consequences if drafted else [], now.consequences if now else [], self.desk.units
        )
        self._meant.setVisible(wanted and bool(drafted and drafted.consequences))

    def _unconnected_lines(self) -> list[ChangeLine]:
        draft, controller = self.desk.draft, self.desk.controller
        if draft is None or controller is None:
            return []

        def words(tune: Tune, path: str) -> str:
            return shown(tune.setting(path), _unit(path))

        return [
            ChangeLine(_label(path), words(controller, path), words(draft, path), "as last read; connect to send")
            for path in self.desk.drafted
        ]

    def _show_confirmations(self, wanted: bool) -> None:
        asked = [f"{key} {text}" for key, text in self._to_confirm] if wanted else []
        if asked == self._asked:
            return
        self._asked = asked
        clear(self._confirm)
        self.confirmations = {}
        if not wanted:
            return
        self._confirm.addWidget(label("CONFIRM", "caps"))
        for key, text in self._to_confirm:
            box = Confirm(self.theme, text)
            box.setObjectName(f"confirm {key}")
            box.toggled.connect(lambda _on: self.news.emit())
            self.confirmations[key] = box
            words = label(text, wrap=True)
            words.setBuddy(box)
            row = QHBoxLayout()
            row.setSpacing(6)
            row.addWidget(box)
            row.addWidget(words, 1)
            self._confirm.addLayout(row)

    def _show_proof(self) -> None:
        clear(self._proof)
        if self.report is None:
            return
        severity = {Outcome.PROVED: "settled", Outcome.STOPPED: "warn"}.get(self.report.outcome, "stop")
        head = {"settled": "The controller holds the draft", "warn": "Nothing has changed"}.get(
            severity, "Read this before you ride"
        )
        self._proof.addWidget(card(self.theme, severity, head, self.desk.units.text(self.report.message)))

    def _show_back(self) -> None:
        clear(self._back)
        contact = self.link.contact
        if contact is None or self.link.busy:
            return
        backups = [(at, one) for at, one in self.desk.garage.backups(self.desk.bike_id) if one.words() != contact.words]
        if backups:
            at, backup = backups[0]
            self._back.addWidget(
                button(
                    f"Draft what the backup of {time_words(at)} holds",
                    lambda: self._draft_backup(backup.words()),
                    "link",
                    "Draft the newest other backup",
                )
            )
        self._back.addStretch(1)

    def _draft_backup(self, words: dict[int, int]) -> None:
        assert self.link.contact is not None
        try:
            self.desk.open_draft(tune_of(self.link.contact.map, words, "From the backup"))
        except (DocumentError, KeyError) as error:
            self.desk.said.emit("stop", f"That backup does not fit this controller: {error}")

    def _choice_changed(self) -> None:
        self.news.emit()

    # --- sending --------------------------------------------------------------------------------------------

    def _take_progress(self, progress: Progress) -> None:
        self._bar.setRange(0, progress.total)
        self._bar.setValue(progress.done)
        self._step.setText(f"Step {progress.done + 1} of {progress.total}: {progress.text}")
        self.news.emit()

    def _take_report(self, report: Report, tune: Tune) -> None:
        in_words = [change.in_words() for change in self._sent]
        contact = self.link.contact
        if contact is not None:  # what it holds now, as far as the line still tells
            held = tune_of(contact.map, contact.words, tune.name)
            running = tune.model_copy(update={group: getattr(held, group) for group in SETTING_GROUPS})
        if report.outcome is Outcome.PROVED and contact is not None:
            self.desk.take_sent(running, report.message, in_words, report.kept)
        else:
            what = "; ".join(in_words)
            self.desk.log("send", f"Send {report.outcome.value}: {tune.name}", f"{what}. {report.message}")
            if contact is not None:
                self.desk.take_running(running)
        self.report = report
        self._asked = ["again"]  # confirmations count once
        self._show()

    def state(self) -> BoltState:
        if self.report is not None and self.report.outcome is not Outcome.PROVED:
            return BoltState.NEEDS_A_LOOK
        if self._stops and self.desk.drafted:
            return BoltState.NEEDS_A_LOOK
        if self.link.busy == "sending" or self.desk.drafted:
            return BoltState.IN_WORK if self.link.contact else BoltState.UNTOUCHED
        return (
            BoltState.DONE
            if self.desk.controller and self.desk.garage.tune(self.desk.bike_id, "sent")
            else BoltState.UNTOUCHED
        )

    def caption(self) -> str:
        if self.link.busy == "sending":
            return "sending"
        if self.report is not None:
            return self.report.outcome.value
        drafted = len(self.desk.drafted)
        return f"{drafted} to send" if drafted else "nothing to send"

    def meaning(self) -> tuple[str, str]:
        if self.link.busy == "sending":
            return "SENDING", "Each value is written at standstill and read back. Stopping takes back what was written."
        if self.report is not None:
            return "WHAT THE CONTROLLER HOLDS", self.report.message
        if self.link.contact is None:
            return "NOT CONNECTED", "Hook up the controller to send. The draft stays as it is."
        if self._stops:
            return (
                "STOPPED BY THE WATCH LIST",
                f"<b>{self._stops[0].text}.</b> {self._stops[0].reason} Nothing overrides a stop; change the draft.",
            )
        if not self.changes()[0]:
            return "NOTHING TO SEND", "The controller already holds the draft."
        return "WHAT HAPPENS", (
            "What asks less of the bike is written first. Each value is read back; at the end all settings are compared. If anything "
            "fails, what was written is taken back and you are told what the controller holds."
        )

    def act_text(self) -> str:
        if self.link.contact is None:
            return "Hook up the controller" if self.desk.drafted else ""
        count = len(self.changes()[0])
        if self.link.busy == "sending":
            return "Sending"
        if not count:
            return "Ride, then import the log" if self.report and self.report.outcome is Outcome.PROVED else ""
        return f"Send {count} change{'s' if count != 1 else ''} {'on trial' if self.trial.isChecked() else 'and keep'}"

    def act_enabled(self) -> bool:
        if self.link.contact is None:
            return True
        if self.link.busy or self._stops:
            return False
        return not self.changes()[0] or all(box.isChecked() for box in self.confirmations.values())

    def act(self) -> None:
        changes, _ = self.changes()
        if self.link.contact is None:
            self.go.emit(2)
        elif not changes:
            self.go.emit(6)
        elif self.desk.draft is not None:
            self.report, self._sent = None, changes
            self.link.send(self.desk.draft, self.keep.isChecked())


def _line(change: Change, held: Held | None = None) -> ChangeLine:
    unit = change.register.unit
    note = ""
    if change.rounded:
        note = f"{shown(change.asked, unit)} asked; rounded to the controller's step of {change.register.step:g} {unit}, to the safe side"
    return ChangeLine(change.register.label, shown(change.before, unit), shown(change.after, unit), note, held)


def _label(path: str) -> str:
    return path.partition(".")[2].rpartition("_")[0].replace("_", " ")


def _unit(path: str) -> str:
    return {"a": "A", "v": "V", "c": "°C", "w": "W", "kmh": "km/h", "rpm": "rpm"}.get(path.rpartition("_")[2], "")
