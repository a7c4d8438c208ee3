"""The ring of live values and the thinning of traces, over random sequences."""

import csv
import math

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.bench.stations.calibrate.recording import Recording, Ring, in_words
from crisp_hornet.bench.stations.calibrate.scope import Scope, Trigger, polygon, thinned
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.link.contact import Live
from tests.amount import some


@seed(41)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.lists(st.floats(0.001, 2.0), min_size=1, max_size=90), st.integers(0, 30))
def test_a_ring_holds_the_newest_in_order(gaps, back):
    ring = Ring(["a", "b"], seconds=4, hz=10)
    kept, at = [], 0.0
    for index, gap in enumerate(gaps):
        at += gap
        values = {"a": float(index)} if index % 3 else {"a": float(index), "b": -float(index)}
        ring.take(Live(at, values))
        kept.append((at, values.get("a"), values.get("b", math.nan)))
    kept = kept[-40:]
    since = kept[max(0, len(kept) - 1 - back)][0]
    times, channels = ring.since(since)
    wanted = [row for row in kept if row[0] >= since]
    assert times.tolist() == [row[0] for row in wanted]
    assert channels["a"].tolist() == [row[1] for row in wanted]
    assert np.array_equal(channels["b"], np.array([row[2] for row in wanted]), equal_nan=True)
    assert len(ring) == len(kept)
    ring.clear()
    assert len(ring) == 0 and ring.since(0.0)[0].size == 0


@seed(42)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.integers(1, 5000), st.integers(2, 300), st.integers(0, 10_000))
def test_thinning_loses_no_extreme_and_keeps_the_order(count, columns, draw):
    rng = np.random.default_rng(draw)
    times, values = np.sort(rng.random(count)), rng.normal(size=count)
    few_times, few = thinned(times, values, columns)
    assert np.all(np.diff(few_times) >= 0) and len(few) <= max(2 * columns, min(count, 2 * columns))
    kept = values if len(values) <= 2 * columns else values[-(count // columns * columns) :]
    assert few.min() == kept.min() and few.max() == kept.max()
    assert set(few.tolist()) <= set(values.tolist())


def test_a_polygon_is_its_points():
    x, y = np.array([1.0, 2.5, 3.0]), np.array([-1.0, 0.0, 7.25])
    made = polygon(x, y)
    assert [(made[k].x(), made[k].y()) for k in range(3)] == list(zip(x, y, strict=True))


@pytest.mark.parametrize(
    ("name", "words"),
    [("throttle_v", "throttle, V"), ("motor_sensor_ohm", "motor sensor, Ω"), ("brake", "brake"), ("detected_ld_h", "detected ld, H"),
     ("pedal_pulses", "pedal pulses")],
)  # fmt: skip
def test_channels_are_named_for_people(name, words):
    assert in_words(name) == words


def test_a_recording_starts_at_zero_and_shows_nan_for_what_is_not_there():
    taken = Recording(np.array([5.0, 5.5]), {"a": np.array([1.0, 2.0])})
    assert taken.time_s.tolist() == [0.0, 0.5] and len(taken) == 2
    assert np.isnan(taken.get("b")).all()
    assert len(Recording(np.array([]), {})) == 0


@pytest.fixture
def scope(qtbot):
    ring = Ring(["volts", "amps"])
    made = Scope(LIGHT, ring)
    qtbot.addWidget(made)
    made.resize(700, 300)
    made.show_channels(["volts", "amps", "nothing"])
    for index in range(300):
        ring.take(Live(100 + index * 0.02, {"volts": 1.0 if index < 200 else 4.0, "amps": float(index)}))
    return made


def test_a_scope_shows_its_window_and_exports_it(scope):
    scope.set_window(2.0)
    times, channels = scope.shown()
    assert -2.0 <= times[0] <= -1.97 and times[-1] == 0 and set(channels) == {"volts", "amps"}
    rows = list(csv.DictReader(scope.csv().splitlines()))
    assert len(rows) == len(times) and float(rows[-1]["amps"]) == 299
    scope.set_window(1000)
    assert scope.window_s == 60
    scope.grab()  # painted with a channel that is not there, with cursors and without
    scope.cursors = [1.0, 0.5]
    scope.grab()
    assert scope.readings()["amps"] == (pytest.approx(299 - 50, abs=1), pytest.approx(299 - 25, abs=1))


def test_a_trigger_freezes_half_a_window_later_and_only_once(scope):
    scope.set_window(1.0)
    scope._armed_since = 100.0
    scope.trigger = Trigger("volts", 2.5)
    scope._look_for_trigger(scope.trigger)
    assert scope.frozen_at == pytest.approx(100 + 200 * 0.02 + 0.5) and scope.trigger is None
    scope.freeze(False)
    scope.arm(Trigger("nothing", 1.0))
    scope._look_for_trigger(scope.trigger)
    assert scope.frozen_at is None
