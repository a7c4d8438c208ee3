"""What the cards of help and the search need of the window."""

from __future__ import annotations

from typing import Protocol

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.stations import Stations
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.notice import Notice
from crisp_hornet.help import Topic


class Helps(Protocol):
    """What can be shown."""

    def show_figures(self) -> None:
        """A chart's figures."""

    def show_keys(self) -> None:
        """The keys."""

    def show_glossary(self, word: str = "") -> None:
        """The words."""

    def show_cautions(self) -> None:
        """The cautions."""

    def show_about(self) -> None:
        """Version and licences."""

    def show_topic(self, topic: Topic) -> None:
        """Help."""

    def choose_language(self, code: str) -> None:
        """Another language, from the next start."""


class Window(Protocol):
    """What is needed of the window."""

    desk: Desk
    simulated: Simulated
    stations: Stations
    notice: Notice
    theme: Theme
    current: str

    @property
    def scale_now(self) -> float:
        """How large everything is."""

    @property
    def helping(self) -> Helps:
        """Its cards."""

    def show_station(self, key: str) -> None:
        """Show one."""

    def switch_theme(self) -> None:
        """Light or dark."""

    def high_contrast(self) -> None:
        """The theme of most contrast."""

    def set_scale(self, scale: float) -> None:
        """Larger or smaller."""

    def show_test_stand(self) -> None:
        """Hands on the simulated bike."""
