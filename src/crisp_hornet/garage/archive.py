"""A bike with its whole story as one open file, and back: a ZIP of ``story.json`` and a Parquet file a ride.

On the way in everything is taken as hostile: sizes are bounded, names are not used, every document is checked, and nothing is in the garage
before all of it is sound.
"""

from __future__ import annotations

import io
import json
import uuid
import zipfile
import zlib
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import JSON, select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.backup import BACKUP_VERSION, Backup
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.calibration import CALIBRATION_VERSION, Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import TUNE_VERSION, Tune
from crisp_hornet.garage.book import ENDINGS
from crisp_hornet.garage.book import MOST_BYTES as MOST_BYTES_FILE
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import ATTACHMENTS
from crisp_hornet.garage.tables import BackupRow, Base, BikeRow, CalibrationRow, EventRow, JobRow, RideRow, TuneRow
from crisp_hornet.rides.registry import read_ride

FORMAT, VERSION = "crisp-hornet/archive", 1
STORY = "story.json"
TABLES: dict[str, type[Base]] = {
    "tunes": TuneRow, "backups": BackupRow, "rides": RideRow, "logbook": EventRow, "jobs": JobRow, "calibrations": CalibrationRow,
}  # fmt: skip
OWN = ("id", "bike_id", "file")  # belong to the garage a row lies in
MOST_BYTES, MOST_STORY, MOST_ROWS = 4 << 30, 128 << 20, 200_000
MOST_PARTS, MOST_FIGURES = (
    2_000_000,
    8_000_000,
)  # of the story: what Python makes of them costs much more than their text
MOST_RIDE = 1 << 30


def export_bike(garage: Garage, bike_id: int, path: Path) -> None:
    """Write a bike's whole story. Raises :class:`DocumentError` where it cannot be written, or a ride's file is gone."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive, garage.store.session() as session:
        bike = session.get_one(BikeRow, bike_id)
        story: dict[str, Any] = {"format": FORMAT, "version": VERSION, "bike": bike.document}
        for name, table in TABLES.items():
            rows = session.scalars(select(table).where(table.bike_id == bike_id).order_by(table.id))  # type: ignore[attr-defined]
            story[name] = [_told(row) for row in rows]
        rides = session.scalars(select(RideRow).where(RideRow.bike_id == bike_id).order_by(RideRow.id))
        for number, row in enumerate(rides):
            file = garage.folder / "rides" / Path(row.file).name
            archive.writestr(
                _ride_name(number), wire.read_bytes(file, MOST_RIDE), zipfile.ZIP_STORED
            )  # Parquet is packed already
        _pack_attachments(garage, session, bike_id, archive, story["logbook"])
        archive.writestr(STORY, json.dumps(story, ensure_ascii=False, indent=1))
    wire.write_bytes(path, packed.getvalue())


def _pack_attachments(
    garage: Garage, session: Session, bike_id: int, archive: zipfile.ZipFile, lines: list[dict[str, Any]]
) -> None:
    rows = session.scalars(select(EventRow).where(EventRow.bike_id == bike_id).order_by(EventRow.id))
    for line, row in zip(lines, rows, strict=True):
        if row.file:
            file = garage.folder / ATTACHMENTS / Path(row.file).name
            line["attachment"] = f"{ATTACHMENTS}/{len(archive.namelist()):05d}{file.suffix}"
            archive.writestr(line["attachment"], wire.read_bytes(file, MOST_BYTES_FILE), zipfile.ZIP_STORED)


def _ride_name(number: int) -> str:
    return f"rides/{number:05d}.parquet"


def _told(row: Base) -> dict[str, Any]:
    """A row as JSON; times as ISO 8601."""
    told = {column.name: getattr(row, column.name) for column in row.__table__.columns if column.name not in OWN}
    return {name: value.isoformat() if isinstance(value, datetime) else value for name, value in told.items()}


def import_bike(garage: Garage, path: Path) -> int:
    """Take a bike with its story into the garage; where one of its name is there it comes under another. Returns its number.

    Raises :class:`DocumentError` where the file is not such an archive or something in it is not sound; nothing was taken then.
    """
    files: list[Path] = []
    try:
        return _imported(garage, path, files)
    except BaseException:
        for file in files:
            file.unlink(missing_ok=True)
        raise


def _imported(garage: Garage, path: Path, files: list[Path]) -> int:
    try:
        with zipfile.ZipFile(path) as archive:
            _check_sizes(archive, path)
            story = _story(archive, path)
            bike = store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, story["bike"], f"{path}: bike")
            attached = [one.pop("attachment", None) if isinstance(one, dict) else None for one in story["logbook"]]
            rows = {name: [_row(table, name, one, path) for one in story[name]] for name, table in TABLES.items()}
            _ride_files(garage, archive, len(rows["rides"]), path, files)
            pinned = [_attachment(garage, archive, name, path, files) for name in attached]
    except FileNotFoundError:
        raise DocumentError(str(path), "", "there is no such file", "Check the name.") from None
    except (
        zipfile.BadZipFile,
        zlib.error,
        OSError,
        EOFError,
        zipfile.LargeZipFile,
        NotImplementedError,
        RuntimeError,
    ) as error:
        raise DocumentError(
            str(path), "", f"not an archive of a bike ({error})", "Choose a file that was exported here."
        ) from None
    with garage.store.session() as session:
        return _kept(session, bike, rows, files, pinned)


def _check_sizes(archive: zipfile.ZipFile, path: Path) -> None:
    whole = sum(member.file_size for member in archive.infolist())
    if whole > MOST_BYTES or len(archive.infolist()) > MOST_ROWS:
        raise DocumentError(str(path), "", "unpacks to an absurd size", "Choose a file that was exported here.")


def _story(archive: zipfile.ZipFile, path: Path) -> dict[str, Any]:
    try:
        with archive.open(STORY) as file:
            data = file.read(MOST_STORY + 1)
    except KeyError:
        raise DocumentError(str(path), STORY, "is missing", "Choose a file that was exported here.") from None
    if len(data) > MOST_STORY:
        raise DocumentError(str(path), STORY, "is absurdly large", "Choose a file that was exported here.")
    if data.count(b"{") + data.count(b"[") > MOST_PARTS or data.count(b",") > MOST_FIGURES:
        raise DocumentError(str(path), STORY, "holds absurdly much", "Choose a file that was exported here.")
    story = wire.parse_object(data, f"{path}: {STORY}")
    store.check_header(story, FORMAT, VERSION, str(path))
    for name in TABLES:
        if not isinstance(story.get(name), list) or len(story[name]) > MOST_ROWS:
            raise DocumentError(
                str(path), f"{STORY}: {name}", "must be a list", "The file is damaged: export it again."
            )
    if not isinstance(story.get("bike"), dict):
        raise DocumentError(str(path), f"{STORY}: bike", "is missing", "The file is damaged: export it again.")
    return story


def _row(table: type[Base], name: str, told: Any, path: Path) -> dict[str, Any]:
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


def _ride_files(garage: Garage, archive: zipfile.ZipFile, count: int, path: Path, made: list[Path]) -> None:
    """The rides' files in the garage's folder; ``made`` has those that were written, should a later one not be sound."""
    for number in range(count):
        made.append(_ride_file(garage, archive, number, path))


def _ride_file(garage: Garage, archive: zipfile.ZipFile, number: int, path: Path) -> Path:
    """A ride's file under a name of its own, once it has been read without fault."""
    try:
        with archive.open(_ride_name(number)) as file:
            data = file.read(MOST_RIDE + 1)
    except KeyError:
        raise DocumentError(
            str(path), _ride_name(number), "is missing", "The file is damaged: export it again."
        ) from None
    if len(data) > MOST_RIDE:
        raise DocumentError(str(path), _ride_name(number), "is absurdly large", "Choose a file that was exported here.")
    made = garage.folder / "rides" / f"{uuid.uuid4().hex}.parquet"
    wire.write_bytes(made, data)
    try:
        read_ride(made)
    except DocumentError as error:
        made.unlink(missing_ok=True)
        raise DocumentError(
            str(path), _ride_name(number), error.reason, "The file is damaged: export it again."
        ) from None
    return made


def _attachment(garage: Garage, archive: zipfile.ZipFile, name: Any, path: Path, made: list[Path]) -> str | None:
    """A line's file, in the garage under a name of its own; ``made`` gets it."""
    if name is None:
        return None
    ending = Path(str(name)).suffix.lower()
    if not isinstance(name, str) or ending not in ENDINGS:
        raise DocumentError(
            str(path), f"{STORY}: logbook.attachment", f"is no file we keep: {name!r}"[:90], "Export it again."
        )
    try:
        with archive.open(name) as file:
            data = file.read(MOST_BYTES_FILE + 1)
    except KeyError:
        raise DocumentError(str(path), name[:80], "is missing", "The file is damaged: export it again.") from None
    if len(data) > MOST_BYTES_FILE:
        raise DocumentError(str(path), name[:80], "is absurdly large", "Choose a file that was exported here.")
    made.append(garage.book.keep_file(data, ending))
    return made[-1].name


def _kept(
    session: Session, bike: Bike, rows: dict[str, list[dict[str, Any]]], files: list[Path], pinned: list[str | None]
) -> int:
    taken = set(session.scalars(select(BikeRow.name)))
    name, number = bike.name, 2
    while name in taken:
        name, number = f"{bike.name[:180]}, {number}", number + 1
    document = store.dump(bike.model_copy(update={"name": name}))
    row = BikeRow(name=name, document=document, opened_at=datetime.now().astimezone(), archived=False)
    session.add(row)
    session.flush()
    for kind, table in TABLES.items():
        for at, columns in enumerate(rows[kind]):
            own: dict[str, Any] = {"bike_id": row.id}
            if kind in ("rides", "logbook"):
                own["file"] = files[at].name if kind == "rides" else pinned[at]
            session.add(table(**columns, **own))
    return row.id
