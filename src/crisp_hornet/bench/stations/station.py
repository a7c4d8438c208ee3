"""What every station is: a page, a state and figure for the job line, words for the footer, one main act."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.theme import Theme


class Station(QWidget):
    """Base of all stations. ``news`` says that state, caption, words or act changed; ``go`` asks for another
    station by number."""

    number = 0
    name = ""
    news = pyqtSignal()
    go = pyqtSignal(int)

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self.desk, self.link, self.theme = desk, link, theme

    def state(self) -> BoltState:
        """How far the station is."""
        raise NotImplementedError

    def caption(self) -> str:
        """One live figure for under its name."""
        raise NotImplementedError

    def meaning(self) -> tuple[str, str]:
        """Heading and plain words for the footer; the words may hold ``<b>``."""
        raise NotImplementedError

    def act_text(self) -> str:
        """What the main button says, or "" for none."""
        return ""

    def act_enabled(self) -> bool:
        """Whether the main button can be pressed now."""
        return True

    def act(self) -> None:
        """Do what the main button says."""

    def shown(self) -> None:
        """The station has just come into view."""

    def left(self) -> None:
        """The station goes out of view."""

    def side(self) -> QWidget | None:
        """What stands above the watch list in the right column, if anything."""
        return None
