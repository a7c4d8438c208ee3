"""The window: job line on top, the station, the watch list to its right, plain words and the main act below."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QWidget,
)

from crisp_hornet.bench import keys
from crisp_hornet.bench import scale as scaling
from crisp_hornet.bench import theme as themes
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.ending import asked_by_box, wait_until
from crisp_hornet.bench.footer import Footer
from crisp_hornet.bench.helping.helping import Helping
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.opening import open_file
from crisp_hornet.bench.scale import STEP, fix, px, scale_now
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.stations.stations import Stations, title
from crisp_hornet.bench.test_stand import TestStand
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.job_line import JobLine
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.notice import Notice
from crisp_hornet.bench.widgets.page_scroll import PageScroll
from crisp_hornet.bench.widgets.text import rule
from crisp_hornet.bench.widgets.watch_list import WatchList, in_units, summary
from crisp_hornet.core.rules import Warning_
from crisp_hornet.link.session import ContactMade

if TYPE_CHECKING:
    from crisp_hornet.bench.practice.at_window import PracticeAtWindow
    from crisp_hornet.bench.practice.practising import Practising

SIDE_WIDTH = 292
WATCHING = ("tune", "send")  # where the watch list, which is about the draft, stands open
MARGIN = 22
NARROW_PX = 1020.0  # a window narrower than this has no room for a column beside the page
SETTLE_S = 0.5  # a press so soon after another page came up was meant for the page before
LONGEST_END_S = 20.0
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
        themes.apply(self, theme)
        self.practising = practising
        self.at_end: list[Callable[[], object]] = [practising.close] if practising is not None else []
        self.practice: PracticeAtWindow | None = None
        self.desk, self.link, self.theme = desk, link, theme
        self.helping = Helping(self, self)
        self.asks = asked_by_box
        self.log_file: Path | None = None
        self._shown_at_s = -SETTLE_S
        self._finished = False
        self._bike_id = desk.bike_id
        self.simulated = simulated or Simulated()
        self.test_stand: TestStand | None = None
        self.setWindowTitle(
            tr(f"Crisp Hornet: practice, {practising.room.file.title}" if practising else "Crisp Hornet")
        )
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
        if self.practising is not None:
            from crisp_hornet.bench.practice.at_window import PracticeAtWindow

            self.practice = PracticeAtWindow(self.practising, self.desk, self.notice, self.theme, self)
            return self.practice.bar()
        bar = QWidget()
        bar.hide()
        return bar

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
        self._foot.watch_line.setVisible(not opened)
        self._beside = opened
        self._share_width()

    def _share_width(self) -> None:
        """A right column with nothing in it leaves its room to the page; in a narrow window page and column take turns."""
        wanted = not self.watch_list.isHidden() or self.stations[self.current].side() is not None
        narrow = self.width() < px(NARROW_PX)
        self._foot.turn.setVisible(narrow and wanted)
        self._foot.turn.setText("Show the page" if self._beside else "Show the side")
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
        station.explain.connect(self.helping.show_topic)
        station.offer(self.simulated)
        self._pages.addWidget(PageScroll(station))
        if (side := station.side()) is not None:
            side.hide()
            self._side.addWidget(side)

    def _footer(self) -> Footer:
        acts: dict[str, Callable[[], object]] = {
            "stand": self.show_test_stand, "turn": self._take_turns, "act": self._act, "undo": self._undo_one,
            "redo": self._redo_one, "theme": self.switch_theme, "units": self.desk.switch_units,
        }  # fmt: skip
        foot = Footer(self.theme, acts, SIDE_WIDTH, MARGIN)
        foot.watch_line.opened.connect(lambda: self._open_watch_list(True))
        foot.stand.setVisible(bool(self.simulated.ports) or self.practising is not None)
        foot.theme_link.setText(self._other_theme())
        self.act_button = foot.act
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
            ("Ctrl+C", self.helping.copy_focused, False),
            ("Ctrl+T", self.helping.show_figures, False),
            ("Ctrl+Home", lambda: self.show_station("start"), False),
            ("F1", self.helping.show_help, False),
            ("Shift+F1", self.helping.show_keys, False),
            ("Ctrl+K", self.helping.show_search, False),
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
        self._foot.watch_line.setVisible(key not in WATCHING and key in list(self.stations))
        self._share_width()
        station.shown()
        self._refresh()
        if self.isVisible():
            self.focus_page()

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

    @property
    def scale_now(self) -> float:
        """How large everything is shown."""
        return scale_now()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes on as the window is read."""
        found = keys.next_stop(self.parts, self._pages, self.focusWidget(), forward)
        if found is not None:
            found.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        return found is not None

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
        self._foot.theme_link.setText(self._other_theme())

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
        themes.apply(self, self.theme)
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
        self._foot.units_link.setText("Imperial" if units.metric else "Metric")
        for key in self.stations:
            standing = self.stations.standing(key)
            self.job_line.buttons[key].show_state(standing.state, units.text(standing.caption))
        empty = "Nothing to watch in this draft." if self.desk.draft.tune else "No draft yet."
        self.watch_list.show_warnings([in_units(warning, units) for warning in self.desk.watch.warnings], empty)
        self._foot.watch_line.show_counts(summary(self.desk.watch.warnings))
        station = self.stations[self.current]
        head, words = (units.text(one) for one in station.meaning())
        self._foot.head.setText(head)
        self._foot.words.set_text(words)
        text = station.act_text()
        self.act_button.setVisible(bool(text))
        self.act_button.setText(text)
        self.act_button.setAccessibleName(tr(text))
        self.act_button.setEnabled(station.act_enabled())
        resting = not self.sending
        self._foot.undo.setEnabled(resting and self.desk.undo_stack.canUndo())
        self._foot.redo.setEnabled(resting and self.desk.undo_stack.canRedo())
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
        for end in self.at_end:
            end()
        self.link.close()
