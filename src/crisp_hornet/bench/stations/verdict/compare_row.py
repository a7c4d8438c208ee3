"""The open ride against another one: whether it used less, and what can be shown."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.evidence.compare import Compared, compare
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.rides import KeptRide

ALONE = "compared with no other ride"


class CompareRow(QWidget):
    """Which ride to compare with, and the sentence. Loaded and computed off the interface thread."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._kept: list[KeptRide] = []
        self.choice = QComboBox()
        self.choice.setAccessibleName("ride to compare with")
        self.choice.setFixedWidth(250)
        self.choice.activated.connect(lambda _at: self._start())
        self.told = label("", wrap=True)
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(lambda error: self.told.setText(str(error)))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addWidget(self.choice)
        row.addWidget(self.told, 1)

    def refresh(self) -> None:
        """The open ride, or the rides there are, changed."""
        every = self._desk.garage.rides(self._desk.bike_id) if self._desk.bike is not None else []
        others = [one for one in every if one.id != self._desk.ride_id]
        self.setVisible(bool(others) and self._desk.ride is not None)
        if [one.id for one in others] != [one.id for one in self._kept]:
            self._kept = others
            self.choice.clear()
            self.choice.addItems([ALONE, *(f"compared with {one.name}" for one in others)])
        self._start()

    def _start(self) -> None:
        at, first, bike, desk = self.choice.currentIndex() - 1, self._desk.ride, self._desk.bike, self._desk
        self._work.cancel()
        self.told.setText("")
        if not 0 <= at < len(self._kept) or first is None or bike is None:
            return
        kept = self._kept[at]

        def work() -> tuple[Ride, Compared]:
            return first, compare(first, desk.as_shown_now(desk.garage.load_ride(kept), kept.card), bike)

        self._work.start(work)

    def _take(self, found: tuple[Ride, Compared]) -> None:
        first, compared = found
        if first is self._desk.ride:
            self.told.setText(self._desk.units.text(compared.sentence))
