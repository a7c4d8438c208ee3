"""From an ask to what came of it, in the real window: road, stop, wishes, search, take, send, ride by the stand-in, promise."""

import csv
from itertools import pairwise

import pytest

from crisp_hornet.bench.stations.tune.ride.ride_view import ALONG
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces
from crisp_hornet.demo import HERON
from crisp_hornet.documents import store
from crisp_hornet.documents.goals import Climb, OnRoute
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.garage.garage import Garage
from crisp_hornet.link.report import Outcome
from crisp_hornet.rides.registry import read_ride
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.rider import Leg, record
from crisp_hornet.standin.truth import true_bike
from tests.bench.driving import click, find, go
from tests.bench.linking import beside, connect, send_and_wait

LANE = from_pieces("Mill lane", [RoadPiece(400, 0.0), RoadPiece(300, 0.06), RoadPiece(500, -0.01)], 412.0)
HOLD_KMH, AIR_C = 28.0, 16.0
DROOP_KMH = 1.4  # how far below what they want the stand-in's rider settles: their throttle follows the gap


class Unpedalled(Hands):
    """Nobody pedals."""

    def __setattr__(self, name, value):
        super().__setattr__(name, 0.0 if name in ("human_nm", "cadence_rpm") else value)


def ridden(tune, road, path):
    """A log of the road on a tune, by the stand-in's own bike, controller and rider."""
    points = road.points
    legs = [
        Leg(
            after.at_m - one.at_m,
            (after.altitude_m - one.altitude_m) / (after.at_m - one.at_m),
            HOLD_KMH + DROOP_KMH,
            after.stop_s or 0.0,
        )
        for one, after in pairwise(points)
    ]
    hands, bike = Unpedalled(ambient_c=AIR_C), SimulatedBike(true_bike(store.read_bike(HERON)), charge=0.8)
    bike.state.winding_c = bike.state.housing_c = bike.state.sink_c = AIR_C
    controller = SimulatedController(shipped_map("Weir 60"), bike, hands, seed=3)
    controller.take_tune(tune)
    rows = list(record(bike, controller, hands, legs))
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, fieldnames=list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    return read_ride(path).ride


@pytest.mark.long
@pytest.mark.realtime
def test_from_an_ask_to_what_came_of_it(qtbot, tmp_path, open_window, standin):
    window = open_window(Garage(tmp_path / "garage"), standin.port)
    beside(window, standin)
    desk = window.desk
    window.stations["build"].read_bike(HERON)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 4)
    click(qtbot, find(window, "page The ride"))
    view = window.stations["tune"].road
    store.write(tmp_path / "lane.json", LANE)
    view.roads.take_file(tmp_path / "lane.json")
    qtbot.waitUntil(lambda: desk.ask.road == LANE)
    desk.ask.ride_at(HOLD_KMH, AIR_C)
    click(qtbot, find(window, "of the ride draw"))
    view.draw.at.setText("0.7")
    view.draw.figures["stop_s"].setText("5")
    click(qtbot, find(window, "Put a stop there"))
    click(qtbot, find(window, "Save the road"))
    road = desk.ask.road
    wishes = [
        Climb(what="climb", grade=0.06, least_kmh=26.0),
        OnRoute(what="route", route=road.name, hold_kmh=HOLD_KMH, fades=False),
    ]
    desk.ask.set_goals(wishes)
    click(qtbot, find(window, "Find the settings"))
    qtbot.waitUntil(lambda: view.wishes.found is not None, timeout=60_000)
    assert view.wishes.found.found
    click(qtbot, find(window, "Draft the settings found"))
    view.show_part(ALONG)
    drafted = lambda: view.along.ridden is view.along.asked and view.along.along.band is not None
    qtbot.waitUntil(drafted, timeout=60_000)
    go(qtbot, window, 5)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    desk.ride.take(ridden(desk.held.tune, road, tmp_path / "log.csv"), [])
    (line,) = [line for line in desk.story.lines() if line.kind == "promise"]
    assert line.title == "Mill lane: 3 of 3 figures as promised", line.detail
    assert [line.kind for line in desk.story.lines()].count("ask") == 1
