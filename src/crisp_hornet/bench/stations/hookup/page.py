"""The Hook-up station: cautions, ports, who answered, the first backup, live values."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk, time_words
from crisp_hornet.bench.link_worker import ContactMade, Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.stations.hookup.live_values import LiveValues
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, clear, label, sheet
from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.ports import Port, serial_ports

CAUTION = (
    "Wire with the pack unplugged and the capacitors discharged: they hold charge after unplugging. Ground first, pre-charge before the "
    "main switch. Lithium packs burn and a wheel on a stand takes fingers. Where wiring or pack are in doubt, a licensed workshop does it; "
    "what may be ridden where, the local code decides."
)


class HookUpPage(Station):
    """Connect, identify, keep a backup before anything else."""

    number, name = 2, "Hook-up"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._simulated = ""
        self._progress = ""
        self._backup_at: datetime | None = None
        self._caution = sheet(label("BEFORE THE PLUG", "caps"), label(CAUTION, wrap=True))
        self._ports = QVBoxLayout()
        self._ports.setSpacing(6)
        self._typed = QLineEdit()
        self._typed.setPlaceholderText("or type a port, e.g. /dev/ttyUSB0")
        self._typed.setAccessibleName("port")
        self._typed.setFixedHeight(44)
        self._typed.returnPressed.connect(self._connect_typed)
        self._who = QGridLayout()
        self._who.setHorizontalSpacing(18)
        self._who.setVerticalSpacing(4)
        self._who_title = label("", "title")
        self.live_values = LiveValues(theme)
        self._links = QHBoxLayout()
        self._links.setSpacing(16)
        self._lay_out()
        link.changed.connect(self._show)
        link.said.connect(self._take_progress)
        link.contact_made.connect(self._take_contact)
        link.live_changed.connect(self.live_values.take)
        link.failed.connect(self._take_failure)
        desk.bike_changed.connect(self._take_bike)
        desk.units_changed.connect(self._take_units)
        self._take_units()
        self._take_bike()
        self.look_for_ports()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self._caution)
        head = QHBoxLayout()
        head.addWidget(label("PORTS", "caps"))
        head.addStretch(1)
        head.addWidget(button("Look again", self.look_for_ports, "link"))
        left.addLayout(head)
        left.addLayout(self._ports)
        left.addWidget(self._typed)
        left.addStretch(1)
        who = QWidget()
        who.setLayout(self._who)
        right = QVBoxLayout()
        right.setSpacing(10)
        right.addWidget(self._who_title)
        right.addWidget(who)
        right.addLayout(self._links)
        right.addSpacing(8)
        right.addWidget(label("LIVE", "caps"))
        right.addWidget(self.live_values)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 0)
        row.setSpacing(28)
        row.addLayout(left, 5)
        row.addLayout(right, 6)

    # --- ports ----------------------------------------------------------------------------------------------

    def offer_simulated(self, port: str) -> None:
        """Offer the stand-in's port first."""
        self._simulated = port
        self.look_for_ports()

    def look_for_ports(self) -> None:
        """List the ports there are now."""
        clear(self._ports)
        found = serial_ports()
        if self._simulated:
            found.insert(0, Port(self._simulated, "simulated bike, runs beside this window"))
        for port in found:
            words = f"{Path(port.address).name}   {port.description}"
            one = button(words, partial(self.connect_to, port.address), "large", f"Connect to {port.address}")
            one.setStyleSheet("text-align: left;")
            one.setEnabled(not self.link.busy and self.desk.bike is not None)
            self._ports.addWidget(one)
        if not found:
            self._ports.addWidget(
                label("No serial port found. Plug in the lead or the dongle, then look again.", wrap=True)
            )

    def connect_to(self, port: str) -> None:
        """Ask for a contact."""
        self.link.connect_to(port)

    def _connect_typed(self) -> None:
        if (port := self._typed.text().strip()) and not self.link.busy and self.desk.bike is not None:
            self.connect_to(port)

    # --- what the link says ---------------------------------------------------------------------------------

    def _take_progress(self, text: str) -> None:
        self._progress = text
        self.news.emit()

    def _take_contact(self, made: ContactMade) -> None:
        self._backup_at = datetime.now()
        self.desk.take_contact(made.tune, made.backup)

    def _take_failure(self, why: str) -> None:
        self.live_values.take(None)
        if self.desk.bike is not None:
            self.desk.log("link", "Contact lost or refused", why)

    def _take_units(self) -> None:
        self.live_values.show_units(self.desk.units)

    def _take_bike(self) -> None:
        backups = self.desk.garage.backups(self.desk.bike_id) if self.desk.bike else []
        self._backup_at = backups[0][0] if backups else None
        self.look_for_ports()
        self._show()

    def _show(self) -> None:
        self.look_for_ports()
        clear(self._who)
        clear(self._links)
        contact = self.link.contact
        self._caution.setVisible(contact is None)
        if contact is None:
            self._who_title.setText("Nobody connected")
            self._who.addWidget(
                label(
                    self.link.busy
                    or "Choose a port. The first thing done is to ask who is there and to keep a backup.",
                    "quiet",
                    wrap=True,
                ),
                0,
                0,
            )
            self.live_values.take(None)
        else:
            who = contact.identity
            self._who_title.setText(f"{who.product} answers")
            rows = [
                ("maker", who.vendor),
                ("serial number", who.serial),
                ("firmware", who.firmware),
                ("port", contact.port),
                (
                    "backup",
                    f"{len(contact.backup.registers)} settings, kept {time_words(self._backup_at) if self._backup_at else ''}",
                ),
            ]
            for row, (name, value) in enumerate(rows):
                self._who.addWidget(label(name, "quiet"), row, 0)
                self._who.addWidget(label(value), row, 1)
            self._who.setColumnStretch(1, 1)
            self._links.addWidget(button("Let go", self.link.disconnect_now, "large", "Let go of the controller"))
            self._links.addWidget(button("Export the backup", self._export, "large"))
            self._links.addStretch(1)
        self.news.emit()

    def _export(self) -> None:
        if self.link.contact is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, "Export the backup", "backup.json", "Backup documents (*.json)")
        if name:
            try:
                store.write(Path(name), self.link.contact.backup)
            except DocumentError as error:
                self.desk.said.emit("stop", str(error))

    # --- the job line and the footer ------------------------------------------------------------------------

    def state(self) -> BoltState:
        if self.link.contact is not None:
            return BoltState.DONE
        return BoltState.IN_WORK if self.link.busy or self._backup_at else BoltState.UNTOUCHED

    def caption(self) -> str:
        if self.link.contact is not None:
            return f"{self.link.contact.identity.product} · backup kept"
        if self.link.busy:
            return "connecting"
        return f"not connected · backup {time_words(self._backup_at)}" if self._backup_at else "not connected"

    def meaning(self) -> tuple[str, str]:
        contact = self.link.contact
        if self.desk.bike is None:
            return "FIRST THE BIKE", "Open a bike on Build: a backup belongs to a bike."
        if contact is not None:
            return "WHAT IT HOLDS", (
                f"All <b>{len(contact.backup.registers)} settings</b> were read and kept before anything else. Nothing has been written. "
                "Whatever you send later, this state can come back."
            )
        if self.link.busy:
            return "CONNECTING", f"{self._progress[:1].upper()}{self._progress[1:]} …"
        return (
            "WHAT HAPPENS",
            "Connecting only reads: who is there, which firmware, every setting. Nothing is written on this page.",
        )

    def act_text(self) -> str:
        return "Set the tune" if self.link.contact else ""

    def act(self) -> None:
        self.go.emit(4)
