"""Where to connect: ports of this machine, controllers in radio reach, or an address by hand."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.ports import Port, can_ports, serial_ports

BESIDE = "simulated bike, runs beside this window"


class PortsPanel(QWidget):
    """Large buttons, one per way in."""

    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk, link: Link) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self._simulated = Simulated()
        self._in_reach: list[Port] = []
        self._several: list[Port] = []
        link.several.connect(self._take_several)
        self._radio_words = label("", "quiet", wrap=True)
        self._radio_words.hide()
        self._ports = column_of(spacing=6)
        self._typed = QLineEdit()
        self._typed.setToolTip(
            tr("/dev/ttyUSB0, tcp://host:502, rtu+tcp://host:port, can://socketcan/can0, can://slcan/dev/ttyACM0")
        )
        self._typed.setAccessibleName(tr("port"))
        fix(self._typed, high=44)
        self._typed.returnPressed.connect(self._take_typed)
        self._radio_link = button("Look by Bluetooth", self.listen, "small", "Look for controllers by Bluetooth")
        self._scan = Background(LinkError)
        self._scan.done.connect(self._take_heard)
        self._scan.failed.connect(self._take_silence)
        head = QHBoxLayout()
        head.addWidget(label("PORTS", "caps"))
        head.addStretch(1)
        head.addWidget(self._radio_link)
        head.addSpacing(12)
        head.addWidget(button("Look again", self.look, "small"))
        column = column_of(self, margins=0, spacing=8)
        column.addLayout(head)
        column.addLayout(self._ports)
        column.addWidget(self._radio_words)
        column.addWidget(
            Captioned(
                "or type a port, as tcp://host:502 or can://slcan/dev/ttyACM0, then Enter", self._typed, above=True
            )
        )

    def offer_simulated(self, simulated: Simulated) -> None:
        """Offer the stand-in's ways in first."""
        self._simulated = simulated
        self.look()

    def look(self) -> None:
        """List what there is now."""
        clear(self._ports)
        beside = [Port(port, BESIDE) for port in self._simulated.ports]
        found = self._several + beside + self._in_reach + can_ports() + serial_ports()
        last = self._desk.held.last_port if self._desk.bike is not None else ""
        if last and last not in {one.address for one in found} and "://" in last:
            found.append(Port(last, "where this bike was last"))
        for port in found:
            name = port.address if "://" in port.address else Path(port.address).name
            one = button(
                f"{name}   {port.description}",
                partial(self.chosen.emit, port.address),
                "large",
                f"Connect to {port.address}",
            )
            one.setStyleSheet("text-align: left;")
            one.setEnabled(self._ready)
            self._ports.addWidget(one)
        if not found:
            self._ports.addWidget(
                label("No serial port found. Plug in the lead or the dongle, then look again.", wrap=True)
            )

    def listen(self) -> None:
        """Look for controllers by Bluetooth, beside."""
        from crisp_hornet.link.transports.bluetooth import scan

        radios = [one.bluetooth for one in self._link.maps if one.bluetooth is not None]
        self._say("listening …")
        self._scan.start(lambda: scan(radios))

    @property
    def _ready(self) -> bool:
        return not self._link.busy and self._desk.bike is not None

    def _take_typed(self) -> None:
        if (port := self._typed.text().strip()) and self._ready:
            self.chosen.emit(port)

    def _take_heard(self, found: list[Port]) -> None:
        self._in_reach = found
        self._say("" if found else "No known controller in range.")
        self.look()

    def _take_several(self, addresses: list[str]) -> None:
        """Several controllers answer at one port: each is offered by its address."""
        self._several = [Port(address, f"controller at address {address.rpartition('#')[2]}") for address in addresses]
        self.look()

    def _take_silence(self, error: Exception) -> None:
        self._in_reach = []
        self._say(str(error))

    def _say(self, words: str) -> None:
        self._radio_words.setText(words)
        self._radio_words.setVisible(bool(words))
