"""The proof that nothing else gives: key off, key on, and everything read again."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.link_worker import Link
from crisp_hornet.link.difference import said
from crisp_hornet.link.line import Identity, Raws
from crisp_hornet.link.report import Kept, Outcome, Report
from crisp_hornet.link.session import ContactMade

MOST_NAMED = 4


class PowerCycle(QObject):
    """Waits for the contact to be lost and taken up again, then compares with what was proved before."""

    judged = pyqtSignal(object)
    waits = pyqtSignal()

    def __init__(self, link: Link) -> None:
        super().__init__()
        self._link = link
        self._expected: Raws = {}
        self._identity: Identity | None = None
        self.lost = False
        link.failed.connect(self._take_loss)
        link.contact_made.connect(self._take_contact)

    @property
    def waiting(self) -> bool:
        """Whether the key is waited for."""
        return self._identity is not None

    def begin(self) -> None:
        """Remember what the controller holds now, and wait for the key."""
        contact = self._link.contact
        if contact is not None:
            self._expected, self._identity, self.lost = dict(contact.raws), contact.identity, False
            self._link.loss_expected = True
            self.waits.emit()

    def give_up(self) -> None:
        """Do not wait any longer; nothing is claimed."""
        self._expected, self._identity, self.lost = {}, None, False
        self._link.loss_expected = False
        self.waits.emit()

    def _take_loss(self, _why: str) -> None:
        if self.waiting:
            self.lost = True
            self.waits.emit()

    def _take_contact(self, made: ContactMade) -> None:
        if self._identity is None:
            return
        expected, identity, lost = self._expected, self._identity, self.lost
        self.give_up()
        if not lost:
            return  # connected anew by hand: nobody has seen it switched off
        self.judged.emit(judge(made, expected, identity))


def judge(made: ContactMade, expected: Raws, identity: Identity) -> Report:
    """What a contact after a power cycle proves about what was held before it."""
    if made.identity != identity:
        why = f"Another controller answers now: {made.identity.product} {made.identity.serial}, firmware {made.identity.firmware}"
        return Report(Outcome.NOT_PROVED, f"{why}. Nothing is known of the one that was sent to.")
    settings = [
        register for register in made.map.register_list if register.name in expected and register.access == "rw"
    ]
    lost = [setting for setting in settings if made.raws.get(setting.name) != expected[setting.name]]
    if not lost:
        count = len(settings)
        return Report(
            Outcome.PROVED,
            f"Proved by a power cycle: the connection was lost, and afterwards {count} of {count} settings read as before it.",
            {},
            Kept.POWER_CYCLED,
            count,
        )
    told = []
    for one in lost[:MOST_NAMED]:
        raw = made.raws.get(one.name)
        now = "cannot be read" if raw is None else said(one, one.decode(raw))
        told.append(f"{one.label} {said(one, one.decode(expected[one.name]))} before, now {now}")
    more = f" and {len(lost) - MOST_NAMED} more" if len(lost) > MOST_NAMED else ""
    return Report(
        Outcome.NOT_PROVED,
        f"Lost at the power cycle: {'; '.join(told)}{more}. Send it again, or put a backup back.",
    )
