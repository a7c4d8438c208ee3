"""The demo scenario: Heron, a bakery's cargo bike in the invented hill town of Tarnholm."""

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
