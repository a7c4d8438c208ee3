"""The customers of the garage, as the stations ask for them."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.desk.open_bike import OpenBike

if TYPE_CHECKING:
    from crisp_hornet.documents.customer import Customer
    from crisp_hornet.garage.customers import KeptCustomer


class People(QObject):
    """``changed``: a customer is another than before."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike) -> None:
        super().__init__()
        self._bike, self._garage = bike, bike.garage

    def all(self) -> list[KeptCustomer]:
        """In the order of their names."""
        return self._bike.kept(self._garage.customers.all) or []

    def of_bike(self) -> str | None:
        """Whose the active bike is, by ``uid``; None: the workshop's own."""
        if self._bike.document is None:
            return None
        owner = self._garage.customers.of_bike(self._garage.bikes.uid(self._bike.id))
        return owner.uid if owner is not None else None

    def bikes(self, uid: str) -> list[tuple[int, str]]:
        """Number and name of a customer's bikes."""
        return self._bike.kept(lambda: self._garage.customers.bikes(uid)) or []

    def keep(self, customer: Customer, uid: str | None = None) -> str | None:
        """Keep a customer; gives the ``uid``, None (and it is said) where that failed."""
        kept = self._bike.kept(lambda: self._garage.customers.keep(customer, uid))
        self.changed.emit()
        return kept

    def hand(self, to: str | None) -> None:
        """The active bike is another customer's from today on, or nobody's."""
        bike = self._garage.bikes.uid(self._bike.id)
        self._bike.kept(lambda: self._garage.customers.hand(bike, to, datetime.now().astimezone().date()))
        self.changed.emit()

    def without_others(self, html: str) -> str:
        """A page for whoever the active bike belongs to, in which nobody else is named."""
        from crisp_hornet.garage.others import names_of_others, page_without_others

        bike = self._bike.document
        return page_without_others(html, names_of_others(self._garage, [bike.name])) if bike is not None else html

    # --- work for another thread --------------------------------------------------------------------------------

    def forget_where(self, uid: str) -> Callable[[], int]:
        """Erase where their rides went; gives how many."""
        from crisp_hornet.garage.erasing import erase, positions_of

        def work() -> int:
            things = positions_of(self._garage, self._garage.customers.get(uid).bikes)
            erase(self._garage, things)
            return len(things)

        return work

    def export(self, uid: str, path: Path) -> Callable[[], int]:
        """All that is known of a customer, into a file; gives how many bikes."""
        from crisp_hornet.garage.customer_export import export_customer

        return partial(export_customer, self._garage, uid, path)

    def erase(self, uid: str, with_bikes: bool) -> Callable[[], set[int]]:
        """Erase a customer for good; gives the numbers of the bikes that went."""
        from crisp_hornet.garage.erasing import erase_customer

        return partial(erase_customer, self._garage, uid, with_bikes)
