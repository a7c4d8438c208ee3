"""The foot of the window: plain words and the main act, and small buttons for what is always at hand."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton, QWidget

from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.sentence import Sentence
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.watch_list import WatchLine

WORDS_HIGH = 66


class Footer(QWidget):
    """``act`` is the main one. What its buttons do is the window's affair; it also shows and hides them."""

    def __init__(self, theme: Theme, acts: dict[str, Callable[[], object]], side_width: int, margin: int) -> None:
        super().__init__()
        self.head = label("", "caps")
        self.words = Sentence(theme)
        fix(self.words, high=WORDS_HIGH)
        self.watch_line = WatchLine()
        self.stand = button("Controls of the simulated bike", acts["stand"], "small", "Show the test stand")
        self.turn = button("", acts["turn"], "small", "Show the page or what stands beside it")
        self.act: QPushButton = button("", acts["act"], "act", "main act")
        fix(self.act, wide=side_width)
        policy = self.act.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.act.setSizePolicy(policy)
        self.undo = button("Undo", acts["undo"], "small", "undo the last change of the draft")
        self.redo = button("Redo", acts["redo"], "small", "redo")
        self.theme_link = button("", acts["theme"], "small", "switch between light and dark")
        self.units_link = button("", acts["units"], "small", "switch between metric and imperial units")
        self._lay_out(margin)

    def _lay_out(self, margin: int) -> None:
        head = row_of(spacing=14)
        head.addWidget(self.head)
        head.addStretch(1)
        for one in (self.turn, self.watch_line, self.stand):
            head.addWidget(one)
        words = column_of(spacing=4)
        words.addLayout(head)
        words.addWidget(self.words)
        small = row_of(spacing=6)
        small.addStretch(1)
        for one in (self.undo, self.redo, self.theme_link, self.units_link):
            small.addWidget(one)
        small.addStretch(1)
        acts = column_of(spacing=6)
        acts.addWidget(self.act)
        acts.addLayout(small)
        row = row_of(self, margins=(margin, 4, 14, 10), spacing=20)
        row.addLayout(words, 1)
        row.addLayout(acts)
