"""The demo's garage, made anew in a folder of its own."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from crisp_hornet.demo import DRAFT, FACTORY, GENTLE, HERON, ROUND
from crisp_hornet.documents import store
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.garage.garage import Garage
from crisp_hornet.rides.registry import read_ride


def demo_garage(folder: Path) -> Garage:
    """A garage with Heron, its draft, and the ride of 20 minutes on the factory tune."""
    garage = Garage(folder)
    bike = store.read_bike(HERON)
    factory = store.read_tune(FACTORY)
    number = garage.bikes.save(bike)
    day = datetime.now().astimezone().replace(hour=9, minute=12) - timedelta(days=9)
    for kind, title, detail, days, minutes in (
        (
            "bike",
            f"{bike.name} taken in",
            "Cargo bike of the bakery in Tarnholm, direct-drive rear hub, 16 cells in series.",
            0,
            0,
        ),
        ("note", "Customer: too slow up Quarry Lane with a full box", "On the flat it is fast enough.", 0, 6),
        ("backup", "Backup of Weir 60 kept", "17 settings, firmware 3.2.1, serial number TW60-00417", 0, 41),
        ("note", "Tyres at 3.5 bar, brake pads new in front", "", 2, 15),
        ("note", "Winding measured: 116 mΩ between two leads, cold", "58 mΩ a phase; taken into the bike.", 5, 134),
    ):
        garage.book.log(number, kind, title, detail, day + timedelta(days=days, minutes=minutes))
    garage.tunes.keep_controller(number, factory)
    ride = read_ride(ROUND).ride
    ride = type(ride)("Bakery round", ride.time_s, ride.channels)
    garage.rides.keep(number, ride, factory, RideCard(wheel_m=bike.drivetrain.wheel_circumference_m, air="14 °C, dry"))
    garage.book.log(
        number,
        "ride",
        "Ride imported: Bakery round",
        "20.7 min on the factory tune, 14 °C, dry",
        day + timedelta(days=8, minutes=380),
    )
    garage.tunes.save_draft(number, store.read_tune(DRAFT))
    garage.tunes.keep_named(number, store.read_tune(GENTLE))
    return garage
