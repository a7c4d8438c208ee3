"""Faults: which stand, what they mean, and clearing them."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import CANOPEN
from crisp_hornet.link.contact import Contact, read_live
from crisp_hornet.link.errors import LinkError


@dataclass(frozen=True)
class StandingFault:
    """A fault as a person wants it: code, name, meaning, usual causes, what to check next."""

    code: int
    name: str
    meaning: str
    causes: list[str]
    check: str
    shown: str  # the code as such controllers' papers write it

    @property
    def text(self) -> str:
        """All of it in one line."""
        causes = f" Usually: {', '.join(self.causes)}." if self.causes else ""
        return f"fault {self.shown}, {self.name}: {self.meaning}{causes} {self.check}"


def explain(controller_map: ControllerMap, code: float) -> StandingFault | None:
    """The fault of a code; None for 0."""
    if not code:
        return None
    known = controller_map.fault_of(code)
    if known is None:
        return StandingFault(int(code), "not described", "The controller's description does not say what this code means.", [],
                             "Look it up in the maker's papers.", code_text(controller_map, code))  # fmt: skip
    shown = code_text(controller_map, code)
    return StandingFault(known.code, known.name, known.meaning, list(known.causes), known.check, shown)


def code_text(controller_map: ControllerMap, code: float) -> str:
    """A fault's code: the error codes of CANopen are written in hex."""
    return f"0x{int(code):04X}" if controller_map.line.kind == CANOPEN else f"{int(code)}"


def standing_fault(contact: Contact) -> StandingFault | None:
    """The fault that stands now. Raises :class:`LinkError`."""
    return explain(contact.map, read_live(contact).values.get("fault", 0.0))


def clear_faults(contact: Contact) -> StandingFault | None:
    """Clear the faults; returns the one that still stands because its cause does. Raises :class:`LinkError`."""
    if contact.map.commands.clear_faults is None:
        raise LinkError(
            "Clearing faults", "this controller has no such command", "Switch it off and on after mending the cause."
        )
    contact.line.act(Act.CLEAR_FAULTS)
    return standing_fault(contact)
