"""Preferences kept with the garage, in a file beside its database."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError

FILE = "settings.json"
OF_BIKE = {
    "port": "port of bike {}",
    "sheet": "sheet of bike {}",
    "carried": "carried of bike {}",
    "ask": "ask {}",
    "promises": "promises {}",
}
OF_RIDE = "errors left in ride {}"


def of_bike(what: str, bike_id: int) -> str:
    """What a preference of :data:`OF_BIKE` is called that belongs to one bike, and is erased with it."""
    return OF_BIKE[what].format(bike_id)


def of_ride(ride_id: int) -> str:
    """The same of a ride."""
    return OF_RIDE.format(ride_id)


class Settings:
    """Preferences by name."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / FILE

    def get(self, name: str) -> object:
        """A preference kept with the garage; None if it was never set or cannot be read (then the default serves)."""
        try:
            return wire.read_object(self._file).get(name)
        except DocumentError:
            return None

    def keep(self, name: str, value: object) -> None:
        """Keep a preference. Raises :class:`~crisp_hornet.documents.errors.DocumentError` if it cannot be written."""
        try:
            kept = wire.read_object(self._file)
        except DocumentError:
            kept = {}
        wire.write_object(self._file, {**kept, name: value}, private=True)

    def forget(self, names: Collection[str]) -> None:
        """Preferences that go, by name. Raises :class:`~crisp_hornet.documents.errors.DocumentError` if that cannot be written."""
        try:
            kept = wire.read_object(self._file)
        except DocumentError:
            return
        left = {name: value for name, value in kept.items() if name not in names}
        if left != kept:
            wire.write_object(self._file, left, private=True)
