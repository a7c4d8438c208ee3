"""What is not of one bike, brought in step with a shared garage: what was erased, and the customers.

What was erased on either side is erased on the other before anything else is compared, so nothing carries it back. Customers are merged
as bikes are, figure by figure (:mod:`~crisp_hornet.garage.merging`).
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, delete, select, text
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.customer import CUSTOMER_VERSION, Customer
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import erasing, meeting
from crisp_hornet.garage.customers import FORMAT
from crisp_hornet.garage.erasing import Thing
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.in_step import count_change
from crisp_hornet.garage.meeting import Met
from crisp_hornet.garage.merging import CUSTOMERS, Conflict, Key, Row, Side, merged
from crisp_hornet.garage.tables import CustomerRow, FileRow, new_uid


@dataclass(frozen=True)
class Erasures:
    """``uids``: all that was erased on either side; ``bikes``: numbers of those that went here just now; ``kept_there``: how much this
    member erased here and may not erase there."""

    uids: frozenset[str]
    bikes: frozenset[int]
    kept_there: int


def erased_in_step(garage: Garage, line: Connection, may_erase: bool, sees_customers: bool) -> Erasures:
    """Carry out on each side what was erased on the other. Raises :class:`DocumentError` where that cannot be finished here."""
    with garage.store.session() as session:
        here = erasing.erased(session)
    with Session(line) as there, there.begin():
        shared = erasing.erased(there)
        new = here.keys() - shared.keys()
        if new and may_erase:
            there.execute(text("select pg_advisory_xact_lock(hashtext('erased'))"))
            shared = erasing.erased(there)
            _erase_there(garage, there, [Thing(here[uid], uid) for uid in new if uid not in shared], sees_customers)
    bikes: set[int] = set()
    if new_here := shared.keys() - here.keys():
        bikes = erasing.erase(garage, [Thing(shared[uid], uid) for uid in new_here])
    return Erasures(frozenset({*here, *shared}), frozenset(bikes), 0 if may_erase else len(new))


def _erase_there(garage: Garage, there: Session, things: list[Thing], sees_customers: bool) -> None:
    gone = erasing.carry_out(there, things, sees_customers)
    for name in gone.files:
        there.execute(delete(FileRow).where(FileRow.name == name))
    for name in gone.tracks - gone.files:
        if (kept := there.get(FileRow, name)) is not None:
            kept.data = _without_positions(garage, kept.data)
    count_change(there)
    there.flush()


def _without_positions(garage: Garage, data: bytes) -> bytes:
    """A ride's file without them; empty where it cannot be read: it might still hold them."""
    with tempfile.TemporaryDirectory(prefix=".crisp-hornet-", dir=garage.folder) as place:
        file = Path(place) / "ride.parquet"
        wire.write_bytes(file, data, private=True)
        erasing.forget_positions(file)
        return file.read_bytes() if file.exists() else b""


def customers_in_step(
    garage: Garage, line: Connection, number: str, reads_only: bool, decided: Mapping[Key, Side]
) -> list[Conflict]:
    """All customers, on both sides; what both changed otherwise stays as it is on each until somebody ``decided``. One that is damaged on
    either side is left alone on both."""
    base = meeting.met_by(garage, CUSTOMERS).get(number, Met())
    with garage.store.session() as here:
        mine = _read(here)
    with Session(line) as there, there.begin():
        there.execute(text("select pg_advisory_xact_lock(hashtext('customers'))"))
        theirs = _read(there)
        damaged = _damaged(mine) | _damaged(theirs)
        mine, theirs, met = (_without(damaged, rows) for rows in (mine, theirs, base.rows))
        result = merged(mine, theirs, met, decided)
        after = {**mine, **result.changes}
        for one in result.conflicts:
            after[one.key] = one.theirs
        given = {key: row for key, row in after.items() if row != theirs.get(key)}
        if given and not reads_only:
            _write(there, given)
            count_change(there)
    shared = theirs if reads_only else {key: row for key, row in after.items() if row is not None}
    with garage.store.session() as here:
        now = _read(here)  # what was changed here while the line was waited for is compared at the next step
        _write(here, {key: row for key, row in result.changes.items() if now.get(key) == mine.get(key)})
    open_still = {one.key for one in result.conflicts} | damaged
    agreed = _without(open_still, shared) | {key: row for key, row in base.rows.items() if key in open_still}
    if agreed != base.rows:
        peers = meeting.met_by(garage, CUSTOMERS) | {number: Met(base.count + 1, agreed)}
        meeting.remember(garage, CUSTOMERS, peers)
    return result.conflicts


def _read(session: Session) -> dict[Key, Row]:
    found: dict[Key, Row] = {}
    for row in session.scalars(select(CustomerRow)):
        row.uid = row.uid or new_uid()
        found[CUSTOMERS, row.uid] = dict(row.document) if isinstance(row.document, dict) else {}
    return found


def _damaged(rows: Mapping[Key, Row]) -> set[Key]:
    return {key for key, row in rows.items() if not _sound(row)}


def _sound(document: Row) -> bool:
    try:
        store.parse(Customer, FORMAT, CUSTOMER_VERSION, dict(document), "customer")
    except DocumentError:
        return False
    return True


def _without(keys: set[Key], rows: Mapping[Key, Row]) -> dict[Key, Row]:
    return {key: row for key, row in rows.items() if key not in keys}


def _write(session: Session, rows: Mapping[Key, Row | None]) -> None:
    for (_, uid), document in rows.items():
        if document is None:
            session.execute(delete(CustomerRow).where(CustomerRow.uid == uid))
            continue
        if not _sound(document):
            continue  # of two sound ones may come one that is not: it is not taken over
        row = session.scalar(select(CustomerRow).where(CustomerRow.uid == uid))
        if row is None:
            row = CustomerRow(uid=uid)
            session.add(row)
        row.document = dict(document)
