"""A ride with known truth, written as many sources would write it: names, units, separators, clocks and faults of their own."""

from __future__ import annotations

import gzip
import io
import json
import struct
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np

START = datetime(2026, 10, 5, 14, 3, 20, tzinfo=UTC)


def true_ride(seed: int = 1, rows: int = 300, step_s: float = 0.5) -> dict[str, np.ndarray]:
    """Channels of a ride round a lake, with climbs and stops; consistent with each other."""
    rng = np.random.default_rng(seed)
    time = np.arange(rows) * step_s
    throttle = np.clip(0.5 + 0.6 * np.sin(time / 17 + rng.uniform(0, 6)) + 0.3 * np.sin(time / 5.3), 0, 1)
    speed = np.convolve(np.concatenate((np.full(40, throttle[0]), throttle)), np.ones(41) / 41, "valid") * 42
    battery = 28 * throttle * np.clip(speed / 20, 0.25, 1) + 0.3
    pack = 60.5 - 0.09 * battery - time / 400
    metres = np.concatenate(([0.0], np.cumsum((speed[1:] + speed[:-1]) / 7.2 * step_s)))
    angle = metres / 700
    cadence = np.where(throttle > 0.1, 65 + 10 * np.sin(time / 9), 0.0)
    human = np.where(cadence > 0, 18 + 8 * np.sin(time / 11), 0.0)
    return {
        "time_s": time, "wheel_speed_kmh": speed, "gps_speed_kmh": speed * 0.985, "motor_rpm": speed * 10.5, "pack_v": pack,
        "battery_a": battery, "phase_a": 95 * throttle, "throttle": throttle, "human_nm": human, "cadence_rpm": cadence,
        "motor_c": 22 + 45 * (1 - np.exp(-time / 150)), "controller_c": 21 + 20 * (1 - np.exp(-time / 90)),
        "altitude_m": 430 + 35 * np.sin(metres / 800), "lat_deg": 47 + 700 * np.sin(angle) / 111_195,
        "lon_deg": 11 + 700 * (1 - np.cos(angle)) / (111_195 * np.cos(np.radians(47))), "distance_km": metres / 1000,
        "power_w": pack * battery,
    }  # fmt: skip


@dataclass(frozen=True)
class Layout:
    """How a source writes: (channel, header, unit factor, unit offset, decimals) a column, and the form of its times."""

    name: str
    columns: list[tuple[str, str, float, float, int]]
    time: str = "Time (s)"
    clock: str = "seconds"
    separator: str = ","
    comma: bool = False
    preamble: tuple[str, ...] = ()
    units_row: tuple[str, ...] = ()
    encoding: str = "utf-8"
    packed: bool = False
    empty: str = ""
    ending: str = "\n"
    quoted: bool = False
    tolerance: dict[str, float] = field(default_factory=dict)


def stamps(layout: Layout, time: np.ndarray) -> list[str]:
    """The times as the layout writes them."""
    moments = [START + timedelta(seconds=float(t)) for t in time]
    forms = {
        "seconds": lambda t, m: f"{t:.2f}", "milliseconds": lambda t, m: f"{t * 1000:.0f}", "epoch": lambda t, m: f"{m.timestamp():.3f}",
        "epoch ms": lambda t, m: f"{m.timestamp() * 1000:.0f}", "iso": lambda t,
            m: m.strftime("%Y-%m-%dT%H:%M:%S.") + f"{m.microsecond // 1000:03d}Z",
        "clock": lambda t, m: m.strftime("%H:%M:%S.") + f"{m.microsecond // 100_000}", "whole clock": lambda t, m: m.strftime("%H:%M:%S"),
        "half day": lambda t, m: m.strftime("%I:%M:%S") + f".{m.microsecond // 1000:03d} " + m.strftime("%p"),
        "dotted": lambda t, m: m.strftime("%d.%m.%Y %H:%M:%S.") + f"{m.microsecond // 1000:03d}",
        "month first": lambda t, m: m.strftime("%m/%d/%Y %H:%M:%S.") + f"{m.microsecond // 1000:03d}",
        "minutes": lambda t, m: f"{int(t // 60)}:{t % 60:04.1f}", "night": lambda t, m: (m + timedelta(hours=9,
            minutes=55)).strftime("%H:%M:%S.%f")[:-4],
    }  # fmt: skip
    return [forms[layout.clock](float(t), m) for t, m in zip(time, moments, strict=True)]


def text_of(layout: Layout, ride: dict[str, np.ndarray]) -> bytes:
    """The whole file."""
    cells = [stamps(layout, ride["time_s"])]
    for channel, _, factor, offset, digits in layout.columns:
        values = ride[channel] * factor + offset
        shown = [layout.empty if np.isnan(one) else f"{one:.{digits}f}" for one in values]
        cells.append([one.replace(".", ",") if layout.comma else one for one in shown])
    if layout.quoted:
        cells = [[f'"{one}"' for one in column] for column in cells]
    names = [layout.time, *(header for _, header, _, _, _ in layout.columns)]
    lines = [*layout.preamble, layout.separator.join(names)]
    lines += [layout.separator.join(layout.units_row)] if layout.units_row else []
    lines += [layout.separator.join(row) for row in zip(*cells, strict=True)]
    raw = (layout.ending.join(lines) + layout.ending).encode(layout.encoding)
    return gzip.compress(raw) if layout.packed else raw


C = lambda channel, header, factor=1.0, offset=0.0, digits=3: (channel, header, factor, offset, digits)
MPH, FEET, LBFT = 1 / 1.609344, 1 / 0.3048, 0.7375621493
BASIC = [
    C("wheel_speed_kmh", "Speed (km/h)"),
    C("pack_v", "Battery Voltage (V)"),
    C("battery_a", "Battery Current (A)"),
]
LAYOUTS = [
    Layout("plain", [*BASIC, C("motor_c", "Motor Temp (°C)"), C("throttle", "Throttle (%)", 100)]),
    Layout("exchange", [C(name, name) for name in ("wheel_speed_kmh", "pack_v", "battery_a", "phase_a", "motor_c",
        "human_nm")], time="time_s"),
    Layout("semicolon", BASIC, separator=";", comma=True),
    Layout("tab", BASIC, separator="\t", ending="\r\n"),
    Layout("pipe", BASIC, separator="|"),
    Layout("preamble", BASIC, preamble=("Ride log", "Bike: Heron", "Recorded 2026-10-05", "")),
    Layout("semicolon preamble", BASIC, separator=";", comma=True, preamble=("Fahrt;5.10.2026", "Ort;Tarnholm")),
    Layout("units row", [C("wheel_speed_kmh", "speed"), C("pack_v", "voltage"), C("battery_a", "current"), C("motor_c", "motor temp")],
           time="time", units_row=("s", "km/h", "V", "A", "°C")),
    Layout("units in brackets", [C("wheel_speed_kmh", "speed", MPH), C("pack_v", "voltage", 1000), C("battery_a", "current", 1000)],
           time="t", units_row=("[s]", "[mph]", "[mV]", "[mA]")),
    Layout("miles", [C("wheel_speed_kmh", "Speed mph", MPH), C("motor_c", "Motor temp °F", 1.8, 32), C("controller_c",
        "Controller temp °F", 1.8, 32),
                     C("altitude_m", "Altitude ft", FEET), C("pack_v", "Pack V"), C("battery_a", "Pack A")]),
    Layout("lbf", [C("human_nm", "Crank Torque (lb-ft)", LBFT), C("cadence_rpm", "Cadence (rpm)"), *BASIC]),
    Layout("epoch", BASIC, time="timestamp", clock="epoch"),
    Layout("epoch ms", BASIC, time="unix_ms", clock="epoch ms"),
    Layout("milliseconds", BASIC, time="ms", clock="milliseconds"),
    Layout("milliseconds told", BASIC, time="Time [ms]", clock="milliseconds"),
    Layout("iso", BASIC, time="datetime", clock="iso"),
    Layout("clock", BASIC, time="Clock", clock="clock"),
    Layout("whole clock", BASIC, time="Uhrzeit", clock="whole clock", tolerance={"time_s": 0.6}),
    Layout("am pm", BASIC, time="Local time", clock="half day"),
    Layout("dotted date", BASIC, time="Datum Zeit", clock="dotted", separator=";", comma=True),
    Layout("month first", BASIC, time="Date Time", clock="month first"),
    Layout("elapsed", BASIC, time="Elapsed", clock="minutes"),
    Layout("midnight", BASIC, time="time", clock="night"),
    Layout("utf-16", BASIC, encoding="utf-16"),
    Layout("latin", [C("wheel_speed_kmh", "Geschwindigkeit (km/h)"), C("altitude_m", "Höhe (m)"), C("pack_v",
        "Spannung (V)"), C("battery_a", "Strom (A)"),
                     C("motor_c", "Motortemperatur (°C)")], encoding="cp1252", separator=";", comma=True, time="Zeit (s)"),
    Layout("bom", BASIC, encoding="utf-8-sig"),
    Layout("packed", BASIC, packed=True),
    Layout("quoted", BASIC, quoted=True),
    Layout("empty words", BASIC, empty="N/A"),
    Layout("snake", [C("wheel_speed_kmh", "wheel_speed"), C("gps_speed_kmh", "gps_speed"), C("motor_rpm", "motor_rpm"),
        C("pack_v", "battery_voltage"),
                     C("battery_a", "battery_current"), C("phase_a", "phase_current"), C("controller_c", "controller_temp")], time="time"),
    Layout("camel", [C("wheel_speed_kmh", "bikeSpeed"), C("pack_v", "packVoltage"), C("battery_a", "packCurrent"),
        C("motor_c", "motorTemp"),
                     C("throttle", "throttle")], time="timeSeconds"),
    Layout("short", [C("wheel_speed_kmh", "km/h"), C("pack_v", "U_bat"), C("battery_a", "I_bat"), C("motor_c", "T_motor")], time="t"),
    Layout("power instead", [C("wheel_speed_kmh", "Speed (km/h)"), C("pack_v", "Voltage (V)"), C("power_w", "Power (W)")],
           tolerance={"battery_a": 0.02}),
    Layout("metres a second", [C("wheel_speed_kmh", "Wheel speed (m/s)", 1 / 3.6, 0.0, 4), *BASIC[1:]]),
    Layout("positions", [C("lat_deg", "Latitude", 1, 0, 7), C("lon_deg", "Longitude", 1, 0, 7), C("altitude_m", "Elevation (m)"),
                         C("wheel_speed_kmh", "Speed", MPH), *BASIC[1:]], tolerance={"wheel_speed_kmh": 0.05}),
    Layout("negative currents", [BASIC[0], BASIC[1], C("battery_a", "Battery Current (A)", -1), C("throttle", "Throttle (%)", 100)]),
    Layout("kilowatts", [BASIC[0], BASIC[1], C("power_w", "Battery Power (kW)", 1e-3, 0, 5)], tolerance={"battery_a": 0.05}),
]  # fmt: skip


def json_lines_of(ride: dict[str, np.ndarray]) -> bytes:
    """An object a row; empty values left out."""
    keys = ("time_s", "wheel_speed_kmh", "pack_v", "battery_a", "motor_c")
    rows = [
        {key: float(ride[key][at]) for key in keys if np.isfinite(ride[key][at])} for at in range(len(ride["time_s"]))
    ]
    return "\n".join(json.dumps(row) for row in rows).encode()


def gpx_of(ride: dict[str, np.ndarray]) -> bytes:
    """A track of the positions."""
    points = "".join(
        f'<trkpt lat="{lat:.7f}" lon="{lon:.7f}"><ele>{ele:.2f}</ele><time>{(START + timedelta(seconds=float(t))).isoformat()}</time>'
        f"<extensions><cad>{cad:.0f}</cad></extensions></trkpt>"
        for t, lat, lon, ele, cad in zip(
            *(ride[k] for k in ("time_s", "lat_deg", "lon_deg", "altitude_m", "cadence_rpm")), strict=True
        )
    )
    return f'<?xml version="1.0"?><gpx version="1.1" creator="t"><trk><trkseg>{points}</trkseg></trk></gpx>'.encode()


def tcx_of(ride: dict[str, np.ndarray]) -> bytes:
    """Track points of one lap."""
    points = "".join(
        f"<Trackpoint><Time>{(START + timedelta(seconds=float(t))).strftime('%Y-%m-%dT%H:%M:%S.%f')[:-3]}Z</Time><Position>"
        f"<LatitudeDegrees>{lat:.7f}"
        f"</LatitudeDegrees><LongitudeDegrees>{lon:.7f}</LongitudeDegrees></Position><AltitudeMeters>{ele:.2f}</AltitudeMeters>"
        f"<Cadence>{cad:.0f}</Cadence></Trackpoint>"
        for t, lat, lon, ele, cad in zip(
            *(ride[k] for k in ("time_s", "lat_deg", "lon_deg", "altitude_m", "cadence_rpm")), strict=True
        )
    )
    return (
        '<?xml version="1.0"?><TrainingCenterDatabase><Activities><Activity>'
        f"<Lap><Track>{points}</Track></Lap></Activity></Activities></TrainingCenterDatabase>"
    ).encode()


def xlsx_of(ride: dict[str, np.ndarray]) -> bytes:
    """A sheet with a title above the names."""
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Ride of the bakery"])
    sheet.append(["Time (s)", "Speed (km/h)", "Battery Voltage (V)", "Battery Current (A)"])
    for row in zip(*(ride[k].tolist() for k in ("time_s", "wheel_speed_kmh", "pack_v", "battery_a")), strict=True):
        sheet.append(list(row))
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


_CRC = (
    0x0000,
    0xCC01,
    0xD801,
    0x1400,
    0xF001,
    0x3C00,
    0x2800,
    0xE401,
    0xA001,
    0x6C00,
    0x7800,
    0xB401,
    0x5000,
    0x9C01,
    0x8801,
    0x4400,
)


def _crc(data: bytes) -> int:
    crc = 0
    for byte in data:
        for nibble in (byte & 0xF, byte >> 4):
            crc = (crc >> 4) ^ _CRC[crc & 0xF] ^ _CRC[nibble]
    return crc


def fit_of(ride: dict[str, np.ndarray]) -> bytes:
    """Record messages with time, position, height, cadence and speed, one a second."""
    fields = ((253, 4, 0x86), (0, 4, 0x85), (1, 4, 0x85), (2, 2, 0x84), (4, 1, 0x02), (6, 2, 0x84))
    body = bytes([0x40, 0, 0]) + struct.pack("<HB", 20, len(fields)) + b"".join(bytes(one) for one in fields)
    epoch = datetime(1989, 12, 31, tzinfo=UTC)
    for at in range(0, len(ride["time_s"]), 2):
        stamp = int((START - epoch).total_seconds() + ride["time_s"][at])
        degrees = [round(float(ride[key][at]) * 2**31 / 180) for key in ("lat_deg", "lon_deg")]
        height, cadence = round((ride["altitude_m"][at] + 500) * 5), round(ride["cadence_rpm"][at])
        body += struct.pack(
            "<BIiiHBH", 0, stamp, *degrees, height, cadence, round(ride["gps_speed_kmh"][at] / 3.6 * 1000)
        )
    head = struct.pack("<BBHI4s", 14, 0x20, 2132, len(body), b".FIT")
    head += struct.pack("<H", _crc(head))
    return head + body + struct.pack("<H", _crc(head + body))
