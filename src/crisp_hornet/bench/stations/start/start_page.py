"""The start page: practise, build a bike, or look at a ride; what was left undone; this computer."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QProcess, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QFrame, QGridLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.ending import REOPEN
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.stations.rides.log_files import Opened, opened
from crisp_hornet.bench.stations.start.pictures import BUILD, PRACTISE, RIDE, DoorPicture
from crisp_hornet.bench.stations.start.sharing_panel import SharingPanel
from crisp_hornet.bench.stations.start.six_figures import SixFigures
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.bolt import Bolt
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.core.build.kinds import KINDS, bike_of_kind
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.tune import SETTINGS
from crisp_hornet.help import figures
from crisp_hornet.practice.jobs import JobFile, own, shipped
from crisp_hornet.practice.progress import BEGUN, ENDED, FOLDER, STATES, Progress, Standing
from crisp_hornet.system.health import Finding, look
from crisp_hornet.system.itself import command

MOST_BIKES = 4
DOOR_PX, TWO_JOBS_PX = 232.0, 640.0  # the least a door needs, and two jobs beside each other
HANDBOOK = ("phase-current", "battery-current", "pack-resistance", "wheel")
STANDS = {BEGUN: BoltState.IN_WORK, ENDED: BoltState.STOPPED}


class StartPage(Station):
    """``practise`` asks for a job by its key, in a window of its own."""

    key = "start"
    practise = pyqtSignal(str, bool)

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.progress = Progress(desk.folder / FOLDER)
        self.starts = start_process
        self._rows: list[QWidget] = []
        self._jobs, self._undone = QGridLayout(), column_of(spacing=8)
        self._jobs.setSpacing(6)
        self._jobs.setContentsMargins(0, 0, 0, 0)
        self._done = label("", "quiet")
        self.guided = Confirm(theme, "guided: name the station to open next")
        self.six = SixFigures(desk, theme)
        self.six.built.connect(self._built)
        self.six.closed.connect(self.show_doors)
        self._views = Pages()
        self._views.addWidget(column_scroll(self._doors_page()))
        self._views.addWidget(column_scroll(self.six))
        self.sharing = SharingPanel(desk)
        self.sharing.closed.connect(self.show_doors)
        self.sharing.reopen.connect(lambda: QApplication.exit(REOPEN))
        self._views.addWidget(column_scroll(self.sharing))
        column_of(self, margins=0).addWidget(self._views)
        inside = QWidget()
        self._side = column_scroll(inside)
        beside = column_of(inside, margins=(0, 0, 10, 0), spacing=8)
        beside.addLayout(self._undone)
        beside.addWidget(label("FROM THE HANDBOOK", "caps"))
        for topic in (one for one in figures() if one.key in HANDBOOK):
            beside.addWidget(button(topic.title, partial(self.explain.emit, topic), "small", f"Read: {topic.title}"))
        beside.addWidget(label("THIS COMPUTER", "caps"))
        self._computer = label("", "quiet", wrap=True)
        beside.addWidget(self._computer)
        beside.addStretch(1)
        self._log = Background(DocumentError)
        self._log.done.connect(self._take_log)
        self._log.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        self._looked = False
        self._health = Background()
        self._health.done.connect(self._show_health)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._show)
        self._watcher.directoryChanged.connect(self._show)
        self.practise.connect(self._practise)
        desk.bike_changed.connect(self._show)
        self._show()

    # --- made once ---------------------------------------------------------------------------------------------

    def _doors_page(self) -> QWidget:
        page = QWidget()
        column = column_of(page, margins=(0, 4, 10, 0), spacing=8)
        column.addWidget(label("What is on the bench today?", "title"))
        column.addWidget(
            label(
                "Nothing is sent to a controller before you have seen it, and every state of it can be restored.",
                "quiet",
            )
        )
        self._doors: list[QFrame] = []
        self._door_grid = QGridLayout()
        self._door_grid.setSpacing(14)
        self._first = button("", self._go_on, "", "Practise on a simulated bike")
        for what, title, words, act in (
            (PRACTISE, "Practise on a simulated bike",
             "A customer's complaint, a bike with a hidden cause, the whole workshop to find and cure it. Nothing of yours is touched.",
             self._first),
            (BUILD, "Build your bike", "Choose its kind, then the six figures that matter most; each says how to find it. The rest is "
             "assumed, and says so.", button("Choose a kind", self.show_six, "", "Build your bike: choose a kind")),
            (RIDE, "Look at a ride you have", "A log or a phone's track, in nearly any form. What it proves without a bike, and more once "
             "there is one.", button("Open a log", self.open_log, "", "Look at a ride: open a log")),
        ):  # fmt: skip
            self._doors.append(self._door(DoorPicture(what, self.theme), title, words, act))
        self._lay_doors(len(self._doors))
        column.addLayout(self._door_grid)
        self._share = QWidget()
        several = row_of(self._share, margins=0, spacing=10)
        several.addWidget(label("Several benches, one garage? Copies of it each day?", "quiet"))
        several.addWidget(
            button(
                "Set up the garage",
                self.show_sharing,
                "small",
                "Set up the garage: shared, and copied",
            )
        )
        several.addStretch(1)
        column.addWidget(self._share)
        head = row_of(spacing=10)
        head.addWidget(label("PRACTICE", "caps"))
        head.addStretch(1)
        head.addWidget(self.guided)
        head.addWidget(label("guided"))
        head.addWidget(self._done)
        column.addLayout(head)
        inside = QWidget()
        inside.setLayout(self._jobs)
        column.addWidget(inside)
        column.addStretch(1)
        return page

    def _lay_doors(self, columns: int) -> None:
        """So many doors beside each other, the others below."""
        for at, door in enumerate(self._doors):
            self._door_grid.addWidget(door, at // columns, at % columns)
        for at in range(len(self._doors)):
            self._door_grid.setColumnStretch(at, int(at < columns))

    def _lay_jobs(self) -> None:
        columns = 2 if self.width() >= px(TWO_JOBS_PX) else 1
        for at, row in enumerate(self._rows):
            self._jobs.addWidget(row, at // columns, at % columns)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_jobs()
        self._lay_doors(min(max(int(self.width() / px(DOOR_PX)), 1), len(self._doors)))

    def _door(self, picture: QWidget, title: str, words: str, act: QWidget) -> QFrame:
        frame = QFrame()
        frame.setObjectName("sheet")
        column = column_of(frame, margins=14, spacing=6)
        column.addWidget(picture)
        strong = label(title, wrap=True)
        strong.setStyleSheet("font-weight: 600;")
        column.addWidget(strong)
        about = label(words, "quiet", wrap=True)
        about.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(about, 1)
        column.addWidget(act)
        return frame

    # --- what stands there -------------------------------------------------------------------------------------

    def files(self) -> list[JobFile]:
        """The jobs, shipped ones first."""
        return [*shipped(), *own(self.progress.own_jobs)[0]]

    def _next(self) -> JobFile:
        """The job that was begun last, else the first that was not begun."""
        standings, files = self.progress.all(), self.files()
        begun = [one for one in files if one.key in standings and standings[one.key].state == BEGUN]
        if begun:
            return max(begun, key=lambda one: standings[one.key].at)
        return next((one for one in files if one.key not in standings), files[0])

    def _show(self) -> None:
        # not the garage's folder: every look into the database changes what lies there
        for path in (self.progress.folder / STATES, self.progress.folder):
            if path.exists() and str(path) not in (*self._watcher.files(), *self._watcher.directories()):
                self._watcher.addPath(str(path))
        standings, files = self.progress.all(), self.files()
        clear(self._jobs)
        self._rows = [self._row(file, standings.get(file.key)) for file in files]
        self._lay_jobs()
        solved = sum(one.state.startswith("solved") for one in standings.values())
        begun = sum(one.state == BEGUN for one in standings.values())
        self._done.setText(f"{solved} of {len(files)} done" + (f", {begun} begun" if begun else ""))
        self._first.setText(self._practice_words())
        self._first.setAccessibleName(tr(f"Practise on a simulated bike: {self._practice_words()}"))
        self._share.setVisible(self.sharing.may_choose)
        self._show_undone()
        self.news.emit()

    def _practice_words(self) -> str:
        file = self._next()
        verb = "Go on with" if file.key in self.progress.all() else "Begin with"
        return f"{verb} job {file.number}" if file.number else f"{verb} {file.job.name}"

    def _row(self, file: JobFile, standing: Standing | None) -> QWidget:
        state = BoltState.UNTOUCHED if standing is None else STANDS.get(standing.state, BoltState.DONE)
        made_row = QWidget()
        row = row_of(made_row, margins=0, spacing=8)
        row.addWidget(Bolt(state, self.theme))
        said = standing.state if standing is not None else "not begun"
        made = button(file.title, partial(self._start, file.key), "", f"Practise {file.title}, {said}")
        row.addWidget(made, 1)
        if standing is not None:
            row.addWidget(label(standing.state, "quiet"))
        return made_row

    def _show_undone(self) -> None:
        clear(self._undone)
        bikes = [one for one in self.desk.bikes() if one.readable and not one.archived][:MOST_BIKES]
        if bikes:
            self._undone.addWidget(label("TAKE UP AGAIN", "caps"))
        for kept in bikes:
            self._undone.addWidget(
                button(kept.name, partial(self.open_bike, kept.id), "", f"Take up {kept.name} again")
            )
            self._undone.addWidget(label(self._left_undone(kept.id), "quiet", wrap=True))

    def _left_undone(self, bike_id: int) -> str:
        """What there is still to do on a bike."""
        draft, held, rides = self.desk.undone(bike_id)
        said = [counted(rides, "ride")] if rides else []
        if draft is not None:
            changed = sum(draft.setting(one) != held.setting(one) for one in SETTINGS) if held is not None else 0
            said.insert(0, f"“{draft.name}”, {counted(changed, 'change')} drafted" if changed else f"“{draft.name}”")
        return "; ".join(said) or "no tune yet"

    # --- what is done ------------------------------------------------------------------------------------------

    def open_bike(self, bike_id: int) -> None:
        """Take a bike up where it was left: at its draft, where there is one."""
        if bike_id != self.desk.bike_id:
            self.desk.open_kept_bike(bike_id)
        if self.desk.bike_id == bike_id:
            self.go.emit("tune" if self.desk.draft.tune is not None else "build")

    def show_six(self) -> None:
        """The kinds, and the six figures."""
        self._views.setCurrentIndex(1)
        self.six.name.setFocus()
        self.news.emit()

    def show_sharing(self) -> None:
        """Which garage is worked on."""
        self._views.setCurrentIndex(2)
        self.sharing.refresh()
        self.sharing.address.setFocus()
        self.news.emit()

    def show_doors(self) -> None:
        """Back to the three doors."""
        self._views.setCurrentIndex(0)
        self.news.emit()

    def open_log(self) -> None:
        """Let the user choose a log."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Open a log"), "", "Logs (*)")
        if name:
            self.look_at(Path(name))

    def look_at(self, path: Path) -> None:
        """A log without a bike: it is laid on one of a kind whose figures are all assumed, which can be corrected later."""
        if self.desk.bike is not None:
            self.hand_over.emit("rides", path)
            return
        remembered = self.desk.remembered
        self._log.start(lambda: opened(path, remembered))  # a file that is no log leaves no bike behind

    def _take_log(self, log: Opened) -> None:
        path = log.path
        if self.desk.bike is None:
            self.desk.open_bike(bike_of_kind(KINDS[0], f"Bike of {path.stem}"[:80]))
            said = "No bike yet: the ride lies on one whose figures are all assumed. Correct them on Build; what rests on them follows."
            self.desk.said.emit("note", said)
        self.hand_over.emit("rides", path)

    def _built(self) -> None:
        self.show_doors()
        self.go.emit("build")

    def _go_on(self) -> None:
        self._start(self._next().key)

    def _start(self, key: str) -> None:
        self.practise.emit(key, self.guided.isChecked())

    def _practise(self, key: str, guided: bool) -> None:
        self.desk.kept(self.progress.make)
        self._show()  # and look at its folder from now on
        if not self.starts(key, self.progress.folder, guided):
            self.desk.said.emit("warn", f"The job could not be started. Try it by: crisp-hornet practise {key}")

    # --- the window --------------------------------------------------------------------------------------------

    def state(self) -> BoltState:
        return BoltState.UNTOUCHED

    def caption(self) -> str:
        return ""

    def side(self) -> QWidget | None:
        return self._side

    def escape(self) -> bool:
        if self._views.currentIndex() == 0:
            return False
        self.show_doors()
        return True

    def shown(self) -> None:
        self._show()
        folder = self.desk.folder
        if not self._looked:  # once: a large garage takes a while to be looked through
            self._looked = True
            self._health.start(lambda: list(look(folder)))

    def _show_health(self, findings: list[Finding]) -> None:
        """What this computer lacks, and what to do about it."""
        lacks = [f"{one.what}: {one.told}" for one in findings if not one.fine]
        self._computer.setText("\n".join(lacks) or "All that the application needs is there.")

    def meaning(self) -> tuple[str, str]:
        if self._views.currentIndex() == 2:
            return (
                "WHAT IT CHANGES",
                "Who works on which bike is seen, what others do appears, and where two changed the same, it is asked.",
            )
        if self._views.currentIndex() == 1:
            return (
                "WHAT IT TAKES",
                "Six figures make a bike that can be predicted; each one you measure later narrows the prediction.",
            )
        return "FIRST TIME HERE", (
            "Job 1 takes a quarter of an hour and goes once through the workshop. Ctrl+K finds any page, figure, ride or act; "
            "F1 explains what has the focus."
        )

    def act_text(self) -> str:
        return (self._practice_words(), "Build the bike", "Try it")[self._views.currentIndex()]

    def act(self) -> None:
        (self._go_on, self.six.build, self.sharing.try_it)[self._views.currentIndex()]()


def start_process(key: str, folder: Path, guided: bool) -> bool:
    """A job's window, a process of its own: nothing of it can reach the garage that is open here."""
    more = ["--guided"] if guided else []
    program, *arguments = command("practise", key, "--folder", str(folder), *more)
    started, _pid = QProcess.startDetached(program, arguments)
    return bool(started)
