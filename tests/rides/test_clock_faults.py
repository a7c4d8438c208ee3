"""Counters that run over, clocks that are set, rows written twice: against the times that were there before."""

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.rides.clock_faults import PERIODS_S, steadied
from crisp_hornet.rides.registry import read_ride
from tests.amount import some


def regular(rows, step, start):
    return start + step * np.arange(rows)


@seed(7)
@settings(max_examples=some(150), deadline=None, database=None)
@given(
    st.integers(200, 900), st.sampled_from([0.02, 0.1, 0.5, 1.0]), st.sampled_from(PERIODS_S[1:]), st.floats(0.1, 0.9)
)
def test_a_counter_that_runs_over_goes_on(rows, step, period, where):
    true = regular(rows, step, max(0.0, period - where * rows * step))
    steady, told = steadied(np.mod(true, period), [])
    assert np.diff(steady) == pytest.approx(np.diff(true), abs=1e-6)
    assert (len(told) > 0) == (true[-1] >= period)
    assert all("starts anew" in one or "times more" in one for one in told)


@seed(8)
@settings(max_examples=some(150), deadline=None, database=None)
@given(
    st.integers(60, 900),
    st.sampled_from([0.02, 0.1, 1.0]),
    st.floats(0.1, 0.8),
    st.sampled_from([-977.7, -31.3, 40 * 86400.0, 1e9]),
)
def test_a_clock_that_was_set_is_moved_to_go_on(rows, step, where, by):
    true = regular(rows, step, 5000.0)
    written = true.copy()
    written[int(where * rows) :] += by
    steady, told = steadied(written, [])
    assert np.diff(steady) == pytest.approx(np.full(rows - 1, step), abs=1e-6)
    assert len(told) == 1 and ("set forward" if by > 0 else "set back") in told[0] and "moved" in told[0]


@seed(9)
@settings(max_examples=some(100), deadline=None, database=None)
@given(st.integers(60, 400), st.integers(10, 40), st.floats(0.3, 0.95), st.integers(0, 2**32))
def test_rows_written_twice_lose_their_time_and_no_others(rows, block, where, luck):
    true, values = regular(rows, 0.1, 3.0), np.random.default_rng(luck).normal(30, 5, rows)
    values[::7] = np.nan
    at = max(block, int(where * rows))
    again = np.r_[np.arange(at), np.arange(at - block, at), np.arange(at, rows)]
    steady, told = steadied(true[again], [values[again]])
    assert np.flatnonzero(np.isnan(steady)).tolist() == list(range(at, at + block))
    assert steady[np.isfinite(steady)].tolist() == true.tolist()
    assert told == [f"{block} rows written twice left out"]


def test_sound_times_a_pause_and_a_row_out_of_order_are_left_alone():
    sound = regular(100, 0.1, 0.0)
    paused = np.where(np.arange(100) >= 50, sound + 14 * 3600, sound)
    swapped = sound.copy()
    swapped[[40, 41]] = swapped[[41, 40]]
    lone = sound.copy()
    lone[60] = 0.0
    for times in (sound, paused, swapped, lone, np.full(5, np.nan), np.zeros(5)):
        steady, told = steadied(times, [])
        assert steady is times or steady.tolist() == times.tolist()
        assert told == []


def test_a_log_of_a_counter_that_runs_over_is_read_whole_and_told(tmp_path):
    log = tmp_path / "round.csv"
    ms = np.mod(np.arange(40_000, 110_000, 100), 2**16)
    rows = "\n".join(f"{one};{20 + at % 9};{60 - at / 500:.2f}" for at, one in enumerate(ms))
    log.write_text(f"Time (ms);Speed (km/h);Voltage (V)\n{rows}\n")
    loaded = read_ride(log)
    assert len(loaded.ride.time_s) == 700 and loaded.ride.time_s[-1] == pytest.approx(69.9)
    assert any("starts anew every 65.536 s" in one for one in loaded.notes)
