"""The garage that a command works on."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.garage.garage import Garage, default_folder
from crisp_hornet.garage.opening import GarageError


@contextmanager
def garage_at(folder: Path | None) -> Iterator[Garage]:
    """A garage, one's own where no folder is given; made where there is none. Raises :class:`BadInput`."""
    try:
        garage = Garage(folder or default_folder())
    except GarageError as error:
        raise BadInput(str(error)) from error
    try:
        yield garage
    finally:
        garage.close()


def bike_called(garage: Garage, name: str) -> int:
    """The number of a bike. Raises :class:`BadInput` where there is none of that name."""
    bikes = garage.glance.bikes()
    found = next((bike.id for bike in bikes if bike.name == name), None)
    if found is None:
        known = ", ".join(bike.name for bike in bikes) or "none"
        raise BadInput(f"{garage.folder}: no bike is called {name!r}. Known: {known}.")
    return found
