"""What the pull chart shows besides draft and controller: an earlier tune, a kept draft, or the open ride's measured points."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.text import shortened
from crisp_hornet.core.drive.pull import pull_curve
from crisp_hornet.core.ride.measured_pull import measured_pull
from crisp_hornet.documents.tune import Tune

NOTHING, MEASURED = "none", "from current, open ride"
EVERY = 4


class AlsoShown(Chooser):
    """``changed``: something else is to be shown."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, second: bool = False) -> None:
        super().__init__("what the pull chart shows as well" if second else "what else the pull chart shows")
        self._desk, self._second = desk, second
        self._tunes: dict[str, Tune] = {}
        self.setMinimumWidth(120)
        self.setMaximumWidth(170)
        self.activated.connect(lambda _at: self.changed.emit())
        self._shown: object = None

    def refresh(self) -> None:
        """List what there is now."""
        desk = self._desk
        sent = desk.held.sent() if desk.bike is not None else []
        tunes = {f"{tune.name}, sent {at:%d %b}": tune for at, tune in sent} | desk.draft.named()
        measured = desk.ride.cleaned is not None and not self._second
        names = [NOTHING, *([MEASURED] if measured else []), *tunes]
        self._tunes = tunes
        if [self.itemText(at) for at in range(self.count())] != names:
            now = self.currentText()
            self.clear()
            self.addItems(names)
            self.setCurrentIndex(names.index(now) if now in names else 0)

    def show_on(self, chart: ForceChart) -> None:
        """Lay what is chosen over the chart."""
        desk, name = self._desk, self.currentText()
        bike, speeds = desk.bike, desk.speeds
        key = (name, bike, desk.conditions, self._tunes.get(name), desk.ride.cleaned)
        if key == self._shown or bike is None or speeds is None:
            return
        self._shown = key
        tune = self._tunes.get(name)
        curve = pull_curve(bike, tune, speeds[::EVERY], desk.conditions) if tune is not None else None
        chart.show_also(shortened(name, 20), curve, self._second)
        if self._second:
            return
        chart.show_measured(
            measured_pull(desk.ride.cleaned, bike) if name == MEASURED and desk.ride.cleaned is not None else None
        )
