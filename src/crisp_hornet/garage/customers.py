"""Customers: whose bikes these are, how they are reached, what they allowed. Kept apart: no bike, ride or line names them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store
from crisp_hornet.documents.customer import CUSTOMER_VERSION, MOST_BIKES, Customer, What
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import BikeRow, CustomerRow, new_uid

FORMAT = "crisp-hornet/customer"


@dataclass(frozen=True)
class KeptCustomer:
    """A customer of the garage, by their name in every garage."""

    uid: str
    customer: Customer


class Customers:
    """All customers, by ``uid``. A bike is one customer's, or nobody's: then it is the workshop's own."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def all(self) -> list[KeptCustomer]:
        """In the order of their names; one that cannot be read costs no other."""
        with self._store.session() as session:
            return sorted(self._read(session), key=lambda one: one.customer.name.casefold())

    def get(self, uid: str) -> Customer:
        """One of them. Raises :class:`DocumentError` where there is none."""
        found = next((one.customer for one in self.all() if one.uid == uid), None)
        if found is None:
            raise DocumentError(str(self._store.folder), "customer", "is not there any more", "Choose another.")
        return found

    def keep(self, customer: Customer, uid: str | None = None) -> str:
        """Keep a new customer, or one as they now are; gives the ``uid``."""
        with self._store.session() as session:
            row = session.scalar(select(CustomerRow).where(CustomerRow.uid == uid)) if uid else None
            if row is None:
                row = CustomerRow(uid=uid or new_uid())
                session.add(row)
            row.document = store.dump(customer)
            return str(row.uid)

    def of_bike(self, bike_uid: str) -> KeptCustomer | None:
        """Whose a bike is; None: the workshop's own."""
        return next((one for one in self.all() if bike_uid in one.customer.bikes), None)

    def hand(self, bike_uid: str, to: str | None, on: date) -> None:
        """A bike is another customer's from a day on, or nobody's. Raises :class:`DocumentError` where they have too many."""
        for one in self.all():
            if one.uid == to and len(one.customer.bikes) >= MOST_BIKES:
                raise DocumentError(
                    one.customer.name, "bikes", f"has {MOST_BIKES} already", "Keep them as two customers."
                )
            if bike_uid in one.customer.bikes and one.uid != to:
                self.keep(one.customer.without_bike(bike_uid), one.uid)
            elif one.uid == to and bike_uid not in one.customer.bikes:
                self.keep(one.customer.with_bike(bike_uid, on), one.uid)

    def allow(self, bike_uid: str, what: What) -> bool:
        """Whether something may be done with a bike's rides: its customer said yes, or it is the workshop's own."""
        owner = self.of_bike(bike_uid)
        return owner is None or owner.customer.allows(what)

    def bikes(self, uid: str) -> list[tuple[int, str]]:
        """Number and name of the bikes of a customer that are in this garage."""
        theirs = self.get(uid).bikes
        with self._store.session() as session:
            rows = session.scalars(select(BikeRow).order_by(BikeRow.name))
            return [(row.id, row.name) for row in rows if row.uid in theirs]

    def _read(self, session: Session) -> list[KeptCustomer]:
        found = []
        for row in session.scalars(select(CustomerRow)):
            try:
                where = f"{self._store.folder}: customer"
                found.append(
                    KeptCustomer(str(row.uid), store.parse(Customer, FORMAT, CUSTOMER_VERSION, row.document, where))
                )
            except DocumentError:
                self._store.cannot_read("customer", row.id)
        return found
