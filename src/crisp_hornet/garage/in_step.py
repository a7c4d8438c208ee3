"""One bike brought in step on both sides: a bench's garage and the one that it shares with others.

What is here is read first, and written last: while the line is waited for nothing is held here. There all is one transaction, under the
bike's own lock.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, select, text
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import meeting
from crisp_hornet.garage.archive import MOST_RIDE
from crisp_hornet.garage.book import ENDINGS
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.meeting import Came, Met
from crisp_hornet.garage.merging import BIKE, Conflict, Key, Merged, Row, Side
from crisp_hornet.garage.opening import ATTACHMENTS, RIDES
from crisp_hornet.garage.story import changing, looks_sound, rows_of, values_of
from crisp_hornet.garage.tables import NEVER, BikeRow, ErasedRow, EventRow, FileRow, RideRow

CHANGES = "changes"  # the fact that counts them


def count_change(there: Session) -> None:
    """The shared garage is another now: whoever looks compares again."""
    there.execute(text("update fact set value = (value::bigint + 1)::text where name = :name"), {"name": CHANGES})


class WorkshopError(Exception):
    """The shared garage cannot be used: what, why, what to do."""


class LineLost(WorkshopError):
    """It cannot be reached just now; work goes on here."""


@dataclass(frozen=True)
class Elsewhere:
    """Another bench: who is at it, and which bike is open there."""

    who: str
    bike_uid: str | None


@dataclass(frozen=True)
class InStep:
    """What one step came to: bikes that changed here, by number; what both sides changed otherwise, by bike; ``held``: bikes that changed
    here and may not be written there, since the member only reads; ``refused``: why a bike could not be brought in step, in words."""

    changed: tuple[int, ...] = ()
    conflicts: Mapping[str, list[Conflict]] = field(default_factory=dict)
    held: tuple[str, ...] = ()
    others: tuple[Elsewhere, ...] = ()
    refused: tuple[str, ...] = ()


@dataclass(frozen=True)
class Stepping:
    """A step under way: over a ``line`` to the shared garage of that ``number``."""

    garage: Garage
    line: Connection
    number: str
    reads_only: bool

    def of(self, uid: str, decided: Mapping[Key, Side]) -> InStep:
        """One bike. While the line is waited for nothing is held here: what is here is read before, and written afterwards."""
        base = meeting.met_by(self.garage, uid).get(self.number, Met())
        with self.garage.store.session() as here:
            row = here.scalar(select(BikeRow).where(BikeRow.uid == uid))
            mine = _read(here, row) if row is not None else None
        held = new = False
        with Session(self.line) as there, there.begin():
            there.execute(text("select pg_advisory_xact_lock(hashtext(:uid))"), {"uid": uid})
            row = there.scalar(select(BikeRow).where(BikeRow.uid == uid))
            if row is None:
                if _is_erased(there, uid):
                    return InStep()  # since this step began
                if mine is None or self.reads_only:
                    return InStep(held=(uid,) if mine is not None else ())
                row, base, new = _copy(there, mine.document, uid), Met(base.count), True
            theirs = _read(there, row)
            mine, theirs, base = _sound(mine, theirs, base)
            came = self._came(there, theirs, mine)
            shared = dict(came.content)
            undecided: set[Key] = set()
            if mine is not None:
                result = meeting.settled(mine.rows, came, base.rows, decided)
                undecided = {one.key for one in result.conflicts}
                held = self._give(there, row, mine, came, result, shared)
            if new or (mine is not None and shared != came.content):
                count_change(there)
            there.commit()  # first: what a cut undoes here is found there again
        return self._take(uid, came, base, decided, shared, undecided, held)

    def _came(self, there: Session, theirs: _Story, mine: _Story | None) -> Came:
        """What is there, with the files that are not here yet; what names a file that cannot be had stays there alone."""
        new = {key: name for key, name in theirs.files.items() if mine is None or key not in mine.columns}
        files = {key: name for key, name in new.items() if _fetched(self.garage, there, key[0], name)}
        own_name = mine.name if mine is not None and _same_name(mine.name, theirs.name) else theirs.name
        content = {key: row for key, row in theirs.rows.items() if key not in new or key in files}
        columns = {key: row for key, row in theirs.columns.items() if key in content}
        return Came(content | {BIKE: _with_name(theirs.document, own_name)}, columns, files)

    def _give(
        self,
        there: Session,
        row: BikeRow,
        mine: _Story,
        came: Came,
        result: Merged,
        shared: dict[Key, Row],
    ) -> bool:
        """What is new or newer here, there; ``shared`` becomes what is there then. Whether it was held back, since this member
        only reads."""
        after: dict[Key, Row] = {**mine.rows, **{key: new for key, new in result.changes.items() if new is not None}}
        for key in [key for key, new in result.changes.items() if new is None]:
            del after[key]
        for one in result.conflicts:  # what waits for a person stays as it is there
            if (stands := came.content.get(one.key)) is None:
                after.pop(one.key, None)
            else:
                after[one.key] = stands
        if self.reads_only:
            return after != shared
        own = {key: kept for key, kept in rows_of(there, row).items() if key in came.content}
        given = Came(after, {}, {})
        for key in list(after):
            name = mine.files.get(key)
            if key not in own and name and not _store(self.garage, there, key[0], name):
                del after[key]  # its file is gone here: that is told where it is opened
                continue
            if key != BIKE:
                newer_there = key in result.changes or key not in mine.columns
                given.columns[key] = (came if newer_there else mine).columns[key]
            if key not in own and name:
                given.files[key] = name
        own_name = row.name if _same_name(str(after[BIKE]["name"]), row.name) else str(after[BIKE]["name"])
        given = replace(given, content=after | {BIKE: _with_name(after[BIKE], own_name)})
        base = {key: content for key, (_, content) in own.items()} | {BIKE: row.document}
        meeting.bring(there, row, own, given, base, {})
        there.flush()
        shared.clear()
        shared.update(after)
        return False

    def _take(
        self,
        uid: str,
        came: Came,
        base: Met,
        decided: Mapping[Key, Side],
        shared: dict[Key, Row],
        undecided: set[Key],
        held: bool,
    ) -> InStep:
        """What came, here; and what both have in common now."""
        with self.garage.store.session() as here:
            row = here.scalar(select(BikeRow).where(BikeRow.uid == uid))
            made = row is None
            if row is None and _is_erased(here, uid):
                self._drop_files(came)
                return InStep()  # since this step began
            if row is None:
                row = _copy(here, came.content[BIKE], uid)
                row.opened_at = NEVER  # which was opened last here is told by this bench alone
                for key in came.columns:
                    meeting.add(here, row.id, key, came)
                conflicts: list[Conflict] = []
                changed = True
                shared[BIKE] = dict(row.document)
            else:
                result = meeting.bring(
                    here, row, rows_of(here, row), came, base.rows, decided, meeting.keeper(self.garage)
                )
                conflicts, changed = result.conflicts, bool(result.changes)
                undecided = undecided | {one.key for one in conflicts}
            number = row.id
        agreed = {key: content for key, content in shared.items() if key not in undecided}
        agreed |= {key: content for key, content in base.rows.items() if key in undecided}
        kept = changing(agreed)
        if kept != base.rows:
            meeting.remember(
                self.garage, uid, meeting.met_by(self.garage, uid) | {self.number: Met(base.count + 1, kept)}
            )
        return InStep(
            (number,) if made or changed else (), {uid: conflicts} if conflicts else {}, (uid,) if held else ()
        )

    def _drop_files(self, came: Came) -> None:
        """Files that were fetched for rows that are not made after all."""
        named = self.garage.glance.files()
        for (table, _), name in came.files.items():
            if name not in named:
                (_folder(self.garage, table) / name).unlink(missing_ok=True)


@dataclass(frozen=True)
class _Story:
    """A bike on one side, read: its name and document, and by row what is compared, its columns, its file; ``unsound``: rows that are
    damaged there."""

    name: str
    document: Row
    rows: dict[Key, Row]
    columns: dict[Key, dict[str, Any]]
    files: dict[Key, str]
    unsound: frozenset[Key]

    def without(self, keys: frozenset[Key]) -> _Story:
        """The same but for some rows."""
        return replace(
            self,
            rows={key: one for key, one in self.rows.items() if key not in keys},
            columns={key: one for key, one in self.columns.items() if key not in keys},
            files={key: one for key, one in self.files.items() if key not in keys},
        )


def _sound(mine: _Story | None, theirs: _Story, base: Met) -> tuple[_Story | None, _Story, Met]:
    """Both sides without what is damaged on either: that is compared with nothing, so it neither spreads nor looks as if it had been
    deleted."""
    out = theirs.unsound | (mine.unsound if mine is not None else frozenset())
    if not out:
        return mine, theirs, base
    kept = {key: row for key, row in base.rows.items() if key not in out}
    return mine.without(out) if mine is not None else None, theirs.without(out), Met(base.count, kept)


def _read(session: Session, bike: BikeRow) -> _Story:
    """Raises :class:`DocumentError` where the bike itself cannot be read: it is left alone on both sides then."""
    store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, bike.document, f"bike {bike.name}")
    rows = rows_of(session, bike)
    return _Story(
        bike.name,
        dict(bike.document),
        {key: content for key, (_, content) in rows.items()} | {BIKE: dict(bike.document)},
        {key: values_of(row) for key, (row, _) in rows.items()},
        {key: str(row.file) for key, (row, _) in rows.items() if isinstance(row, RideRow | EventRow) and row.file},
        frozenset(key for key, (row, _) in rows.items() if not looks_sound(key[0], values_of(row))),
    )


def _is_erased(session: Session, uid: str) -> bool:
    return session.scalar(select(ErasedRow.id).where(ErasedRow.uid == uid)) is not None


def _copy(session: Session, document: Row, uid: str) -> BikeRow:
    """The bike itself on the other side; its rows follow."""
    name = meeting.free_name(session, str(document["name"]))
    now = datetime.now().astimezone()
    made = BikeRow(name=name, document=_with_name(document, name), opened_at=now, archived=False, uid=uid)
    session.add(made)
    session.flush()
    return made


def _with_name(document: Row, name: str) -> dict[str, object]:
    return {**document, "name": name}


def _same_name(here: str, there: str) -> bool:
    """Whether a bike is called otherwise on one side only because its name was taken there."""
    return here == there or here.startswith(f"{there[:180]}, ") or there.startswith(f"{here[:180]}, ")


def _folder(garage: Garage, table: str) -> Path:
    return garage.folder / (RIDES if table == "rides" else ATTACHMENTS)


def _store(garage: Garage, there: Session, table: str, name: str) -> bool:
    """A file of here, there; once. Whether it could be read."""
    if there.get(FileRow, name) is None:
        try:
            data = wire.read_bytes(_folder(garage, table) / Path(name).name, MOST_RIDE)
        except DocumentError:
            return False
        there.add(FileRow(name=name, data=data))
        there.flush()
    return True


def _fetched(garage: Garage, there: Session, table: str, name: str) -> bool:
    """A file of there, here, before any row names it; whether it is there and of a kind that is kept. Raises :class:`DocumentError` where
    it cannot be written."""
    if Path(name).name != name or Path(name).suffix not in (".parquet", *ENDINGS):
        return False
    place = _folder(garage, table) / name
    if not place.exists():
        kept = there.get(FileRow, name)
        if kept is None:
            return False
        place.parent.mkdir(exist_ok=True, mode=0o700)
        wire.write_bytes(place, kept.data, private=True)
        there.expunge(kept)
    return True
