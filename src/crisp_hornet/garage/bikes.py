"""The bikes of the garage."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select

from crisp_hornet.documents import store
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import BikeRow, new_uid


class Bikes:
    """All bikes, by number; one of them was opened last."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def save(self, bike: Bike) -> int:
        """Keep a bike under its name; returns its number."""
        with self._store.session() as session:
            row = session.scalar(select(BikeRow).where(BikeRow.name == bike.name))
            if row is None:
                row = BikeRow(name=bike.name)
                session.add(row)
            row.document, row.opened_at, row.archived = store.dump(bike), datetime.now().astimezone(), False
            session.flush()
            return row.id

    def update(self, bike_id: int, bike: Bike) -> None:
        """Keep a bike's document as it now is; its name may have changed."""
        with self._store.session() as session:
            row = session.get_one(BikeRow, bike_id)
            row.name, row.document = bike.name, store.dump(bike)

    def get(self, bike_id: int) -> Bike:
        """The document of a bike."""
        with self._store.session() as session:
            row = session.get_one(BikeRow, bike_id)
            return store.parse(
                Bike, "crisp-hornet/bike", BIKE_VERSION, row.document, f"{self._store.folder}: bike {row.name}"
            )

    def uid(self, bike_id: int) -> str:
        """What a bike is called in every garage that it comes to."""
        with self._store.session() as session:
            row = session.get_one(BikeRow, bike_id)
            row.uid = row.uid or new_uid()
            return row.uid

    def open(self, bike_id: int) -> int:
        """Make a bike the one opened last; it comes out of the archive. Returns its number."""
        with self._store.session() as session:
            row = session.get_one(BikeRow, bike_id)
            row.opened_at, row.archived = datetime.now().astimezone(), False
        return bike_id

    def archive(self, bike_id: int) -> int:
        """Put a bike away; nothing of it is lost. Returns its number."""
        with self._store.session() as session:
            session.get_one(BikeRow, bike_id).archived = True
        return bike_id
