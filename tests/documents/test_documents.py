"""Documents: what is sound round-trips, what is not is named in one line."""

import json
import math
from pathlib import Path

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.demo import DRAFT, FACTORY, HERON
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.base import unknown_keys
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import SETTINGS
from tests.amount import some
from tests.bikes import BIKE, TUNE, a_bike, a_tune, changed

ROOT = Path(__file__).parents[2]


def written(tmp_path, content):
    path = tmp_path / "file.json"
    path.write_bytes(content if isinstance(content, bytes) else json.dumps(content).encode())
    return path


@pytest.mark.parametrize("path", [HERON, FACTORY, DRAFT], ids=lambda path: path.name)
def test_the_demo_documents_round_trip(path, tmp_path):
    read = store.read_bike if path == HERON else store.read_tune
    store.write(tmp_path / "copy.json", read(path))
    assert json.loads((tmp_path / "copy.json").read_text()) == json.loads(path.read_text())


def test_unknown_keys_are_kept_and_reported(tmp_path):
    bike = store.read_bike(written(tmp_path, changed(BIKE, colour="green", motor__paint="red")))
    assert unknown_keys(bike) == ["colour", "motor.paint"]
    assert store.dump(bike)["motor"]["paint"] == "red"


@pytest.mark.parametrize(
    ("change", "place", "reason"),
    [
        (
            {"motor__phase_resistance_ohm": -1},
            "motor.phase_resistance_ohm",
            "must be greater than or equal to 0.00001, is -1",
        ),
        ({"motor__phase_resistance_ohm": "0.05"}, "motor.phase_resistance_ohm", "must be a number, not '0.05'"),
        ({"motor__phase_resistance_ohm": True}, "motor.phase_resistance_ohm", "must be a number, not True"),
        ({"battery__series": 16.5}, "battery.series", "must be a whole number"),
        ({"battery__chemistry": "lead"}, "battery.chemistry", "'nmc'"),
        ({"drivetrain__efficiency": 1.2}, "drivetrain.efficiency", "less than or equal to 1"),
        ({"chain": [{"name": "Display", "speed_kmh": "fast"}]}, "chain[0].speed_kmh", "must be a number"),
        ({"chassis__cg_from_rear_m": 3.0}, "", "in front of the front wheel"),
        ({"format": "something/else"}, "format", "expected 'crisp-hornet/bike'"),
        ({"version": 2}, "version", "newer than this application knows"),
        ({"version": "1"}, "version", "whole number"),
        ({"motor": 7}, "motor", "must be"),
    ],
)
def test_each_fault_is_named_with_its_key(tmp_path, change, place, reason):
    path = written(tmp_path, changed(BIKE, **change))
    with pytest.raises(DocumentError) as caught:
        store.read_bike(path)
    assert caught.value.place == place and reason in caught.value.reason
    assert str(path) in str(caught.value) and "\n" not in str(caught.value)


def test_a_missing_key_is_named(tmp_path):
    data = changed(BIKE)
    del data["motor"]["flux_linkage_wb"]
    with pytest.raises(DocumentError, match=r"motor\.flux_linkage_wb: this key is missing"):
        store.read_bike(written(tmp_path, data))


@pytest.mark.parametrize(
    ("content", "reason"),
    [
        (b"", "empty"),
        (b"   \n", "empty"),
        (b"{", "not JSON"),
        (b"[1, 2]", "JSON object"),
        (b"\xff\xfe\x00", "UTF-8"),
        (b'{"a": NaN}', "NaN"),
        (b'{"a": -Infinity}', "Infinity"),
        (b'{"a": 1, "a": 2}', "stands twice"),
        (b"[" * 200_000, "nested too deeply"),
        (b'{"a": ' + b"9" * 6000 + b"}", ""),
        (b" " * (wire.MAX_BYTES + 1), "larger than"),
    ],
)
def test_hostile_text_is_refused(tmp_path, content, reason):
    with pytest.raises(DocumentError) as caught:
        store.read_bike(written(tmp_path, content))
    assert reason in caught.value.reason


def test_numbers_too_large_for_a_float_are_refused(tmp_path):
    text = json.dumps(BIKE).replace('"capacity_ah": 24', '"capacity_ah": 1e999')
    with pytest.raises(DocumentError, match=r"battery\.capacity_ah"):
        store.read_bike(written(tmp_path, text.encode()))


def test_no_file_and_a_directory(tmp_path):
    with pytest.raises(DocumentError, match="directory"):
        store.read_bike(tmp_path)
    with pytest.raises(DocumentError, match="no such file"):
        store.read_bike(tmp_path / "none.json")


@seed(3)
@settings(max_examples=some(300), deadline=None, database=None)
@given(
    st.binary(max_size=400)
    | st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=8),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(["format", "version", "name", "motor", "drive", "battery"]), inner, max_size=4
            )
        ),
        max_leaves=12,
    ).map(lambda value: json.dumps(value).encode())
)
def test_whatever_the_bytes_only_a_document_error_comes_out(tmp_path_factory, content):
    path = tmp_path_factory.mktemp("fuzz") / "file.json"
    path.write_bytes(content)
    for read in (store.read_bike, store.read_tune):
        with pytest.raises(DocumentError):
            read(path)


def test_a_write_that_fails_leaves_the_old_file(tmp_path):
    with pytest.raises(DocumentError, match="cannot be written"):
        store.write(tmp_path / "no" / "bike.json", a_bike())
    path = tmp_path / "bike.json"
    path.write_text("old")
    with pytest.raises(ValueError):
        wire.write_object(path, {"a": math.nan})
    assert path.read_text() == "old" and list(tmp_path.iterdir()) == [path]


def test_published_schemas_are_the_current_ones():
    for name, text in store.schemas().items():
        assert (ROOT / "docs" / "schema" / name).read_text() == text, "run scripts/make_schemas.py"


def test_settings_by_path():
    tune = a_tune()
    assert set(SETTINGS) == {
        f"{group}.{key}" for group in ("drive", "regen", "battery_guard", "heat_guard") for key in TUNE[group]
    }
    assert tune.with_setting("drive.power_w", 900.0).setting("drive.power_w") == 900
    for path in ("drive.nothing", "name", "drive"):
        with pytest.raises(KeyError):
            tune.setting(path)
        with pytest.raises(KeyError):
            tune.with_setting(path, 1.0)
    with pytest.raises(ValueError, match="fade_end_v"):
        tune.with_setting("battery_guard.fade_end_v", 60.0)
