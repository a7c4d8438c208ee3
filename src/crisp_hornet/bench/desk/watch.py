"""The watch list of the draft: at once as drawn, at its worst corners once the hands rest; and how the sensors did."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from crisp_hornet.bench.desk.draft import Draft
from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.core.rules import Situation, Strength, Warning_, judge
from crisp_hornet.core.rules.watch import watch_list

REST_MS = 120  # the hands rest: time for what is too slow for a drag


class Watch(QObject):
    """``changed``: the worst corners were searched and say otherwise. What the draft itself changes, its own signal tells."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike, held: Held, draft: Draft, story: Story) -> None:
        super().__init__()
        self._bike, self._held, self._draft = bike, held, draft
        self._warnings: list[Warning_] | None = None
        self._at_corners: list[Warning_] = []
        self._sensors: dict[str, str] | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(REST_MS)
        self._soon.timeout.connect(self.judge_worst)
        for signal in (bike.recompute, held.changed, draft.changed):
            signal.connect(self.stale)
        story.calibrations_changed.connect(self._forget_sensors)

    def reload(self) -> None:
        """Another bike is open."""
        self._warnings = self._sensors = None
        self._at_corners = []

    def stale(self) -> None:
        """Something that it follows from is another now."""
        self._warnings = None

    def _forget_sensors(self) -> None:
        self._warnings = self._sensors = None

    @property
    def warnings(self) -> list[Warning_]:
        """The watch list."""
        if self._warnings is None:
            self._warnings = self._judge()
        return self._warnings

    @property
    def sensors(self) -> dict[str, str]:
        """How each sensor did in its newest calibration, by kind."""
        if self._sensors is None:
            there = self._bike.document is not None
            self._sensors = self._bike.garage.glance.sensors(self._bike.id) if there else {}
        return self._sensors

    def judge_worst(self) -> None:
        """Search the worst corner of each rule. Takes a frame or two: by itself once the hands rest, and before anything is sent."""
        self._soon.stop()
        before, self._warnings = self._warnings, self._judge(worst=True)
        if self._warnings != before:
            self.changed.emit()

    def _judge(self, worst: bool = False) -> list[Warning_]:
        bike, draft, held = self._bike.document, self._draft.tune, self._held.tune
        if bike is None or draft is None:
            return []
        tune = self._held.as_run(draft)
        if worst and self._bike.speeds is not None:
            found = watch_list(bike, tune, held, self._bike.conditions, self._bike.speeds, self.sensors)
            self._at_corners = [one for one in found if one.corner]
            return found
        curve = self._draft.prediction.curve if self._draft.prediction else None
        found = judge(Situation(bike, tune, curve, held, self.sensors))
        self._soon.start()
        known = {warning.id for warning in found}
        # what was found at a corner stands until the corners are searched again, or the list would flicker through a drag
        found += [at_corner for at_corner in self._at_corners if at_corner.id not in known]
        return sorted(found, key=lambda one: list(Strength).index(one.strength))
