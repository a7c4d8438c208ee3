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
from dataclasses import dataclass, field, replace
from datetime import timedelta

from sqlalchemy import Connection, Engine, create_engine, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, DBAPIError, InterfaceError, OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.pool import NullPool

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import meeting
from crisp_hornet.garage.database import migrate, version_in
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.in_step import CHANGES, Elsewhere, InStep, LineLost, Stepping, WorkshopError
from crisp_hornet.garage.merging import CUSTOMERS, Key, Side
from crisp_hornet.garage.opening import DATABASE, NEWEST, TooNew
from crisp_hornet.garage.people_in_step import customers_in_step, erased_in_step
from crisp_hornet.garage.tables import BikeRow, FactRow, PresenceRow, new_uid

STORE, NUMBER, HERE = "crisp-hornet", "number", ("", "localhost", "127.0.0.1", "::1")
WHOLE_EVERY = 20  # steps
NOT_ERASED = "What was erased here stays in the shared garage: you may not erase there. Ask a member who may."
CONNECT_S, STATEMENT_MS, SEEN = 5, 20_000, timedelta(seconds=60)
UNSAFE = ("disable", "allow", "prefer")  # ways to connect that may send in the clear, in the terms of libpq


def checked(address: str) -> URL:
    """The address of a shared garage, with TLS required off the own machine. Raises :class:`WorkshopError`."""
    try:
        url = make_url(address)
    except ArgumentError:
        raise WorkshopError(f"{address!r} is no address. Write postgresql://user@host/database.") from None
    if not url.drivername.startswith("postgresql"):
        raise WorkshopError(f"A shared garage is postgresql://user@host/database, not {url.drivername}://.")
    if url.password is not None:
        words = "Leave the password out of the address, where others could read it: crisp-hornet workshop ADDRESS --password asks for it."
        raise WorkshopError(words)
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
        self._quiet = _Quiet()
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
                    connection.execute(insert(FactRow).values(name=CHANGES, value="0").on_conflict_do_nothing())
                elif (version := version_in(connection)) != NEWEST:
                    raise WorkshopError(
                        f"The shared garage has tables of version {version or 'none'}, this application those of {NEWEST}. "
                        "Let a member who may change them open it once with the newest application, and use that here too."
                    )
            with self._session() as session:
                self.reads_only = self.reads_only and not session.scalar(
                    text("select has_table_privilege('bike', 'insert')")
                )
                self.sees_customers = bool(session.scalar(text("select has_table_privilege('customer', 'select')")))
                self.may_erase = not self.reads_only and bool(
                    session.scalar(text("select has_table_privilege('erased', 'insert')"))
                )
                self.writes_customers = self.sees_customers and not self.reads_only
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
                lately = PresenceRow.at > func.now() - SEEN
                benches = session.scalar(select(func.count()).select_from(PresenceRow).where(lately))
        except DBAPIError as error:
            raise _lost(error) from error
        return int(bikes or 0), int(benches or 0)

    # --- in step ------------------------------------------------------------------------------------------------

    def bring_in_step(
        self, garage: Garage, decided: Mapping[str, Mapping[Key, Side]] | None = None, open_bike: str | None = None
    ) -> InStep:
        """Bring all bikes of a bench's garage in step with the shared ones; ``decided``: by bike, whose counts. Raises :class:`LineLost`,
        :class:`~crisp_hornet.documents.errors.DocumentError` where the bench's own garage cannot be read."""
        try:
            before = _state_of(garage)
            with self.engine.connect() as line:  # one for the whole step
                there = self._count_of(line)
                if not decided and self._quiet.is_as_before(before, there):
                    return replace(self._quiet.told, changed=(), others=self._presence(garage, line, open_bike))
                with garage.store.session() as session:
                    own = [_named(row) for row in session.scalars(select(BikeRow))]
                erased = erased_in_step(garage, line, self.may_erase, self.sees_customers)
                fights = {}
                if self.sees_customers:
                    fights[CUSTOMERS] = customers_in_step(
                        garage, line, self.number, not self.writes_customers, (decided or {}).get(CUSTOMERS, {})
                    )
                with self._session(line) as session:
                    shared = list(session.scalars(select(BikeRow.uid).where(BikeRow.uid.is_not(None))))
                one = Stepping(garage, line, self.number, self.reads_only)
                steps, refused = [], [NOT_ERASED] if erased.kept_there else []
                for uid in dict.fromkeys([*own, *map(str, shared)]):
                    if uid in erased.uids:
                        continue
                    try:
                        steps.append(one.of(uid, (decided or {}).get(uid, {})))
                    except (DBAPIError, DocumentError) as error:  # it costs its bike alone, but for a lost line
                        told = _lost(error) if isinstance(error, DBAPIError) else error
                        if isinstance(told, LineLost):
                            raise
                        refused.append(str(told))
                others = self._presence(garage, line, open_bike)
        except DBAPIError as error:
            raise _lost(error) from error
        step = InStep(
            (*erased.bikes, *(number for step in steps for number in step.changed)),
            {uid: found for step in steps for uid, found in step.conflicts.items()}
            | {table: found for table, found in fights.items() if found},
            tuple(uid for step in steps for uid in step.held),
            others,
            tuple(refused),
        )
        self._quiet = _Quiet(before, there, step)
        return step

    def _count_of(self, line: Connection) -> str:
        """How often the shared garage was changed, as those who change it count."""
        with self._session(line) as session, session.begin():
            known = session.get(FactRow, CHANGES)
            return known.value if known is not None else ""

    def _presence(self, garage: Garage, line: Connection, open_bike: str | None) -> tuple[Elsewhere, ...]:
        """Say who is here, and hear who is elsewhere."""
        bench = meeting.number_of(garage)
        with self._session(line) as session, session.begin():
            now = session.scalars(select(func.now())).one()  # by one clock, the server's
            if not self.reads_only:
                session.merge(PresenceRow(bench=bench, who=self.who, bike_uid=open_bike, at=now))
            rows = session.scalars(select(PresenceRow).where(PresenceRow.bench != bench, PresenceRow.at > now - SEEN))
            return tuple(Elsewhere(row.who, row.bike_uid) for row in rows)


@dataclass
class _Quiet:
    """How both sides were when they were last brought in step, and what that came to. While neither has changed nothing is compared; but
    each so many steps all is, since a database may be changed by other hands."""

    here: object = None
    there: str | None = None
    told: InStep = field(default_factory=InStep)
    passed: int = 0

    def is_as_before(self, here: object, there: str) -> bool:
        """Whether there is nothing to compare."""
        self.passed += 1
        return self.passed < WHOLE_EVERY and self.there is not None and (here, there) == (self.here, self.there)


def _state_of(garage: Garage) -> object:
    """What is another with every change of a bench's own garage: its database's files, and what it remembers of meetings."""
    files = [garage.folder / DATABASE, garage.folder / f"{DATABASE}-wal"]
    stats = [file.stat() for file in files if file.exists()]
    return tuple((one.st_mtime_ns, one.st_size) for one in stats)


def _named(row: BikeRow) -> str:
    row.uid = row.uid or new_uid()
    return row.uid


def _lost(error: DBAPIError) -> WorkshopError:
    """A failure of the line or the database in words."""
    why = str(error.orig).strip().splitlines()[0][:160] if error.orig is not None else str(error)[:160]
    if any(word in why for word in ("password", "authentication", "role", "does not exist")):
        return WorkshopError(f"The shared garage does not let this member in: {why}. Check address, name and password.")
    if not isinstance(error, OperationalError | InterfaceError):
        return WorkshopError(f"The shared garage does not take this: {why}. It stays on this bench.")
    return LineLost(f"The shared garage cannot be reached: {why}. Work goes on here and is taken up when it is back.")
