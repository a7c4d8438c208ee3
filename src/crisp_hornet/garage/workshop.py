"""A garage that several benches share, in PostgreSQL: each bench works on a garage of its own, and is brought in step with the shared one.

So no act waits for a line: where it is lost the bench goes on with what it has, and what was done meanwhile is taken up when it is back, by
the same merge that brings a bike home from the road (:mod:`~crisp_hornet.garage.merging`). A bike is brought in step under a lock of its
own, in one transaction on each side; the shared side is committed first, so that a cut in between is a step that both sides then find done.
"""

from __future__ import annotations

import getpass
import socket
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy import Connection, Engine, create_engine, func, select, text
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, DBAPIError
from sqlalchemy.orm import Session
from sqlalchemy.pool import NullPool

from crisp_hornet.documents import wire
from crisp_hornet.garage import meeting
from crisp_hornet.garage.archive import MOST_RIDE
from crisp_hornet.garage.book import ENDINGS
from crisp_hornet.garage.database import migrate
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.meeting import Came, Met
from crisp_hornet.garage.merging import BIKE, Conflict, Key, Row, Side
from crisp_hornet.garage.opening import ATTACHMENTS, RIDES, TooNew
from crisp_hornet.garage.story import changing, rows_of, values_of
from crisp_hornet.garage.tables import NEVER, BikeRow, FactRow, FileRow, PresenceRow, new_uid

STORE, NUMBER, HERE = "crisp-hornet", "number", ("", "localhost", "127.0.0.1", "::1")
CONNECT_S, STATEMENT_MS, SEEN = 5, 20_000, timedelta(seconds=60)
UNSAFE = ("disable", "allow", "prefer")  # ways to connect that may send in the clear, in the terms of libpq


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
    here and may not be written there, since the member only reads."""

    changed: tuple[int, ...] = ()
    conflicts: Mapping[str, list[Conflict]] = field(default_factory=dict)
    held: tuple[str, ...] = ()
    others: tuple[Elsewhere, ...] = ()


def checked(address: str) -> URL:
    """The address of a shared garage, with TLS required off the own machine. Raises :class:`WorkshopError`."""
    try:
        url = make_url(address)
    except ArgumentError:
        raise WorkshopError(f"{address!r} is no address. Write postgresql://user@host/database.") from None
    if not url.drivername.startswith("postgresql"):
        raise WorkshopError(f"A shared garage is postgresql://user@host/database, not {url.drivername}://.")
    mode = url.query.get("sslmode")
    host = url.host or ""
    if host not in HERE and not host.startswith("/"):
        if mode in UNSAFE:
            raise WorkshopError(
                f"{host} is another machine: sslmode={mode} might send in the clear. Leave it out, or say verify-full."
            )
        if mode is None:
            url = url.update_query_dict({"sslmode": "verify-full", "sslrootcert": "system"})
    return url.set(drivername="postgresql+psycopg")


def password_of(address: str) -> str | None:
    """The password of a shared garage from the system's secret store; None where it has none, or there is no store. libpq's own ways (a
    password file, the environment) count then."""
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return None
    try:
        return keyring.get_password(STORE, checked(address).render_as_string())
    except KeyringError:
        return None


def keep_password(address: str, password: str) -> None:
    """Keep it in the system's secret store, never in a file of ours. Raises :class:`WorkshopError`."""
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        raise WorkshopError("The package keyring is missing: install crisp-hornet[workshop].") from None
    try:
        keyring.set_password(STORE, checked(address).render_as_string(), password)
    except KeyringError as error:
        raise WorkshopError(
            f"This system has no secret store that can be used: {error}. Use a password file of PostgreSQL."
        ) from None


class Workshop:
    """The shared garage. Call :meth:`close` when done."""

    def __init__(self, address: str, password: str | None = None, who: str = "") -> None:
        """Connect to it, and make or update its tables. Raises :class:`WorkshopError`."""
        url = checked(address)
        self.address, self.who = (
            url.set(password=None).render_as_string(),
            who or f"{getpass.getuser()} at {socket.gethostname()}",
        )
        if password is not None:
            url = url.set(password=password)
        options = {"connect_timeout": CONNECT_S, "options": f"-c statement_timeout={STATEMENT_MS}"}
        self.engine: Engine = create_engine(url, connect_args=options, poolclass=NullPool)
        try:
            with self.engine.begin() as connection:
                connection.execute(text("select pg_advisory_xact_lock(hashtext('crisp-hornet tables'))"))
                self.reads_only = not connection.scalar(text("select has_schema_privilege('public', 'create')"))
                if not self.reads_only:
                    migrate(connection)
            with self._session() as session:
                self.reads_only = self.reads_only and not session.scalar(
                    text("select has_table_privilege('bike', 'insert')")
                )
                self.number = self._number(session)
        except TooNew as error:
            raise WorkshopError(
                f"The shared garage comes from a newer version of the application ({error}). Update it here."
            ) from error
        except DBAPIError as error:
            self.engine.dispose()
            raise _lost(error) from error

    def _session(self, line: Connection | None = None) -> Session:
        return Session(line if line is not None else self.engine)

    def _number(self, session: Session) -> str:
        known = session.get(FactRow, NUMBER)
        if known is None and not self.reads_only:
            with suppress(DBAPIError), session.begin_nested():  # another bench may be first
                session.add(FactRow(name=NUMBER, value=new_uid()))
            session.commit()
            known = session.get(FactRow, NUMBER)
        return known.value if known is not None else ""

    def close(self) -> None:
        """Let go of the line."""
        self.engine.dispose()

    def counted(self) -> tuple[int, int]:
        """How many bikes there are, and benches that were heard lately. Raises :class:`LineLost`."""
        try:
            with self._session() as session:
                bikes = session.scalar(select(func.count()).select_from(BikeRow))
                lately = PresenceRow.at > datetime.now().astimezone() - SEEN
                benches = session.scalar(select(func.count()).select_from(PresenceRow).where(lately))
        except DBAPIError as error:
            raise _lost(error) from error
        return int(bikes or 0), int(benches or 0)

    # --- in step ------------------------------------------------------------------------------------------------

    def bring_in_step(
        self, garage: Garage, decided: Mapping[str, Mapping[Key, Side]] | None = None, open_bike: str | None = None
    ) -> InStep:
        """Bring all bikes of a bench's garage in step with the shared ones; ``decided``: by bike, whose counts. Raises :class:`LineLost`,
        :class:`~crisp_hornet.documents.errors.DocumentError`."""
        try:
            with garage.store.session() as session:
                own = [_named(row) for row in session.scalars(select(BikeRow))]
            with self.engine.connect() as line:  # one for the whole step
                with self._session(line) as session:
                    shared = list(session.scalars(select(BikeRow.uid).where(BikeRow.uid.is_not(None))))
                uids = dict.fromkeys([*own, *map(str, shared)])
                steps = [self._one(garage, line, uid, (decided or {}).get(uid, {})) for uid in uids]
                others = self._presence(garage, line, open_bike)
        except DBAPIError as error:
            raise _lost(error) from error
        return InStep(
            tuple(number for step in steps for number in step.changed),
            {uid: found for step in steps for uid, found in step.conflicts.items()},
            tuple(uid for step in steps for uid in step.held),
            others,
        )

    def _one(self, garage: Garage, line: Connection, uid: str, decided: Mapping[Key, Side]) -> InStep:
        """One bike."""
        base = meeting.met_by(garage, uid).get(self.number, Met())
        with self._session(line) as there, there.begin(), garage.store.session() as here:
            there.execute(text("select pg_advisory_xact_lock(hashtext(:uid))"), {"uid": uid})
            theirs = there.scalar(select(BikeRow).where(BikeRow.uid == uid))
            mine = here.scalar(select(BikeRow).where(BikeRow.uid == uid))
            made = mine is None
            if theirs is None and self.reads_only:
                return InStep(held=(uid,))
            if theirs is None and mine is not None:
                theirs = _copy(there, mine)
                base = Met(base.count)
            if mine is None and theirs is not None:
                mine = _copy(here, theirs, meeting.free_name(here, theirs.name))
                mine.opened_at = NEVER  # which was opened last here is told by this bench alone
            assert mine is not None and theirs is not None
            rows = rows_of(here, mine)
            came = self._came(garage, there, theirs, mine, rows.keys())
            result = meeting.bring(here, mine, rows, came, base.rows, decided)
            here.flush()
            undecided = {one.key for one in result.conflicts}
            held = self._give(garage, here, there, mine, theirs, result.agreed, undecided)
            there.flush()
            agreed = dict(result.agreed)
            if not self.reads_only:  # both are the same now, but for what waits for a person
                own = {key: content for key, (_, content) in rows_of(here, mine).items()} | {BIKE: dict(mine.document)}
                agreed = {key: row for key, row in own.items() if key not in undecided}
                agreed |= {key: row for key, row in base.rows.items() if key in undecided}
            changed = (mine.id,) if made or result.changes else ()
            there.commit()  # first: what a cut undoes here is found there again
        kept = changing(agreed)
        if kept != base.rows:
            meeting.remember(garage, uid, meeting.met_by(garage, uid) | {self.number: Met(base.count + 1, kept)})
        return InStep(changed, {uid: result.conflicts} if result.conflicts else {}, (uid,) if held else ())

    def _came(self, garage: Garage, there: Session, theirs: BikeRow, mine: BikeRow, known: object) -> Came:
        came = Came({}, {}, {})
        for key, (row, content) in rows_of(there, theirs).items():
            came.content[key], came.columns[key] = content, values_of(row)
            name = getattr(row, "file", None)
            if name and key not in known:  # type: ignore[operator]
                came.files[key] = _fetched(garage, there, key[0], str(name))
        came.content[BIKE] = _with_name(
            theirs.document, mine.name if _same_name(mine.name, theirs.name) else theirs.name
        )
        return came

    def _give(
        self,
        garage: Garage,
        here: Session,
        there: Session,
        mine: BikeRow,
        theirs: BikeRow,
        agreed: Mapping[Key, Row],
        undecided: set[Key],
    ) -> bool:
        """What is new or newer here, there; whether something was held back, since this member only reads."""
        rows, own = rows_of(here, mine), rows_of(there, theirs)
        came = Came({}, {}, {})
        for key, (row, content) in rows.items():
            came.content[key], came.columns[key] = content, values_of(row)
            name = getattr(row, "file", None)
            if name and key not in own:
                if self.reads_only:
                    return True
                came.files[key] = str(name)
                _store(garage, there, key[0], str(name))
        came.content[BIKE] = _with_name(mine.document, theirs.name if _same_name(mine.name, theirs.name) else mine.name)
        for key in undecided:
            stands = theirs.document if key == BIKE else own[key][1] if key in own else None
            if stands is None:
                came.content.pop(key, None)
            else:
                came.content[key] = stands
        if self.reads_only:
            return any(key not in own for key in rows)
        base = {key: row for key, row in agreed.items() if key != BIKE} | {BIKE: theirs.document}
        meeting.bring(there, theirs, own, came, base, {})
        return False

    def _presence(self, garage: Garage, line: Connection, open_bike: str | None) -> tuple[Elsewhere, ...]:
        """Say who is here, and hear who is elsewhere."""
        now, bench = datetime.now().astimezone(), meeting.number_of(garage)
        with self._session(line) as session, session.begin():
            if not self.reads_only:
                session.merge(PresenceRow(bench=bench, who=self.who, bike_uid=open_bike, at=now))
            rows = session.scalars(select(PresenceRow).where(PresenceRow.bench != bench, PresenceRow.at > now - SEEN))
            return tuple(Elsewhere(row.who, row.bike_uid) for row in rows)


def _named(row: BikeRow) -> str:
    row.uid = row.uid or new_uid()
    return row.uid


def _copy(session: Session, bike: BikeRow, name: str | None = None) -> BikeRow:
    """The bike itself on the other side; its rows follow."""
    name = name or meeting.free_name(session, bike.name)
    made = BikeRow(
        name=name,
        document=_with_name(bike.document, name),
        opened_at=bike.opened_at,
        archived=bike.archived,
        uid=bike.uid,
    )
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


def _store(garage: Garage, there: Session, table: str, name: str) -> None:
    """A file of here, there; once."""
    if there.get(FileRow, name) is None:
        there.add(FileRow(name=name, data=wire.read_bytes(_folder(garage, table) / Path(name).name, MOST_RIDE)))
        there.flush()


def _fetched(garage: Garage, there: Session, table: str, name: str) -> str:
    """A file of there, here, before any row names it. Raises :class:`WorkshopError`: it is gone, or of a kind that is not kept."""
    safe = Path(name).name
    if Path(safe).suffix not in (".parquet", *ENDINGS):
        raise WorkshopError(f"The shared garage names a file that is not kept here: {name!r}.")
    place = _folder(garage, table) / safe
    if not place.exists():
        kept = there.get(FileRow, name)
        if kept is None:
            raise WorkshopError(f"The shared garage lacks a file that it names: {name!r}. Restore it from a backup.")
        place.parent.mkdir(exist_ok=True, mode=0o700)
        wire.write_bytes(place, kept.data, private=True)
        there.expunge(kept)
    return safe


def _lost(error: DBAPIError) -> WorkshopError:
    """A failure of the line or the database in words."""
    why = str(error.orig).strip().splitlines()[0][:160] if error.orig is not None else str(error)[:160]
    if "password" in why or "authentication" in why or "role" in why:
        return WorkshopError(f"The shared garage does not let this member in: {why}. Check name and password.")
    return LineLost(f"The shared garage cannot be reached: {why}. Work goes on here and is taken up when it is back.")
