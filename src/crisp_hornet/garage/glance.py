"""What a glance at the garage shows: the bike opened last with its tunes, and how much there is of all else.

Read by the driver itself (see :mod:`~crisp_hornet.garage.opening`).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.opening import lenient_json, looked_into
from crisp_hornet.garage.store import Store


@dataclass(frozen=True)
class Lines:
    """How many lines a logbook has, and when the first was written."""

    count: int
    since: datetime | None


@dataclass(frozen=True)
class KeptBike:
    """A bike of the garage by number and name; ``readable``: whether its document is one."""

    id: int
    name: str
    archived: bool
    readable: bool = True


class Glance:
    """Raises :class:`~crisp_hornet.documents.errors.DocumentError` where the database cannot be read."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def bikes(self) -> list[KeptBike]:
        """All bikes, the one opened last first."""
        return [
            KeptBike(row["id"], str(row["name"]), bool(row["archived"]), self._bike(row) is not None)
            for row in self._rows("select id, name, document, archived from bike order by opened_at desc")
        ]

    def last_bike(self) -> tuple[int, Bike] | None:
        """The bike opened last, with its number; archived ones do not count, nor those that cannot be read."""
        for row in self._rows("select id, document from bike where not archived order by opened_at desc"):
            if (bike := self._bike(row)) is not None:
                return row["id"], bike
        return None

    def _bike(self, row: Any) -> Bike | None:
        return self._store.parsed(Bike, lenient_json(row["document"]), "bike", row["id"])

    def tune(self, bike_id: int, role: str) -> Tune | None:
        """The newest tune of a role: "draft", "controller" or "sent"."""
        rows = self._rows(
            "select id, document from tune where bike_id = ? and role = ? order by at desc, id desc limit 1",
            bike_id,
            role,
        )
        return self._store.parsed(Tune, lenient_json(rows[0]["document"]), "tune", rows[0]["id"]) if rows else None

    def rides(self, bike_id: int) -> int:
        """How many rides a bike has."""
        return int(self._rows("select count(*) from ride where bike_id = ?", bike_id)[0][0])

    def lines(self, bike_id: int) -> Lines:
        """How long a bike's logbook is."""
        count, first = self._rows("select count(*), min(at) from event where bike_id = ?", bike_id)[0]
        return Lines(int(count), _moment(first))

    def sensors(self, bike_id: int) -> dict[str, str]:
        """How each sensor of a bike did in its newest calibration, by kind."""
        found: dict[str, str] = {}
        for row in self._rows("select kind, document from calibration where bike_id = ? order by id desc", bike_id):
            told = lenient_json(row["document"])
            if isinstance(told, dict) and isinstance(told.get("verdict"), str):
                found.setdefault(str(row["kind"]), told["verdict"])
        return found

    def backup_at(self, bike_id: int) -> datetime | None:
        """When the newest backup of a bike's controller was made."""
        return _moment(self._rows("select max(at) from backup where bike_id = ?", bike_id)[0][0])

    def files(self) -> set[str]:
        """The names of all files that rows name."""
        rows = self._rows("select file from ride union all select file from event where file is not null")
        return {str(row[0]) for row in rows}

    def _rows(self, query: str, *values: object) -> list[Any]:
        with looked_into(self._store.folder) as connection:
            return connection.execute(query, values).fetchall()


def _moment(text: object) -> datetime | None:
    try:
        return datetime.fromisoformat(str(text)).astimezone()
    except ValueError:
        return None
