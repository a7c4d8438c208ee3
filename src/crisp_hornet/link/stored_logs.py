"""Rides that the controller stored itself: listed and fetched as its description says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crisp_hornet.documents.described import StoredLogs
from crisp_hornet.link.contact import Contact
from crisp_hornet.link.errors import Cancelled, LinkError
from crisp_hornet.link.line import Files

LONGEST_WORDS = 100


@dataclass(frozen=True)
class StoredLog:
    """One stored ride."""

    number: int
    rows: int
    seconds: float


def list_logs(contact: Contact) -> list[StoredLog]:
    """What is stored. Raises :class:`LinkError`."""
    logs, files = _logs(contact)
    return [StoredLog(number, rows, rows * logs.interval_s) for number, rows in enumerate(files.stored_rows())]


def fetch_log(
    contact: Contact, log: StoredLog, progress: Callable[[int, int], None], cancelled: Callable[[], bool]
) -> dict[str, list[float]]:
    """The channels of a stored ride with ``time_s``. Raises :class:`LinkError`, :class:`Cancelled` when stopped."""
    logs, files = _logs(contact)
    at_once = max(1, LONGEST_WORDS // sum(column.words for column in logs.column))
    channels: dict[str, list[float]] = {"time_s": [], **{column.name: [] for column in logs.column}}
    for first in range(0, log.rows, at_once):
        if cancelled():
            raise Cancelled("Fetching the stored ride", "you stopped it", "Nothing was changed.")
        rows = min(at_once, log.rows - first)
        for number, row in enumerate(files.read_rows(log.number, first, rows), start=first):
            channels["time_s"].append(number * logs.interval_s)
            for name, value in row.items():
                channels[name].append(value)
        progress(first + rows, log.rows)
    return channels


def _logs(contact: Contact) -> tuple[StoredLogs, Files]:
    logs, files = contact.map.logs, contact.line.files
    if logs is None or files is None:
        raise LinkError(
            "Stored rides", "this controller stores none that its description knows of", "Record live instead."
        )
    return logs, files
