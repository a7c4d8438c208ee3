"""What Send says."""

from __future__ import annotations

from crisp_hornet.documents.backup import Backup
from crisp_hornet.link.difference import Change
from crisp_hornet.link.report import Held, Outcome, Report
from crisp_hornet.link.session import ContactMade
from crisp_hornet.link.way_back import WayBack

STAND = "The bike stands safe: driven wheel in the air or held, hands clear of it, throttle closed."
CALIBRATION = "Calibrations too. Only if motor and sensors are the ones they were taken on: old offsets on a changed motor make it jump."
SENDING = ("SENDING", "Each value is written at standstill and read back. Stopping takes back what was written.")
NOT_CONNECTED = ("NOT CONNECTED", "Hook up the controller to send. The draft stays as it is.")
NOT_SHOWN = (
    "WHICH BIKE IS IT",
    "Before the first write of a contact the bike itself shows that it is the one under your hands. Nothing has been written.",
)
UNKEPT = (
    "RUNS, BUT IS NOT KEPT",
    "The controller runs this already, but power-off would bring the earlier values back. Keeping it writes them for good.",
)
CYCLE = "Turn the key off, wait until the connection is lost, and turn it on again: everything is then read anew and compared."
CYCLE_WAITS = (
    "The connection is lost. Turn the key on: when the same controller answers, everything is read and compared."
)
WHAT_HAPPENS = (
    "WHAT HAPPENS",
    "What asks less of the bike is written first. Each value is read back; at the end everything is compared. If anything "
    "fails, what was written is taken back and you are told what the controller holds.",
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
        return f"{drafted} changes are drafted" if drafted else "Nothing to send"
    if unkept:
        return "It runs, but power-off would undo it"
    count = f"{len(changes)} change{'s' if len(changes) != 1 else ''}"
    if backup is not None:
        return f"{count} to put the backup of {backup.taken[:16].replace('T', ', ')} back"
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
