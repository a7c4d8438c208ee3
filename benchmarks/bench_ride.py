"""Rides over roads: against an integrator with events at equal accuracy, what 100 km and a band take, and what a drag waits for."""

from __future__ import annotations

import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.core.stepped_ride import SteppedRide
from tests.core.test_virtual_ride import random_case

from crisp_hornet.core.virtual_ride.band import foresee
from crisp_hornet.core.virtual_ride.ride import Setting, ride
from crisp_hornet.core.virtual_ride.roads import repeated
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.demo import DRAFT, FACTORY, HERON
from crisp_hornet.demo.roads import QUARRY_ROUND
from crisp_hornet.documents.store import read_bike, read_tune

AS_EXACT, LONG_S, BAND_S, DRAG_S = 50.0, 1.0, 3.0, 0.1
CASES, TIMES = 4, 12  # random roads, each so often in a row: a few km, as one rides


def timed(work) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def main() -> None:
    bike, draft, factory = read_bike(HERON), read_tune(DRAFT), read_tune(FACTORY)
    bike = bike.model_copy(update={"battery": bike.battery.model_copy(update={"capacity_ah": 200.0})})
    hundred, setting = repeated(QUARRY_ROUND, 12), Setting(None, 20.0)
    long_s = min(timed(lambda: ride(bike, draft, hundred, Held(35.0), setting)) for _ in range(3))
    stepped_s = timed(lambda: SteppedRide(bike, draft, hundred, 35.0, None, 20.0))
    band_s = timed(lambda: foresee(bike, draft, hundred, Held(35.0), setting))
    drag_s = timed(lambda: [ride(bike, tune, QUARRY_ROUND, Held(35.0), setting) for tune in (draft, factory)]) / 2
    print(
        f"an integrator with events takes {stepped_s / long_s:.0f} times as long, {stepped_s / long_s / AS_EXACT:.2f} of the target"
    )
    print(f"{hundred.length_m / 1000:.0f} km: {long_s:.2f} s, {long_s / LONG_S:.2f} of the target")
    print(
        f"with its band: {band_s:.2f} s, {band_s / BAND_S:.2f} of the target; {band_s / long_s:.1f} times a ride without"
    )
    print(f"8.6 km while dragging: {1000 * drag_s:.0f} ms, {drag_s / DRAG_S:.2f} of the target")
    ratios = []
    for seed in range(CASES):
        bike, tune, road, hold, rested, ambient = random_case(seed)
        road = repeated(road, TIMES)
        ours = min(timed(lambda: ride(bike, tune, road, Held(hold), Setting(rested, ambient))) for _ in range(3))  # noqa: B023
        ratios.append(timed(lambda: SteppedRide(bike, tune, road, hold, rested, ambient)) / ours)  # noqa: B023
    print(
        f"random bikes on short roads, fades and stalls: {np.median(ratios):.0f} times in the middle, {min(ratios):.0f} at least"
    )


if __name__ == "__main__":
    main()
