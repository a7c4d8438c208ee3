"""Bikes at the edges of what a document takes, drawn from its schema: all is computed, nothing overflows or divides by nothing."""

import json
import random
import warnings

import numpy as np
import pytest
from pydantic import ValidationError

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.demo import FACTORY, HERON
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.store import parse, schemas
from crisp_hornet.documents.tune import Tune
from tests.amount import of

PARTS = {
    "motor": "Motor",
    "controller": "Controller",
    "battery": "Battery",
    "drivetrain": "Drivetrain",
    "chassis": "Chassis",
}
KINDS = json.loads(schemas()["bike.schema.json"])["$defs"]


def edges(kind):
    """(least, most, whether whole) of each figure of a part."""
    found = {}
    for name, told in KINDS[kind]["properties"].items():
        for one in (told, *told.get("anyOf", [])):
            if one.get("type") in ("number", "integer"):
                found[name] = (
                    one.get("minimum", one.get("exclusiveMinimum", 0)),
                    one["maximum"],
                    one["type"] == "integer",
                )
    return found


def drawn(rng, least, most, whole):
    value = rng.choice([least, most, float(np.exp(rng.uniform(np.log(max(least, 1e-9)), np.log(most))))])
    return int(value) if whole else float(value)


@pytest.mark.parametrize("start", of([30], [0, 60]))
def test_at_the_edges_of_what_a_bike_can_be_everything_is_computed(start):
    computed = 0
    for seed in range(start, start + 30):
        rng = random.Random(seed)
        bike, tune = json.loads(HERON.read_text()), json.loads(FACTORY.read_text())
        for part, kind in PARTS.items():
            bike[part] |= {name: drawn(rng, *edge) for name, edge in edges(kind).items() if rng.random() < 0.25}
        for group in ("drive", "regen"):
            tune[group] |= {
                name: float(rng.choice([0, 1e-9, 1, 1e3, 1e9])) for name in tune[group] if rng.random() < 0.3
            }
        bike["chassis"].pop("masses", None)
        try:
            made, sent = Bike.model_validate(bike), parse(Tune, "crisp-hornet/tune", 1, tune, "drawn")
        except (ValidationError, DocumentError):
            continue
        computed += 1
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            watch_list(made, sent)
            rested_v = rng.choice([1.0, 4.0 * made.battery.series, 1e4])
            curve = pull_curve(made, sent, [0.0, 10.0, 60.0, 200.0], Conditions(rested_v, rng.choice([25, -40, 200])))
        assert np.isfinite(curve.wheel_force_n).all()
    assert computed >= 10
