"""Backups, calibrations and firmware images from outside: whatever they hold, they are read or refused by name."""

import json
import random

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.documents.backup import BackedUpRegister, Backup, read_backup
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.firmware import MOST_BYTES, make_firmware, parse_firmware, read_firmware
from crisp_hornet.documents.store import dump, parse, write
from tests.amount import some

JUNK = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-(10**12), 10**12)
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)
BACKUP = Backup(
    taken="2026-10-12T10:00:00+02:00",
    vendor="Tarnholm Weir Works",
    product="Weir 60",
    firmware="3.2.1",
    serial="TW60-00417",
    registers=[
        BackedUpRegister(name="drive.power_w", address=258, word=65535, value=None, unit="W"),
        BackedUpRegister(name="info.hours", address=448, word=3124, value=312.4, unit="h", type="u32"),
        BackedUpRegister(
            name="calibration.throttle_rest_v", address=386, word=850, value=0.85, unit="V", calibration=True
        ),
    ],
)


def test_a_backup_comes_back_as_it_was_written(tmp_path):
    write(tmp_path / "b.json", BACKUP)
    again = read_backup(tmp_path / "b.json")
    assert again == BACKUP and again.raws()["info.hours"] == 3124
    assert set(again.values(calibration=False)) == {"drive.power_w", "info.hours"}
    assert again.values(calibration=True)["calibration.throttle_rest_v"] == 0.85


def test_a_backup_of_the_first_kind_is_still_read(tmp_path):
    data = dump(BACKUP)
    for register in data["registers"]:
        register.pop("type", None)
        register.pop("calibration", None)
    (tmp_path / "old.json").write_text(json.dumps(data))
    assert [one.type for one in read_backup(tmp_path / "old.json").registers] == ["u16"] * 3


@seed(51)
@settings(max_examples=some(150), deadline=None, database=None)
@given(st.sampled_from([*dump(BACKUP), "register"]), JUNK)
def test_a_backup_with_anything_in_any_place_is_read_or_refused(tmp_path_factory, key, junk):
    path = tmp_path_factory.mktemp("backups") / "b.json"
    data = dump(BACKUP)
    if key == "register":
        data["registers"][1] = junk
    else:
        data[key] = junk
    path.write_text(json.dumps(data))
    try:
        read_backup(path)
    except DocumentError as error:
        assert str(path) in str(error) and "\n" not in str(error)


@seed(52)
@settings(max_examples=some(100), deadline=None, database=None)
@given(st.sampled_from(["kind", "taken", "verdict", "reason", "figures", "written", "version"]), JUNK)
def test_a_calibration_with_anything_in_any_place_is_read_or_refused(key, junk):
    good = Calibration(
        kind="throttle", taken="2026-10-12T10:00:00", verdict="passed", reason="seen", figures={"rest_v": 0.8}
    )
    data = good.model_dump(mode="json") | {key: junk}
    try:
        parse(Calibration, "crisp-hornet/calibration", 1, data, "here")
    except DocumentError as error:
        assert str(error).startswith("here")


@seed(53)
@settings(max_examples=some(150), deadline=None, database=None)
@given(st.integers(0, 300), st.binary(min_size=1, max_size=40))
def test_a_firmware_image_overwritten_anywhere_is_the_same_or_refused(at, piece):
    good = make_firmware("weir-60-b", "3.3.0", random.Random(2).randbytes(200))
    spoilt = bytearray(good)
    spoilt[at : at + len(piece)] = piece
    try:
        image = parse_firmware(bytes(spoilt), "image")
    except DocumentError as error:
        assert str(error).startswith("image")
    else:  # only its own texts are not covered by the checksum of its payload
        assert image.data[92:] == good[92:] or at < 92


@pytest.mark.parametrize("size", [0, 1, 2, 99, 1000])
def test_an_image_is_whole_words_and_says_what_it_is(tmp_path, size):
    (tmp_path / "image").write_bytes(make_firmware("weir-60-b", "3.3.0", bytes(size)))
    image = read_firmware(tmp_path / "image")
    assert (image.hardware, image.version) == ("weir-60-b", "3.3.0") and len(image.data) % 4 == 0


def test_images_that_are_too_large_or_ill_named_are_refused(tmp_path):
    (tmp_path / "large").write_bytes(bytes(MOST_BYTES + 1))
    with pytest.raises(DocumentError, match="larger than"):
        read_firmware(tmp_path / "large")
    with pytest.raises(ValueError, match="at most"):
        make_firmware("x" * 33, "1", b"")
    with pytest.raises(UnicodeEncodeError):
        make_firmware("wär", "1", b"")
