"""Logs of many layouts, units, clocks and faults: read right with no correction, or after one; hostile ones refused."""

import gzip

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.mapping import kept_rows, remembered, suggest
from crisp_hornet.rides.registry import read_ride, read_table, write_ride
from crisp_hornet.rides.taking import take
from tests.amount import some
from tests.rides.layouts import LAYOUTS, C, Layout, fit_of, gpx_of, json_lines_of, tcx_of, text_of, true_ride, xlsx_of

RIDE = true_ride()
DERIVED = {"power_w": "battery_a"}


def written(tmp_path, raw, name="log.csv"):
    path = tmp_path / name
    path.write_bytes(raw)
    return path


def agrees(ride, truth, columns, tolerance):
    """What differs from the truth, by channel."""
    wrong = {}
    if abs(ride.time_s[-1] - truth["time_s"][-1]) > 0.02 + tolerance.get("time_s", 0):
        wrong["time_s"] = float(ride.time_s[-1])
    at = np.linspace(1, truth["time_s"][-1] - 1, 100)
    for channel in columns:
        found = np.interp(at, ride.time_s, ride.get(channel))
        true = np.interp(at, truth["time_s"], truth[channel])
        span = max(float(np.ptp(true)), 1e-9)
        off = float(np.nanmax(np.abs(found - true))) / span
        if not off <= 0.01 + tolerance.get(channel, 0) + 3 * tolerance.get("time_s", 0):
            wrong[channel] = off
    return wrong


def check(path, layout, truth=RIDE):
    channels = {DERIVED.get(one[0], one[0]) for one in layout.columns} & set(CHANNELS)
    return agrees(read_ride(path).ride, truth, channels, layout.tolerance)


@pytest.mark.parametrize("layout", LAYOUTS, ids=[one.name for one in LAYOUTS])
def test_a_layout_is_read_right_with_no_correction(tmp_path, layout):
    assert check(written(tmp_path, text_of(layout, RIDE), "log.csv.gz" if layout.packed else "log.csv"), layout) == {}


@seed(81)
@settings(max_examples=some(60), deadline=None, database=None)
@given(st.sampled_from([one for one in LAYOUTS if one.clock != "whole clock"]), st.integers(1, 10_000),
       st.sampled_from([(",", False), (";", True), (";", False), ("\t", False), ("\t", True)]), st.sampled_from(["\n", "\r\n"]),
       st.sampled_from(["utf-8", "utf-16", "utf-8-sig"]), st.booleans())  # fmt: skip
def test_layouts_mixed_anew(tmp_path_factory, layout, number, dialect, ending, encoding, packed):
    separator, comma = dialect
    mixed = Layout(**{**vars(layout), "separator": separator, "comma": comma, "ending": ending, "encoding": encoding, "packed": packed,
                      "preamble": ()})  # fmt: skip
    truth = true_ride(number, rows=300)
    path = written(tmp_path_factory.mktemp("mixed"), text_of(mixed, truth))
    assert check(path, mixed, truth) == {}


@pytest.mark.parametrize(
    ("make", "name", "channels"),
    [
        (json_lines_of, "log.jsonl", ("wheel_speed_kmh", "pack_v", "battery_a", "motor_c")),
        (gpx_of, "track.gpx", ("lat_deg", "lon_deg", "altitude_m")),
        (tcx_of, "track.tcx", ("lat_deg", "lon_deg", "altitude_m")),
        (fit_of, "track.fit", ("lat_deg", "lon_deg", "altitude_m", "gps_speed_kmh")),
        (xlsx_of, "sheet.xlsx", ("wheel_speed_kmh", "pack_v", "battery_a")),
    ],
)
def test_other_formats_give_the_same_ride(tmp_path, make, name, channels):
    raw = make(RIDE)
    ride = read_ride(written(tmp_path, raw, name)).ride
    assert agrees(ride, RIDE, channels, {"time_s": 1.0} if make is fit_of else {}) == {}
    assert (
        read_ride(written(tmp_path, raw, "renamed.bin" if name.endswith(("fit", "xlsx")) else name)).ride.time_s.size
        == ride.time_s.size
    )
    if "gps_speed_kmh" not in channels and name.startswith("track"):
        assert "speed worked out from positions" in read_ride(tmp_path / name).notes
        assert (
            agrees(ride, RIDE | {"gps_speed_kmh": RIDE["wheel_speed_kmh"]}, ("gps_speed_kmh",), {"gps_speed_kmh": 0.06})
            == {}
        )


def test_one_correction_by_hand_makes_the_rest_right_and_is_remembered(tmp_path):
    layout = Layout("strange", [C("wheel_speed_kmh", "A1"), C("pack_v", "B2"), C("battery_a", "Speed (km/h)")])
    path = written(tmp_path, text_of(layout, RIDE))
    table = read_table(path)
    mapping = (
        suggest(table)
        .with_column(table, 1, "wheel_speed_kmh", "km/h")
        .with_column(table, 2, "pack_v")
        .with_column(table, 3, "battery_a")
    )
    assert agrees(take(table, mapping, path).ride, RIDE, ("wheel_speed_kmh", "pack_v", "battery_a"), {}) == {}
    again = read_table(written(tmp_path, text_of(layout, true_ride(5)), "next.csv"))
    assert again.signature == table.signature
    known = remembered(suggest(again), again, kept_rows(mapping))
    assert agrees(take(again, known, path).ride, true_ride(5), ("wheel_speed_kmh", "pack_v", "battery_a"), {}) == {}
    for junk in (None, 3, [{}], [{"column": "x"}], [{"column": 99, "channel": "pack_v", "factor": 1, "offset": 0}]):
        assert remembered(mapping, again, junk) == mapping
    assert mapping.with_column(table, 1, "").of("wheel_speed_kmh") is None


def test_faults_of_rows_are_counted_not_fatal(tmp_path):
    lines = text_of(LAYOUTS[0], RIDE).decode().splitlines()
    lines[50] = lines[49]  # a row twice
    lines[60] = "garbage,x,y"
    lines[70] = lines[70] + ",1,2,3"
    lines.insert(80, "")
    lines.append("end of log")
    loaded = read_ride(written(tmp_path, "\n".join(lines).encode()))
    assert agrees(loaded.ride, RIDE, ("wheel_speed_kmh", "pack_v", "battery_a"), {}) == {}
    assert any("rows left out" in note for note in loaded.notes)


def test_words_that_look_like_figures_carry_their_unit(tmp_path):
    text = "time,speed,volt\n" + "\n".join(f"{t},{20 + t % 5} km/h,{50.5 - t / 100} V" for t in range(40))
    ride = read_ride(written(tmp_path, text.encode())).ride
    assert ride.get("wheel_speed_kmh")[3] == 23 and ride.get("pack_v")[10] == pytest.approx(50.4)


@pytest.mark.parametrize(
    ("content", "name", "reason"),
    [
        (b"", "log.csv", "empty"),
        (b"nothing to see here", "log.csv", "no table of figures"),
        (b"a,b\n1,2\n1,2\n", "log.csv", "no column could be a time"),
        (b"time_s,colour\n1,2\n2,3\n", "log.csv", "no column was recognised"),
        (gzip.compress(b"0" * 50_000_000), "log.csv.gz", "absurd size"),
        (b"\x1f\x8b\x08junk", "log.csv.gz", "cannot be unpacked"),
        (b"{}", "log.jsonl", "no rows"),
        (b'{"time_s": 1}\n[1,2]\n{"time_s": 2}\n\n', "log.jsonl", "no JSON object"),
        (b'{"time_s": NaN}\n{"time_s": 2}\n{"a":1}\n\n', "log.jsonl", "no JSON object"),
        (b"<gpx><trk>", "track.gpx", "no GPX we can read"),
        (b'<!DOCTYPE x [<!ENTITY a "b">]><gpx>&a;</gpx>', "track.gpx", "defines entities"),
        (b'<gpx version="1.1"></gpx>', "track.gpx", "holds 0 track points"),
        (b"<Track></Track>", "track.tcx", "holds no track points"),
        (b"junk", "track.tcx", "no TCX"),
        (b"junk", "track.fit", "no FIT"),
        (b"junk", "sheet.xlsx", "no spreadsheet"),
        (b"PAR1junkPAR1", "log.parquet", "not a Parquet file"),
    ],
)
def test_what_cannot_be_read_is_refused_with_its_reason(tmp_path, content, name, reason):
    with pytest.raises(RideError, match=reason):
        read_ride(written(tmp_path, content, name))


def rides():
    rows = st.integers(2, 40)
    return rows.flatmap(
        lambda n: st.builds(
            lambda steps, values: Ride(
                "r",
                np.concatenate(([0.0], np.cumsum(steps))),
                {"pack_v": np.array(values), "level": np.arange(float(n))},
            ),
            st.lists(st.floats(0.001, 50), min_size=n - 1, max_size=n - 1),
            st.lists(st.floats(1, 100) | st.just(float("nan")), min_size=n, max_size=n),
        )
    )


@seed(83)
@settings(max_examples=some(60), deadline=None, database=None)
@given(rides(), st.sampled_from([".csv", ".parquet", ".jsonl"]))
def test_what_was_written_is_read_back_exactly(tmp_path_factory, ride, suffix):
    path = tmp_path_factory.mktemp("out") / f"r{suffix}"
    write_ride(ride, path)
    again = read_ride(path).ride
    assert again.time_s == pytest.approx(ride.time_s, abs=0) and np.array_equal(again.get("level"), ride.get("level"))
    assert np.array_equal(again.get("pack_v"), ride.get("pack_v"), equal_nan=True)


def test_a_track_is_written_and_read_back(tmp_path):
    ride = Ride("r", RIDE["time_s"], {name: RIDE[name] for name in ("lat_deg", "lon_deg", "altitude_m")})
    write_ride(ride, tmp_path / "out.gpx")
    assert agrees(read_ride(tmp_path / "out.gpx").ride, RIDE, ("lat_deg", "lon_deg", "altitude_m"), {}) == {}
    with pytest.raises(RideError, match="no positions"):
        write_ride(Ride("r", RIDE["time_s"], {"pack_v": RIDE["pack_v"]}), tmp_path / "no.gpx")
    with pytest.raises(RideError, match="no writer"):
        write_ride(ride, tmp_path / "out.abc")
