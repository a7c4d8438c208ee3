"""Describe: registers are found by reading a range, named, checked and saved as a description. Nothing is written to the controller."""

from __future__ import annotations

import re
import threading
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.stations.hookup.describe.found_rows import FoundRows
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.tunes.starting import starting_tune
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.sheets import write_sheet
from crisp_hornet.garage.garage import CONTROLLERS
from crisp_hornet.link.describing import Found, described, look
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.line import Identity

WHAT_IT_IS = (
    "For a controller that speaks Modbus and that no description fits: read a range, change a setting at its display, read again, and "
    "name what moved. Reading changes nothing. Other kinds of line are described in a file: docs/controllers.md."
)
AT_ONCE = "writes are stored at once"


class DescribePanel(QWidget):
    """``saved``: a description lies among the user's own."""

    saved = pyqtSignal()
    _said = pyqtSignal(str)  # from beside

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self._identity = Identity("", "", "", "")
        self._stop = threading.Event()
        self.port, self.name = QLineEdit(), QLineEdit()
        self.baud = _number("baud", "115200", 300, 4_000_000, 90)
        self.device = _number("address", "1", 1, 247, 60)
        self.settings_from, self.settings_count = _hex("settings from", "0x0000"), _number("how many", "64", 0, 512, 70)
        self.live_from, self.live_count = _hex("live values from", "0x0000"), _number("how many", "32", 0, 512, 70)
        self.keep_at, self.keep_word = _hex("keep address", ""), _hex("keep word", "0x0001")
        self.at_once = Confirm(theme, AT_ONCE)
        self._words = label(WHAT_IT_IS, "quiet", wrap=True)
        self.rows = FoundRows()
        self._look = Background(LinkError, ValueError)
        self._look.done.connect(self._take)
        self._look.failed.connect(self._fail)
        self._said.connect(self._say)
        app = QCoreApplication.instance()
        if app is not None:
            app.aboutToQuit.connect(self._stop.set)
        self._lay_out()

    def _lay_out(self) -> None:
        way, settings, live, keep = (row_of(spacing=10) for _ in range(4))
        for name, field in (("port", self.port), ("baud", self.baud), ("address", self.device)):
            way.addWidget(Captioned(name, field), 1 if field is self.port else 0)
        settings.addWidget(Captioned("settings from", self.settings_from))
        settings.addWidget(Captioned("how many", self.settings_count))
        live.addWidget(Captioned("live values from", self.live_from))
        live.addWidget(Captioned("how many", self.live_count))
        live.addStretch(1)
        live.addWidget(button("Stop", self._stop.set, "small", "Stop reading"))
        live.addWidget(button("Read them", self.read, "large", "Read the registers"))
        keep.addWidget(Captioned("made permanent at", self.keep_at))
        keep.addWidget(Captioned("by the word", self.keep_word))
        keep.addWidget(self.at_once)
        keep.addWidget(label(AT_ONCE, "quiet"))
        for row in (settings, keep):
            row.addStretch(1)
        acts = row_of(spacing=12)
        acts.addWidget(Captioned("call it", self.name), 1)
        acts.addWidget(button("Check", self.check, "small", "Check the description"))
        acts.addWidget(button("Save the description", self.save, "large"))
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(self._words)
        for line in (way, settings, live):
            column.addLayout(line)
        column.addWidget(self.rows)
        for line in (keep, acts):
            column.addLayout(line)
        column.addStretch(1)

    def read(self) -> None:
        """Read the ranges, beside; the port must be free."""
        if self._link.contact is not None or self._link.busy:
            self._say("Disconnect first: one program has a port at a time.")
            return
        try:
            ranges = [
                (_address(self.settings_from), int(self.settings_count.read()), False),
                (_address(self.live_from), int(self.live_count.read()), True),
            ]
            baud, device, port = int(self.baud.read()), int(self.device.read()), self.port.text().strip()
        except Misread as why:
            self._say(f"{why}.")
            return
        self._say(f"Reading {port} …")
        self._stop.clear()
        self._look.start(lambda: look(port, baud, device, ranges, self._said.emit, self._stop.is_set))

    def check(self) -> ControllerMap | None:
        """The description as it stands, or what is wrong with it."""
        bike = self._desk.bike
        tune = self._desk.draft.tune or self._desk.held.tune or (starting_tune(bike) if bike is not None else None)
        if tune is None:
            self._say("Open a bike on Build first: what is not found is taken from its tune.")
            return None
        try:
            keep = (
                {"at_once": True}
                if self.at_once.isChecked()
                else {"address": _address(self.keep_at), "word": _address(self.keep_word)}
            )
            name = self.name.text().strip() or self._identity.product or "Own controller"
            found = described(
                name, self._identity, int(self.baud.read()), int(self.device.read()), self.rows.named(), keep, tune
            )
        except (DocumentError, Misread) as error:
            self._say(str(error))
            return None
        lacking = f", {len(found.lacks)} settings not found yet" if found.lacks else ""
        self._say(f"It can be used: {len(found.register_list)} settings, {len(found.channels)} live values{lacking}.")
        return found

    def save(self) -> None:
        """Check it, and put it among the user's own descriptions."""
        found = self.check()
        if found is None:
            return
        folder = self._desk.folder / CONTROLLERS
        path = folder / f"{re.sub(r'[^a-z0-9]+', '-', found.name.lower()).strip('-')[:60] or 'own'}.toml"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            write_sheet(path, found)
        except (DocumentError, OSError) as error:
            self._say(str(error))
            return
        self._link.read_descriptions_anew()
        self._desk.log("link", f"Description {found.name} saved", Path(path).name)
        self._say(f"Saved as {path.name}. Connect to it above; what it holds is then backed up.")
        self.saved.emit()

    def _take(self, answer: tuple[Identity, list[Found]]) -> None:
        self._identity, found = answer
        who = self._identity
        self.rows.show_found(found)
        if not who.product:
            self._say(f"{len(found)} registers answer, but it does not say who it is: it cannot be told from another.")
            return
        self.name.setText(self.name.text() or who.product)
        self._say(f"{who.vendor} {who.product}, firmware {who.firmware or '?'}: {len(found)} registers answer.")

    def _fail(self, error: Exception) -> None:
        self._say(str(error))

    def _say(self, words: str) -> None:
        self._words.setText(words)


def _number(name: str, text: str, least: float, most: float, wide: int) -> NumberField:
    made = NumberField(name, least=least, most=most, width=wide)
    made.setText(text)
    return made


def _hex(name: str, text: str) -> QLineEdit:
    made = QLineEdit(text)
    made.setAccessibleName(tr(name))
    made.setFixedWidth(90)
    return made


def _address(field: QLineEdit) -> int:
    """A register's address, in hex with 0x in front or as a decimal figure. Raises :class:`Misread`."""
    text = field.text().strip().lower()
    try:
        found = int(text, 0)
    except ValueError:
        raise Misread(f"{field.accessibleName()}: {text or 'nothing'} is no address, such as 0x0100") from None
    if not 0 <= found <= 0xFFFF:
        raise Misread(f"{field.accessibleName()}: addresses are 0 to 0xFFFF")
    return found
