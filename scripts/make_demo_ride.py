"""Make the demo's ride logs anew from the stand-in's physics: python scripts/make_demo_ride.py"""

from __future__ import annotations

import csv
from pathlib import Path

from crisp_hornet.demo import (
    DRAFT,
    FACTORY,
    HERON,
    LOOP,
    LOOP_AFTER,
    ROUND,
    ROUND_AFTER,
    THISTLE,
    THISTLE_DAILY,
    THISTLE_FACTORY,
    THISTLE_TRUTHS,
)
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike, read_tune
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.rider import BAKERY_ROUND, LAKE_LOOP, Leg, record
from crisp_hornet.standin.truth import departed_bike, true_bike

RIDES = (
    (HERON, "Weir 60", FACTORY, BAKERY_ROUND, 12, ROUND),
    (HERON, "Weir 60", DRAFT, BAKERY_ROUND, 13, ROUND_AFTER),
    (THISTLE, "Weir 90", THISTLE_FACTORY, LAKE_LOOP, 14, LOOP),
    (THISTLE, "Weir 90", THISTLE_DAILY, LAKE_LOOP, 15, LOOP_AFTER),
)


def ride(bike_file: Path, controller_name: str, tune_file: Path, route: list[Leg], seed: int, log: Path) -> None:
    """Ride a route on a tune and write the log."""
    hands = Hands(ambient_c=14)
    truth = true_bike(read_bike(bike_file))
    for one in THISTLE_TRUTHS if bike_file == THISTLE else ():
        name, value = one.split()
        truth = departed_bike(truth, name, float(value))
    bike = SimulatedBike(truth, charge=0.86)
    bike.state.winding_c = bike.state.housing_c = bike.state.sink_c = 14.0
    controller = SimulatedController(shipped_map(controller_name), bike, hands, seed=seed)
    controller.take_tune(read_tune(tune_file))
    rows = list(record(bike, controller, hands, route))
    with log.open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, fieldnames=list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)


def main() -> None:
    """Every ride of the demo."""
    for one in RIDES:
        ride(*one)


if __name__ == "__main__":
    main()
