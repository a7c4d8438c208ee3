"""Descriptions of controllers: what they mean, and that a faulty one is told by line and key."""

from pathlib import Path

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.maps import all_maps, shipped_map, shipped_maps
from crisp_hornet.documents.register import Register
from crisp_hornet.documents.tune import SETTINGS
from tests.amount import some
from tests.bikes import a_tune

FOLDER = Path(__file__).parents[2] / "src/crisp_hornet/documents/controllers"
WEIR = (FOLDER / "weir-60.toml").read_text()
EVERY_REGISTER = [(one, register) for one in shipped_maps() for register in one.register_list]


@seed(11)
@settings(max_examples=some(300), deadline=None, database=None)
@given(st.sampled_from(EVERY_REGISTER), st.floats(0, 1))
def test_a_register_rounds_to_its_safe_side_by_less_than_a_step_and_travels_in_words(chosen, share):
    controller, register = chosen
    value = register.min + share * (register.max - register.min)
    raw = register.encode(value)
    held = register.decode(raw)
    assert abs(held - value) < register.step + 1e-6
    assert held <= value + 1e-5 if register.safe == "lower" else held >= value - 1e-5
    assert register.decode(register.encode(held)) == held
    words = controller.words_of(register, raw)
    assert len(words) == register.words and all(0 <= word <= 0xFFFF for word in words)
    assert controller.raw_of(words) == raw


def test_word_order_and_offset_are_the_description_s():
    sluice, weir = shipped_map("Sluice 40"), shipped_map("Weir 60")
    current, hours = sluice.register("drive.phase_current_a"), weir.register("info.hours")
    assert sluice.words_of(current, current.encode(100.0)) == [100_000 & 0xFFFF, 100_000 >> 16]
    assert weir.words_of(hours, 0x0001_0002) == [1, 2]
    warm = sluice.register("heat_guard.motor_fade_start_c")
    assert warm.encode(-40) == 0 and warm.decode(140) == 100


def test_a_register_says_what_it_cannot_hold():
    register = Register(
        name="drive.battery_current_a", label="battery current", address=1, scale=0.5, unit="A", min=0, max=80
    )
    with pytest.raises(ValueError, match="outside what this controller takes"):
        register.encode(81)
    with pytest.raises(ValueError, match="cannot be switched off"):
        register.encode(None)


@pytest.mark.parametrize("one", shipped_maps(), ids=lambda one: one.name)
def test_a_shipped_description_says_for_every_setting_where_it_is_or_why_not(one):
    for path in SETTINGS:
        assert (one.register(path) is None) == (one.lack(path) is not None)
    assert all(fault.check and fault.meaning for fault in one.fault)


def test_what_a_controller_does_instead_is_said_where_no_limit_is_no_answer(tmp_path):
    path = tmp_path / "map.toml"
    path.write_text((FOLDER / "sluice-40.toml").read_text().replace("value = 0\n", "", 1))
    with pytest.raises(DocumentError, match="drive.field_weakening_a always has a value"):
        read_map(path)


def test_a_tune_comes_to_what_the_controller_does_instead():
    sluice, tune = shipped_map("Sluice 40"), a_tune(drive__field_weakening_a=30)
    ran = sluice.as_run(tune)
    assert all(ran.setting(lack.name) == lack.value for lack in sluice.lacks) and ran.drive.field_weakening_a == 0
    assert shipped_map("Weir 60").as_run(tune) is tune  # it lacks nothing


def line_of(text, needle):
    return next(number for number, line in enumerate(text.splitlines(), 1) if needle in line)


@pytest.mark.parametrize(
    ("old", "new", "key", "reason"),
    [
        ("address = 0x0101", "address = 0x0100", "register.1.address", "stands twice"),
        ('name = "drive.power_w"', 'name = "drive.colour"', "register.2.name", "names no setting"),
        ('unkept = "unkept"', 'unkept = "gone"', "keep.unkept", "no telemetry channel"),
        ("baud = 115200", 'baud = "fast"', "line.baud", "must be a whole number"),
        ("min = 0\nmax = 80\ndefault = 30", "min = 90\nmax = 80\ndefault = 30", "register.1.max", "below min"),
        ('type = "i16", unit = "rpm"', 'type = "f32", unit = "rpm"', "telemetry.channel.1", "u16"),
        (
            'name = "wheel_speed_kmh"',
            'name = "speed_kmh"',
            "telemetry.channel.0",
            "perhaps gps_speed_kmh or wheel_speed_kmh",
        ),
        ('name = "pack_v", at = 2', 'name = "pack_v", at = 1', "telemetry.channel.2", "same place"),
        ("code = 12", "code = 11", "fault.0.code", "stands twice"),
        ("scale = 0.5", "scale = -0.5", "register.0.scale", "must be greater than"),
        ('access = "r"', 'access = "rw"', "register.77.access", "read only"),
        (
            'name = "drive.phase_current_a"',
            'name = "drive.phase_current_a"\nnone_raw = 9',
            "register.0.none_raw",
            "always has",
        ),
        ('state = "inhibited"', 'state = "still"', "inhibit.state", "no telemetry channel"),
        ("address = 0x01F0", "address = 0x0100", "keep.address", "where drive.phase_current_a is"),
        ("address = 0x01F4", "address = 0x0182", "inhibit.address", "where calibration.throttle_rest_v is"),
        ("address = 0x01F4", "address = 0x01F0", "inhibit.address", "as keep does"),
        ("\noff = 0", "\noff = 1", "inhibit.off", "same word"),
        (
            "clear_faults = { address = 0x01F1",
            "clear_faults = { address = 0x0101",
            "commands.clear_faults",
            "where drive.batt",
        ),
        (
            "detect = { address = 0x01F2, word = 0x00D1",
            "detect = { address = 0x01F1, word = 0x00C1",
            "commands.detect",
            "same word",
        ),
        ("none_raw = 0xFFFF", "none_raw = 300", "register.2.none_raw", "between min and max"),
        ("none_raw = 0xFFFF", "none_raw = 0x1FFFF", "register.2.none_raw", "does not fit its u16"),
        ("max = 220\ndefault", "max = 40000\ndefault", "register.0.max", "does not fit its u16"),
        ("default = 90", "default = 250", "register.0.default", "outside min and max"),
        ("\ndevice = 1", "\ndevice = 300", "line.device", "247"),
        ("address = 0x0101\nscale", 'address = 0x00FF\ntype = "u32"\nscale', "address", "stands twice"),
        ("[line]", "[[line]]", "line", "object with named values"),
        ('service = "7e3a0001', 'service = "xe3a0001', "bluetooth.service", "match"),
    ],
)
def test_a_faulty_description_is_told_by_line_and_key(tmp_path, old, new, key, reason):
    path = tmp_path / "map.toml"
    text = WEIR.replace(old, new, 1)
    assert text != WEIR
    path.write_text(text)
    with pytest.raises(DocumentError, match=reason) as told:
        read_map(path)
    named = told.value.place
    assert named.endswith(key) or key in named, named
    last = key.rpartition(".")[2]
    line = text.splitlines()[int(named.split(",")[0].removeprefix("line ")) - 1]
    assert last in line or last.isdigit(), line


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ("version = 1", "version = 3", "newer"),
        ("[line]", "[line", "line 11, column 6: not TOML"),
        ("scale = 0.5", "scale = = 0.5", "line 30, column 9: not TOML"),
        ('format = "crisp-hornet/controller-map"', "", "format"),
        ('name = "drive.power_w"', 'name = "info.power"\naccess = "r"', "drive.power_w has neither a register nor"),
    ],
)
def test_other_faults_are_told_too(tmp_path, old, new, reason):
    path = tmp_path / "map.toml"
    path.write_text(WEIR.replace(old, new, 1))
    with pytest.raises(DocumentError, match=reason):
        read_map(path)


def test_a_shipped_description_is_found_by_its_name(tmp_path):
    with pytest.raises(KeyError, match="Sluice 40, Weir 60, Weir 90"):
        shipped_map("Weir 61")
    (tmp_path / "own.toml").write_text(WEIR.replace('name = "Weir 60"', 'name = "My own"', 1))
    (tmp_path / "bad.toml").write_text("format = 1")
    maps, faulty = all_maps(tmp_path)
    assert maps[0].name == "My own" and len(maps) == 6 and len(faulty) == 1 and "bad.toml" in faulty[0]


def test_a_row_that_stands_for_several_registers_becomes_those():
    weir = shipped_map("Weir 60")
    levels = [weir.register(f"assist.levels.{at}.multiplier") for at in range(1, 13)]
    assert [one.address for one in levels] == list(range(0x240, 0x24C)) and levels[2].label == "level 3, multiplier"
    assert [one.default for one in levels[:6]] == [3.0, 4.6, 5.6, 6.3, 6.8, None]
    assert weir.register("modes.2.speed_kmh").address - weir.register("modes.1.speed_kmh").address == 16
    assert (
        weir.lack("modes.7.speed_kmh").reason.startswith("Not on this controller") and weir.lack("assist.style") is None
    )


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ("count = 12", "count = 0", "whole number of 1 to 64"),
        ("count = 12", "count = 65", "whole number of 1 to 64"),
        ("count = 12", 'count = "many"', "whole number of 1 to 64"),
        ("every = 16", "every = 0", "whole number of 1 to 64"),
        ("assist.levels.{n}.multiplier", "assist.levels.1.multiplier", "contains {n}"),
        ("address = 0x0240", 'address = "here"', "whole number"),
        ("assist.levels.{n}.multiplier", "assist.levels.{n}.colour", "names no setting"),
        ("every = 16", "every = 1", "stands twice"),
    ],
)
def test_faults_of_such_a_row_are_told_at_its_line(tmp_path, old, new, reason):
    path = tmp_path / "map.toml"
    text = WEIR.replace(old, new, 1)
    assert text != WEIR
    path.write_text(text)
    with pytest.raises(DocumentError) as told:
        read_map(path)
    assert reason in told.value.reason and told.value.place.startswith("line "), told.value
    at = int(told.value.place.split(",")[0].removeprefix("line "))
    block = text.splitlines()[max(at - 5, 0) : at + 12]
    assert any(new.split(" = ")[0].split("{")[0] in line for line in block), (at, block)


CULVERT, PENSTOCK = ((FOLDER / f"{name}.toml").read_text() for name in ("culvert-50", "penstock-120"))


@pytest.mark.parametrize(
    ("whole", "old", "new", "reason"),
    [
        (CULVERT, '"payload", "checksum"]', '"payload"]', "checksum must be given and stand among the parts"),
        (CULVERT, "checksum = { width = 16", "checksum = { width = 12", "8, 16, 24 or 32 bits"),
        (CULVERT, "checksum = { width = 16", 'checksum = { name = "Crc9Nobody", width = 16', "there is no checksum"),
        (CULVERT, '"command", "payload"] }', '"command", "payload", "checksum"] }', "not of itself"),
        (CULVERT, 'block = "drive"\nat = 2', 'block = "dive"\nat = 2', "there is no block dive"),
        (CULVERT, 'block = "drive"\nat = 2', 'block = "drive"\nat = 21', "reaches beyond its block"),
        (CULVERT, 'block = "drive"\nat = 4', 'block = "drive"\nat = 3', "overlaps drive.phase_current_a"),
        (CULVERT, "bit = 4\nbits = 3", "bit = 3\nbits = 3", "overlaps"),
        (CULVERT, "bit = 4\nbits = 3", "bit = 6\nbits = 3", "bits do not fit"),
        (CULVERT, "table = [0, 2, 4, 6, 8, 10, 12, 15]", "table = [0, 2, 4, 6, 8, 10, 12, 15, 20]", "longer than its numbers"),
        (CULVERT, "checksum = { kind = \"sum\", width = 8, at = 21", "checksum = { kind = \"sum\", width = 8, at = 20", "made of itself"),
        (CULVERT, 'ask = { command = 0x31, payload = "A5", answer', "ask = { command = 0x30, answer", "the live values"),
        (CULVERT, 'ask = { command = 0x31, payload = "A5"', 'ask = { command = 0x20, payload = "01"', "where block drive is"),
        (CULVERT, 'read = { command = 0x10, payload = "02"', 'read = { command = 0x10, payload = "01"', "is asked as block drive is"),
        (CULVERT, "product_at = { at = 0, length = 12 }", "", "who answers must be known"),
        (CULVERT, 'start = "C5 9A"', 'start = "C5 9"', "match"),
        (PENSTOCK, "object = [0x2100, 2]", "object = [0x2100, 1]", "stands twice, for drive.phase_current_a"),
        (PENSTOCK, "object = [0x2100, 1]", "object = [0x1010, 1]", "the line's own"),
        (PENSTOCK, "object = [0x2100, 1]", "address = 5", "has no object"),
        (PENSTOCK, "object = [0x1010, 3]", "object = [0x2100, 1]", "where drive.phase_current_a is"),
        (PENSTOCK, "device = 12", "device = 200", "1 to 127"),
        (PENSTOCK, "[canopen]\nvendor_id", "[canopen]\nvendor", "vendor_id"),
        (PENSTOCK, 'unkept = "unkept"', "at_once = 5", "at_once"),
        (WEIR, "[keep]", "[kept]", "keep is missing"),
        (WEIR, 'type = "i16", unit = "rpm"', 'type = "i8", unit = "rpm"', "u16, i16, u32, i32"),
    ],
)  # fmt: skip
def test_faults_of_other_kinds_of_line_are_told(tmp_path, whole, old, new, reason):
    assert old in whole
    (tmp_path / "map.toml").write_text(whole.replace(old, new, 1))
    with pytest.raises(DocumentError, match=reason):
        read_map(tmp_path / "map.toml")
