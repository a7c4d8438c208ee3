"""The customer document: who a bike belongs to, how they are reached, and what they allowed. No other document names a person."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.base import Part, Text

CUSTOMER_VERSION = 1
What = Literal["called", "compared", "positions"]
CALLED: What = "called"
COMPARED: What = "compared"
POSITIONS: What = "positions"
CONSENTS: dict[What, str] = {
    CALLED: "May be called when a part or a check is due",
    COMPARED: "Their rides may count in what is told of all bikes",
    POSITIONS: "Where they rode may be kept",
}
Contact = Annotated[str, Field(strict=True, max_length=500)]
Uid = Annotated[str, Field(strict=True, min_length=1, max_length=40)]
MOST_BIKES = 500


class Consent(Part):
    """Whether something was allowed, and on which day that was last said."""

    given: bool
    on: date


class Customer(Part):
    """A customer (``crisp-hornet/customer``). ``contact``: how they are reached, in their own words; ``consents``: by what of
    :data:`CONSENTS`, never asked where it is missing; ``bikes``: since when each of their bikes is theirs, by its ``uid``."""

    format: Literal["crisp-hornet/customer"] = "crisp-hornet/customer"
    version: Literal[1] = 1
    name: Text
    contact: Contact = ""
    consents: dict[What, Consent] = {}
    bikes: Annotated[dict[Uid, date], Field(max_length=MOST_BIKES)] = {}

    def allows(self, what: What) -> bool:
        """Whether they said yes, last they were asked."""
        consent = self.consents.get(what)
        return consent is not None and consent.given

    def with_consent(self, what: What, given: bool, on: date) -> Customer:
        """The same once they said yes or no."""
        return self._with(consents={**self.consents, what: Consent(given=given, on=on)})

    def with_bike(self, uid: str, on: date) -> Customer:
        """The same with one more bike."""
        return self._with(bikes={**self.bikes, uid: self.bikes.get(uid, on)})

    def without_bike(self, uid: str) -> Customer:
        """The same without it."""
        return self._with(bikes={one: since for one, since in self.bikes.items() if one != uid})

    def _with(self, **changed: object) -> Customer:
        return Customer.model_validate({**dict(self), **changed})
