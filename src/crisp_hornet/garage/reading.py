"""Rows read as documents, each by itself: one that cannot be read is remembered as unreadable and costs no other."""

from __future__ import annotations

from typing import Any, Protocol, TypeVar

from crisp_hornet.documents import store
from crisp_hornet.documents.backup import BACKUP_VERSION, Backup
from crisp_hornet.documents.base import Part
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.calibration import CALIBRATION_VERSION, Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import TUNE_VERSION, Tune

Document = TypeVar("Document", bound=Part)
VERSIONS: dict[type[Part], int] = {
    Bike: BIKE_VERSION,
    Tune: TUNE_VERSION,
    Backup: BACKUP_VERSION,
    Calibration: CALIBRATION_VERSION,
}


class Row(Protocol):
    """A row that holds a document."""

    id: Any
    document: Any


class Reading:
    """The part of the garage that reads documents. ``unreadable``: the numbers of the rows that are none, by what they are of."""

    unreadable: dict[str, set[int]]

    def _read(self, kind: type[Document], row: Row, what: str) -> Document | None:
        return self._parsed(kind, row.document, what, row.id)

    def _parsed(self, kind: type[Document], data: Any, what: str, number: int) -> Document | None:
        try:
            if not isinstance(data, dict):
                raise DocumentError(what, "", "is no document", "")
            return store.parse(kind, f"crisp-hornet/{kind.__name__.lower()}", VERSIONS[kind], data, what)
        except DocumentError:
            self.unreadable.setdefault(what, set()).add(number)
            return None

    @property
    def unreadable_words(self) -> str:
        """What could not be read so far, in words; "" for nothing."""
        return ", ".join(
            f"{len(numbers)} {what}{'s' if len(numbers) != 1 else ''}"
            for what, numbers in sorted(self.unreadable.items())
            if numbers
        )
