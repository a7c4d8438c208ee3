"""Who is in charge: the chain per quantity, its contradictions, devices kept by hand, the gauge table and the key-in card."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.keys import rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.paper import rendered
from crisp_hornet.bench.stations.tune.chain_picture import ChainPicture, ChainRow
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, sheet
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.drive.chain import CardLine, Quantity, conflicts, key_in_card, who_is_in_charge
from crisp_hornet.core.pack.cells import gauge_table
from crisp_hornet.documents.bike import Bike, ChainLink
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.store import document_error

BARS = (4, 5, 10)
USUAL_LOAD = 0.35  # of the battery current limit: until somebody says what the bike usually draws
HOW = (
    "The lowest limit of a row is in charge: it is filled. A device that replaces counts instead of all before it. BMS and fuse do not "
    "limit: they cut off."
)
REPLACED = ("phase_current_a", "battery_current_a", "power_w", "speed_kmh")
FIELDS = (
    ("phase_current_a", "phase current", "A"),
    ("battery_current_a", "battery current", "A"),
    ("power_w", "power", "W"),
    ("speed_kmh", "speed limit", "km/h"),
    ("nominal_v", "nominal voltage", "V"),
    ("wheel_circumference_m", "wheel circumference", "m"),
)


class ChainView(QWidget):
    """What the tune, the controller, the pack and every display say, and who wins."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self.picture = ChainPicture(theme)
        self._told = column_of(spacing=6)
        self._devices = column_of(spacing=4)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("name of the device"))
        self.name.setToolTip(tr("a display, a lever, a mode switch"))
        self.fields = {key: NumberField(thousandths=key.endswith("_m"), name=words) for key, words, _ in FIELDS}
        self.replaces = {key: Confirm(theme, f"it replaces {words}") for key, words, _ in FIELDS if key in REPLACED}
        self.bars = Chooser("bars of the gauge")
        self.bars.addItems([f"{bars}" for bars in BARS])
        self.bars.currentIndexChanged.connect(lambda _index: self._show_gauge())
        self.load, self.cutoff = (
            NumberField(unit="A", least=0.0, most=1000.0, width=76),
            NumberField(unit="V", least=1.0, width=76),
        )
        self.load.setAccessibleName(tr("usual load of the gauge, A"))
        self.cutoff.setAccessibleName(tr("where the gauge ends, V; empty for the low-voltage cutoff of the draft"))
        for field in (self.load, self.cutoff):
            field.editingFinished.connect(self._show_gauge)
        self._gauge = QGridLayout()
        self._gauge.setHorizontalSpacing(8)
        self._gauge.setVerticalSpacing(2)
        self._card = column_of(spacing=0)
        self.ticked: set[str] = set()
        self._lay_out()

    def _lay_out(self) -> None:
        inside = QWidget()
        column = column_of(inside, margins=(0, 0, 8, 0), spacing=10)
        column.addWidget(sheet(self.picture, label(HOW, "quiet", wrap=True), margin=12))
        column.addLayout(self._told)
        below = row_of(spacing=10)
        below.addLayout(self._by_hand(), 1)
        below.addLayout(self._to_carry(), 1)
        column.addLayout(below, 1)
        column_of(self, margins=0).addWidget(column_scroll(inside))

    def _by_hand(self) -> QVBoxLayout:
        """The devices of the chain that no link reaches."""
        left = column_of(spacing=6)
        left.addWidget(label("DEVICES SET BY HAND", "caps"))
        left.addLayout(self._devices)
        left.addWidget(sheet(self._form(), margin=10))
        left.addStretch(1)
        return left

    def _to_carry(self) -> QVBoxLayout:
        """The gauge table and the card, to be keyed in at the bike."""
        right = column_of(spacing=6)
        head = QHBoxLayout()
        head.addWidget(label("GAUGE", "caps"), 1)
        head.addWidget(Captioned("bars", self.bars))
        right.addLayout(head)
        asked = QHBoxLayout()
        asked.addWidget(Captioned("usual load", self.load, above=True))
        asked.addWidget(Captioned("ends at", self.cutoff, above=True))
        asked.addStretch(1)
        right.addLayout(asked)
        gauge = QWidget()
        gauge.setLayout(self._gauge)
        right.addWidget(sheet(gauge, margin=10))
        right.addWidget(label("Whole pack and down to the cutoff at rest; under the usual load.", "quiet", wrap=True))
        right.addWidget(label("SETTINGS TO ENTER BY HAND", "caps"))
        lines = QWidget()
        lines.setLayout(self._card)
        right.addWidget(sheet(lines, margin=6))
        acts = QHBoxLayout()
        acts.addWidget(button("Print them", self._ask_file, "small", "Print the settings to enter by hand"))
        acts.addSpacing(6)
        acts.addWidget(button("Save them", self.keep_card, "small", "Save the settings to enter by hand"))
        acts.addStretch(1)
        right.addLayout(acts)
        right.addStretch(1)
        return right

    def _form(self) -> QWidget:
        form = QWidget()
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        grid.addWidget(Captioned("name", self.name, above=True), 0, 0, 1, 2)
        for index, (key, words, _) in enumerate(FIELDS):
            grid.addWidget(Captioned(words, self.fields[key], above=True), 1 + index // 2, index % 2)
        row = 1 + len(FIELDS) // 2
        grid.addWidget(
            label("It limits: the least counts. Where ticked it replaces what came before:", "quiet", wrap=True),
            row,
            0,
            1,
            2,
        )
        ticks = QWidget()
        each = QGridLayout(ticks)
        each.setContentsMargins(0, 0, 0, 0)
        for index, (key, words, _) in enumerate(field for field in FIELDS if field[0] in REPLACED):
            tick = row_of(spacing=4)
            tick.addWidget(self.replaces[key])
            tick.addWidget(label(words, "quiet"), 1)
            each.addLayout(tick, index, 0)
        rove(ticks)
        grid.addWidget(ticks, row + 1, 0, 1, 2)
        grid.addWidget(button("Save the device", self.keep_device, "small"), row + 3, 0, 1, 2)
        self._desk.units_changed.connect(self._show_units)
        self._show_units()
        return form

    def _show_units(self) -> None:
        for key, _, unit in FIELDS:
            self.fields[key].show_unit(self._desk.units.unit(unit))

    # --- devices --------------------------------------------------------------------------------------------

    def keep_device(self) -> None:
        """Write the typed device into the bike's chain; one of the same name is replaced. Undoable."""
        bike, name = self._desk.bike, self.name.text().strip()
        if bike is None or not name:
            self._desk.said.emit("note", "Give the device a name first.")
            return
        try:
            figures = {
                key: self._desk.units.back(
                    field.read(), {"speed_kmh": "km/h", "wheel_circumference_m": "m"}.get(key, "")
                )
                for key, field in self.fields.items()
                if not field.blank
            }
            replaces = [key for key, tick in self.replaces.items() if tick.isChecked() and key in figures]
            link = ChainLink.model_validate({"name": name, **figures, "replaces": replaces})
        except Misread as why:
            self._desk.said.emit("note", f"{why}.")
            return
        except ValidationError as error:
            self._desk.said.emit("stop", str(document_error(error, name)))
            return
        self._change([*(one for one in bike.chain if one.name != name), link], f"{name} noted")
        self._desk.log(
            "bike", f"{name} saved as a device", ", ".join(f"{key} {value:g}" for key, value in figures.items())
        )
        for field in (self.name, *self.fields.values()):
            field.clear()
        for tick in self.replaces.values():
            tick.setChecked(False)

    def drop_device(self, name: str) -> None:
        """Take a device out of the chain."""
        bike = self._desk.bike
        if bike is not None:
            self._change([link for link in bike.chain if link.name != name], f"{name} taken out")

    def _change(self, chain: list[ChainLink], what: str) -> None:
        assert self._desk.bike is not None
        self._desk.active.change(self._desk.bike.model_copy(update={"chain": chain}), what)

    # --- the card -------------------------------------------------------------------------------------------

    def card_lines(self) -> list[CardLine]:
        """What is to be keyed in."""
        bike, draft = self._desk.bike, self._desk.draft.tune
        if bike is None or draft is None:
            return []
        contact = self._link.contact
        magnets = contact.map.values(contact.raws).get("calibration.magnets_per_turn") if contact is not None else None
        return key_in_card(bike, draft, magnets)

    def keep_card(self) -> None:
        """The card as a line of the logbook, with what was ticked."""
        told = "; ".join(
            f"{'done: ' if line.what in self.ticked else ''}{line.what} {line.value}" for line in self.card_lines()
        )
        self._desk.log("chain", "Key-in card", told)
        self._desk.said.emit("settled", "The card is in the logbook.")

    def print_card(self, path: Path) -> None:
        """The card as a PDF, to be ticked by hand beside the display."""
        name, day = self._desk.bike.name if self._desk.bike else "", datetime.now().astimezone()
        card = {"name": name, "day": f"{day:%d %B %Y}", "lines": self.card_lines(), "headlines": self._headlines()}
        page = QTextDocument()
        page.setHtml(rendered("tune/key_in_card.html", self._desk.units, **card))
        writer = QPdfWriter(str(path))
        page.print(writer)

    def _headlines(self) -> str:
        drafted = self._desk.draft.prediction
        return drafted.headlines.words if drafted is not None else ""

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Print the settings to enter by hand"), "card.pdf", "PDF (*.pdf)"
        )
        if name:
            self.print_card(Path(name))

    # --- showing it -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show what the desk holds now; does nothing while hidden."""
        bike, draft = self._desk.bike, self._desk.draft.tune
        if self.isHidden() or bike is None or draft is None:
            return
        self.picture.show_rows([self._row(one) for one in who_is_in_charge(bike, draft)])
        clear(self._told)
        for sentence in conflicts(bike, draft):
            self._told.addWidget(card(self.theme, "warn", "Conflict", f"{self._desk.units.text(sentence)}."))
        self._show_devices(bike)
        self._show_gauge()
        self._show_card()

    def _row(self, quantity_: Quantity) -> ChainRow:
        turn = self._desk.units.text
        links = [
            (
                turn(said.link) + (" replaces" if said.replaces else ""),
                turn(say("{value}", value=quantity(said.value, quantity_.unit))),
            )
            for said in quantity_.says
        ]
        at = next((at for at, said in enumerate(quantity_.says) if said.link == quantity_.owner), None)
        effective = (
            turn(say("{value}", value=quantity(quantity_.effective, quantity_.unit)))
            if quantity_.effective is not None
            else "no limit"
        )
        return ChainRow(quantity_.name, tuple(links), at if quantity_.effective is not None else None, effective)

    def _show_devices(self, bike: Bike) -> None:
        clear(self._devices)
        for link in bike.chain:
            row = QHBoxLayout()
            row.addWidget(label(link.name), 1)
            row.addWidget(button("Remove", partial(self.drop_device, link.name), "small", f"Remove {link.name}"))
            self._devices.addLayout(row)
        if not bike.chain:
            self._devices.addWidget(
                label("None noted. Most displays cannot be connected: note their settings.", "quiet", wrap=True)
            )

    def _show_gauge(self) -> None:
        bike, draft = self._desk.bike, self._desk.draft.tune
        if bike is None or draft is None:
            return
        clear(self._gauge)
        bars = BARS[self.bars.currentIndex()]
        try:
            load_a = USUAL_LOAD * draft.drive.battery_current_a if self.load.blank else self.load.read()
            cutoff_v = draft.battery_guard.fade_end_v if self.cutoff.blank else self.cutoff.read()
            whole = gauge_table(bike.battery, bars)
            cut = gauge_table(bike.battery, bars, cutoff_v)
            loaded = gauge_table(bike.battery, bars, cutoff_v, load_a)
        except (Misread, ValueError) as error:
            self._gauge.addWidget(label(f"{error}.", wrap=True), 0, 0)
            return
        for column, head in enumerate(("bars", "whole", f"to {cutoff_v:g} V", f"at {load_a:.3g} A")):
            self._gauge.addWidget(label(head, "quiet"), 0, column, Qt.AlignmentFlag.AlignRight)
        for index, pair in enumerate(zip(whole, cut, loaded, strict=True)):
            words = (f"{bars - index} to {bars - index - 1}", *(f"{volts:.1f} V" for volts in pair))
            for column, text in enumerate(words):
                self._gauge.addWidget(label(text), index + 1, column, Qt.AlignmentFlag.AlignRight)

    def _show_card(self) -> None:
        clear(self._card)
        for line in self.card_lines():
            box = Confirm(self.theme, f"keyed in: {line.what}")
            box.setChecked(line.what in self.ticked)
            box.toggled.connect(partial(self._tick, line.what))
            row = QHBoxLayout()
            row.addWidget(box)
            words = label(f"{line.what}: {self._desk.units.text(line.value)}", wrap=True)
            row.addWidget(words, 1)
            self._card.addLayout(row)

    def _tick(self, what: str, on: bool) -> None:
        (self.ticked.add if on else self.ticked.discard)(what)
