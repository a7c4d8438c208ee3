"""The garage that a command works on."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.garage.garage import Garage, chosen, folder_of, is_shared
from crisp_hornet.garage.opening import GarageError


@contextmanager
def garage_at(where: str | None) -> Iterator[Garage]:
    """A garage, one's own where nothing is given; made where there is none. One that is shared is brought in step before and after. Raises
    :class:`BadInput`."""
    where = chosen(where)
    address = where if where and is_shared(where) else None
    try:
        garage = Garage(folder_of(where))
    except GarageError as error:
        raise BadInput(str(error)) from error
    try:
        if garage.unfinished:
            from crisp_hornet.garage.erasing import finish

            finish(garage)
        if address is not None:
            _in_step(garage, address)
        yield garage
        if address is not None:
            _in_step(garage, address)
    finally:
        garage.close()


def check_address(address: str) -> None:
    """Raises :class:`BadInput` for an address that is none, or unsafe, or where what it takes is not installed."""
    try:
        from crisp_hornet.garage.in_step import WorkshopError
        from crisp_hornet.garage.workshop import checked

        checked(address)
        import psycopg  # noqa: F401 - whether it is there
    except ImportError:
        raise BadInput(f"{address}: a shared garage takes crisp-hornet[workshop]. Install that.") from None
    except WorkshopError as error:
        raise BadInput(str(error)) from None


def _in_step(garage: Garage, address: str) -> None:
    from crisp_hornet.garage.in_step import WorkshopError
    from crisp_hornet.garage.workshop import Workshop, password_of

    check_address(address)
    try:
        workshop = Workshop(address, password_of(address))
        try:
            workshop.bring_in_step(garage)
        finally:
            workshop.close()
    except WorkshopError as error:
        raise BadInput(str(error)) from None


def bike_called(garage: Garage, name: str) -> int:
    """The number of a bike. Raises :class:`BadInput` where there is none of that name."""
    bikes = garage.glance.bikes()
    found = next((bike.id for bike in bikes if bike.name == name), None)
    if found is None:
        known = ", ".join(bike.name for bike in bikes) or "none"
        raise BadInput(f"{garage.folder}: no bike is called {name!r}. Known: {known}.")
    return found
