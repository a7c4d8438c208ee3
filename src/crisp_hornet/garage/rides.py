"""The rides of the garage: their channels in files, what is known of them in rows."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import select

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.track import without_positions
from crisp_hornet.documents import store
from crisp_hornet.documents.customer import POSITIONS
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.customers import Customers
from crisp_hornet.garage.opening import RIDES
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import BikeRow, RideRow
from crisp_hornet.rides.registry import read_ride


@dataclass(frozen=True)
class KeptRide:
    """A ride of the garage, its channels not yet loaded. ``tune`` is what was on the controller."""

    id: int
    name: str
    at: datetime
    file: Path
    tune: Tune | None
    card: RideCard = field(default_factory=RideCard)


class Rides:
    """Rides by bike: a Parquet file each in the folder ``rides``, and a row."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self.folder = store.folder / RIDES

    def keep(self, bike_id: int, ride: Ride, tune: Tune | None, card: RideCard | None = None) -> KeptRide:
        """Keep a ride's channels, list it, and remember the tune that was on the controller and what is known besides. Where its customer
        did not allow that, where it went is not kept."""
        from crisp_hornet.rides.exchange import write_parquet

        if not self.keeps_positions(bike_id):
            ride = without_positions(ride)

        name = f"{uuid.uuid4().hex}.parquet"
        write_parquet(ride, self.folder / name)
        (self.folder / name).chmod(0o600)
        with self._store.session() as session:
            row = RideRow(
                bike_id=bike_id,
                name=ride.name[:200],
                file=name,
                at=datetime.now().astimezone(),
                tune=store.dump(tune) if tune else None,
                card=card.model_dump(mode="json") if card else None,
            )
            session.add(row)
            session.flush()
            return self._kept(row)

    def keeps_positions(self, bike_id: int) -> bool:
        """Whether where a bike is ridden may be kept."""
        with self._store.session() as session:
            uid = session.get_one(BikeRow, bike_id).uid or ""
        return Customers(self._store).allow(uid, POSITIONS)

    def keep_card(self, ride_id: int, card: RideCard) -> None:
        """Keep what is known of a ride."""
        with self._store.session() as session:
            row = session.get(RideRow, ride_id)
            if row is not None:
                row.card = card.model_dump(mode="json")

    def keep_tune(self, ride_id: int, tune: Tune | None) -> None:
        """Keep which tune a ride was ridden on."""
        with self._store.session() as session:
            row = session.get(RideRow, ride_id)
            if row is not None:
                row.tune = store.dump(tune) if tune else None

    def of(self, bike_id: int) -> list[KeptRide]:
        """All rides of a bike, the newest first."""
        with self._store.session() as session:
            rows = session.scalars(
                select(RideRow).where(RideRow.bike_id == bike_id).order_by(RideRow.at.desc(), RideRow.id.desc())
            )
            return [self._kept(row) for row in rows]

    def load(self, kept: KeptRide) -> Ride:
        """The channels of a ride. Raises :class:`~crisp_hornet.rides.errors.RideError`."""
        ride = read_ride(kept.file).ride
        return replace(ride, name=kept.name)

    def _kept(self, row: RideRow) -> KeptRide:
        tune = self._store.parsed(Tune, row.tune, "ride's tune", row.id) if row.tune else None
        try:
            card = RideCard.model_validate(row.card or {})
        except ValidationError:
            card = RideCard()  # a damaged card costs the card, never the ride
        return KeptRide(row.id, str(row.name), row.at, self.folder / Path(str(row.file)).name, tune, card)
