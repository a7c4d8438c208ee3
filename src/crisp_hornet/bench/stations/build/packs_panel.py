"""The packs of a bike: one, several taken in turn, or several in parallel; which is on it, and what each of them is."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.documents.battery import FEWEST_PACKS, MOST_PACKS, Pack, Packs
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

ONE = "one pack"
HOWS = (ONE, "in turn", "in parallel")
# what of each pack stands on the page: key, words, unit, scale
FIGURES = (
    ("capacity_ah", "capacity", "Ah", 1.0),
    ("resistance_ohm", "resistance", "mΩ", 1e3),
    ("bms_discharge_a", "BMS discharge", "A", 1.0),
)


class PacksPanel(QWidget):
    """Changes the bike, undoably. Everything else of a pack is entered in the rows on the left, for the pack that is on the bike."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._shown: Packs | None = None
        self.how = Chooser("how many packs")
        self.how.addItems(HOWS)
        self.how.currentIndexChanged.connect(self._take_how)
        self.in_use = Chooser("pack on the bike")
        self.in_use.be_narrow()
        self.in_use.currentIndexChanged.connect(self._take_in_use)
        self._in_use_row = Captioned("on the bike", self.in_use)
        self.add = button("Add a pack", self.add_pack, "small")
        head = row_of(spacing=10)
        head.addWidget(Captioned("the bike has", self.how))
        head.addWidget(self._in_use_row)
        head.addWidget(self.add)
        head.addStretch(1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(4)
        self._words = label("", "quiet", wrap=True)
        column = column_of(self, margins=0, spacing=10)
        column.addLayout(head)
        column.addWidget(self._words)
        column.addLayout(self._grid)
        column.addStretch(1)

    def show_bike(self, bike: Bike) -> None:
        """Show a bike's packs."""
        packs = bike.packs
        self.how.blockSignals(True)
        self.how.setCurrentIndex(HOWS.index(packs.how) if packs else 0)
        self.how.blockSignals(False)
        in_turn = packs is not None and packs.how == "in turn"
        self._in_use_row.setVisible(in_turn)
        self.add.setVisible(packs is not None)
        if packs is not None:
            self.in_use.offer([pack.name for pack in packs.each])
            self.in_use.blockSignals(True)
            self.in_use.setCurrentIndex(packs.in_use)
            self.in_use.blockSignals(False)
            self.add.setEnabled(len(packs.each) < MOST_PACKS)
        if packs != self._shown:
            self._shown = packs
            self._fill(packs)
        self._words.setText(self._desk.units.text(_told(bike)))

    def _fill(self, packs: Packs | None) -> None:
        clear(self._grid)
        heads = ("name", *(words for _, words, _, _ in FIGURES)) if packs is not None else ()
        for column, words in enumerate(heads):
            self._grid.addWidget(label(words, "quiet"), 0, column)
        for at, pack in enumerate(packs.each if packs is not None else ()):
            name = QLineEdit(pack.name)
            name.setAccessibleName(tr(f"name of pack {at + 1}"))
            name.setMaxLength(60)
            name.editingFinished.connect(partial(self._take_name, at, name))
            fix(name, wide=150)
            self._grid.addWidget(name, at + 1, 0)
            for column, (key, words, unit, scale) in enumerate(FIGURES, start=1):
                field = NumberField(unit=unit, thousandths=True)
                field.setText(f"{scale * getattr(pack.battery, key):.4g}")
                field.setAccessibleName(tr(f"{words} of {pack.name}"))
                field.editingFinished.connect(partial(self._take_figure, at, key, scale, field))
                fix(field, wide=98)
                self._grid.addWidget(field, at + 1, column)
            drop = button("Remove", partial(self.drop_pack, at), "small", f"Remove {pack.name}")
            self._grid.addWidget(drop, at + 1, len(FIGURES) + 1)
        self._grid.setColumnStretch(len(FIGURES) + 2, 1)

    # --- changing it ----------------------------------------------------------------------------------------

    def _take_how(self, at: int) -> None:
        bike = self._desk.bike
        if bike is None:
            return
        if at == 0:
            self._take(lambda bike: bike.with_packs(None), "one pack")
        elif bike.packs is None:
            own = {
                path.partition(".")[2]: source for path, source in bike.sources.items() if path.startswith("battery.")
            }
            each = [Pack(name=f"pack {letter}", battery=bike.battery, sources=own) for letter in ("A", "B")]
            self._take(lambda bike: bike.with_packs(Packs(how=HOWS[at], each=each)), f"packs {HOWS[at]}")  # type: ignore[arg-type]
        else:
            self._change(f"packs {HOWS[at]}", how=HOWS[at])

    def _take_in_use(self, at: int) -> None:
        self._change("another pack on the bike", in_use=max(at, 0))

    def add_pack(self) -> None:
        """One more, like the last."""
        packs = self._desk.bike.packs if self._desk.bike is not None else None
        if packs is None or len(packs.each) >= MOST_PACKS:
            return
        taken = {pack.name for pack in packs.each}
        name = next(one for one in (f"pack {chr(65 + k)}" for k in range(26)) if one not in taken)
        self._change("a pack more", each=[*packs.each, packs.each[-1].model_copy(update={"name": name})])

    def drop_pack(self, at: int) -> None:
        """One fewer; of the last two the other one stays alone."""
        packs = self._desk.bike.packs if self._desk.bike is not None else None
        if packs is None:
            return
        left = [pack for k, pack in enumerate(packs.each) if k != at]
        if len(left) < FEWEST_PACKS:
            alone = packs.model_copy(update={"in_use": 1 - at})
            self._take(lambda bike: bike.with_packs(alone).with_packs(None), "one pack")
            return
        in_use = packs.in_use - (packs.in_use > at) if packs.in_use != at else 0
        self._change("a pack fewer", each=left, in_use=in_use)

    def _take_name(self, at: int, field: QLineEdit) -> None:
        packs = self._desk.bike.packs if self._desk.bike is not None else None
        name = field.text().strip()
        if packs is None or at >= len(packs.each) or not name or name == packs.each[at].name:
            return
        if packs.place(name) is not None:
            self._desk.said.emit("note", f"There is a pack {name} already: choose another name.")
            field.setText(packs.each[at].name)
            return
        each = [pack.model_copy(update={"name": name}) if k == at else pack for k, pack in enumerate(packs.each)]
        self._change("name of a pack", each=each)

    def _take_figure(self, at: int, key: str, scale: float, field: NumberField) -> None:
        packs, value = self._desk.bike.packs if self._desk.bike is not None else None, field.value()
        if packs is None or value is None or at >= len(packs.each) or value <= 0:
            return
        battery = packs.each[at].battery
        if f"{scale * getattr(battery, key):.4g}" == f"{value:.4g}":
            return
        changed = battery.model_copy(update={key: value / scale})
        each = [pack.model_copy(update={"battery": changed}) if k == at else pack for k, pack in enumerate(packs.each)]
        self._change(f"{key} of {packs.each[at].name}", each=each)

    def _change(self, what: str, **parts: object) -> None:
        packs = self._desk.bike.packs if self._desk.bike is not None else None
        if packs is not None:
            made = packs.model_copy(update=parts)
            self._take(lambda bike: bike.with_packs(made), what)

    def _take(self, change: Callable[[Bike], Bike], what: str) -> None:
        if not self._desk.active.try_change(change, what) and self._desk.bike is not None:
            self._shown = None
            self.show_bike(self._desk.bike)


def _told(bike: Bike) -> str:
    """What the packs come to."""
    battery, packs = bike.battery, bike.packs
    if packs is None:
        return "Two packs or more, taken in turn or connected in parallel, each have a resistance of their own that the logbook follows."
    if packs.how == "in parallel":
        return say(
            "Together {capacity}, {ohm}, and {amps} from the BMS: the first pack at its limit sets it. "
            "Join packs only at the same voltage.",
            capacity=quantity(battery.capacity_ah, "Ah", ".3g"),
            ohm=quantity(1000 * battery.resistance_ohm, "mΩ", ".3g"),
            amps=quantity(battery.bms_discharge_a, "A", ".3g"),
        )
    whole = sum(pack.battery.capacity_ah for pack in packs.each)
    return say(
        "{capacity} in all; everything is predicted for {name}, which is on the bike. A ride's card says which one it was "
        "ridden on.",
        capacity=quantity(whole, "Ah", ".3g"),
        name=packs.each[packs.in_use].name,
    )
