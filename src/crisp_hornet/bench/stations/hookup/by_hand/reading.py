"""What the display shows, typed in as it stands there; what differs from what was to be entered is named."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QLineEdit, QWidget

from crisp_hornet.bench.desk.by_hand import ENTERED
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.row_grid import RowGrid
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.register import Register
from crisp_hornet.link.hand import read_shown, shown_text


class Reading(QWidget):
    """A field a setting, in the display's order and words."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self.fields: dict[str, QLineEdit] = {}
        self.photo: Path | None = None
        self._came: list[str] = []  # what differed when it was last typed
        self._cards = column_of(spacing=6)
        self._rows = RowGrid(4)
        self._rows.setColumnStretch(3, 1)
        self._photo_words = label("", "quiet")
        acts = row_of(spacing=12)
        self.take_button = button("The display shows this", self.take, "large")
        acts.addWidget(self.take_button)
        acts.addWidget(button("Add a photograph", self._ask_photo, "small", "Add a photograph of the display"))
        acts.addWidget(self._photo_words, 1)
        column = column_of(self, margins=0, spacing=8)
        column.addLayout(self._cards)
        column.addLayout(self._rows)
        column.addLayout(acts)
        column.addStretch(1)

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours."""
        self.theme = theme
        self._show_cards()

    def standing(self) -> str:
        """Whether the display was read, and when."""
        sheet, at = self._desk.by_hand.sheet, self._desk.by_hand.entered_at
        if sheet is None:
            return ""
        if at is None:
            return f"{sheet.name}: type what the display shows, line by line. It becomes a tune that can be judged."
        return f"{sheet.name}: {ENTERED}, {time_words(at)}."

    def refresh(self) -> None:
        """Show the sheet's lines with what the display showed last."""
        hand = self._desk.by_hand
        self._came = []  # of another sheet, or of what was typed before
        self._rows.begin(("menu", "setting", "shows", ""))
        self.fields = {}
        for register in hand.sheet.register_list if hand.sheet is not None else []:
            raw = hand.readable.get(register.name)
            self._rows.add(self._row(register, "" if raw is None else _bare(register, raw)))
        self._rows.end()
        self._show_cards()

    def take(self) -> None:
        """Read all fields; the first that cannot be is said, and gets the focus."""
        hand = self._desk.by_hand
        if hand.sheet is None:
            return
        raws: dict[str, int] = {}
        for register in hand.sheet.register_list:
            field = self.fields[register.name]
            try:
                raws[register.name] = read_shown(register, field.text())
            except ValueError as error:
                self._desk.said.emit("warn", f"{error}.")
                field.setFocus()
                field.selectAll()
                return
        try:
            photo, self.photo = self.photo, None
            self._came = []
            self._came = hand.take(raws, photo)
        except (ValueError, DocumentError) as error:
            self._desk.said.emit("stop", f"{str(error).rstrip('.')}. Nothing was kept.")
        self._photo_words.setText("")
        self._show_cards()

    def _row(self, register: Register, text: str) -> list[QWidget | None]:
        shown = register.shown
        field = QLineEdit(text)
        field.setAccessibleName(tr(f"{register.label} shows"))
        fix(field, high=34)
        field.setMaximumWidth(150)
        field.returnPressed.connect(self.focusNextChild)
        self.fields[register.name] = field
        unit = shown.unit if shown is not None else register.unit
        hint = ", ".join(register.choices) if register.choices else unit
        menu = shown.menu if shown is not None and shown.menu else ""
        name = label(register.label)
        name.setBuddy(field)
        return [label(menu, "quiet"), name, field, label(hint, "quiet", wrap=bool(register.choices))]

    def _show_cards(self) -> None:
        clear(self._cards)
        hand = self._desk.by_hand
        if self._came:
            text = "; ".join(self._came) + ". Correct the display, or the draft, then type again what it shows."
            self._cards.addWidget(card(self.theme, "warn", "Not what the sheet said", text))
        elif hand.carried and hand.raws != hand.carried:
            text = "The sheet was made and not read back yet: enter its values at the display, then type what it shows."
            self._cards.addWidget(card(self.theme, "note", "A sheet is under way", text))

    def _ask_photo(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("A photograph of the display"), "", "Pictures (*.jpg *.jpeg *.png)"
        )
        if name:
            self.photo = Path(name)
            self._photo_words.setText(self.photo.name)


def _bare(register: Register, raw: int) -> str:
    """What the display showed, as it would be typed: the figure without its unit."""
    text = shown_text(register, raw)
    return text if register.choices else text.split(" ")[0]
