"""What a page lays beside the draft: what is on the controller, or any of the kept drafts, two at a time."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.documents.tune import Tune

ON_CONTROLLER, NOTHING = "on the controller", "none"
STYLES = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)  # of the first and the second kept draft


class Beside(QWidget):
    """Two choosers; ``changed``: something else is to be laid beside."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.first, self.second = Chooser("what the draft is laid beside"), Chooser("what it is laid beside as well")
        row = row_of(self, margins=0)
        for caption, chooser in (("compare with", self.first), ("and", self.second)):
            chooser.be_narrow()
            chooser.currentIndexChanged.connect(lambda _at: self.changed.emit())
            row.addWidget(Captioned(caption, chooser))
        row.addStretch(1)

    def refresh(self) -> None:
        """List what there is now."""
        kept = list(self._desk.draft.named())
        for chooser, wanted in ((self.first, [ON_CONTROLLER, NOTHING, *kept]), (self.second, [NOTHING, *kept])):
            chooser.offer(wanted)

    def kept(self) -> list[tuple[str, Tune]]:
        """The kept drafts that are chosen, by name, each once."""
        named = self._desk.draft.named()
        names = dict.fromkeys([self.first.currentText(), self.second.currentText()])
        return [(name, named[name]) for name in names if name in named]

    @property
    def controller(self) -> bool:
        """Whether what is on the controller is to be shown."""
        return self.first.currentText() in ("", ON_CONTROLLER)
