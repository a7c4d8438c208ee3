"""Recording: whole after a kill at any instant or a cut at any byte, no more than two seconds lost; gaps, laps, ends."""

import json
import os
import random
import signal

import numpy as np
import pytest

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.recorder import ENDING, Recorder, left_behind
from crisp_hornet.rides.registry import read_ride, read_table

VALUES = {"wheel_speed_kmh": 20.0, "pack_v": 60.0, "battery_a": 12.5, "motor_c": 40.0, "heartbeat": 3.0}


def record(path, seconds, hz=50, **options):
    recorder = Recorder(path, **options)
    for step in range(round(seconds * hz)):
        recorder.take(100 + step / hz, VALUES | {"pack_v": 60 - step / 1000})
    return recorder


def test_what_is_recorded_is_the_ride_with_its_events(tmp_path):
    path = tmp_path / f"one{ENDING}"
    recorder = Recorder(path)
    recorder.card({"tyres": "3.5 bar", "wind": " ", "purpose": "range loop"})
    for step in range(500):
        if 200 <= step < 400:
            continue  # the link was gone for four seconds
        recorder.take(7.0 + step / 50, VALUES)
        recorder.take(7.0 + step / 50, VALUES)  # the same reading again
        if step == 100:
            recorder.lap()
            recorder.note("gate of the mill")
    recorder.finish()
    recorder.take(99.0, VALUES)
    assert recorder.done and recorder.rows == 300
    ride = read_ride(path).ride
    assert len(ride) == 300 and ride.time_s[-1] == pytest.approx(9.98) and "heartbeat" not in ride.channels
    notes = read_table(path).notes
    assert any("gap" in one and "4.0 s without values" in one for one in notes)
    assert (
        "lap at 2 s" in notes
        and "note at 2 s: gate of the mill" in notes
        and "card at 0 s: tyres 3.5 bar, purpose range loop" in notes
    )


def test_it_waits_for_movement_and_ends_after_standing(tmp_path):
    recorder = Recorder(tmp_path / "r.jsonl", waits=True, still_s=5.0)
    for step in range(100):
        recorder.take(step / 10, VALUES | {"wheel_speed_kmh": 0.0})
    assert recorder.waiting and recorder.rows == 0
    for step in range(100, 400):
        recorder.take(step / 10, VALUES | {"wheel_speed_kmh": 15.0 if step < 200 else 0.0})
    assert recorder.done and recorder.lasts_s == pytest.approx(15.0, abs=0.3)
    assert read_ride(tmp_path / "r.jsonl").ride.time_s[-1] == pytest.approx(15.0, abs=0.3)


@pytest.mark.parametrize("number", range(50))
def test_a_kill_at_any_instant_loses_at_most_two_seconds(tmp_path, number):
    """A child records and tells each row through a pipe; it is killed after a random number of rows."""
    path, rows = tmp_path / f"killed{ENDING}", random.Random(number).randrange(60, 900)
    told, tell = os.pipe()
    child = os.fork()
    if child == 0:  # pragma: no cover  (the child)
        os.close(told)
        recorder = Recorder(path)
        for step in range(100_000):
            recorder.take(step / 50, VALUES)
            os.write(tell, b".")
        os._exit(0)
    os.close(tell)
    seen = 0
    while seen < rows:
        seen += len(os.read(told, min(rows - seen, 4096)))
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    os.close(told)
    assert left_behind(tmp_path) == [path]
    ride = read_ride(path).ride
    assert ride.time_s[-1] >= (rows - 1) / 50 - 2.0 and np.all(np.diff(ride.time_s) > 0)


def test_a_file_cut_at_any_byte_keeps_all_whole_rows(tmp_path):
    path = tmp_path / "whole.jsonl"
    record(path, 4.0).finish()
    raw, draw = path.read_bytes(), random.Random(4)
    for _ in range(60):
        cut = draw.randrange(400, len(raw))
        (tmp_path / "cut.jsonl").write_bytes(raw[:cut])
        whole = sum("event" not in json.loads(line) for line in raw[:cut].split(b"\n")[:-1])
        assert whole <= len(read_ride(tmp_path / "cut.jsonl").ride) <= whole + 1


def test_a_full_disk_and_a_folder_that_cannot_be_are_told(tmp_path, monkeypatch):
    recorder = record(tmp_path / "full.jsonl", 3.0)

    def full(_number):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(RideError, match="no space left on device"):
        for step in range(200):
            recorder.take(200 + step / 50, VALUES)
    assert recorder.done and len(read_ride(tmp_path / "full.jsonl").ride) > 90
    (tmp_path / "file").write_text("x")
    with pytest.raises(RideError, match="recording stopped"):
        Recorder(tmp_path / "file" / "r.jsonl")
    assert left_behind(tmp_path / "nowhere") == []
