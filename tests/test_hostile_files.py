"""Files that mean no good: spoilt ones by the hundred (`scripts/bench` takes more than a hundred thousand), and bombs."""

import os

import numpy as np
import pytest
from benchmarks.hostile import BOMBS, HARMLESS, KINDS, attempt, garage_in, sound, strike

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.registry import read_ride
from tests.amount import LONG, some
from tests.forks import FORKS


@pytest.fixture
def garage(tmp_path):
    made = garage_in(tmp_path)
    yield made
    made.close()


@pytest.mark.parametrize("kind", KINDS)
def test_a_sound_file_of_each_kind_is_read(tmp_path, garage, kind):
    path = tmp_path / f"log.{kind}"
    path.write_bytes(sound(kind))
    told = attempt(0, kind, path, garage)
    assert (told.ended, told.broken) == ("read", "")


@pytest.mark.parametrize("start", range(0, some(180, 90), 90))
def test_a_spoilt_file_is_read_or_refused_in_a_line(tmp_path, garage, start):
    told = [strike(seed, tmp_path, garage) for seed in range(start, start + 90)]
    assert [one for one in told if one.broken] == []


def alone(kind, path, answer):
    """In a process of its own, so that what a file takes at most can be told."""
    garage = garage_in(path.parent) if kind == "archive.zip" else None
    told = attempt(0, kind, path, garage)
    answer.send((told.ended, told.broken))


@pytest.mark.parametrize("name", list(BOMBS)[:: 1 if LONG else 12])
def test_a_bomb_is_refused_before_it_costs_anything(tmp_path, name):
    kind, make = BOMBS[name]
    path = tmp_path / f"log.{kind}"
    path.write_bytes(make())
    ours, theirs = FORKS.Pipe(duplex=False)
    process = FORKS.Process(target=alone, args=(kind, path, theirs))
    process.start()
    theirs.close()
    process.join(90)
    ended, broken = ours.recv() if ours.poll() else ("gone", f"ended with {process.exitcode}")
    process.kill()
    path.unlink()
    assert (ended, broken) == ("read" if name in HARMLESS else "refused", "")


def test_a_pipe_is_not_waited_for_and_a_clock_that_leaps_asks_for_no_memory(tmp_path):
    os.mkfifo(tmp_path / "pipe.csv")
    with pytest.raises(RideError, match="pipe or a device"):
        read_ride(tmp_path / "pipe.csv")
    log = tmp_path / "leap.csv"
    log.write_text("time_s,pack_v\n" + "".join(f"{k},60\n" for k in range(50)) + "1e300,59\n")
    with pytest.raises(RideError, match="longer than any ride"):
        read_ride(log)
    log.write_text(
        "time,volts\n" + "".join(f"{k},60\n" for k in range(50)) + "".join(f"{1.7e9 + k},59\n" for k in range(50))
    )
    ride = read_ride(log).ride
    assert ride.time_s[-1] < 200 and len(ride) > 90


def test_a_valid_file_of_unusual_columns_is_read(tmp_path):
    (tmp_path / "a.parquet").write_bytes(sound("parquet"))
    ride = read_ride(tmp_path / "a.parquet").ride
    assert ride.time_s[-1] == 19.5 and np.isfinite(ride.get("pack_v")).all()


def test_a_lone_quotation_mark_is_refused_in_a_line(tmp_path, capfd):
    log = tmp_path / "quote.csv"
    log.write_text("time_s,pack_v\n" + "".join(f"{k},60\n" for k in range(50)) + '50,"')
    with pytest.raises(RideError, match="could not parse"):
        read_ride(log)
    assert "panic" not in capfd.readouterr().err
