"""The demo's garage, made anew in a folder of its own."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from crisp_hornet import demo
from crisp_hornet.demo.roads import HERON_ASK, QUARRY_ROUND
from crisp_hornet.documents import store
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.settings import of_bike
from crisp_hornet.rides.registry import read_ride

Told = tuple[str, str, str, int, int]  # kind, title, detail, days and minutes after the first entry

HERON_STORY: tuple[Told, ...] = (
    (
        "bike",
        "Heron taken in",
        "Cargo bike of the bakery in Tarnholm, direct-drive rear hub, 16 cells in series.",
        0,
        0,
    ),
    ("note", "Customer: too slow up Quarry Lane with a full box", "On the flat it is fast enough.", 0, 6),
    ("backup", "Backup of Weir 60 kept", "17 settings, firmware 3.2.1, serial number TW60-00417", 0, 41),
    ("note", "Tyres at 3.5 bar, brake pads new in front", "", 2, 15),
    ("note", "Winding measured: 116 mΩ between two leads, cold", "58 mΩ a phase; taken into the bike.", 5, 134),
)
THISTLE_STORY: tuple[Told, ...] = (
    ("bike", "Thistle taken in", "Trail bike with a mid motor, three gears and a freewheel, 18 cells in series.", 0, 0),
    ("note", "Ld 58 µH and Lq 104 µH measured, rotor turned slowly", "Interior magnets: reluctance helps.", 0, 50),
    ("backup", "Backup of Weir 90 kept", "117 settings, firmware 3.2.1, serial number TW90-00212", 0, 62),
    (
        "note",
        "Rider: the front wheel is light on the quarry's ramp",
        "Weight forward, or less phase current in the first gear.",
        3,
        20,
    ),
)


def demo_garage(folder: Path) -> Garage:
    """A garage with Thistle and Heron, Heron open: their drafts, what their controllers held, and their rides."""
    garage = Garage(folder)
    day = datetime.now().astimezone().replace(hour=9, minute=12)
    thistle = store.read_bike(demo.THISTLE)
    number = _take_in(garage, thistle, THISTLE_STORY, day - timedelta(days=16))
    factory, daily = store.read_tune(demo.THISTLE_FACTORY), store.read_tune(demo.THISTLE_DAILY)
    garage.tunes.keep_controller(number, factory)
    for kind, reason in (
        ("brake cut", "cuts within 0.1 s"),
        ("throttle", "rests at 0.84 V, full at 4.12 V"),
        ("speed", "one pulse a turn"),
    ):
        taken = (day - timedelta(days=12)).isoformat(timespec="seconds")
        garage.calibrations.keep(
            number, Calibration(kind=kind, taken=taken, serial="TW90-00212", verdict="passed", reason=reason)
        )
    _ridden(garage, number, "Lake loop", demo.LOOP, factory, "12 °C, calm", day - timedelta(days=12))
    _ridden(garage, number, "Lake loop, trail tune", demo.LOOP_AFTER, daily, "13 °C, calm", day - timedelta(days=11))
    garage.tunes.save_draft(number, daily)
    garage.tunes.keep_named(number, store.read_tune(demo.THISTLE_GENTLE))

    heron = store.read_bike(demo.HERON)
    number = _take_in(garage, heron, HERON_STORY, day - timedelta(days=9))
    garage.roads.keep(QUARRY_ROUND)
    garage.settings.keep(of_bike("ask", number), HERON_ASK)
    factory, daily = store.read_tune(demo.FACTORY), store.read_tune(demo.DRAFT)
    garage.tunes.keep_controller(number, factory)
    _ridden(
        garage,
        number,
        "Bakery round, daily tune on trial",
        demo.ROUND_AFTER,
        daily,
        "15 °C, dry",
        day - timedelta(days=3),
    )
    _ridden(garage, number, "Bakery round", demo.ROUND, factory, "14 °C, dry", day - timedelta(days=1, minutes=-380))
    garage.tunes.save_draft(number, daily)
    garage.tunes.keep_named(number, store.read_tune(demo.GENTLE))
    return garage


def _take_in(garage: Garage, bike: Bike, story: tuple[Told, ...], day: datetime) -> int:
    number = garage.bikes.save(bike)
    for kind, title, detail, days, minutes in story:
        garage.book.log(number, kind, title, detail, day + timedelta(days=days, minutes=minutes))
    return number


def _ridden(garage: Garage, number: int, name: str, log: Path, tune: Tune, air: str, at: datetime) -> None:
    """A ride of the story, and its line in the logbook."""
    ride = read_ride(log).ride
    bike = garage.bikes.get(number)
    ride = type(ride)(name, ride.time_s, ride.channels)
    garage.rides.keep(number, ride, tune, RideCard(wheel_m=bike.drivetrain.wheel_circumference_m, air=air))
    minutes = float(ride.time_s[-1]) / 60
    garage.book.log(number, "ride", f"Ride imported: {name}", f"{minutes:.1f} min on “{tune.name}”, {air}", at)
