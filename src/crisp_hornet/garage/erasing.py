"""Erased for good: a bike with all that is known of it, a customer, or where rides went. Nothing brings it back: what was erased stays
known by its name, and no archive and no other bench may return it.

The rows go first, in one transaction; their files, and what else lies in the folder, after that. A marker stands until both are done, so
that a kill in between is finished at the next start. At last the database is written anew: SQLite leaves deleted text in free pages
(*VACUUM* and *PRAGMA secure_delete* in its documentation).
"""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Iterable
from contextlib import closing
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Literal

import polars as pl
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from crisp_hornet.core.ride.track import POSITIONS, without_positions
from crisp_hornet.documents import wire
from crisp_hornet.documents.channels import UNITS
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import meeting, opening
from crisp_hornet.garage.fleet import forget
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.merging import CUSTOMERS
from crisp_hornet.garage.opening import ATTACHMENTS, COPIES, DATABASE, RECORDINGS, RIDES, UNFINISHED
from crisp_hornet.garage.settings import OF_BIKE, of_bike, of_ride
from crisp_hornet.garage.story import TABLES
from crisp_hornet.garage.story import of_bike as rows_of_bike
from crisp_hornet.garage.tables import BikeRow, CustomerRow, ErasedRow, EventRow, PresenceRow, RideRow, new_uid
from crisp_hornet.rides.exchange import panics_unsaid, write_parquet
from crisp_hornet.rides.recorder import bike_of, left_behind
from crisp_hornet.rides.registry import read_ride

What = Literal["bike", "customer", "positions"]


@dataclass(frozen=True)
class Thing:
    """What is to be erased: a bike, a customer, or the positions of a ride, by its name in every garage."""

    what: What
    uid: str


@dataclass
class Gone:
    """What went with the rows: names of files, the numbers that bikes and rides had here, names of bikes, rides whose file is to lose its
    positions."""

    files: set[str] = field(default_factory=set)
    bikes: set[int] = field(default_factory=set)
    rides: set[int] = field(default_factory=set)
    uids: set[str] = field(default_factory=set)
    tracks: set[str] = field(default_factory=set)
    names: set[str] = field(default_factory=set)


def erased(session: Session) -> dict[str, What]:
    """All that was erased in a garage, by its name."""
    return {row.uid: row.what for row in session.scalars(select(ErasedRow))}  # type: ignore[misc]


def erase(garage: Garage, things: Iterable[Thing]) -> set[int]:
    """Erase for good; gives the numbers that bikes had. Raises :class:`DocumentError`: then what is left to do is done at the next
    start."""
    with garage.store.session() as session:
        gone = carry_out(session, things)
        _mark(garage, gone)
    finish(garage)
    return gone.bikes


def erase_customer(garage: Garage, uid: str, with_bikes: bool) -> set[int]:
    """A customer, with their bikes and all that is known of them; or the bikes stay, without where they were ridden."""
    things = [Thing("customer", uid)]
    bikes = list(garage.customers.get(uid).bikes)
    if with_bikes:
        things += [Thing("bike", one) for one in bikes]
    else:
        things += positions_of(garage, bikes)
    return erase(garage, things)


def positions_of(garage: Garage, bike_uids: Iterable[str]) -> list[Thing]:
    """The positions of all rides of some bikes, where their files still hold them."""
    found = []
    with garage.store.session() as session:
        rows = session.scalars(
            select(RideRow).join(BikeRow, RideRow.bike_id == BikeRow.id).where(BikeRow.uid.in_(list(bike_uids)))
        )
        for row in rows:
            row.uid = row.uid or new_uid()
            if _tells_where(garage.folder / RIDES / Path(row.file).name):
                found.append(Thing("positions", row.uid))
    return found


def tracks_of(garage: Garage, ride_uids: Iterable[str]) -> set[str]:
    """The files of some rides."""
    with garage.store.session() as session:
        rows = session.scalars(select(RideRow.file).where(RideRow.uid.in_(list(ride_uids))))
        return {Path(name).name for name in rows}


def carry_out(session: Session, things: Iterable[Thing], with_customers: bool = True) -> Gone:
    """The rows of it, in the transaction that is open; in a bench's garage or in the shared one. ``with_customers``: whether their table
    may be touched."""
    gone, known, now = Gone(), erased(session), datetime.now().astimezone()
    for thing in things:
        if thing.uid not in known:
            session.add(ErasedRow(uid=thing.uid, what=thing.what, at=now))
        if thing.what == "bike":
            _bike(session, thing.uid, gone)
            if with_customers:
                _disown(session, thing.uid)
        elif thing.what == "customer":
            gone.uids.add(thing.uid)
            if with_customers:
                session.execute(delete(CustomerRow).where(CustomerRow.uid == thing.uid))
        else:
            gone.uids.add(thing.uid)
            gone.tracks |= set(session.scalars(select(RideRow.file).where(RideRow.uid == thing.uid)))
    session.flush()
    return gone


def _bike(session: Session, uid: str, gone: Gone) -> None:
    bike = session.scalar(select(BikeRow).where(BikeRow.uid == uid))
    gone.uids.add(uid)
    if bike is None:
        return
    gone.bikes.add(bike.id)
    gone.names.add(bike.name)
    gone.rides |= set(session.scalars(select(RideRow.id).where(RideRow.bike_id == bike.id)))
    for table in (RideRow, EventRow):
        gone.files |= {str(one) for one in session.scalars(select(table.file).where(table.bike_id == bike.id)) if one}
    for table_ in TABLES.values():
        session.execute(delete(table_).where(rows_of_bike(table_, bike.id)))
    for seen in session.scalars(select(PresenceRow).where(PresenceRow.bike_uid == uid)):
        seen.bike_uid = None
    session.delete(bike)


def _disown(session: Session, uid: str) -> None:
    """A bike that is no customer's any more."""
    for row in session.scalars(select(CustomerRow)):
        document = dict(row.document)
        if isinstance(document.get("bikes"), dict) and uid in document["bikes"]:
            row.document = {**document, "bikes": {one: since for one, since in document["bikes"].items() if one != uid}}


# --- what lies beside the rows ----------------------------------------------------------------------------------


def _mark(garage: Garage, gone: Gone) -> None:
    told = {name: sorted(values) for name, values in asdict(gone).items()}
    left = [{name: sorted(values) for name, values in asdict(one).items()} for one in _marked(garage)]
    wire.write_object(garage.folder / UNFINISHED, {"left": [*left, told]}, private=True)


def _marked(garage: Garage) -> list[Gone]:
    try:
        left = wire.read_object(garage.folder / UNFINISHED).get("left")
    except DocumentError:
        return []
    names = Gone.__dataclass_fields__
    sound = [one for one in left if isinstance(one, dict) and set(one) == set(names)] if isinstance(left, list) else []
    return [Gone(**{name: set(one[name]) for name in names}) for one in sound]


def finish(garage: Garage) -> None:
    """Delete what the rows that went had beside them, here and in the free pages of the database. Raises :class:`DocumentError`."""
    marked = _marked(garage)
    if not marked:
        return
    with garage.store.session() as session:
        known = erased(session)
    try:
        for gone in marked:
            if gone.uids <= known.keys():  # else its rows are there still
                _beside(garage, gone)
        if any(known.get(uid) != "positions" for gone in marked for uid in gone.uids):  # rows hold no positions
            shutil.rmtree(garage.folder / COPIES, ignore_errors=True)  # of the database as it was before
            _written_anew(garage)
    except OSError as error:
        why = (error.strerror or "it cannot be written").lower()
        raise DocumentError(
            str(garage.folder),
            "",
            f"what was erased lies there still in part: {why}",
            "Mend that, and start again: it is finished then.",
        ) from error
    (garage.folder / UNFINISHED).unlink(missing_ok=True)


def _beside(garage: Garage, gone: Gone) -> None:
    """Files, preferences, and what is remembered of meetings with other garages."""
    named = {Path(name).name for name in garage.glance.files()}
    for name in gone.files - named:
        for folder in (RIDES, ATTACHMENTS):
            (garage.folder / folder / Path(name).name).unlink(missing_ok=True)
    forget(garage, gone.files - named)
    for recording in left_behind(garage.folder / RECORDINGS):
        if bike_of(recording) in gone.names:
            recording.unlink(missing_ok=True)
    for track in gone.tracks - gone.files:
        forget_positions(garage.folder / RIDES / Path(track).name)
    theirs = {of_bike(what, bike) for what in OF_BIKE for bike in gone.bikes} | {of_ride(ride) for ride in gone.rides}
    garage.settings.forget(theirs)
    for uid in gone.uids:
        (garage.folder / meeting.MET / f"{Path(uid).name}.json").unlink(missing_ok=True)
    met = meeting.met_by(garage, CUSTOMERS)
    if any(key[1] in gone.uids for one in met.values() for key in one.rows):
        kept = {
            peer: meeting.Met(one.count, {key: row for key, row in one.rows.items() if key[1] not in gone.uids})
            for peer, one in met.items()
        }
        meeting.remember(garage, CUSTOMERS, kept)


def _written_anew(garage: Garage) -> None:
    garage.store.close()
    try:
        with closing(
            sqlite3.connect(garage.folder / DATABASE, timeout=opening.BUSY_S, isolation_level=None)
        ) as connection:
            connection.execute("vacuum")
            busy, *_ = connection.execute("pragma wal_checkpoint(truncate)").fetchone()
    except sqlite3.Error as error:
        raise OSError(0, str(error)) from error
    if busy:
        raise OSError(0, "another window holds the garage")


# --- where rides went -------------------------------------------------------------------------------------------


def forget_positions(file: Path) -> None:
    """A ride's file without positions. One that cannot be read may still hold them: it goes."""
    if not file.exists():
        return
    try:
        ride = read_ride(file).ride
    except DocumentError:
        file.unlink(missing_ok=True)
        return
    write_parquet(without_positions(ride), file)
    file.chmod(0o600)


def _tells_where(file: Path) -> bool:
    """Whether a ride's file may hold positions: its columns tell; where they are not ours, or cannot be read, it may."""
    if not file.exists():
        return False
    try:
        with panics_unsaid():
            columns = set(pl.read_parquet_schema(file))
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError):
        return True
    return not columns.isdisjoint(POSITIONS) or not columns <= {"time_s", *UNITS}
