"""The parts of reading a log, each by a table of what sources really write."""

from datetime import UTC, datetime

import numpy as np
import pytest

from crisp_hornet.rides.clocks import seconds_of, with_date
from crisp_hornet.rides.dialect import dialect_of, encoding_of
from crisp_hornet.rides.mapping import suggest
from crisp_hornet.rides.quantities import CHANNEL_UNIT, known_unit, shown_unit, split_unit, turn_into, units_of
from crisp_hornet.rides.table import Column, Table

HEADERS = [
    ("Speed (km/h)", "Speed", "km/h"), ("speed_kmh", "speed", "kmh"), ("Speed [mph]", "Speed", "mph"),
    ("Motor Temp °F", "Motor Temp", "°f"),
    ("Battery Voltage (V)", "Battery Voltage", "v"), ("km/h", "km/h", "km/h"), ("Throttle %", "Throttle", "%"), ("pack_v", "pack", "v"),
    ("Torque {N·m}", "Torque", "n·m"), ("crank torque nm", "crank torque", "nm"), ("Fault code", "Fault code", ""),
    ("Cadence", "Cadence", ""),
    ("Time (ms)", "Time", "ms"), ('"Current, A"', "Current", "a"), ("Mode (name)", "Mode (name)", ""), ("altitude-ft", "altitude", "ft"),
]  # fmt: skip


@pytest.mark.parametrize(("header", "name", "unit"), HEADERS)
def test_a_header_is_split_into_name_and_unit(header, name, unit):
    assert split_unit(header) == (name, unit)


@pytest.mark.parametrize(
    ("unit", "wanted", "raw", "value"),
    [
        ("mph", "km/h", 10, 16.09344), ("m/s", "km/h", 10, 36), ("°f", "°C", 212, 100), ("k", "°C", 273.15, 0), ("mv", "V", 61_000, 61),
        ("ma", "A", -2500, -2.5), ("kw", "W", 1.5, 1500), ("ft", "m", 100, 30.48), ("km", "m", 1.2, 1200), ("m", "km", 500, 0.5),
        ("lbf·ft", "N·m", 10, 13.558), ("lb·ft", "N·m", 10, 13.558), ("ft·lb", "N·m", 10, 13.558), ("lbft", "N·m", 10, 13.558),
        ("%", "1", 45, 0.45), ("semicircles", "°", 2**30, 90), ("rps", "rpm", 5, 300),
        ("mi", "km", 1, 1.609344),
    ],
)  # fmt: skip
def test_units_are_turned(unit, wanted, raw, value):
    turn = turn_into(unit, wanted)
    assert raw * turn.factor + turn.offset == pytest.approx(value, rel=1e-4, abs=1e-9)
    assert unit in units_of(wanted) or any(turn_into(one, wanted) == turn for one in units_of(wanted))


def test_units_of_another_dimension_are_refused_and_unknown_ones_unknown():
    assert turn_into("v", "A") is None and turn_into("°c", "km/h") is None
    assert [known_unit(one) for one in ("℃", "℉", "lb⋅ft", "FT·LB", "μs")] == ["°c", "°f", "lb·ft", "ft·lb", "µs"]
    assert [split_unit(one)[1] for one in ("Motor temp ℃", "torque (lb·ft)", "torque lb⋅ft")] == [
        "°c",
        "lb·ft",
        "lb·ft",
    ]
    assert known_unit(" KM/H ") == "km/h" and known_unit("º C") == "°c" and known_unit("furlongs") == ""
    assert shown_unit("°f") == "°F" and shown_unit("mph") == "mph" and shown_unit("ma") == "mA"
    assert all(units_of(unit) for unit in set(CHANNEL_UNIT.values()))


def texts(*cells):
    return Column("time", "", np.full(len(cells), np.nan), list(cells))


def numbers(*values, unit=""):
    return Column("time", unit, np.array(values, float))


@pytest.mark.parametrize(
    ("column", "steps", "told"),
    [
        (numbers(0, 0.5, 1.0), [0.5, 0.5], "seconds since the start"),
        (numbers(0, 500, 1000), [0.5, 0.5], "milliseconds since the start"),
        (numbers(0, 1, 2, unit="min"), [60, 60], "min since the start"),
        (numbers(1.76e9, 1.76e9 + 2), [2], "seconds since 1970"),
        (numbers(1.76e12, 1.76e12 + 250), [0.25], "seconds since 1970"),
        (numbers(1.76e15, 1.76e15 + 3e6), [3], "seconds since 1970"),
        (numbers(46000.5, 46000.5 + 1 / 86400), [1], "days of a spreadsheet"),
        (texts("14:03:20", "14:03:21.5"), [1.5], "a clock"),
        (texts("2:05", "2:06,5"), [1.5], "a clock"),
        (texts("23:59:59", "00:00:01"), [2], "a clock"),
        (texts("11:59:58 AM", "12:00:01 PM", "1:00:01 PM"), [3, 3600], "a clock"),
        (texts("2026-10-05T14:03:20Z", "2026-10-05T14:03:21Z"), [1], "dates and times"),
        (texts("2026-10-05T14:03:20.250+02:00", "2026-10-05T14:03:20.750+02:00"), [0.5], "dates and times"),
        (texts("05.10.2026 14:03:20", "05.10.2026 14:03:22"), [2], "dates and times"),
        (texts("10/25/2026 14:03:20", "10/25/2026 14:03:22"), [2], "dates and times"),
        (texts("25/10/2026 14:03:20", "25/10/2026 14:03:22"), [2], "dates and times"),
        (texts("10/25/2026 02:03:20 PM", "10/25/2026 02:03:25 PM"), [5], "dates and times"),
        (texts("2026-10-05 14:03", "2026-10-05 14:04"), [60], "dates and times"),
    ],
)
def test_times_of_all_forms_become_seconds(column, steps, told):
    seconds, words = seconds_of(column)
    assert np.diff(seconds) == pytest.approx(steps, abs=1e-4) and words == told


def test_what_is_no_time_is_none_and_a_date_beside_its_clock_is_one():
    assert (
        seconds_of(texts("red", "blue")) is None
        and seconds_of(texts("", "14:03:20")) is None
        and seconds_of(numbers(np.nan, 1)) is None
    )
    both = with_date(texts("05.10.2026", "06.10.2026"), texts("23:59:59", "00:00:00"))
    seconds, _ = seconds_of(both)
    assert (
        np.diff(seconds) == pytest.approx([1])
        and seconds[0] == datetime(2026, 10, 5, 23, 59, 59, tzinfo=UTC).timestamp()
    )
    assert with_date(numbers(1, 2), texts("1:00:00", "2:00:00")) is None


@pytest.mark.parametrize(
    ("text", "separator", "comma", "header", "data"),
    [
        ("t,v\n0,1.5\n1,2.5\n", ",", False, 0, 1),
        ("t;v\n0;1,5\n1;2,5\n", ";", True, 0, 1),
        ("t;v\n0;1.5\n1;2.5\n", ";", False, 0, 1),
        ("t\tv\tw\n0\t1,5\t3\n1\t2,5\t4\n", "\t", True, 0, 1),
        ("log of a ride\nby hand, at home\nt|v\n0|1\n1|2\n", "|", False, 2, 3),
        ("t,v\ns,V\n0,1\n1,2\n", ",", False, 0, 2),
        ("0,1.5,3\n1,2.5,4\n", ",", False, None, 0),
        ('"t","v"\n"0","1.5"\n"1","2.5"\n', ",", False, 0, 1),
    ],
)
def test_dialects(text, separator, comma, header, data):
    found = dialect_of(text, "utf-8")
    assert (found.separator, found.decimal_comma, found.header, found.data) == (separator, comma, header, data)
    assert len(found.names) == len(found.unit_cells)


def test_no_table_and_encodings():
    assert dialect_of("just words\nand more of them\n", "utf-8") is None and dialect_of("", "utf-8") is None
    told = {"utf-8": "Höhe", "utf-16": "Höhe;1", "cp1252": "Höhe", "utf-8-sig": "x", "utf-16-le": "time;speed;volt"}
    for encoding, text in told.items():
        assert encoding_of(text.encode(encoding) * 20 if encoding == "utf-16-le" else text.encode(encoding)) in (
            encoding,
            "utf-16",
        )


NAMES = {
    "Battery Current": "battery_a", "pack amps": "battery_a", "I_bat": "battery_a", "Strom": "battery_a", "Phase Current": "phase_a",
    "motorCurrent": "phase_a", "Iq": "phase_a", "id current": "d_axis_a", "Bike Speed": "wheel_speed_kmh", "GPS speed": "gps_speed_kmh",
    "Geschwindigkeit": "wheel_speed_kmh", "Motor RPM": "motor_rpm", "Drehzahl": "motor_rpm", "Pedal cadence": "cadence_rpm",
    "Trittfrequenz": "cadence_rpm", "crank torque": "human_nm", "Rider Power": "human_w", "MOSFET temp": "controller_c",
    "controller_temperature": "controller_c", "T_motor": "motor_c", "Winding temp": "motor_c",
    "Akkuspannung": "pack_v", "Voltage": "pack_v",
    "throttle position": "throttle", "elevation": "altitude_m", "Latitude": "lat_deg", "longitude": "lon_deg", "assist level": "level",
    "Brake lever": "brake", "error code": "fault", "Trip distance": "distance_km", "Battery power": "power_w",
}  # fmt: skip
STRANGERS = (
    "Cell 3 voltage",
    "wind speed",
    "throttle voltage",
    "max battery current",
    "colour",
    "checksum",
    "heart rate",
)
FIGURES = {
    "pack_v": 55.0,
    "lat_deg": 47.0,
    "lon_deg": 11.0,
    "altitude_m": 430.0,
    "motor_c": 40.0,
    "controller_c": 35.0,
    "throttle": 0.5,
    "brake": 0.0,
}


@pytest.mark.parametrize(("name", "channel"), NAMES.items())
def test_names_of_many_sources_are_recognised(name, channel):
    steps = np.linspace(0, 0.4, 50)
    table = Table(
        "r", "text", [Column("time", "s", np.arange(50.0)), Column(name, "", FIGURES.get(channel, 20.0) + steps)]
    )
    found = suggest(table)
    assert [one.channel for one in found.assigned] == [channel] and found.time == (0,)
    assert found.assigned[0].confidence >= 0.5, found.assigned


@pytest.mark.parametrize("name", STRANGERS)
def test_what_only_looks_alike_is_left_out(name):
    table = Table("r", "text", [Column("time", "s", np.arange(50.0)), Column(name, "", np.full(50, 3.7))])
    assert suggest(table).assigned == []


def test_of_two_columns_for_one_channel_the_surer_one_is_taken():
    table = Table(
        "r",
        "text",
        [
            Column("time", "s", np.arange(9.0)),
            Column("speed", "", np.full(9, 20.0)),
            Column("Wheel speed", "mph", np.full(9, 12.0)),
        ],
    )
    found = suggest(table)
    assert [(one.column, one.channel) for one in found.assigned] == [(2, "wheel_speed_kmh")]
    huge = Table("r", "text", [Column("time", "s", np.arange(9.0)), Column("speed", "km/h", np.full(9, 20_000.0))])
    assert suggest(huge).assigned[0].confidence == 0.3 and "not of that size" in suggest(huge).assigned[0].why
