"""The work in hand: the active bike, its draft, what its controller holds, the ride on the desk, the logbook.

Stations read from the desk and ask it for changes; it tells everyone by signal. Draft changes are undoable.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from itertools import count
from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from crisp_hornet.bench.open_ride import OpenRide
from crisp_hornet.bench.prediction import Prediction, axis_speeds, predict
from crisp_hornet.bench.units import Units
from crisp_hornet.core.cleaning import Flaw
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.motor import Array
from crisp_hornet.core.pack import rested_or_typical_v
from crisp_hornet.core.pull import Conditions
from crisp_hornet.core.rules import Situation, Strength, Warning_, judge
from crisp_hornet.core.rules.corners import worst_of
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.companions import companions
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import SETTING_GROUPS, Tune
from crisp_hornet.garage.book import Entry
from crisp_hornet.garage.garage import Garage

DRAWN_FOR_CHARGE = 0.69  # until the user or the pack says otherwise
KEEP_DRAFT_MS = 600
REST_MS = 120  # the hands rest: time for what is too slow for a drag


class Desk(OpenRide):
    """Everything the stations share. Needs a garage with a bike in it to be of use (:attr:`bike` may be None)."""

    bike_changed = pyqtSignal()
    draft_changed = pyqtSignal()
    controller_changed = pyqtSignal()
    conditions_changed = pyqtSignal()
    logbook_changed = pyqtSignal()
    units_changed = pyqtSignal()
    calibrations_changed = pyqtSignal()
    watch_changed = pyqtSignal()

    def __init__(self, garage: Garage) -> None:
        super().__init__()
        self.garage = garage
        self.undo_stack = QUndoStack(self)
        self.units = Units(metric=garage.setting("units") != "imperial")
        self.bike: Bike | None = None
        self.bike_id = 0
        self.draft: Tune | None = None
        self.controller: Tune | None = None
        self.controller_map: ControllerMap | None = None  # known once it answered
        self.conditions = Conditions(rested_v=50.0)
        self.speeds: Array | None = None
        self.draft_prediction: Prediction | None = None
        self.controller_prediction: Prediction | None = None
        self.ride: Ride | None = None  # without its flaws
        self.raw_ride: Ride | None = None  # as it was recorded
        self.flaws: list[Flaw] = []
        self.left_flaws: frozenset[str] = frozenset()
        self.ride_id = 0
        self.card = RideCard()
        self.ride_tune: Tune | None = None
        self._tokens = count(1)
        self._keep_soon = QTimer(self)
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(KEEP_DRAFT_MS)
        self._keep_soon.timeout.connect(self.keep_draft)
        self._worst_soon = QTimer(self)
        self._worst_soon.setSingleShot(True)
        self._worst_soon.setInterval(REST_MS)
        self._worst_soon.timeout.connect(self.judge_worst)
        self._warnings: list[Warning_] | None = None
        self._at_corners: list[Warning_] = []
        self._gesture: tuple[int, Tune] | None = None
        self._named: dict[str, Tune] | None = None
        self._sent: list[tuple[datetime, Tune]] | None = None
        self._sensors: dict[str, str] | None = None
        self._drafted: tuple[Tune | None, Tune | None, list[str]] = (None, None, [])
        self.reload()

    def reload(self) -> None:
        """Take up the bike opened last, with its draft and what its controller held last."""
        found = self.garage.last_bike()
        if found is None:
            self._clear()
            return
        self.bike_id, self.bike = found
        self._sensors = self._named = self._sent = None
        self._at_corners = []
        self.controller_map = None
        self.draft = self.garage.tune(self.bike_id, "draft")
        self.controller = self.garage.tune(self.bike_id, "controller")
        if self.draft is None:
            self.draft = self.controller
        self.speeds = axis_speeds(self.bike)
        self.conditions = Conditions(rested_v=round(rested_or_typical_v(self.bike.battery, DRAWN_FOR_CHARGE), 1))
        self.undo_stack.clear()
        self.ride = self.raw_ride = self.ride_tune = None
        self.flaws = []
        rides = self.garage.rides(self.bike_id)
        if rides:
            self.open_ride(rides[0])
        self._predict_controller()
        self._predict_draft()
        for signal in (
            self.bike_changed,
            self.controller_changed,
            self.draft_changed,
            self.conditions_changed,
            self.rides_changed,
            self.logbook_changed,
        ):
            signal.emit()

    def _clear(self) -> None:
        """No bike, nothing of one."""
        self.bike_id, self.bike, self.draft, self.controller, self.ride, self.ride_tune = (
            0,
            None,
            None,
            None,
            None,
            None,
        )
        self.draft_prediction = self.controller_prediction = self._warnings = None
        self.undo_stack.clear()
        for signal in (
            self.bike_changed,
            self.controller_changed,
            self.draft_changed,
            self.rides_changed,
            self.logbook_changed,
        ):
            signal.emit()

    def switch_units(self) -> None:
        """Show miles, Fahrenheit and pounds, or kilometres, Celsius and kilograms; remembered with the garage."""
        self.units = Units(metric=not self.units.metric)
        try:
            self.garage.keep_setting("units", "metric" if self.units.metric else "imperial")
        except DocumentError as error:
            self.said.emit("warn", str(error))
        self.units_changed.emit()

    # --- the bike -------------------------------------------------------------------------------------------

    def open_bike(self, bike: Bike) -> None:
        """Make a bike the active one."""
        self.bike_id = self.garage.save_bike(bike)
        self.garage.log(self.bike_id, "bike", f"{bike.name} opened", f"{bike.mass_kg:g} kg as ridden")
        self.reload()

    def open_kept_bike(self, bike_id: int) -> None:
        """Make a bike of the garage the active one."""
        self.keep_draft()
        self.garage.open_bike(bike_id)
        self.reload()

    def take_part(self, from_id: int, part: str) -> None:
        """Put a part of another bike of the garage into the active one, with what was learned about it; undoable."""
        if self.bike is not None:
            other = self.garage.bike(from_id)
            self.change_bike(self.bike.with_part_of(other, part), f"{part} of {other.name}")
            self.log("bike", f"{part.capitalize()} taken from {other.name}")

    def archive_bike(self) -> None:
        """Put the active bike away; the one opened before it comes up."""
        self.log("bike", "Put away into the archive")
        self.garage.archive_bike(self.bike_id)
        self.reload()

    def change_bike(self, bike: Bike, what: str) -> None:
        """Change figures of the active bike, undoably."""
        if self.bike is not None and bike != self.bike:
            self.undo_stack.push(_BikeChange(self, self.bike, bike, what))

    def set_bike(self, bike: Bike) -> None:
        """The active bike as it now is; called by undo and redo too."""
        if self.bike is None:
            return
        per_cell = self.conditions.rested_v / self.bike.battery.series
        rolls_otherwise = bike.drivetrain.wheel_circumference_m != self.bike.drivetrain.wheel_circumference_m
        self.bike = bike
        self.garage.update_bike(self.bike_id, bike)
        self.speeds = axis_speeds(bike)
        self.conditions = replace(self.conditions, rested_v=round(per_cell * bike.battery.series, 2))
        self._predict_controller()
        self._predict_draft()
        if rolls_otherwise and self.raw_ride is not None:
            self._clean()
        for signal in (self.bike_changed, self.controller_changed, self.draft_changed, self.conditions_changed):
            signal.emit()

    # --- the draft ------------------------------------------------------------------------------------------

    def token(self) -> int:
        """A new token: changes of one setting with the same token are one step of undo (a drag)."""
        return next(self._tokens)

    def change(self, setting: str, value: float | None, token: int | None = None) -> None:
        """Change one setting of the draft, undoably."""
        if self.draft is None or self.draft.setting(setting) == value:
            return
        self.undo_stack.push(
            _Change(self, self.draft, self.draft.with_setting(setting, value), setting, token or self.token())
        )

    def try_change(self, setting: str, value: float | None, token: int | None = None, carry: bool = True) -> None:
        """Change one setting; where another stands in its way (a fade's other end, a neighbour of the curve) that one is carried along if
        ``carry``, and otherwise it stays as it was."""
        if self.draft is None:
            return
        token = token or self.token()
        if self._gesture is None or self._gesture[0] != token:
            self._gesture = (token, self.draft)
        base = self._gesture[1]  # from where the gesture began: what was pushed comes back with the hand
        try:
            tune = base.with_setting(setting, value)
        except ValidationError:
            pair = companions(base, setting, value) if carry and value is not None else {}
            if not pair:
                return
            tune = base.with_settings({setting: value, **pair})
        if tune != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, setting, token))

    def cancel(self, token: int) -> None:
        """Take a gesture back, as if it had never begun."""
        if self._gesture is not None and self._gesture[0] == token and self.draft is not None:
            if self._gesture[1] != self.draft:
                self.undo_stack.push(_Change(self, self.draft, self._gesture[1], "taken back", token))
            self._gesture = None

    def change_many(self, values: Mapping[str, float | None], what: str, token: int | None = None) -> None:
        """Change several settings as one step of undo. Raises :class:`pydantic.ValidationError` if they make no valid tune."""
        if self.draft is not None and (tune := self.draft.with_settings(values)) != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, what, token or self.token()))

    def open_draft(self, tune: Tune, what: str = "") -> None:
        """Take a whole tune as the draft, undoably."""
        if self.draft is None:
            self.set_draft(tune)
        elif tune != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, what or tune.name, self.token()))

    def named_drafts(self) -> dict[str, Tune]:
        """The drafts of this bike kept by name."""
        if self._named is None:
            self._named = self.garage.named_drafts(self.bike_id) if self.bike is not None else {}
        return self._named

    def sent_tunes(self) -> list[tuple[datetime, Tune]]:
        """The tunes that were sent with proof, the newest first."""
        if self._sent is None:
            self._sent = self.garage.sent_tunes(self.bike_id)
        return self._sent

    def keep_named(self, name: str, notes: str) -> None:
        """Keep the draft under a name, with why it is as it is; the draft in hand takes the name."""
        if self.draft is None:
            return
        tune = self.draft.model_copy(update={"name": name, "notes": notes})
        tune = Tune.model_validate(tune.model_dump(mode="json", by_alias=True, exclude_unset=True))
        self.garage.keep_named(self.bike_id, tune)
        self._named = None
        self.open_draft(tune)
        self.log("draft", f"Draft kept: {name}", notes)

    def drop_named(self, name: str) -> None:
        """Let a named draft go."""
        self.garage.drop_named(self.bike_id, name)
        self._named = None
        self.draft_changed.emit()

    def set_draft(self, tune: Tune) -> None:
        """The draft as it now is; called by undo and redo too."""
        same_pull = self.draft is not None and all(
            getattr(self.draft, group) == getattr(tune, group) for group in SETTING_GROUPS
        )
        self.draft = tune
        self._warnings = None
        if not same_pull or self.draft_prediction is None:  # throttle, assist and modes leave the pull as it is
            self._predict_draft()
        self._keep_soon.start()
        self.draft_changed.emit()

    def keep_draft(self) -> None:
        """Write the draft into the garage; happens by itself shortly after each change."""
        self._keep_soon.stop()
        if self.draft is not None:
            self.garage.save_draft(self.bike_id, self.draft)

    @property
    def drafted(self) -> list[str]:
        """The settings in which draft and controller differ."""
        if self.draft is None or self.controller is None:
            return []
        if self._drafted[0] is not self.draft or self._drafted[1] is not self.controller:
            draft, controller = self.draft, self.controller
            self._drafted = (draft, controller, draft.differing(controller))
        return self._drafted[2]

    # --- conditions and predictions -------------------------------------------------------------------------

    def set_conditions(self, conditions: Conditions) -> None:
        """Draw for another state of the pack."""
        self.conditions = conditions
        self._predict_controller()
        self._predict_draft()
        self.conditions_changed.emit()

    @property
    def warnings(self) -> list[Warning_]:
        """The watch list."""
        if self._warnings is None:
            self._warnings = self._judge()
        return self._warnings

    def judge_worst(self) -> None:
        """Search the worst corner of each rule. Takes a frame or two: by itself once the hands rest, and before anything is sent."""
        self._worst_soon.stop()
        before, self._warnings = self._warnings, self._judge(worst=True)
        if self._warnings != before:
            self.watch_changed.emit()

    def _judge(self, worst: bool = False) -> list[Warning_]:
        if self.bike is None or self.draft is None:
            return []
        curve = self.draft_prediction.curve if self.draft_prediction else None
        situation = Situation(self.bike, self._as_run(self.draft), curve, self.controller, self.sensors)
        if worst:
            found = worst_of(situation, self.conditions)
            self._at_corners = [one for one in found if one.corner]
            return found
        self._worst_soon.start()
        found = judge(situation)
        known = {warning.id for warning in found}
        # what was found at a corner stands until the corners are searched again, or the list would flicker through a drag
        found += [one for one in self._at_corners if one.id not in known]
        return sorted(found, key=lambda one: list(Strength).index(one.strength))

    # --- calibrations ---------------------------------------------------------------------------------------

    @property
    def sensors(self) -> dict[str, str]:
        """How each sensor did in its newest calibration, by kind."""
        if self._sensors is None:
            newest: dict[str, str] = {}
            for one in self.garage.calibrations(self.bike_id) if self.bike is not None else []:
                newest.setdefault(one.kind, one.verdict)
            self._sensors = newest
        return self._sensors

    def keep_calibration(self, calibration: Calibration) -> None:
        """Keep how a sensor was judged, and write it into the logbook."""
        self.garage.keep_calibration(self.bike_id, calibration)
        self._sensors = self._warnings = None
        self.log(
            "calibration",
            f"{calibration.kind.capitalize()}: {calibration.verdict}",
            f"{calibration.reason}. {calibration.next}".strip(),
        )
        self.calibrations_changed.emit()

    def _predict_draft(self) -> None:
        self.draft_prediction = self._predict(self.draft and self._as_run(self.draft))
        self._warnings = None

    def _predict_controller(self) -> None:
        self.controller_prediction = self._predict(self.controller)
        self._warnings = None

    def _as_run(self, tune: Tune) -> Tune:
        """What a tune comes to on the controller, as far as that is known."""
        return tune if self.controller_map is None else self.controller_map.as_run(tune)

    def _predict(self, tune: Tune | None) -> Prediction | None:
        if self.bike is None or tune is None or self.speeds is None:
            return None
        return predict(self.bike, tune, self.conditions, self.speeds)

    # --- the controller -------------------------------------------------------------------------------------

    def take_contact(self, tune: Tune, backup: Backup, controller_map: ControllerMap | None = None) -> None:
        """A controller answered: keep its backup, and know what it holds and what it lacks."""
        if controller_map is not self.controller_map:
            self.controller_map = controller_map
            self._predict_draft()
        self.garage.keep_backup(self.bike_id, backup)
        self.log(
            "backup",
            f"Backup of {backup.product} kept",
            f"{len(backup.registers)} settings, firmware {backup.firmware}, serial number {backup.serial}",
        )
        self._take_controller(tune)
        if self.draft is None:
            self.set_draft(tune)

    def take_sent(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A send was proved: the controller now holds ``tune``, and so does the draft (values may have been
        rounded to what the registers can hold)."""
        self.garage.keep_sent(self.bike_id, tune)
        self._sent = None
        self.log("send", f"Sent with proof: {tune.name}", "; ".join(changes) + f". {message}")
        self._take_controller(tune, remember=kept)
        whole = tune if self.draft is None else tune.completed_from(self.draft)
        if self.draft != whole:
            self.open_draft(whole)

    def take_restored(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A backup was put back with proof; the draft stays what it is."""
        self.log("send", "Backup put back with proof", "; ".join(changes) + f". {message}")
        self._take_controller(tune, remember=kept)

    def take_running(self, tune: Tune) -> None:
        """A send failed and left the controller running this; what it keeps over power-off is as it was."""
        if self.controller is None or tune.differing(self.controller):
            self._take_controller(tune, remember=False)

    def _take_controller(self, tune: Tune, remember: bool = True) -> None:
        self.controller = tune
        if remember:
            self.garage.keep_controller(self.bike_id, tune)
        self._predict_controller()
        self.controller_changed.emit()

    def remember_port(self, port: str) -> None:
        """Remember by which way the active bike's controller was reached."""
        try:
            self.garage.keep_setting(f"port of bike {self.bike_id}", port)
        except DocumentError as error:
            self.said.emit("warn", str(error))

    @property
    def last_port(self) -> str:
        """By which way the active bike's controller was last reached; "" if never."""
        port = self.garage.setting(f"port of bike {self.bike_id}")
        return port if isinstance(port, str) else ""

    def remember_serial(self, serial: str) -> None:
        """The bike has shown that this is its controller."""
        if self.bike is None or not serial or self.bike.controller.serial == serial:
            return
        was = self.bike.controller.serial
        controller = self.bike.controller.model_copy(update={"serial": serial})
        self.change_bike(self.bike.model_copy(update={"controller": controller}), "controller's serial number")
        self.log("bike", f"Controller {serial} belongs to this bike", f"before: {was or 'none noted'}")

    # --- logbook ----------------------------------------------------------------------------------

    def attach(self, path: Path, text: str) -> Entry:
        """A note with a copy of a file. Raises :class:`DocumentError`."""
        entry = self.garage.attach(self.bike_id, path, text)
        self.logbook_changed.emit()
        return entry

    def log(self, kind: str, title: str, detail: str = "") -> Entry:
        """A line into the logbook of the active bike."""
        entry = self.garage.log(self.bike_id, kind, title, detail)
        self.logbook_changed.emit()
        return entry


class _Change(QUndoCommand):
    """One change of the draft; changes with the same token, of one gesture, merge."""

    def __init__(self, desk: Desk, before: Tune, after: Tune, what: str, token: int) -> None:
        super().__init__(what)
        self._desk, self._before, self._after, self._token = desk, before, after, token

    def id(self) -> int:
        return 1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Change) or other._token != self._token:
            return False
        self._after = other._after
        self.setObsolete(self._after == self._before)
        return True

    def redo(self) -> None:
        self._desk.set_draft(self._after)

    def undo(self) -> None:
        self._desk.set_draft(self._before)


class _BikeChange(QUndoCommand):
    """One change of the bike's figures."""

    def __init__(self, desk: Desk, before: Bike, after: Bike, what: str) -> None:
        super().__init__(what)
        self._desk, self._before, self._after = desk, before, after

    def redo(self) -> None:
        self._desk.set_bike(self._after)

    def undo(self) -> None:
        self._desk.set_bike(self._before)


def time_words(moment: datetime) -> str:
    """``14:02`` today, ``12 Oct, 14:02`` otherwise."""
    today = datetime.now().date()
    return f"{moment:%H:%M}" if moment.date() == today else f"{moment.day} {moment:%b, %H:%M}"
