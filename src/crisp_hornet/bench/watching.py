"""The part of the desk that predicts and judges: both tunes under the conditions, the watch list, how the sensors did."""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal

from crisp_hornet.bench.held_tune import HeldTune
from crisp_hornet.bench.prediction import Prediction, predict
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.rules import Situation, Strength, Warning_, judge
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.tune import Tune


class Watching(HeldTune):
    """Held by the desk, which is one."""

    conditions_changed = pyqtSignal()
    calibrations_changed = pyqtSignal()
    watch_changed = pyqtSignal()
    conditions: Conditions
    speeds: Array | None
    controller_prediction: Prediction | None
    _worst_soon: QTimer
    _at_corners: list[Warning_]
    _sensors: dict[str, str] | None

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
        tune = self._as_run(self.draft)
        if worst and self.speeds is not None:
            found = watch_list(self.bike, tune, self.controller, self.conditions, self.speeds, self.sensors)
            self._at_corners = [one for one in found if one.corner]
            return found
        curve = self.draft_prediction.curve if self.draft_prediction else None
        situation = Situation(self.bike, tune, curve, self.controller, self.sensors)
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
            for one in self.garage.calibrations.of(self.bike_id) if self.bike is not None else []:
                newest.setdefault(one.kind, one.verdict)
            self._sensors = newest
        return self._sensors

    def keep_calibration(self, calibration: Calibration) -> None:
        """Keep how a sensor was judged, and write it into the logbook."""
        self.kept(lambda: self.garage.calibrations.keep(self.bike_id, calibration))
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
