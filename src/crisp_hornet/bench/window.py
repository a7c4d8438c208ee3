"""The window: job line on top, the station, the watch list to its right, plain words and the main act below."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QWidget,
)

from crisp_hornet.bench import keys
from crisp_hornet.bench import scale as scaling
from crisp_hornet.bench import theme as themes
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.opening import open_file
from crisp_hornet.bench.scale import STEP, fix, px, scale_now
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.stations.stations import Stations, title
from crisp_hornet.bench.test_stand import TestStand
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.job_line import JobLine
from crisp_hornet.bench.widgets.keys_card import KeysCard
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.notice import Notice
from crisp_hornet.bench.widgets.page_scroll import PageScroll
from crisp_hornet.bench.widgets.sentence import Sentence
from crisp_hornet.bench.widgets.text import button, label, rule, shortened
from crisp_hornet.bench.widgets.watch_list import WatchLine, WatchList, summary
from crisp_hornet.core.rules import Warning_
from crisp_hornet.documents.units import Units
from crisp_hornet.link.session import ContactMade

if TYPE_CHECKING:
    from crisp_hornet.bench.helping.card import HelpCard
    from crisp_hornet.bench.helping.search import Search
    from crisp_hornet.bench.practice.job_sheet import JobSheet
    from crisp_hornet.bench.practice.practising import Practising, Ridden
    from crisp_hornet.bench.widgets.figures_table import FiguresTable
    from crisp_hornet.help import Topic

SIDE_WIDTH = 292
WATCHING = ("tune", "send")  # where the watch list, which is about the draft, stands open
MARGIN = 22
NARROW_PX = 1020.0  # a window narrower than this has no room for a column beside the page
SETTLE_S = 0.5  # a press so soon after another page came up was meant for the page before
LONGEST_END_S = 20.0
MOST_COPIED = 120
SENDING = "something is being written to the controller"


class Window(QMainWindow):
    """The one window. ``simulated`` is offered on Hook-up when a stand-in runs beside."""

    def __init__(
        self,
        desk: Desk,
        link: Link,
        theme: Theme = themes.LIGHT,
        simulated: Simulated | None = None,
        practising: Practising | None = None,
    ) -> None:
        super().__init__()
        self.practising = practising
        self.job_sheet: JobSheet | None = None
        self.help_card: HelpCard | None = None
        self.table: FiguresTable | None = None
        self.search: Search | None = None
        self.desk, self.link, self.theme = desk, link, theme
        self.asks = asked_by_box
        self.log_file: Path | None = None
        self._shown_at_s = -SETTLE_S
        self._finished = False
        self._bike_id = desk.bike_id
        self.simulated = simulated or Simulated()
        self.test_stand: TestStand | None = None
        self.setWindowTitle(f"Crisp Hornet: practice, {practising.room.file.title}" if practising else "Crisp Hornet")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.stations = Stations(desk, link, lambda: self.theme, self._take_station)
        self.current = "build"
        self._link_said = ""
        self._pinned = False
        self._beside = False  # in a narrow window: what stands beside the page is shown instead of it
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._refresh)
        self._build()
        self._shortcuts()
        self._listen()
        self.show_station("build")

    # --- made once ------------------------------------------------------------------------------------------

    def _build(self) -> None:
        ground = QWidget()
        ground.setObjectName("ground")
        column = column_of(ground, margins=(0, 4, 0, 0), spacing=8)
        self.job_line = JobLine([(key, title(key)) for key in self.stations], self.theme)
        self.job_line.chosen.connect(self.show_station)
        self.notice = Notice(self.theme)
        column.addWidget(self.job_line)
        self.practice_bar = self._practice_bar()
        column.addWidget(self.practice_bar)
        column.addWidget(self.notice)
        column.addLayout(self._body(), 1)
        column.addWidget(rule())
        self._foot = self._footer()
        column.addWidget(self._foot)
        self.setCentralWidget(ground)

    def _practice_bar(self) -> QWidget:
        """What leads a job of practice; hidden outside practice."""
        if self.practising is None:
            bar = QWidget()
            bar.hide()
            return bar
        from crisp_hornet.bench.practice.bar import PracticeBar

        self.practising.watch(self.desk)
        self.practising.ridden.connect(self._take_practice_ride)
        self.practising.failed.connect(lambda why: self.notice.say("warn", why))
        self.practising.judged.connect(lambda _judgement: self.show_job())
        return PracticeBar(self.practising, self.show_job)

    def show_job(self) -> None:
        """The sheet of the job that is practised."""
        from crisp_hornet.bench.practice.job_sheet import JobSheet

        if self.practising is not None:
            if self.job_sheet is None:
                self.job_sheet = JobSheet(self.practising, self.theme, self)
            self.job_sheet.show()
            self.job_sheet.raise_()

    def _take_practice_ride(self, ridden: Ridden) -> None:
        from crisp_hornet.bench.practice.words import of_ride

        self.desk.kept(lambda: self.desk.ride.take(ridden.log, [f"ridden in practice on {ridden.road}"]))
        self.notice.say("note", self.desk.units.text(of_ride(ridden)))

    def _body(self) -> QHBoxLayout:
        self._pages = Pages()
        self._side = column_of(spacing=14)
        self.watch_list = WatchList(self.theme)
        self.watch_list.mend.connect(self._mend)
        self.watch_list.show_me.connect(self._show_me)
        self.watch_list.closed.connect(lambda: self._open_watch_list(False))
        right = QWidget()
        fix(right, wide=SIDE_WIDTH)
        inner = column_of(right, margins=0, spacing=14)
        inner.addLayout(self._side, 5)
        inner.addWidget(self.watch_list, 2)
        self._right = right
        row = row_of(margins=(MARGIN, 2, 14, 0), spacing=20)
        row.addWidget(self._pages, 1)
        row.addWidget(right)
        return row

    def _open_watch_list(self, opened: bool) -> None:
        """The whole list in the right column, or one line in the footer."""
        self.watch_list.setVisible(opened)
        self._watch_line.setVisible(not opened)
        self._beside = opened
        self._share_width()

    def _share_width(self) -> None:
        """A right column with nothing in it leaves its room to the page; in a narrow window page and column take turns."""
        wanted = not self.watch_list.isHidden() or self.stations[self.current].side() is not None
        narrow = self.width() < px(NARROW_PX)
        self._turn.setVisible(narrow and wanted)
        self._turn.setText("Show the page" if self._beside else "Show the side")
        self._right.setVisible(wanted and (not narrow or self._beside))
        self._pages.setVisible(not narrow or not wanted or not self._beside)

    def _take_turns(self) -> None:
        self._beside = not self._beside
        self._share_width()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share_width()

    def _take_station(self, station: Station) -> None:
        """A station was looked at for the first time."""
        station.news.connect(self._refresh_soon)
        station.go.connect(self.show_station)
        station.hand_over.connect(self._hand_over)
        station.explain.connect(self.show_topic)
        station.offer(self.simulated)
        self._pages.addWidget(PageScroll(station))
        if (side := station.side()) is not None:
            side.hide()
            self._side.addWidget(side)

    def _footer(self) -> QWidget:
        self._head = label("", "caps")
        self._words = Sentence(self.theme)
        fix(self._words, high=66)
        self._watch_line = WatchLine()
        self._watch_line.opened.connect(lambda: self._open_watch_list(True))
        stand = button("Controls of the simulated bike", self.show_test_stand, "small", "Show the test stand")
        stand.setVisible(bool(self.simulated.ports) or self.practising is not None)
        head = row_of(spacing=14)
        head.addWidget(self._head)
        head.addStretch(1)
        self._turn = button("", self._take_turns, "small", "Show the page or what stands beside it")
        head.addWidget(self._turn)
        head.addWidget(self._watch_line)
        head.addWidget(stand)
        words = column_of(spacing=4)
        words.addLayout(head)
        words.addWidget(self._words)
        self.act_button: QPushButton = button("", self._act, "act", "main act")
        fix(self.act_button, wide=SIDE_WIDTH)
        policy = self.act_button.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.act_button.setSizePolicy(policy)
        small = row_of(spacing=6)
        self._undo = button("Undo", self._undo_one, "small", "undo the last change of the draft")
        self._redo = button("Redo", self._redo_one, "small", "redo")
        self._theme_link = button(self._other_theme(), self.switch_theme, "small", "switch between light and dark")
        small.addStretch(1)
        self._units_link = button("", self.desk.switch_units, "small", "switch between metric and imperial units")
        for one in (self._undo, self._redo, self._theme_link, self._units_link):
            small.addWidget(one)
        small.addStretch(1)
        acts = column_of(spacing=6)
        acts.addWidget(self.act_button)
        acts.addLayout(small)
        foot = QWidget()
        row = row_of(foot, margins=(MARGIN, 4, 14, 10), spacing=20)
        row.addLayout(words, 1)
        row.addLayout(acts)
        return foot

    def _shortcuts(self) -> None:
        for number, key in enumerate(self.stations, 1):
            shortcut = QShortcut(QKeySequence(f"Ctrl+{number}"), self)
            shortcut.activated.connect(lambda key=key: self.show_station(key))
        for pressed, act, repeats in (
            ("Ctrl+Z", self._undo_one, True),
            ("Ctrl+Shift+Z", self._redo_one, True),
            ("Ctrl+Y", self._redo_one, True),
            ("Ctrl+Return", self._act, False),
            ("Ctrl+Enter", self._act, False),
            ("Ctrl+D", self.switch_theme, False),
            ("Ctrl+Shift+D", self.high_contrast, False),
            ("Ctrl+C", self.copy_focused, False),
            ("Ctrl+T", self.show_figures, False),
            ("Ctrl+Home", lambda: self.show_station("start"), False),
            ("F1", self.show_help, False),
            ("Shift+F1", self.show_keys, False),
            ("Ctrl+K", self.show_search, False),
            ("Ctrl++", lambda: self.set_scale(scale_now() + STEP), True),
            ("Ctrl+=", lambda: self.set_scale(scale_now() + STEP), True),
            ("Ctrl+-", lambda: self.set_scale(scale_now() - STEP), True),
            ("Ctrl+0", lambda: self.set_scale(1.0), False),
            ("F6", lambda: self._go_round(1), True),
            ("Shift+F6", lambda: self._go_round(-1), True),
            ("Ctrl+Down", lambda: keys.leap(self.parts, QApplication.focusWidget(), 1), True),
            ("Ctrl+Up", lambda: keys.leap(self.parts, QApplication.focusWidget(), -1), True),
        ):
            made = QShortcut(QKeySequence(pressed), self)
            made.setAutoRepeat(repeats)  # a key that is held must not send
            made.activated.connect(act)

    def _listen(self) -> None:
        for signal in (
            self.desk.draft.changed,
            self.desk.held.changed,
            self.desk.bike_changed,
            self.desk.ride.changed,
            self.desk.logbook_changed,
            self.desk.units_changed,
            self.desk.watch.changed,
            self.desk.undo_stack.indexChanged,
            self.link.changed,
        ):
            signal.connect(self._refresh_soon)
        self.desk.said.connect(lambda severity, text: self.notice.say(severity, self.desk.units.text(text)))
        self.desk.bike_changed.connect(self._bike_changed)
        self.link.failed.connect(self._link_failed)
        self.link.contact_made.connect(self._link_made)

    # --- what the user does ---------------------------------------------------------------------------------

    def show_station(self, key: str) -> None:
        """Bring a station into view."""
        station = self.stations[key]
        if key != self.current:
            self.stations[self.current].left()
            self._shown_at_s = time.monotonic()
        self.current = key
        self._pages.setCurrentIndex([scroll.widget() for scroll in self._scrolls].index(station))
        self.job_line.choose(key)
        for other in self.stations.there:
            if (side := other.side()) is not None:
                side.setVisible(other is station)
        self._beside = False
        self.watch_list.setVisible(key in WATCHING)
        self._watch_line.setVisible(key not in WATCHING and key in list(self.stations))
        self._share_width()
        station.shown()
        self._refresh()
        if self.isVisible():
            self.focus_page()

    # --- keys -----------------------------------------------------------------------------------------------

    @property
    def parts(self) -> list[QWidget]:
        """The parts that F6 goes round, as they are read."""
        station = self.stations[self.current]
        side = [one] if (one := station.side()) is not None else []
        return [self.job_line, self.practice_bar, self.notice, *station.parts(), *side, self.watch_list, self._foot]

    def focus_page(self) -> None:
        """Put the focus into the page that is shown."""
        found = keys.stops(self._pages)
        (found[0] if found else next(iter(self.job_line.buttons.values()))).setFocus(Qt.FocusReason.TabFocusReason)

    def _go_round(self, step: int) -> None:
        found = keys.next_part(self.parts, QApplication.focusWidget(), step)
        if found is not None:
            found.setFocus(Qt.FocusReason.TabFocusReason)

    def show_keys(self) -> None:
        """What the keys do."""
        KeysCard(self).exec()

    def show_help(self) -> None:
        """Help on what has the focus, else on the station."""
        from crisp_hornet.bench.helping.card import topic_of

        topic = topic_of(QApplication.focusWidget(), self.current)
        if topic is not None:
            self.show_topic(topic)

    def show_topic(self, topic: Topic) -> None:
        """One text of help, in its card."""
        self._card().show_topic(topic)

    def show_figures(self) -> None:
        """The figures of the chart that has the focus, or of the largest in view, as a table."""
        from crisp_hornet.bench.widgets.figures_table import FiguresTable, chart_of

        chart = chart_of(QApplication.focusWidget(), self.stations[self.current])
        figures = chart.figures() if chart is not None else None
        if figures is None or not figures.rows or not isinstance(chart, QWidget):
            self.notice.say("note", "No chart with figures is in view here.")
            return
        self.table = FiguresTable(figures, chart.accessibleName(), self)
        self.table.show()

    def copy_focused(self) -> None:
        """What has the focus goes to the clipboard, with its unit: a figure, a ruler, a row. Fields copy by themselves."""
        focused, board = QApplication.focusWidget(), QApplication.clipboard()
        if focused is not None and board is not None and focused.accessibleName():
            board.setText(focused.accessibleName())
            self.notice.say("note", f"Copied: {shortened(focused.accessibleName(), MOST_COPIED)}")

    def show_glossary(self, word: str = "") -> None:
        """The words of the field."""
        card = self._card()
        card.show_glossary()
        card.line.setText(word)

    def show_cautions(self) -> None:
        """All cautions in one place."""
        self._card().show_cautions()

    def show_about(self) -> None:
        """Version, licence, libraries."""
        self._card().show_about()

    def _card(self) -> HelpCard:
        from crisp_hornet.bench.helping.card import HelpCard

        if self.help_card is None:
            self.help_card = HelpCard(self.theme, self.show_keys, self)
        return self.help_card

    def show_search(self) -> None:
        """Find a page, a figure, a ride, an act, help."""
        from crisp_hornet.bench.helping.search import Search

        if self.search is None:
            self.search = Search(self, self)
        self.search.open_anew()

    @property
    def scale_now(self) -> float:
        """How large everything is shown."""
        return scale_now()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes on as the window is read. What goes out of sight with the focus leaves it to its neighbour, in the same part."""
        focused, parts = self.focusWidget(), self.parts
        every = [keys.stops(part) for part in parts]
        order = [stop for one in every for stop in one]
        if not order:
            return False
        group = keys.group_of(focused)
        now = keys.stop_of(group) if group is not None and keys.controls(group) else focused
        if now in order:
            found = order[(order.index(now) + (1 if forward else -1)) % len(order)]
        else:
            at = keys.part_of(focused, parts)
            mine = every[at] if at is not None and every[at] else keys.stops(self._pages) or order
            found = mine[0]
        found.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        return True

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """What no control took: Enter presses, arrows go on in a group, Esc closes what is open."""
        assert event is not None
        focused, key = QApplication.focusWidget(), event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(focused, QAbstractButton):
            if not event.isAutoRepeat():
                focused.click()
        elif key == Qt.Key.Key_Escape:
            if not self.stations[self.current].escape() and self.notice.isVisible():
                self.notice.clear()
        elif focused is None or not keys.step_in_group(focused, key):
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files dropped on the window are opened, one after the other."""
        assert event is not None
        data = event.mimeData()
        for url in data.urls() if data is not None else []:
            if url.isLocalFile():
                open_file(self, Path(url.toLocalFile()))
        event.acceptProposedAction()

    def _hand_over(self, key: str, thing: object) -> None:
        """One station gives another something to go on with."""
        self.stations[key].take(thing)
        self.show_station(key)

    @property
    def _scrolls(self) -> list[QScrollArea]:
        """The stations that have been looked at, each in what it scrolls in."""
        pages = (self._pages.widget(at) for at in range(self._pages.count()))
        return [page for page in pages if isinstance(page, QScrollArea)]

    def show_test_stand(self) -> None:
        """Hands on the simulated bike, in a window of their own beside."""
        if self.test_stand is None:
            job = self.practising.job if self.practising is not None else None
            self.test_stand = TestStand(self.simulated, self.theme, self, job)
        self.test_stand.show()
        self.test_stand.raise_()

    def switch_theme(self) -> None:
        """Light to dark and back; the work in hand stays."""
        self.use_theme(themes.DARK if self.theme is themes.LIGHT else themes.LIGHT)

    def high_contrast(self) -> None:
        """Black on white, and the darkest of each colour."""
        self.use_theme(themes.HIGH_CONTRAST)

    def use_theme(self, theme: Theme) -> None:
        """Another set of colours."""
        self.theme = theme
        self._dress()
        self._theme_link.setText(self._other_theme())

    def set_scale(self, scale: float) -> None:
        """Everything larger or smaller; kept for the next time."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            held = scaling.set_scale(app, scale)
            self.desk.active.remember("scale", f"{held:g}")
            self._dress()
            self.notice.say("note", f"Text at {100 * held:.0f} %.")

    def _dress(self) -> None:
        """Theme and scale over all that is there."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            themes.apply(app, self.theme)
        for widget in self.findChildren(QWidget):
            scaling.refit(widget)
            if hasattr(widget, "set_theme"):
                widget.set_theme(self.theme)
            elif hasattr(widget, "theme"):
                widget.theme = self.theme
                widget.update()

    def _other_theme(self) -> str:
        return "Dark theme" if self.theme is themes.LIGHT else "Light theme"

    @property
    def settled(self) -> bool:
        """Whether the page has been in view long enough for a press to be meant for it."""
        return time.monotonic() - self._shown_at_s >= SETTLE_S

    def _act(self) -> None:
        station = self.stations[self.current]
        if self.settled and station.act_text() and station.act_enabled():
            station.act()

    @property
    def sending(self) -> bool:
        """Whether something is being written to the controller."""
        return self.link.writing

    def _undo_one(self) -> None:
        if not self.sending:  # what is being sent is not to change meanwhile
            self.desk.undo_stack.undo()

    def _redo_one(self) -> None:
        if not self.sending:
            self.desk.undo_stack.redo()

    def _bike_changed(self) -> None:
        """A contact belongs to the bike it was made for: with another bike open it ends."""
        if self.desk.bike_id == self._bike_id:
            return
        self._bike_id = self.desk.bike_id
        if self.link.contact is not None or self.link.waiting_for or self.link.busy:
            self.link.disconnect_now()
            self.notice.say("note", "Another bike is open: its controller is to be connected anew.")

    def _mend(self, warning: Warning_) -> None:
        if warning.setting is not None:
            self.desk.draft.try_change(warning.setting, warning.mended_value)

    def _show_me(self, warning: Warning_) -> None:
        self.show_station("tune")
        if warning.setting is not None:
            self.stations["tune"].take(warning.setting)

    def _link_failed(self, why: str) -> None:
        if self.link.loss_expected:
            return  # the loss was asked for, and Send says how it goes on
        self._link_said = self.desk.units.text(why)
        self.notice.say("stop", self._link_said)

    def _link_made(self, made: ContactMade) -> None:
        self.simulated.used(made.port)
        self.desk.take_answer(made)
        if self._link_said and self.notice.text == self._link_said:
            self.notice.clear()  # it is back: what failed is history

    def _refresh_soon(self) -> None:
        """Many things change at once; job line, words and watch list are refreshed once, when all have."""
        self._soon.start()

    def _refresh(self) -> None:
        self._soon.stop()
        units = self.desk.units
        self._units_link.setText("Imperial" if units.metric else "Metric")
        for key in self.stations:
            standing = self.stations.standing(key)
            self.job_line.buttons[key].show_state(standing.state, units.text(standing.caption))
        empty = "Nothing to watch in this draft." if self.desk.draft.tune else "No draft yet."
        self.watch_list.show_warnings([_in_units(warning, units) for warning in self.desk.watch.warnings], empty)
        self._watch_line.show_counts(summary(self.desk.watch.warnings))
        station = self.stations[self.current]
        head, words = (units.text(one) for one in station.meaning())
        self._head.setText(head)
        self._words.set_text(words)
        text = station.act_text()
        self.act_button.setVisible(bool(text))
        self.act_button.setText(text)
        self.act_button.setAccessibleName(text)
        self.act_button.setEnabled(station.act_enabled())
        resting = not self.sending
        self._undo.setEnabled(resting and self.desk.undo_stack.canUndo())
        self._redo.setEnabled(resting and self.desk.undo_stack.canRedo())
        if resting == self._pinned:
            self._pinned = not resting
            (self.desk.unpin if resting else self.desk.pin)(SENDING)

    # --- the end --------------------------------------------------------------------------------------------

    def tell_unforeseen(self, text: str, _place: str) -> None:
        """Something failed that nobody foresaw."""
        kept = " Your work is saved." if self.log_file is not None else ""
        self.notice.say("stop", text + kept, self.log_file if _place else None)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask where something is under way, let it end as it must, then close."""
        under_way = self._under_way()
        if not self._finished and under_way and event is not None and not self.asks(self, under_way):
            event.ignore()
            return
        self.finish()
        super().closeEvent(event)

    def _under_way(self) -> str:
        """What closing would cut short, as a question; "" for nothing."""
        if self.sending:
            return "The controller is being written to. Stop it, restore the old values, and close?"
        return next((asked for station in self.stations.there if (asked := station.under_way())), "")

    def finish(self) -> None:
        """Let end what is under way: a send takes back what it wrote, a recording is kept, the logbook has both. Then end the link."""
        if self._finished:
            return
        self._finished = True
        there = self.stations.there
        for station in there:
            station.finish()
        if self.link.busy:
            self.link.stop()
        wait_until(lambda: not self.link.busy and not any(one.finishing for one in there), LONGEST_END_S)
        self.desk.draft.keep()
        if self.practising is not None:
            self.practising.close()
        self.link.close()


def asked_by_box(window: QWidget, question: str) -> bool:
    """Ask the user a question; True for yes."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Crisp Hornet", question, parent=window)
    yes = box.addButton("Stop and close", QMessageBox.ButtonRole.AcceptRole)
    box.addButton("Go on", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is yes


def wait_until(so: Callable[[], bool], longest_s: float) -> None:
    """Let the event loop run until something is so, or time is up."""
    loop, end, look = QEventLoop(), time.monotonic() + longest_s, QTimer()
    look.timeout.connect(lambda: loop.quit() if so() or time.monotonic() > end else None)
    look.start(20)
    if not so():
        loop.exec()


def _in_units(warning: Warning_, units: Units) -> Warning_:
    """A warning with its sentences in the shown units."""
    if units.metric:
        return warning
    return replace(
        warning, text=units.text(warning.text), reason=units.text(warning.reason), mend=units.text(warning.mend)
    )
