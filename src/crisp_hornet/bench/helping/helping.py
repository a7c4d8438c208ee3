"""What helps in the window: the card of help, the search, the list of keys, a chart's figures as a table, copying what has the focus."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication, QWidget

from crisp_hornet.bench.widgets.keys_card import KeysCard
from crisp_hornet.bench.widgets.text import shortened
from crisp_hornet.documents.translation import ENGLISH, LANGUAGES

if TYPE_CHECKING:
    from crisp_hornet.bench.helping.card import HelpCard
    from crisp_hornet.bench.helping.needs import Window
    from crisp_hornet.bench.helping.search import Search
    from crisp_hornet.bench.widgets.figures_table import FiguresTable
    from crisp_hornet.help import Topic

MOST_COPIED = 120
LANGUAGE = "language"  # the preference


class Helping:
    """Each card is made when it is first asked for; ``over`` is the window as their parent."""

    def __init__(self, window: Window, over: QWidget) -> None:
        self._window, self._over = window, over
        self.card: HelpCard | None = None
        self.search: Search | None = None
        self.table: FiguresTable | None = None

    def show_keys(self) -> None:
        """What the keys do."""
        KeysCard(self._over).exec()

    def show_help(self) -> None:
        """Help on what has the focus, else on the station."""
        from crisp_hornet.bench.helping.card import topic_of

        topic = topic_of(QApplication.focusWidget(), self._window.current)
        if topic is not None:
            self.show_topic(topic)

    def show_topic(self, topic: Topic) -> None:
        """One text of help, in its card."""
        self._made_card().show_topic(topic)

    def show_glossary(self, word: str = "") -> None:
        """The words of the field."""
        card = self._made_card()
        card.show_glossary()
        card.line.setText(word)

    def show_cautions(self) -> None:
        """All cautions in one place."""
        self._made_card().show_cautions()

    def show_about(self) -> None:
        """Version, licence, libraries."""
        self._made_card().show_about()

    def _made_card(self) -> HelpCard:
        from crisp_hornet.bench.helping.card import HelpCard

        if self.card is None:
            self.card = HelpCard(self._window.theme, self.show_keys, self._over)
        return self.card

    def show_search(self) -> None:
        """Find a page, a figure, a ride, an act, help."""
        from crisp_hornet.bench.helping.search import Search

        if self.search is None:
            self.search = Search(self._window, self._over)
        self.search.open_anew()

    def show_figures(self) -> None:
        """The figures of the chart that has the focus, or of the largest in view, as a table."""
        from crisp_hornet.bench.widgets.figures_table import FiguresTable, chart_of

        chart = chart_of(QApplication.focusWidget(), self._window.stations[self._window.current])
        figures = chart.figures() if chart is not None else None
        if figures is None or not figures.rows or not isinstance(chart, QWidget):
            self._window.notice.say("note", "No chart with figures is in view here.")
            return
        self.table = FiguresTable(figures, chart.accessibleName(), self._over)
        self.table.show()

    def copy_focused(self) -> None:
        """What has the focus goes to the clipboard, with its unit: a figure, a ruler, a row. Fields copy by themselves."""
        focused, board = QApplication.focusWidget(), QApplication.clipboard()
        if focused is not None and board is not None and focused.accessibleName():
            board.setText(focused.accessibleName())
            self._window.notice.say("note", f"Copied: {shortened(focused.accessibleName(), MOST_COPIED)}")

    def choose_language(self, code: str) -> None:
        """The language of the window from the next start on."""
        self._window.desk.active.remember(LANGUAGE, code)
        name = LANGUAGES[code]
        told = "Everything is in English from the next start." if code == ENGLISH else f"{name}: from the next start."
        self._window.notice.say("note", told)
