"""A bike that was elsewhere comes home: what both sides changed otherwise stands here as two stories, and one of them is chosen."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.build.figures import name_of
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label, rule
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.merging import CUSTOMERS

if TYPE_CHECKING:
    from crisp_hornet.garage.meeting import Taken
    from crisp_hornet.garage.merging import Conflict, Key, Row, Side

MOST_LINES, MOST_PATHS = 5, 6
KEPT = "A tune that is not chosen stays as a draft by name, all else in a file of the logbook. Until then nothing of this is changed here."


class TogetherView(QWidget):
    """``chosen``: for all that was asked, whose counts; the archive has to be read once more then."""

    chosen = pyqtSignal(Path, dict)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._column = column_of(self, margins=(0, 0, 12, 0), spacing=8)
        self._sides: dict[Key, Side] = {}
        self._left: list[Key] = []
        self._chosen: dict[Key, QLabel] = {}
        self._path = Path()
        self.hide()

    def show_taken(self, taken: Taken, path: Path) -> None:
        """Ask about what both sides changed; with nothing to ask this goes away. ``path``: of an archive;
        none where it is another bench."""
        clear(self._column)
        self._path, self._sides, self._chosen, self._left = path, {}, {}, [one.key for one in taken.conflicts]
        self.setVisible(bool(taken.conflicts))
        if not taken.conflicts:
            return
        self._column.addWidget(label("Changed here and elsewhere: which counts?", "title"))
        stories = row_of(spacing=24)
        told = (("MEANWHILE HERE", taken.here), ("MEANWHILE ELSEWHERE", taken.there))
        for head, lines in told if taken.here or taken.there else ():
            story = column_of(spacing=2)
            story.addWidget(label(head, "caps"))
            for line in lines[:MOST_LINES] or ("nothing was written",):
                story.addWidget(label(line, wrap=True, own=bool(lines)))
            if len(lines) > MOST_LINES:
                story.addWidget(label(f"{len(lines) - MOST_LINES} more lines", "quiet"))
            story.addStretch(1)
            stories.addLayout(story, 1)
        self._column.addLayout(stories)
        for conflict in taken.conflicts:
            self._column.addWidget(rule())
            self._ask(conflict)
        self._column.addWidget(label(KEPT, "quiet", wrap=True))

    def _ask(self, conflict: Conflict) -> None:
        what = _what(conflict)
        row = row_of(spacing=12)
        words = column_of(spacing=1)
        head = label(what, wrap=True)
        head.setStyleSheet("font-weight: 600;")
        words.addWidget(head)
        for line in _differences(conflict):
            words.addWidget(label(self._desk.units.text(line), wrap=True))
        row.addLayout(words, 1)
        self._chosen[conflict.key] = label("", "quiet")
        row.addWidget(self._chosen[conflict.key])
        row.addWidget(
            button(
                "Keep what is here", partial(self._choose, conflict.key, "mine"), "small", f"{what}: keep what is here"
            )
        )
        row.addWidget(
            button("Take what came", partial(self._choose, conflict.key, "theirs"), "small", f"{what}: take what came")
        )
        self._column.addLayout(row)

    def _choose(self, key: Key, side: Side) -> None:
        self._sides[key] = side
        self._chosen[key].setText("chosen: what is here" if side == "mine" else "chosen: what came")
        if key in self._left:
            self._left.remove(key)
        if not self._left:
            self.chosen.emit(self._path, dict(self._sides))


def _what(conflict: Conflict) -> str:
    table, which = conflict.key
    row = conflict.mine or conflict.theirs or {}
    if table == "bike":
        return "The bike"
    if which == "draft":
        return "The draft"
    if which == "controller":
        return "What the controller held"
    if table == CUSTOMERS:
        return f"Customer {row.get('name', '')}"
    kind = {"tunes": "Draft", "rides": "Ride", "jobs": "Job sheet"}.get(table, table)
    return f"{kind} {row.get('name') or row.get('title') or ''}".strip()


def _differences(conflict: Conflict) -> list[str]:
    """What differs, a line each: here, there."""
    mine, theirs = conflict.mine, conflict.theirs
    if mine is None or theirs is None:
        return ["deleted here, changed elsewhere" if mine is None else "changed here, deleted elsewhere"]
    if conflict.key[0] == "bike":
        return _of_bikes(mine, theirs, conflict.paths)
    if conflict.key[0] == "tunes":
        return _of_tunes(mine["document"], theirs["document"])
    if conflict.key[0] == CUSTOMERS:
        return [
            f"{path}: {_at(mine, path)} here, {_at(theirs, path)} elsewhere" for path in conflict.paths[:MOST_PATHS]
        ]
    told = [name for name in mine if mine.get(name) != theirs.get(name)]
    return [f"differs in: {', '.join(told)}"]


def _at(row: Row, path: str) -> object:
    for step in path.split("."):
        row = row.get(step, {}) if isinstance(row, dict) else {}
    return row or "nothing"


def _of_tunes(mine: Row, theirs: Row) -> list[str]:
    try:
        here, there = Tune.model_validate(mine), Tune.model_validate(theirs)
    except ValueError:
        return ["one of them cannot be read"]
    paths = here.differing(there)
    told = [
        f"{label_of(path)}: {_value(here, path)} here, {_value(there, path)} elsewhere" for path in paths[:MOST_PATHS]
    ]
    if len(paths) > MOST_PATHS:
        told.append(f"and {len(paths) - MOST_PATHS} more settings")
    return told or ["they differ in name or notes"]


def _value(tune: Tune, path: str) -> str:
    try:
        return in_words(path, tune.setting(path))
    except KeyError:
        return "none"


def _of_bikes(mine: Row, theirs: Row, paths: tuple[str, ...]) -> list[str]:
    try:
        here, there = Bike.model_validate(mine), Bike.model_validate(theirs)
    except (ValueError, DocumentError):
        return ["one of them cannot be read"]
    told = []
    for path in paths[:MOST_PATHS]:
        try:
            told.append(f"{name_of(here, path)}: {here.value(path)} here, {there.value(path)} elsewhere")
        except (KeyError, AttributeError, TypeError):
            told.append(f"{name_of(here, path)}: one here, another elsewhere")
    return told or ["together they make no sound bike: one of them is to count whole"]
