"""The logbook of the garage: what happened, in lines, some with a file."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import select

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.opening import ATTACHMENTS
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import EventRow

MOST_BYTES = 32 << 20
PICTURES = (".png", ".jpg", ".jpeg")
ENDINGS = (*PICTURES, ".pdf", ".txt", ".md", ".csv")


@dataclass(frozen=True)
class Entry:
    """One line of the logbook."""

    at: datetime
    kind: str
    title: str
    detail: str
    file: Path | None = None


class Book:
    """Lines by bike."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def log(
        self,
        bike_id: int,
        kind: str,
        title: str,
        detail: str = "",
        at: datetime | None = None,
        file: Path | None = None,
    ) -> Entry:
        """Write a line into the logbook, dated now unless said otherwise."""
        entry = Entry(at or datetime.now().astimezone(), kind, title[:300], detail, file)
        name = file.name if file is not None else None
        with self._store.session() as session:
            session.add(EventRow(bike_id=bike_id, kind=kind, title=entry.title, detail=detail, at=entry.at, file=name))
        return entry

    def attach(self, bike_id: int, path: Path, text: str) -> Entry:
        """A line with a copy of a file: a picture, a receipt, a text. Raises :class:`DocumentError`: too large, or of another kind."""
        if path.suffix.lower() not in ENDINGS:
            raise DocumentError(
                str(path),
                "",
                f"a {path.suffix or 'file without ending'} is not attached",
                f"Known: {', '.join(ENDINGS)}.",
            )
        kept = self.keep_file(wire.read_bytes(path, MOST_BYTES), path.suffix.lower())
        return self.log(bike_id, "note", text or path.name, path.name if text else "", file=kept)

    def keep_file(self, data: bytes, ending: str) -> Path:
        """A file of the attachments folder with these bytes."""
        folder = self._store.folder / ATTACHMENTS
        folder.mkdir(exist_ok=True, mode=0o700)
        kept = folder / f"{uuid.uuid4().hex}{ending}"
        wire.write_bytes(kept, data, private=True)
        return kept

    def of(self, bike_id: int) -> list[Entry]:
        """Every line of a bike's logbook, the newest first."""
        with self._store.session() as session:
            rows = session.scalars(
                select(EventRow).where(EventRow.bike_id == bike_id).order_by(EventRow.at.desc(), EventRow.id.desc())
            )
            return [Entry(row.at, str(row.kind), str(row.title), str(row.detail), self._file(row.file)) for row in rows]

    def _file(self, name: str | None) -> Path | None:
        return self._store.folder / ATTACHMENTS / Path(name).name if name else None
