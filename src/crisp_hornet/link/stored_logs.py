"""Rides that the controller stored itself: listed and fetched as its description says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crisp_hornet.documents.controller_map import StoredLogs
from crisp_hornet.link.contact import Contact
from crisp_hornet.link.errors import Cancelled, LinkError

LONGEST_WORDS = 100
MOST_LOGS = 64


@dataclass(frozen=True)
class StoredLog:
    """One stored ride."""

    number: int
    rows: int
    seconds: float


def list_logs(contact: Contact) -> list[StoredLog]:
    """What is stored. Raises :class:`LinkError`."""
    logs = _logs(contact)
    count = min(contact.line.read_live(logs.count, 1)[0], MOST_LOGS)
    if not count:
        return []
    lengths = contact.line.read_live(logs.lengths, count)
    return [StoredLog(number, rows, rows * logs.interval_s) for number, rows in enumerate(lengths)]


def fetch_log(
    contact: Contact, log: StoredLog, progress: Callable[[int, int], None], cancelled: Callable[[], bool]
) -> dict[str, list[float]]:
    """The channels of a stored ride with ``time_s``. Raises :class:`LinkError`, :class:`Cancelled` when stopped."""
    logs = _logs(contact)
    row_words = sum(column.words for column in logs.column)
    at_once = max(1, LONGEST_WORDS // row_words)
    channels: dict[str, list[float]] = {"time_s": [], **{column.name: [] for column in logs.column}}
    for first in range(0, log.rows, at_once):
        if cancelled():
            raise Cancelled("Fetching the stored ride", "you stopped it", "Nothing was changed.")
        rows = min(at_once, log.rows - first)
        data = contact.line.read_file(logs.first_file + log.number, first, rows * row_words)
        words = [int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data), 2)]
        for row in range(rows):
            channels["time_s"].append((first + row) * logs.interval_s)
            at = row * row_words
            for column in logs.column:
                channels[column.name].append(column.value_of(contact.map.raw_of(words[at : at + column.words])))
                at += column.words
        progress(first + rows, log.rows)
    return channels


def _logs(contact: Contact) -> StoredLogs:
    if contact.map.logs is None:
        raise LinkError(
            "Stored rides", "this controller stores none that its description knows of", "Record live instead."
        )
    return contact.map.logs
