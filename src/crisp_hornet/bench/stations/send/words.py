"""What Send says."""

from __future__ import annotations

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.saying import counted
from crisp_hornet.link.difference import Change
from crisp_hornet.link.report import Held, Outcome, Report
from crisp_hornet.link.session import ContactMade
from crisp_hornet.link.way_back import WayBack

STAND = "The bike is secured: driven wheel lifted or blocked, hands clear of it, throttle closed."
CALIBRATION = "Restore calibrations too. Only with the same motor and sensors: wrong offsets can make the bike jump."
SENDING = ("SENDING", "Each value is written at standstill and read back. Stopping restores the old values.")
NOT_CONNECTED = ("NOT CONNECTED", "Hook up the controller to send. The draft stays as it is.")
BY_HAND = (
    "SET BY HAND",
    "Print the sheet or show it large, enter its values in their order, then type what the display shows. Only your eyes prove it.",
)
NOT_SHOWN = (
    "CONFIRM THE BIKE",
    "Once per connection, confirm on the bike itself that it is the connected one. Nothing has been written.",
)
UNKEPT = (
    "ACTIVE, BUT NOT PERMANENT",
    "These values are active, but a power cycle would restore the old ones. Making them permanent stores them.",
)
CYCLE = "Turn the key off, wait until the connection is lost, and turn it on again: everything is then read again and compared."
CYCLE_WAITS = (
    "The connection is lost. Turn the key on: when the same controller answers, everything is read and compared."
)
WHAT_HAPPENS = (
    "WHAT HAPPENS",
    "Reductions are written first. Each value is read back; at the end everything is compared. If anything "
    "fails, the old values are restored and you see what the controller holds.",
)


def to_confirm(left: int, total: int) -> tuple[str, str]:
    """What still keeps the main act from being pressed."""
    what = f"{left} of {total} points" if total > 1 else "One point"
    return (
        "CONFIRM FIRST",
        f"{what} below the difference {'are' if left > 1 else 'is'} not confirmed yet. Nothing has been written.",
    )


def headline(
    report: Report | None,
    contact: ContactMade | None,
    backup: Backup | None,
    changes: list[Change],
    drafted: int,
    unkept: bool = False,
) -> str:
    """The page's title."""
    if report is not None:
        return {
            Outcome.PROVED: "Sent and proved",
            Outcome.REFUSED: "Refused",
            Outcome.NOT_PROVED: "Not proved",
            Outcome.STOPPED: "Stopped",
        }[report.outcome]
    if contact is None:
        return f"{counted(drafted, 'change')} drafted" if drafted else "Nothing to send"
    if unkept:
        return "Active, but a power cycle would undo it"
    count = counted(len(changes), "change")
    if backup is not None:
        return f"{count} to restore the backup of {backup.taken[:16].replace('T', ', ')}"
    return f"{count} for {contact.identity.product}"


def restore_note(found: WayBack | None) -> str:
    """What putting a backup back leaves alone."""
    if found is None:
        return ""
    parts = []
    if found.left_alone:
        parts.append(f"Calibrations left as they are: {'; '.join(found.left_alone)}")
    if found.unknown:
        parts.append(f"not known to this description: {', '.join(found.unknown)}")
    return ". ".join(parts) + "." if parts else ""


def verdict(report: Report) -> tuple[str, str]:
    """Severity and heading of a report's card."""
    if report.outcome is Outcome.STOPPED and (report.held_off or set(report.held.values()) - {Held.OLD}):
        return "stop", "Stopped: read what it holds"
    return {
        Outcome.PROVED: ("settled", "The controller has the new values"),
        Outcome.STOPPED: ("warn", "Stopped: it holds what it held before"),
        Outcome.REFUSED: ("warn", "Nothing was written"),
        Outcome.NOT_PROVED: ("stop", "Read this before you ride"),
    }[report.outcome]
