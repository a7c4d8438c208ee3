"""A bike with its whole story as one open file, and back: a ZIP of ``story.json`` and a Parquet file a ride.

It carries a bike to another garage and home again: where the bike is known already, what happened there and here is
brought together (:mod:`~crisp_hornet.garage.merging`). On the way in everything is taken as hostile: sizes are bounded, names are not used,
every document is checked, and nothing is in the garage before all of it is sound.
"""

from __future__ import annotations

import io
import json
import uuid
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.customer import POSITIONS
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import erasing, meeting
from crisp_hornet.garage.book import ENDINGS
from crisp_hornet.garage.book import MOST_BYTES as MOST_BYTES_FILE
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.meeting import Came, Taken
from crisp_hornet.garage.merging import BIKE, Key, Side
from crisp_hornet.garage.opening import ATTACHMENTS, RIDES
from crisp_hornet.garage.story import (
    STORY,
    TABLES,
    columns_of,
    content_of,
    key_of,
    rows_of,
    told,
)
from crisp_hornet.garage.tables import BikeRow, EventRow, RideRow, new_uid
from crisp_hornet.rides.registry import read_ride

FORMAT, VERSION = "crisp-hornet/archive", 2
MOST_BYTES, MOST_STORY, MOST_ROWS = 4 << 30, 128 << 20, 200_000
MOST_PARTS, MOST_FIGURES = (
    2_000_000,
    8_000_000,
)  # of the story: what Python makes of them costs much more than their text
MOST_RIDE, MOST_UID = 1 << 30, 40


def export_bike(garage: Garage, bike_id: int, path: Path) -> None:
    """Write a bike's whole story. Raises :class:`DocumentError` where it cannot be written, or a ride's file is gone."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive, garage.store.session() as session:
        bike = session.get_one(BikeRow, bike_id)
        bike.uid = bike.uid or new_uid()
        own = rows_of(session, bike)
        story: dict[str, Any] = {
            "format": FORMAT, "version": VERSION, "garage": meeting.number_of(garage), "uid": bike.uid, "bike": bike.document,
            "met": meeting.as_json(meeting.met_by(garage, bike.uid)),
        }  # fmt: skip
        for name, table in TABLES.items():
            story[name] = [told(row) for row, _ in own.values() if isinstance(row, table)]
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


def import_bike(garage: Garage, path: Path, decided: Mapping[Key, Side] | None = None) -> Taken:
    """Take a bike with its story into the garage. One that is known here, since it was here or came from here, is brought
    together with what happened meanwhile; ``decided``: whose counts where both changed the same. Another of its name stays, and it comes
    under a name of its own.

    Raises :class:`DocumentError` where the file is not such an archive or something in it is not sound; nothing was taken then.
    """
    files: list[Path] = []
    try:
        return _imported(garage, path, files, decided or {})
    except BaseException:
        for file in files:
            file.unlink(missing_ok=True)
        raise


def _imported(garage: Garage, path: Path, files: list[Path], decided: Mapping[Key, Side]) -> Taken:
    try:
        with zipfile.ZipFile(path) as archive:
            _check_sizes(archive, path)
            story = _story(archive, path)
            bike = store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, story["bike"], f"{path}: bike")
            with garage.store.session() as session:
                row = session.scalar(select(BikeRow).where(BikeRow.uid == story["uid"]))
                own = rows_of(session, row) if row is not None else {}
                gone = erasing.erased(session)
            if story["uid"] in gone:
                mend = "Import it into another garage if it is to be there."
                raise DocumentError(str(path), "", f"{bike.name} was erased here for good: it does not come back", mend)
            came = _came(garage, archive, story, path, files, own.keys())
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
    came.content[BIKE] = store.dump(bike)
    for key, name in came.files.items():
        if key[0] == "rides" and (key[1] in gone or not garage.customers.allow(story["uid"], POSITIONS)):
            erasing.forget_positions(garage.folder / RIDES / name)
    with garage.store.session() as session:
        row = session.scalar(select(BikeRow).where(BikeRow.uid == story["uid"]))
        if row is None:
            return meeting.keep(garage, session, story, came)
        return meeting.meet(garage, session, row, story, came, decided)


def _came(
    garage: Garage, archive: zipfile.ZipFile, story: dict[str, Any], path: Path, made: list[Path], known: Any
) -> Came:
    """The story's rows, checked; files of those that are not ``known`` lie in the garage's folders then, and in ``made``."""
    came = Came({}, {}, {})
    for name, table in TABLES.items():
        for number, one in enumerate(story[name]):
            attached = one.pop("attachment", None) if name == "logbook" and isinstance(one, dict) else None
            columns = columns_of(table, name, one, path)
            if not columns["uid"]:
                columns["uid"] = new_uid()  # of an archive of the first version
            key = key_of(name, columns)
            if key in came.content:
                raise DocumentError(str(path), f"{STORY}: {name}", "holds the same twice", "Export it again.")
            came.columns[key], came.content[key] = columns, content_of(name, columns)
            if key in known:
                continue
            if name == "rides":
                made.append(_ride_file(garage, archive, number, path))
                came.files[key] = made[-1].name
            elif attached is not None:
                came.files[key] = _attachment(garage, archive, attached, path, made)
    return came


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
    uid = story.setdefault("uid", new_uid())
    if not isinstance(uid, str) or not (uid.isalnum() and uid.isascii() and len(uid) <= MOST_UID):
        raise DocumentError(str(path), f"{STORY}: uid", f"cannot be {uid!r}"[:90], "Export it again.")
    return story


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


def _attachment(garage: Garage, archive: zipfile.ZipFile, name: Any, path: Path, made: list[Path]) -> str:
    """A line's file, in the garage under a name of its own; ``made`` gets it."""
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
