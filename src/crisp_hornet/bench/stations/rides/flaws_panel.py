"""What was found wrong with the open ride, each with a box: mended, or left as it is."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.documents.channels import TABLE, long_name


class FlawsPanel(QWidget):
    """``shown_at`` carries the time of a flaw that is to be looked at."""

    shown_at = pyqtSignal(float)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self._list = column_of(spacing=0)
        inside = QWidget()
        inside.setLayout(self._list)
        column = column_of(self, margins=0)
        column.addWidget(column_scroll(inside))

    def refresh(self) -> None:
        """List the flaws of the open ride."""
        clear(self._list)
        for flaw in self._desk.ride.flaws:
            name = long_name(flaw.channel) if flaw.channel in TABLE else "times"
            row = QHBoxLayout()
            if flaw.mends:
                box = Confirm(self.theme, f"fix {flaw.kind} of {name}")
                box.setChecked(flaw.id not in self._desk.ride.left_flaws)
                box.toggled.connect(partial(self._switch, flaw.id))
                row.addWidget(box)
            row.addWidget(label(f"{name}: {self._desk.units.text(flaw.text)}", wrap=True), 1)
            show = partial(self.shown_at.emit, flaw.from_s)
            row.addWidget(button(f"{clock(flaw.from_s)} ›", show, "place", f"Show {flaw.kind} of {name}"))
            self._list.addLayout(row)
        self._list.addStretch(1)

    def _switch(self, flaw: str, mend: bool) -> None:
        left = set(self._desk.ride.left_flaws)
        (left.discard if mend else left.add)(flaw)
        self._desk.ride.leave_flaws(left)
