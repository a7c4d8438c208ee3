"""What every station is: a page, a state and figure for the job line, words for the footer, one main act."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.standing import STANDINGS
from crisp_hornet.bench.theme import Theme


class Station(QWidget):
    """Base of all stations. ``news`` says that state, caption, words or act changed; ``go`` asks for another station by name, and
    ``hand_over`` for another one that is to take something; ``explain`` asks for a text of help."""

    key = ""
    news = pyqtSignal()
    go = pyqtSignal(str)
    hand_over = pyqtSignal(str, object)
    explain = pyqtSignal(object)

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self.desk, self.link, self.theme = desk, link, theme

    def state(self) -> BoltState:
        """How far the station is."""
        return STANDINGS[self.key](self.desk, self.link).state

    def caption(self) -> str:
        """One live figure for under its name."""
        return STANDINGS[self.key](self.desk, self.link).caption

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

    def parts(self) -> list[QWidget]:
        """What F6 goes round on the page."""
        return [self]

    def escape(self) -> bool:
        """Esc was pressed and no control took it: close what is open; whether something was."""
        return False

    def shown(self) -> None:
        """The station has just come into view."""

    def left(self) -> None:
        """The station goes out of view."""

    def take(self, thing: object) -> None:
        """Something that another station hands over."""

    def offer(self, simulated: Simulated) -> None:
        """A simulated bike runs beside."""

    def side(self) -> QWidget | None:
        """What stands above the watch list in the right column, if anything."""
        return None

    def under_way(self) -> str:
        """What closing the window would cut short, as a question; "" for nothing."""
        return ""

    def finish(self) -> None:
        """The window closes: begin to end what is under way."""

    @property
    def finishing(self) -> bool:
        """Whether something still has to end before the window may go."""
        return False
