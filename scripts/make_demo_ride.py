"""Make the demo's ride log anew from the stand-in's physics: python scripts/make_demo_ride.py"""

from __future__ import annotations

import csv

from crisp_hornet.demo import HERON, ROUND
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.rider import BAKERY_ROUND, record
from crisp_hornet.standin.truth import true_bike


def main() -> None:
    """Ride the bakery's round on the factory tune and write the log."""
    hands = Hands(ambient_c=14)
    bike = SimulatedBike(true_bike(read_bike(HERON)), charge=0.86)
    bike.state.winding_c = bike.state.housing_c = bike.state.sink_c = 14.0
    controller = SimulatedController(shipped_map("Weir 60"), bike, hands, seed=12)
    rows = list(record(bike, controller, hands, BAKERY_ROUND))
    with ROUND.open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, fieldnames=list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)


if __name__ == "__main__":
    main()
