"""Beside a figure that nobody measured: the run that would tell it, and how well."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

if TYPE_CHECKING:  # loaded when a figure is first looked at
    from crisp_hornet.core.programmes.teaching import Telling

GUESSED = ("assumed", "entered")


class TaughtBy(QWidget):
    """``start`` carries the programme's id."""

    start = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._looking = Background()
        self._looking.done.connect(self._show)
        self._looking.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        self._column = column_of(self, margins=0, spacing=2)
        self.hide()

    def look(self, bike: Bike, path: str) -> None:
        """Find the run for a figure, off the interface thread; nothing for one that was measured or learned."""
        from crisp_hornet.core.evidence.figures import PATHS
        from crisp_hornet.core.programmes.teaching import telling
        from crisp_hornet.core.tunes.starting import starting_tune

        self.hide()
        self._looking.cancel()
        source = bike.sources.get(path)
        if path in PATHS and (source is None or source.origin in GUESSED):
            tune = self._desk.draft.tune or self._desk.held.tune or starting_tune(bike)
            self._looking.start(lambda: telling(bike, tune, path))

    def _show(self, found: Telling | None) -> None:
        from crisp_hornet.core.programmes.wordings import TOLD

        clear(self._column)
        if found is None:
            return
        title = TOLD[found.programme]["title"]
        words = say(
            "{title}, {minutes}, would tell it: ± {before} → {after}",
            title=title,
            minutes=quantity(max(found.minutes, 1), "min", ".0f"),
            before=quantity(100 * found.before, "", ".0f"),
            after=quantity(100 * found.after, "%", ".0f" if found.after > 0.02 else ".1f"),
        )
        self._column.addWidget(label(self._desk.units.text(words), "quiet", wrap=True))
        self._column.addWidget(
            button("Start it on Rides ›", partial(self.start.emit, found.programme), "place", f"Start the run: {title}")
        )
        self.show()
