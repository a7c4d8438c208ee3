"""All rides of a garage's bikes, asked together: what was on each bike when it was ridden, and what each ride comes to.

What a ride comes to does not change, so it is kept beside the database, a line a ride; what is missing there is read from the rides' files.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import asdict, dataclass, field, fields
from datetime import datetime
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from crisp_hornet.core.fleet.asked import Case, Summary, Told, ageing, consumption, running_hot, share, shared_faults
from crisp_hornet.core.virtual_ride.promise import counted_in
from crisp_hornet.documents import wire
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.customer import COMPARED
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.rides import KeptRide
from crisp_hornet.garage.tables import BikeRow, EventRow
from crisp_hornet.rides.exchange import panics_unsaid
from crisp_hornet.rides.summaries import summaries

KEPT = "ride-summaries.parquet"
UNKNOWN = "not known"
ANSWERS: dict[str, Callable[[list[Case]], list[Told]]] = {
    "ageing": ageing, "running_hot": running_hot, "shared_faults": shared_faults, "consumption": consumption,
}  # fmt: skip
PROMISES = "promises"
_FIGURES = [one.name for one in fields(Summary) if one.name != "faults"]
SCHEMA: dict[str, Any] = {"file": pl.String, **dict.fromkeys(_FIGURES, pl.Float64), "faults": pl.List(pl.Int64)}


@dataclass(frozen=True)
class Asked:
    """Of which rides: of these bikes (none named: all), since a moment."""

    bikes: Collection[str] = ()
    since: datetime | None = None


@dataclass(frozen=True)
class Fleet:
    """``answers`` by question; ``unread``: rides whose file is gone or damaged; ``kept_out``: bikes whose customer did not allow it."""

    bikes: int
    rides: int
    unread: int
    answers: Mapping[str, list[Told]] = field(default_factory=dict)
    kept_out: int = 0


def asked_of_all(garage: Garage, asked: Asked = Asked(), tick: Callable[[float], bool] | None = None) -> Fleet | None:
    """All questions over the rides that are asked for; None where ``tick``, which hears how far it is, said not to go on.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` where the garage cannot be read."""
    with garage.store.session() as session:
        wanted = [row for row in session.scalars(select(BikeRow)) if _wanted(row, asked)]
        silent = _silent(garage) if not asked.bikes else set()
        bikes = [(row.id, row.name, _bike(garage, row)) for row in wanted if row.uid not in silent]
        promised = [_promised(session, number, name, asked) for number, name, _ in bikes]
    rides = [
        (name, bike, one, backups)
        for number, name, bike in bikes
        for backups in [garage.backups.of(number)]
        for one in garage.rides.of(number)
    ]
    told = _summaries(garage, [one.file for _, _, one, _ in rides], tick)
    if told is None:
        return None
    every = [
        _case(name, bike, one, backups, summary)
        for name, bike, one, backups in rides
        if (summary := told.get(one.file.name)) is not None
    ]
    cases = [
        one for one in every if asked.since is None or one.at >= asked.since
    ]  # by when it was ridden, not imported
    answers = {name: answer(cases) for name, answer in ANSWERS.items()} | {
        PROMISES: sorted((one for one in promised if one.cases), key=lambda one: one.value or 0.0)
    }
    return Fleet(len(bikes), len(cases), len(rides) - len(every), answers, len(wanted) - len(bikes))


def _wanted(row: BikeRow, asked: Asked) -> bool:
    return not asked.bikes or row.name in asked.bikes


def _silent(garage: Garage) -> set[str]:
    """The bikes whose customer did not allow that their rides count among those of others."""
    owners = garage.customers.all()
    return {uid for one in owners if not one.customer.allows(COMPARED) for uid in one.customer.bikes}


def _bike(garage: Garage, row: BikeRow) -> Bike | None:
    return garage.store.read(Bike, row, "bike")


def _promised(session: Session, number: int, name: str, asked: Asked) -> Told:
    """How many of the figures that were promised of rides came true."""
    lines = session.scalars(select(EventRow).where(EventRow.bike_id == number, EventRow.kind == "promise"))
    told = [
        found for row in lines if (asked.since is None or row.at >= asked.since) and (found := counted_in(row.title))
    ]
    return share(name, sum(inside for inside, _ in told), sum(count for _, count in told), f"{len(told)} rides")


def _case(
    name: str, bike: Bike | None, ride: KeptRide, backups: list[tuple[datetime, Backup]], summary: Summary
) -> Case:
    ridden = ride.at if summary.started_s is None else datetime.fromtimestamp(summary.started_s).astimezone()
    before = next((backup for at, backup in backups if at <= ridden), backups[-1][1] if backups else None)
    controller = f"{before.vendor} {before.product}" if before is not None else UNKNOWN
    tune = ride.tune
    return Case(
        bike=name,
        kind=kind_word(bike) if bike is not None else UNKNOWN,
        pack=ride.card.pack or "the pack",
        controller=controller,
        tune=tune.name if tune is not None else UNKNOWN,
        at=ridden,
        summary=summary,
        load_kg=ride.card.load_kg,
        air_c=ride.card.air_c,
        derates_from_c=tune.heat_guard.motor_fade_start_c if tune is not None else None,
    )


def kind_word(bike: Bike) -> str:
    """What kind of drive a bike has, by its gears and ratio."""
    drive = bike.drivetrain
    if drive.gears:
        return "mid motor"
    if drive.ratio == 1:
        return "hub, direct drive"
    return "geared hub" if drive.freewheel else "fixed reduction"


def forget(garage: Garage, files: Collection[str]) -> None:
    """What rides came to that are there no more."""
    kept = _read(garage.folder / KEPT)
    if not kept.keys().isdisjoint(files):
        _keep(garage.folder / KEPT, {name: one for name, one in kept.items() if name not in files})


# --- what rides come to -----------------------------------------------------------------------------------------


def _summaries(
    garage: Garage, files: list[Path], tick: Callable[[float], bool] | None
) -> dict[str, Summary | None] | None:
    kept = _read(garage.folder / KEPT)
    missing = [file for file in files if file.name not in kept]
    stopped = [False]

    def heard(share_: float) -> bool:
        stopped[0] = tick is not None and not tick(share_)
        return not stopped[0]

    new = {file.name: summary for file, summary in summaries(missing, heard)}
    found: dict[str, Summary | None] = {**kept, **new}
    if new:
        _keep(garage.folder / KEPT, {name: one for name, one in found.items() if one is not None})
    return None if stopped[0] else found


def _read(path: Path) -> dict[str, Summary]:
    """What was kept; where that cannot be read the rides are read again."""
    try:
        wire.must_be_a_file(path)
        with panics_unsaid():
            rows = pl.read_parquet(path, schema=SCHEMA).to_dicts()
        return {row.pop("file"): Summary(**row | {"faults": tuple(row["faults"])}) for row in rows}
    except (DocumentError, OSError, TypeError, pl.exceptions.PolarsError, pl.exceptions.PanicException):
        return {}


def _keep(path: Path, rides: Mapping[str, Summary]) -> None:
    rows = [{"file": name} | asdict(one) | {"faults": list(one.faults)} for name, one in rides.items()]
    with wire.written_whole(path, private=True) as whole:
        pl.DataFrame(rows, schema=SCHEMA).write_parquet(whole)
