"""The tunes that were sent, each under the one it came from, with what the step changed and what it did to the predicted figures."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.desk.prediction import in_units, predict
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label, rule
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.core.tunes.family import depths, parents
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.tune import Tune

INDENT_PX, MOST_WORDS = 26, 6


class FamilyView(QWidget):
    """The newest first; ``again`` drafts one of them."""

    def __init__(self, desk: Desk, again: Callable[[Tune], None]) -> None:
        super().__init__()
        self._desk, self._again = desk, again
        self._rows = column_of(self, margins=(0, 0, 12, 0), spacing=5)

    def refresh(self) -> None:
        """Show the tunes as they are now."""
        clear(self._rows)
        sent = self._desk.held.sent()[::-1]
        tunes = [tune for _, tune in sent]
        family = parents(tunes)
        lines = list(zip(sent, family, depths(family), strict=True))
        figures = [self._figures(tune) for tune in tunes]
        for at in reversed(range(len(lines))):
            (when, tune), parent, depth = lines[at]
            before = tunes[parent] if parent is not None else None
            told = figures[at] if parent is None else _changed(figures[parent], figures[at])
            head = f"{time_words(when)}: {tune.name}"
            if parent is not None and parent != at - 1:
                head += f", from {time_words(sent[parent][0])}: {tunes[parent].name}"
            self._add(head, _steps(before, tune), "; ".join(told), depth, tune)
        if not sent:
            self._rows.addWidget(label("No tune was sent from here yet.", "quiet"))
        self._rows.addStretch(1)

    def _figures(self, tune: Tune) -> list[str]:
        desk = self._desk
        if desk.bike is None or desk.speeds is None:
            return []
        return [
            _told(in_units(consequence, desk.units))
            for consequence in predict(desk.bike, tune, desk.conditions, desk.speeds).consequences
        ]

    def _add(self, head: str, steps: str, figures: str, depth: int, tune: Tune) -> None:
        strong = label(head, wrap=True)
        strong.setStyleSheet("font-weight: 600;")
        words = column_of(spacing=1)
        for one in (strong, label(self._desk.units.text(steps), wrap=True), label(figures, "quiet", wrap=True)):
            words.addWidget(one)
        row = QHBoxLayout()
        row.addSpacing(INDENT_PX * min(depth, 8))
        row.addLayout(words, 1)
        row.addWidget(button("Draft it again", partial(self._again, tune), "small", f"Draft {head} again"))
        self._rows.addLayout(row)
        self._rows.addWidget(rule())


def _told(consequence: Consequence) -> str:
    return f"{consequence.label} {consequence.text} {consequence.unit}".strip()


def _changed(before: list[str], after: list[str]) -> list[str]:
    """The figures that a step moved, as ``was, now``; or that it moved none."""
    moved = [f"{new} (before {_figure(old, new)})" for old, new in zip(before, after, strict=False) if old != new]
    return moved or ["no predicted figure moved"]


def _figure(old: str, new: str) -> str:
    """What of the old words differs in front from the new ones."""
    same = 0
    for a, b in zip(old.split(" "), new.split(" "), strict=False):
        if a != b:
            break
        same += 1
    return " ".join(old.split(" ")[same:]) or old


def _steps(before: Tune | None, tune: Tune) -> str:
    if before is None:
        return "the first that was sent"
    paths = tune.differing(before)
    words = [f"{label_of(path)} {_value(before, path)} to {_value(tune, path)}" for path in paths[:MOST_WORDS]]
    more = f" and {len(paths) - MOST_WORDS} more" if len(paths) > MOST_WORDS else ""
    return "; ".join(words) + more or "nothing changed"


def _value(tune: Tune, path: str) -> str:
    try:
        return in_words(path, tune.setting(path))
    except KeyError:
        return "none"
