"""Logs of the exchange form: read right, or refused with the place."""

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.demo import ROUND
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.exchange import write_parquet
from crisp_hornet.rides.registry import READERS, read_ride, reader
from tests.amount import some


def written(tmp_path, text, name="log.csv"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def test_the_demo_ride_is_twenty_minutes_whole():
    loaded = read_ride(ROUND)
    assert loaded.notes == [] and 19 * 60 < loaded.ride.time_s[-1] < 22 * 60
    assert set(loaded.ride.channels) <= set(CHANNELS) and np.isfinite(loaded.ride.get("pack_v")).all()


def test_missing_values_bad_times_and_unknown_columns_are_counted(tmp_path):
    path = written(tmp_path, "time_s,pack_v,colour\n5,60,red\n6,,blue\n6,58,x\n,57,x\n7,inf,x\n")
    loaded = read_ride(path)
    assert loaded.ride.time_s.tolist() == [0, 1, 2]
    assert np.array_equal(loaded.ride.get("pack_v"), [60, np.nan, np.nan], equal_nan=True)
    assert any("2 of 5 rows left out" in note for note in loaded.notes) and any(
        "colour" in note for note in loaded.notes
    )


@pytest.mark.parametrize(
    ("content", "place", "reason"),
    [
        (b"", "", "empty"),
        (b"a,b\n1,2\n", "", "no column could be a time"),
        (b"time_s\nx\n", "", "no table of figures"),
        (b"time_s,pack_v\n,60\n,61\n", "time_s", "no increasing times"),
        (
            ("time_s," + ",".join(f"c{k}" for k in range(600)) + "\n" + ",".join("1" for _ in range(601))).encode(),
            "",
            "601 columns",
        ),
    ],
)
def test_what_cannot_be_read_is_named(tmp_path, content, place, reason):
    with pytest.raises(RideError) as caught:
        read_ride(written(tmp_path, content))
    assert caught.value.place == place and reason in caught.value.reason


def test_cells_that_are_no_figures_and_columns_that_stand_twice_are_told_not_fatal(tmp_path):
    loaded = read_ride(written(tmp_path, "time_s,pack_v,pack_v\n0,60,1\n1,6o,2\n2,58,3\n"))
    assert loaded.ride.get("pack_v")[[0, 2]].tolist() == [60, 58] and np.isnan(loaded.ride.get("pack_v")[1])
    assert "1 cell of pack without a figure" in loaded.notes


def test_no_file_a_directory_and_an_unknown_kind(tmp_path):
    for path, reason in (
        (tmp_path, "directory"),
        (tmp_path / "no.csv", "no such file"),
        (written(tmp_path, "x", "x.abc"), "no reader"),
        (written(tmp_path, "junk", "junk.parquet"), "not a Parquet file"),
    ):
        with pytest.raises(RideError, match=reason):
            read_ride(path)


def test_two_readers_for_one_ending_are_refused():
    read_ride(ROUND)
    with pytest.raises(ValueError, match="two readers"):
        reader(".csv")(READERS[".csv"])


@seed(5)
@settings(max_examples=some(40), deadline=None, database=None)
@given(st.lists(st.floats(0.01, 5), min_size=1, max_size=30), st.data())
def test_what_is_written_is_read_back_exactly(tmp_path_factory, steps, data):
    number = st.floats(-1e6, 1e6, allow_nan=False) | st.just(float("nan"))
    time = np.cumsum(steps) - steps[0]
    values = np.array(data.draw(st.lists(number, min_size=len(time), max_size=len(time))))
    path = tmp_path_factory.mktemp("ride") / "ride.parquet"
    write_parquet(Ride("x", time, {"pack_v": values}), path)
    back = read_ride(path).ride
    assert np.array_equal(back.time_s, time) and np.array_equal(back.get("pack_v"), values, equal_nan=True)


@seed(6)
@settings(max_examples=some(150), deadline=None, database=None)
@given(st.binary(max_size=300), st.sampled_from([".csv", ".parquet"]), st.booleans())
def test_whatever_the_bytes_only_a_ride_error_comes_out(tmp_path_factory, content, suffix, header):
    path = tmp_path_factory.mktemp("fuzz") / f"log{suffix}"
    path.write_bytes((b"time_s,pack_v\n" if header else b"") + content)
    try:
        read_ride(path)
    except RideError as error:
        assert str(path) in str(error)
