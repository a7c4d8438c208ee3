"""Before the first write of a contact: the bike shows that it is the one under the hands."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.link.session import ContactMade
from crisp_hornet.link.squeeze import PULLS

WAYS = {"brake": "pull the brake lever twice", "back": "turn the wheel back by hand"}


def asked(contact: ContactMade) -> str:
    """What to do, in words."""
    ways = contact.ways_to_show
    if ways:
        done = " or ".join(WAYS[way] for way in ways)
        return f"{done[:1].upper()}{done[1:]}: the live values must show it. This confirms bike, connection and lever."
    return (
        "This controller shows neither brake lever nor turning direction. Type the serial number from its label instead: "
        "it must be the one that answers."
    )


class IdentifyPanel(QWidget):
    """Says what to do and how far it is; with a simulated bike, hands to do it."""

    shown = pyqtSignal()

    def __init__(self, link: Link) -> None:
        super().__init__()
        self._link = link
        self._simulated = Simulated()
        self._words = label("", wrap=True)
        self._so_far = label("", "quiet", wrap=True)
        self._typed = QLineEdit()
        self._typed.setAccessibleName(tr("serial number on the label"))
        fix(self._typed, high=44)
        self._typed.returnPressed.connect(self._take_typed)
        self._hands = QWidget()
        hands = QHBoxLayout(self._hands)
        hands.setContentsMargins(0, 0, 0, 0)
        hands.setSpacing(10)
        hands.addWidget(label("Hands on the simulated bike:", "quiet"))
        self._lever = button("Brake lever", lambda: None, "large", "Pull the simulated brake lever")
        self._lever.pressed.connect(lambda: self._simulated.act("brake 1"))
        self._lever.released.connect(lambda: self._simulated.act("brake 0"))
        self._wheel = button("Turn the wheel back", lambda: None, "large", "Turn the simulated wheel back")
        self._wheel.pressed.connect(lambda: self._simulated.act("turn-back 1"))
        self._wheel.released.connect(lambda: self._simulated.act("turn-back 0"))
        hands.addWidget(self._lever)
        hands.addWidget(self._wheel)
        hands.addStretch(1)
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(label("SHOW WHICH BIKE THIS IS", "caps"))
        for one in (self._words, self._so_far, self._typed, self._hands):
            column.addWidget(one)
        link.shown_changed.connect(self.refresh)

    def offer_hands(self, simulated: Simulated) -> None:
        """There is a simulated bike to lay hands on."""
        self._simulated = simulated
        self.refresh()

    def refresh(self) -> None:
        """Say what is so now."""
        contact = self._link.contact
        if contact is None:
            return
        self._words.setText(f"Shown by {contact.shown}." if contact.shown else asked(contact))
        pulls = min(self._link.lever_pulls, PULLS)
        self._so_far.setText(f"lever worked {pulls} of {PULLS} times" if pulls and not contact.shown else "")
        self._typed.setVisible(not contact.ways_to_show and not contact.shown)
        self._hands.setVisible(
            contact.port in self._simulated.ports and bool(contact.ways_to_show) and not contact.shown
        )
        self.shown.emit()

    def _take_typed(self) -> None:
        contact = self._link.contact
        if contact is None:
            return
        if self._typed.text().strip() == contact.identity.serial:
            self._link.prove_by_hand("the serial number on its label")
        else:
            self._so_far.setText("Not the connected controller: another one, or a typing error.")
