"""The demo's roads, and what is asked of its bikes on them."""

from __future__ import annotations

from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces

QUARRY_ROUND = from_pieces(
    "Quarry round",
    [
        RoadPiece(900, 0.004), RoadPiece(600, 0.02, 30), RoadPiece(800, 0.07, 45, 20), RoadPiece(600, 0.008), RoadPiece(1200, -0.015),
        RoadPiece(800, 0.08, None, 15), RoadPiece(700, 0.006, 30), RoadPiece(1600, -0.037), RoadPiece(1400, -0.038),
    ],
    212.0,
)  # fmt: skip
FREE = ["drive.phase_current_a", "drive.battery_current_a"]
HERON_ASK = {
    "road": QUARRY_ROUND.name,
    "hold_kmh": 40.0,
    "free": FREE,
    "goals": [
        {"what": "climb", "grade": 0.1, "least_kmh": 21.0},
        {"what": "launch", "to_kmh": 25.0, "most_s": 5.0},
        {"what": "front_wheel", "least_share": 0.8},
        {"what": "route", "route": QUARRY_ROUND.name, "hold_kmh": 40.0, "least_end_charge": 0.5, "fades": False},
    ],
}
