"""The store below all that the garage keeps: its folder, sessions of its database, rows read as documents.

Each row is read by itself: one that cannot be read is remembered as unreadable and costs no other.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from crisp_hornet.documents import store
from crisp_hornet.documents.backup import BACKUP_VERSION, Backup
from crisp_hornet.documents.base import Part
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.calibration import CALIBRATION_VERSION, Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.tune import TUNE_VERSION, Tune
from crisp_hornet.garage.opening import DATABASE, failed

if TYPE_CHECKING:
    from sqlalchemy import Engine
    from sqlalchemy.orm import Session

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


class Store:
    """``unreadable``: the numbers of the rows that are no document, by what they are of."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.unreadable: dict[str, set[int]] = {}

    @cached_property
    def engine(self) -> Engine:
        """The database through SQLAlchemy, which is loaded when it is first needed."""
        from crisp_hornet.garage.database import open_engine

        return open_engine(self.folder / DATABASE)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that ends with what was done kept whole, or not at all. Raises :class:`DocumentError` where it cannot be."""
        from sqlalchemy.exc import DatabaseError, NoResultFound
        from sqlalchemy.orm import Session

        try:
            with Session(self.engine) as session, session.begin():
                yield session
        except (DatabaseError, NoResultFound) as error:
            raise failed(self.folder, error) from error

    def close(self) -> None:
        """Close the database, if it was opened."""
        if "engine" in self.__dict__:
            self.engine.dispose()

    def read(self, kind: type[Document], row: Row, what: str) -> Document | None:
        """The document of a row; None where it is none."""
        return self.parsed(kind, row.document, what, row.id)

    def parsed(self, kind: type[Document], data: Any, what: str, number: int) -> Document | None:
        """A column as a document; None where it is none."""
        try:
            if not isinstance(data, dict):
                raise DocumentError(what, "", "is no document", "")
            return store.parse(kind, f"crisp-hornet/{kind.__name__.lower()}", VERSIONS[kind], data, what)
        except DocumentError:
            self.cannot_read(what, number)
            return None

    def cannot_read(self, what: str, number: int) -> None:
        """Remember a row that is not what it should be."""
        self.unreadable.setdefault(what, set()).add(number)

    @property
    def unreadable_words(self) -> str:
        """What could not be read so far, in words; "" for nothing."""
        return ", ".join(counted(len(numbers), what) for what, numbers in sorted(self.unreadable.items()) if numbers)
