"""The one field for a figure: reads point and comma alike, shows its unit inside, and says why it cannot take what was typed."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPalette
from PyQt6.QtWidgets import QLineEdit, QToolTip, QWidget

from crisp_hornet.bench.figures import Misread, figure
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import fix, px
from crisp_hornet.bench.theme import QUIET_PX, font, real_font

UNIT_GAP_PX = 8


class NumberField(QLineEdit):
    """Reads a figure between two others. ``thousandths``: three digits behind a comma are usual here (see :func:`figure`)."""

    def __init__(
        self,
        name: str = "",
        unit: str = "",
        least: float = -math.inf,
        most: float = math.inf,
        thousandths: bool = False,
        width: int = 0,
    ) -> None:
        super().__init__()
        self.unit, self.least, self.most, self.thousandths = unit, least, most, thousandths
        self.setAccessibleName(tr(name))
        if width:
            fix(self, wide=width)
        self.show_unit(unit)

    def setText(self, a0: str | None) -> None:
        """A figure, shown with the decimal mark of the language."""
        super().setText(tr(a0 or ""))

    def show_unit(self, unit: str) -> None:
        """Show a unit inside, at the right; figures are read with it or without."""
        self.unit = unit
        room = px(QFontMetricsF(font(QUIET_PX)).horizontalAdvance(tr(unit))) + UNIT_GAP_PX if unit else 0
        self.setTextMargins(0, 0, room, 0)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.unit:
            painter = QPainter(self)
            painter.setFont(real_font(QUIET_PX))
            painter.setPen(self.palette().color(QPalette.ColorRole.Text))
            painter.drawText(
                self.rect().adjusted(0, 0, -UNIT_GAP_PX, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                tr(self.unit),
            )

    @property
    def blank(self) -> bool:
        """Whether nothing is typed."""
        return not self.text().strip()

    def read(self) -> float:
        """The figure; raises :class:`Misread` saying why there is none."""
        return figure(self.text(), self.unit, self.least, self.most, self.thousandths)

    def value(self) -> float | None:
        """The figure, or None where there is none."""
        try:
            return self.read()
        except Misread:
            return None

    def refuse(self, why: str) -> None:
        """Say why what was typed is not taken; it stays to be mended."""
        self.setToolTip(tr(why))
        self.setAccessibleDescription(tr(why))
        self.selectAll()
        QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), why, self)


class LaidField(NumberField):
    """A number field laid over what it sets until it is done with.

    ``taken`` on Enter; ``left`` when the focus went elsewhere or Esc was pressed. Keys end here: a line edit hands Enter on to its parent,
    which would open the next field.
    """

    taken = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, over: QWidget, name: str, start: str, place: QRect) -> None:
        super().__init__(name)
        self._over, self._done = over, False
        self.setParent(over)
        self.setText(start)
        self.setGeometry(px(place.left()), px(place.top()), px(place.width()), px(place.height()))

    def open(self) -> None:
        """Show it, with the keys."""
        self.show()
        self.setFocus()

    def close_it(self, back: bool) -> None:
        """Take it away; ``back``: the keys go to what lies below it."""
        if self._done:
            return
        self._done = True
        if back:
            self._over.setFocus()
        self.hide()
        self.deleteLater()
        self.left.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.text())
        elif event.key() == Qt.Key.Key_Escape:
            self.close_it(True)
        else:
            super().keyPressEvent(event)
        event.accept()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.close_it(False)
