"""One guarded session with one controller: who it is, what it holds, and the only way to write to it.

Whatever is written, from whichever door, is an operation (``operations.py``) that the session admits or refuses with the reason:
never to another bike than the one that is open, never before the bike has shown itself where hands are there to do so, never with
questions left open. A session is made anew for each contact; what was confirmed or shown for an earlier one does not count.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import Contact, Live, make_contact, read_live
from crisp_hornet.link.doubts import Doubt, doubts
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.gate import Stopped
from crisp_hornet.link.line import Identity, Line, Raws
from crisp_hornet.link.marker import Interrupted, Journal, resolve, unreadable
from crisp_hornet.link.operations import Hearing, Operation, Question, SendTune
from crisp_hornet.link.report import Outcome, Progress, Report, refused
from crisp_hornet.link.send import same_controller
from crisp_hornet.link.squeeze import Squeeze, can_show
from crisp_hornet.link.transports import ANSWER_S

SHOW_FIRST = "The bike has not shown yet that it is the one under your hands: confirm the bike on Hook-up or Send first"


@dataclass(frozen=True)
class Standing:
    """What the live values say about the controller itself."""

    unkept: bool = False
    held_off: bool = False

    @classmethod
    def of(cls, controller_map: ControllerMap, live: Live) -> Standing:
        """Read off the live values."""
        inhibit = controller_map.inhibit
        return cls(
            unkept=live.values.get(controller_map.unkept or "", 0.0) != 0,
            held_off=inhibit is not None and live.values.get(inhibit.state, 0.0) == 1,
        )


@dataclass(frozen=True)
class ContactMade:
    """What is known of a contact, for whoever shows it; it holds no line. ``interrupted`` is what an interrupted send left; ``shown``
    says by what the bike has shown that it is the one under the hands ("" until it has); ``hands``: somebody is there to do so."""

    port: str
    identity: Identity
    map: ControllerMap
    raws: Raws
    tune: Tune | None  # None where what it holds makes no valid tune
    backup: Backup
    expected_serial: str | None = None
    interrupted: Interrupted | None = None
    shown: str = ""
    hands: bool = True
    standing: Standing = Standing()

    @property
    def unkept(self) -> bool:
        """Whether something runs that power-off would take back."""
        return self.standing.unkept

    @property
    def held_off(self) -> bool:
        """Whether the motor is disabled, because sensors were being changed."""
        return self.standing.held_off

    @property
    def doubts(self) -> list[Doubt]:
        """What speaks against it being the right controller."""
        return doubts(self.identity, self.map, self.expected_serial, self.shown)

    @property
    def is_another(self) -> bool:
        """Whether it is another bike's controller."""
        return any(doubt.id == "wrong-bike" for doubt in self.doubts)

    @property
    def blocked(self) -> str:
        """Why nothing at all is written to it, or ""."""
        return next((doubt.text for doubt in self.doubts if doubt.blocks), "")

    @property
    def ways_to_show(self) -> list[str]:
        """By what this controller can show which bike it sits on."""
        return can_show(self.map)

    def questions(self, operation: Operation) -> list[Question]:
        """What must be confirmed before an operation."""
        open_ = (
            [Question(doubt.id, f"{doubt.text}.") for doubt in self.doubts if not doubt.blocks]
            if operation.settles
            else []
        )
        return [*open_, *operation.questions(self)]

    def refusal(self, operation: Operation, confirmed: Collection[str]) -> str:
        """Why an operation is not admitted, or ""."""
        if self.blocked:
            return self.blocked
        if self.hands and not self.shown:
            return SHOW_FIRST
        if why := operation.refusal(self):
            return why
        left = [question for question in self.questions(operation) if question.id not in confirmed]
        if not left:
            return ""
        told = "; ".join(one.text.rstrip(".") for one in left)
        return f"{told}. Confirm with --confirm {' '.join(one.id for one in left)}"


class Session:
    """An open line to a known controller, and what was seen of it."""

    def __init__(self, line: Line, contact: Contact, made: ContactMade, journal: Journal | None) -> None:
        self._line, self._journal = line, journal
        self.contact, self.made = contact, made
        self.squeeze = Squeeze()

    def close(self) -> None:
        """Close the line."""
        self._line.close()

    def take(self, live: Live) -> bool:
        """One more reading of the live values; whether what is known changed by it."""
        before = (self.squeeze.by, self.squeeze.pulls, self.made.standing)
        self.squeeze.take(live)
        shown, standing = self.made.shown or self.squeeze.by, Standing.of(self.made.map, live)
        self.made = replace(self.made, shown=shown, standing=standing)
        return before != (self.squeeze.by, self.squeeze.pulls, standing)

    def prove_by_hand(self, words: str) -> None:
        """The bike was identified in another way, said in ``words``."""
        self.made = replace(self.made, shown=words)

    def refusal(self, operation: Operation, confirmed: Collection[str] = ()) -> str:
        """Why an operation would not be admitted as things stand, or "". Its watch list is made anew here, whoever asks."""
        if isinstance(operation, SendTune):
            operation = operation.judged(self.made, self.contact.sound_tune(operation.tune.name))
        return self.made.refusal(operation, confirmed)

    def perform(
        self,
        operation: Operation,
        confirmed: Collection[str] = (),
        progress: Callable[[Progress], None] = lambda _progress: None,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> Report:
        """Admit an operation or refuse it, and carry it out on the controller that was identified."""
        try:
            if why := self.refusal(operation, confirmed):
                return refused(why)
            same_controller(self.contact)
        except LinkError as error:
            return refused(str(error))
        try:
            report = operation.run(self.contact, Hearing(progress, cancelled, self._journal))
        except Stopped as stopped:
            report = refused(str(stopped))
        except LinkError as error:
            report = Report(Outcome.NOT_PROVED, str(error))
        self._look(report)
        return report

    def _look(self, report: Report) -> None:
        """What stands after an operation. An interrupted send is history once another was proved."""
        left = self.made.interrupted
        if report.outcome is Outcome.PROVED and report.held:
            left = None
        standing = replace(self.made.standing, held_off=report.held_off)
        try:
            standing = Standing.of(self.made.map, read_live(self.contact))
        except LinkError:
            pass  # the line is gone: what the report says is the last that is known
        self.made = replace(self.made, raws=dict(self.contact.raws), interrupted=left, standing=standing)


def _left_over(contact: Contact, journal: Journal | None, standing: Standing) -> Interrupted | None:
    """What an interrupted send left on this controller."""
    try:
        marker = journal.found(contact.identity.serial) if journal is not None else None
    except DocumentError as error:
        return unreadable(contact.identity, error.reason)
    return resolve(marker, contact, standing.unkept) if marker is not None else None


def open_session(
    port: str,
    maps: Sequence[ControllerMap],
    expected_serial: str | None,
    journal: Journal | None,
    hands: bool,
    said: Callable[[str], None],
    answer_s: float = ANSWER_S,
    first: ControllerMap | None = None,
) -> Session:
    """Find who answers at a port, identify, read and back up everything, and see how it stands. ``first``: who answered there before.

    Raises :class:`~crisp_hornet.link.errors.LinkError` and :class:`~crisp_hornet.documents.errors.DocumentError`.
    """
    said("identifying the controller")
    line = open_line(port, maps, answer_s, first)
    try:
        contact, backup = make_contact(line, said)
        standing = Standing.of(contact.map, read_live(contact))
        tune = contact.sound_tune(f"On {contact.identity.product}")
        left = _left_over(contact, journal, standing)
        if left is not None and left.settled and journal is not None:
            journal.settle(contact.identity.serial)
        made = ContactMade(
            port,
            contact.identity,
            contact.map,
            dict(contact.raws),
            tune,
            backup,
            expected_serial,
            left,
            "",
            hands,
            standing,
        )
    except BaseException:
        line.close()
        raise
    return Session(line, contact, made, journal)
