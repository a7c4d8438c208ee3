"""The rulers of a Tune page, below each other: each a setting of the draft."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.scales import scale_of
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.ruler import Ruler, Scale
from crisp_hornet.bench.widgets.text import column_scroll, label
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

WIDE = 240
Blocks = list[tuple[str, list[str]]]


class RulerColumn(QWidget):
    """Headings with their rulers; scrolls by itself when the window is low, so that no chart ever scrolls away."""

    def __init__(self, desk: Desk, link: Link, theme: Theme, blocks: Blocks) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self.rulers: dict[str, Ruler] = {}
        self.headings: dict[str, QWidget] = {}
        self.needs: dict[str, Callable[[Tune], str]] = {}
        inside = QWidget()
        self.column = column_of(inside, margins=0, spacing=0)
        for heading, paths in blocks:
            if heading:
                self.column.addSpacing(4)
                self.headings[heading] = label(heading, "caps")
                self.column.addWidget(self.headings[heading])
            for path in paths:
                ruler = Ruler(Scale(path, "", 0, 1, 1, 1), theme, desk.draft.token)
                ruler.setProperty("help", path)
                fix(ruler, wide=WIDE)
                ruler.changed.connect(lambda value, token, path=path: self.take(path, value, token))
                ruler.refused.connect(lambda why: desk.said.emit("warn", why))
                self.rulers[path] = ruler
                self.column.addWidget(ruler)
        self.column.addStretch(1)
        scroll = column_scroll(inside)
        outer = column_of(self, margins=0)
        outer.addWidget(scroll)
        fix(self, wide=WIDE + 12)

    def scale(self, path: str, bike: Bike, draft: Tune) -> Scale:
        """What a ruler measures; a page may know better."""
        return scale_of(path, bike, draft, self._desk.units)

    def value(self, tune: Tune, path: str) -> float | None:
        """What a ruler shows of a tune."""
        return tune.setting(path)

    def known(self, now: Tune, path: str) -> bool:
        """Whether the controller says anything about it."""
        return now.holds(path)

    def take(self, path: str, value: float | None, token: int) -> None:
        """A ruler was moved."""
        self._desk.draft.try_change(path, value, token)

    def refresh(self) -> None:
        """Show what the desk holds now."""
        bike, draft, now = self._desk.bike, self._desk.draft.tune, self._desk.held.tune
        if bike is None or draft is None:
            return
        contact = self._link.contact
        for path, ruler in self.rulers.items():
            ruler.set_scale(self.scale(path, bike, draft))
            known = now is not None and self.known(now, path)
            ruler.show_value(
                self.value(draft, path), self.value(now, path) if now is not None and known else None, known
            )
            lack = contact.map.lack(path) if contact is not None else None
            why = self.needs[path](draft) if path in self.needs else ""
            ruler.show_lack(lack.reason if lack is not None else why)
