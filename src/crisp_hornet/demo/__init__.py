"""The demo scenario: two bikes of the invented hill town of Tarnholm. Heron is a bakery's cargo bike with a hub motor, Thistle a light
trail bike with a mid motor, gears and a freewheel."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

_HERE = Path(str(resources.files(__name__)))
HERON = _HERE / "heron.bike.json"
FACTORY = _HERE / "heron-factory.tune.json"
DRAFT = _HERE / "heron-daily.tune.json"
GENTLE = _HERE / "heron-gentle.tune.json"
MESSY = _HERE / "messy-round.csv"
ROUND = _HERE / "bakery-round.csv"
ROUND_AFTER = _HERE / "bakery-round-daily.csv"
THISTLE = _HERE / "thistle.bike.json"
THISTLE_FACTORY = _HERE / "thistle-factory.tune.json"
THISTLE_DAILY = _HERE / "thistle-daily.tune.json"
THISTLE_GENTLE = _HERE / "thistle-gentle.tune.json"
THISTLE_TRUTHS = (
    "pack_resistance 1.04",
    "pack_capacity 0.98",
    "wheel 0.994",
    "drag 1.05",
    "rolling 1.02",
    "winding_resistance 1.06",
)
LOOP = _HERE / "lake-loop.csv"
LOOP_AFTER = _HERE / "lake-loop-trail.csv"
