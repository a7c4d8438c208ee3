"""What the draft is compared with on Send: what the controller holds, or a tune that was sent before."""

from __future__ import annotations

from datetime import datetime

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.documents.tune import Tune

CONTROLLER = "what the controller holds"


class Against(Chooser):
    """The controller first, then the tunes sent before, newest first."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.setAccessibleName("compare the draft with")
        self.setMinimumHeight(34)

    def refresh(self, wanted: bool) -> None:
        """Offer what there is to compare with; ``wanted`` tells whether this moment asks for it at all."""
        offered = [CONTROLLER, *(f"{tune.name}, sent {time_words(at)}" for at, tune in self._sent())]
        if [self.itemText(index) for index in range(self.count())] != offered:
            self.clear()
            self.addItems(offered)
        self.setVisible(wanted and len(offered) > 1)

    def earlier(self) -> Tune | None:
        """The tune chosen; None while it is the controller."""
        index = self.currentIndex()
        return None if index < 1 or self.isHidden() else self._sent()[index - 1][1]

    def _sent(self) -> list[tuple[datetime, Tune]]:
        return self._desk.held.sent()
