"""What a workshop has besides the application: instruments, mending, and the bike's own display. Part of the test stand in practice."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.job import Job
from crisp_hornet.documents.setting_words import label_of, unit_of

INSTRUMENTS: Mapping[str, tuple[str, str]] = {
    "clamp": ("Clamp meter, one battery lead", "A"),
    "leads": ("Ohmmeter, two motor leads", "mΩ"),
    "surface": ("Thermometer, motor's shell", "°C"),
    "sensor": ("Ohmmeter, temperature sensor", "Ω"),
    "roll-out": ("Tape: one wheel turn, rider on", "m"),
    "ten-metres": ("Tape: the display's metres for ten", "m"),
    "scale": ("Scale: bike and rider", "kg"),
    "gps": ("Phone GPS", "km/h"),
    "volts": ("Voltmeter, pack at rest", "V"),
    "charger": ("Charger: Ah since the job began", "Ah"),
    "magnets": ("Count the magnets or pulses a turn", ""),
}


class Tools(QWidget):
    """``readings``: what the instruments showed last."""

    def __init__(self, simulated: Simulated, job: Job) -> None:
        super().__init__()
        self._simulated = simulated
        self.readings: dict[str, str] = {}
        fix(self, wide=330)
        column = column_of(self, margins=0, spacing=6)
        column.addWidget(label("INSTRUMENTS", "caps"))
        self._shown = {}
        for name, (words, _) in INSTRUMENTS.items():
            row = row_of(spacing=8)
            row.addWidget(button(words, partial(self.read, name), "small", f"Read: {words}"))
            row.addStretch(1)
            self._shown[name] = label("")
            row.addWidget(self._shown[name])
            column.addLayout(row)
        if job.mends:
            column.addSpacing(8)
            column.addWidget(label("MEND", "caps"))
            for mend in job.mends:
                column.addWidget(button(mend.words, partial(self.mend, mend.name), "large"))
        column.addSpacing(8)
        column.addWidget(label("THE BIKE'S DISPLAY", "caps"))
        self.page = label("", wrap=True)
        self.line = Chooser("line of the display")
        self.figure = NumberField("figure to set on the display")
        column.addWidget(self.page)
        column.addWidget(Captioned("line", self.line))
        column.addWidget(Captioned("set to", self.figure))
        column.addWidget(button("Set it on the display", self.set_line, "small"))
        self._said = label("", "quiet", wrap=True)
        column.addWidget(self._said)
        column.addStretch(1)
        self.read_page()

    def read(self, name: str) -> None:
        """One instrument."""
        told = self._simulated.act(f"measure {name}").removeprefix("is ")
        unit = INSTRUMENTS[name][1]
        self.readings[name] = told
        self._shown[name].setText(f"{told} {unit}".strip())

    def mend(self, name: str) -> None:
        """Mend what a job says that hands can mend."""
        told = self._simulated.act(f"mend {name}")
        self._said.setText("Mended." if told == "ok" else told.removeprefix("no "))

    def read_page(self) -> None:
        """What the display's own page shows."""
        told = self._simulated.act("page").removeprefix("is ").strip()
        lines = dict(part.split("=") for part in told.split() if "=" in part)
        self.page.setText(
            "\n".join(f"{label_of(name)}: {value} {unit_of(name)}".rstrip() for name, value in lines.items())
            or "It has no figures of its own."
        )
        names = list(lines)
        if names != [self.line.itemData(at) for at in range(self.line.count())]:
            self.line.clear()
            for name in names:
                self.line.addItem(label_of(name), name)
        for widget in (self.line, self.figure):
            widget.setEnabled(bool(names))

    def set_line(self) -> None:
        """Set one of its figures by its buttons."""
        name = self.line.currentData()
        try:
            value = self.figure.read()
        except Misread as error:
            self._said.setText(str(error))
            return
        if name is None:
            return
        told = self._simulated.act(f"display {name} {value:g}")
        self._said.setText("" if told == "ok" else told.removeprefix("no "))
        self.read_page()
