"""What the local code allows, as entered here or begun from an example; kept with the bike."""

from __future__ import annotations

from pydantic import ValidationError
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.rules.local_examples import EXAMPLES
from crisp_hornet.documents.local_rules import LocalRules
from crisp_hornet.documents.store import document_error

FIELDS = (
    ("assist_ends_kmh", "assist ends", "km/h"), ("power_w", "power at the wheel", "W"), ("throttle_ends_kmh", "throttle ends", "km/h"),
    ("walk_kmh", "walk assist", "km/h"),
)  # fmt: skip
THROTTLE = {
    "any": "throttle at any time",
    "pedalling": "throttle while pedalling",
    "walk": "throttle for walking only",
    "none": "no throttle",
}
NONE = "no local rules entered"


class LocalPanel(QWidget):
    """Choose an example, then make it the place's own."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.example = Chooser("local rules to start from")
        self.example.addItems([NONE, *(example.name for example in EXAMPLES)])
        self.example.activated.connect(self._take_example)
        self.throttle = Chooser("throttle by local rules")
        self.throttle.addItems(list(THROTTLE.values()))
        self.fields = {key: NumberField(f"local rules: {words}", width=84) for key, words, _ in FIELDS}
        grid = QGridLayout()
        grid.setSpacing(10)
        for at, (key, words, _) in enumerate(FIELDS):
            grid.addWidget(Captioned(words, self.fields[key], above=True), at // 4, at % 4)
        grid.setColumnStretch(4, 1)
        acts = QHBoxLayout()
        acts.addWidget(Captioned("throttle", self.throttle))
        acts.addStretch(1)
        acts.addWidget(button("Save the rules", self.keep, "small", "Save the local rules"))
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(label("WHERE IT IS RIDDEN", "caps"))
        column.addWidget(Captioned("rules of", self.example))
        column.addLayout(grid)
        column.addLayout(acts)
        column.addWidget(
            label("Examples only: the local code decides. In doubt ask a licensed workshop.", "quiet", wrap=True)
        )
        self._shown: object = None

    def _take_example(self, at: int) -> None:
        rules = EXAMPLES[at - 1] if at else None
        self._keep(rules, rules.name if rules else NONE)

    def keep(self) -> None:
        """Keep what stands in the fields, with the bike; undoable."""
        units, given = self._desk.units, {}
        for key, words, unit in FIELDS:
            if self.fields[key].blank:
                continue
            try:
                given[key] = round(units.back(self.fields[key].read(), unit), 3)
            except Misread as why:
                self._desk.said.emit("note", f"{words}: {why}.")
                return
        bike = self._desk.bike
        now = bike.local if bike is not None else None
        name = "Local rules" if now is None else now.name.removeprefix("Example: ").capitalize()
        try:
            rules = LocalRules.model_validate(
                {"name": name, "throttle": list(THROTTLE)[self.throttle.currentIndex()], **given}
            )
        except ValidationError as error:
            self._desk.said.emit("note", str(document_error(error, "local rules")))
            return
        self._keep(rules, name)

    def _keep(self, rules: LocalRules | None, name: str) -> None:
        if self._desk.bike is not None and self._desk.bike.local != rules:
            self._desk.active.change(self._desk.bike.model_copy(update={"local": rules}), f"local rules: {name}")
            self._desk.log(
                "bike", f"Local rules: {name}", "" if rules is None else "As entered; the local code decides."
            )

    def refresh(self) -> None:
        """Show what the bike holds."""
        bike, units = self._desk.bike, self._desk.units
        if bike is None or self._shown == (bike.local, units):
            return
        self._shown = (bike.local, units)
        rules = bike.local
        names = [NONE, *(example.name for example in EXAMPLES)]
        own = [rules.name] if rules is not None and rules.name not in names else []
        self.example.clear()
        self.example.addItems(names + own)
        self.example.setCurrentIndex((names + own).index(rules.name) if rules is not None else 0)
        for key, _, unit in FIELDS:
            value = getattr(rules, key) if rules is not None else None
            self.fields[key].setText("" if value is None else f"{units.value(value, unit):.4g}")
            self.fields[key].show_unit(units.unit(unit))
        self.throttle.setCurrentIndex(list(THROTTLE).index(rules.throttle) if rules is not None else 0)
