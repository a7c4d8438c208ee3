"""A bike's story as rows of open values: what an archive holds, what two garages compare, how a stranger's rows are checked."""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import JSON, inspect, select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store
from crisp_hornet.documents.backup import BACKUP_VERSION, Backup
from crisp_hornet.documents.calibration import CALIBRATION_VERSION, Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import TUNE_VERSION, Tune
from crisp_hornet.garage.merging import BIKE, Key, Row
from crisp_hornet.garage.tables import (
    BackupRow,
    Base,
    BikeRow,
    CalibrationRow,
    EventRow,
    JobRow,
    OfBike,
    RideRow,
    TuneRow,
    new_uid,
)

STORY = "story.json"
TABLES: dict[str, type[Base]] = {
    "tunes": TuneRow, "backups": BackupRow, "rides": RideRow, "logbook": EventRow, "jobs": JobRow, "calibrations": CalibrationRow,
}  # fmt: skip
OWN = ("id", "bike_id", "file")  # belong to the garage a row lies in
ONE_EACH = ("draft", "controller")  # tunes that a bike has one of, whatever garage they were made in
CHANGING = ("tunes", "rides", "jobs")  # tables whose rows do not stay as they were written


def values_of(row: Base) -> dict[str, Any]:
    """The columns of a row that go with it to another garage."""
    return {column.name: getattr(row, column.name) for column in row.__table__.columns if column.name not in OWN}


def told(row: Base) -> dict[str, Any]:
    """A row as JSON; times as ISO 8601."""
    return {name: value.isoformat() if isinstance(value, datetime) else value for name, value in values_of(row).items()}


def key_of(table: str, row: Row) -> Key:
    """Which thing a row is, in every garage: a draft is the draft of its bike, a named one goes by its name, all else by its ``uid``."""
    if table == "tunes" and row["role"] in ONE_EACH:
        return table, str(row["role"])
    if table == "tunes" and row["role"] == "named":
        return table, "named " + hashlib.sha256(str(row["name"]).encode()).hexdigest()[:32]
    return table, str(row["uid"])


def content_of(table: str, row: Row) -> dict[str, Any]:
    """What of a row is compared: not what it is called inside, and of a tune that is replaced not when that was."""
    left_out = {"uid", "at", "attachment"} if table == "tunes" and row["role"] != "sent" else {"uid", "attachment"}
    return {
        name: value.astimezone(UTC).isoformat() if isinstance(value, datetime) else value
        for name, value in row.items()
        if name not in left_out
    }


def rows_of(session: Session, bike: BikeRow) -> dict[Key, tuple[Base, dict[str, Any]]]:
    """All rows of a bike but its own, with what is compared of them."""
    found: dict[Key, tuple[Base, dict[str, Any]]] = {}
    for name, table in TABLES.items():
        for row in session.scalars(
            select(table).where(of_bike(table, bike.id)).order_by(inspect(table).primary_key[0])
        ):
            assert isinstance(row, OfBike)
            row.uid = row.uid or new_uid()  # a garage that was rescued may have rows without
            columns = values_of(row)
            found[key_of(name, columns)] = row, content_of(name, columns)
    return found


def of_bike(table: type[Base], bike_id: int) -> Any:
    """The condition for rows of a bike."""
    assert issubclass(table, OfBike)
    return table.bike_id == bike_id


def changing(rows: dict[Key, Row]) -> dict[Key, Row]:
    """Those that may be changed later: all that must be remembered of a meeting."""
    return {key: row for key, row in rows.items() if key == BIKE or (key[0] in CHANGING and row.get("role") != "sent")}


def columns_of(table: type[Base], name: str, told: Any, path: Path) -> dict[str, Any]:
    """The columns of a row, each of the kind its table holds and its document sound."""
    where = f"{path}: {name}"
    wanted = {column.name: column for column in table.__table__.columns if column.name not in OWN}
    if not isinstance(told, dict) or set(told) - set(wanted):
        raise DocumentError(str(path), f"{STORY}: {name}", "holds something that is no row of it", "Export it again.")
    found: dict[str, Any] = {}
    for key, column in wanted.items():
        value = told.get(key)
        try:
            kind = column.type.python_type
            value = datetime.fromisoformat(value) if kind is datetime and isinstance(value, str) else value
        except ValueError:
            value = None
        empty = value is None and bool(column.nullable)
        if not empty and not isinstance(value, (dict, list) if isinstance(column.type, JSON) else kind):
            raise DocumentError(
                str(path), f"{STORY}: {name}.{key}", f"cannot be {told.get(key)!r}"[:90], "Export it again."
            )
        found[key] = value
    check_row(name, found, where)
    return found


def check_row(name: str, row: dict[str, Any], where: str = "") -> None:
    """Whether the documents in a row of a table of :data:`TABLES` are sound. Raises :class:`DocumentError`."""
    if name == "tunes" or (name == "rides" and row["tune"]):
        store.parse(Tune, "crisp-hornet/tune", TUNE_VERSION, row["document" if name == "tunes" else "tune"], where)
    elif name == "backups":
        store.parse(Backup, "crisp-hornet/backup", BACKUP_VERSION, row["document"], where)
    elif name == "calibrations":
        store.parse(Calibration, "crisp-hornet/calibration", CALIBRATION_VERSION, row["document"], where)
    elif name == "jobs" and not _are_steps(row["steps"]):
        raise DocumentError(where, "steps", "are no steps of a job sheet", "Export it again.")
    if name == "rides" and row["card"]:
        try:
            RideCard.model_validate(row["card"])
        except ValidationError as error:
            raise store.document_error(error, where) from None


FORMATS = {"tunes": "crisp-hornet/tune", "backups": "crisp-hornet/backup", "calibrations": "crisp-hornet/calibration"}


def looks_sound(name: str, row: Row) -> bool:
    """Whether the documents in a row of a table look like what they should be; looked at often, so not read whole."""
    if name in FORMATS:
        return isinstance(row["document"], dict) and row["document"].get("format") == FORMATS[name]
    if name == "jobs":
        return _are_steps(row["steps"])
    return name != "rides" or row["tune"] is None or (isinstance(row["tune"], dict) and row["tune"] != {})


def _are_steps(steps: Any) -> bool:
    def is_step(one: Any) -> bool:
        if not isinstance(one, dict) or set(one) != {"text", "caution", "done_at"}:
            return False
        done = one["done_at"]
        words = isinstance(one["text"], str) and isinstance(one["caution"], str)
        return words and (done is None or (isinstance(done, str) and _is_time(done)))

    return isinstance(steps, list) and all(is_step(step) for step in steps)


def _is_time(text: str) -> bool:
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True
