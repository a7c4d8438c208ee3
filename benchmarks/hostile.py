"""Files from outside that mean no good, drawn by seed: sound ones of every kind, and what is done to them.

``strike(seed, folder)`` spoils one sound file and reads it as the application would: whatever comes out must be a document, a ride, or a
DocumentError in one line; within ten seconds and a thousand million bytes.
"""

import gzip
import io
import json
import random
import resource
import struct
import time
import zipfile
from dataclasses import dataclass
from functools import cache

import numpy as np
import openpyxl
import polars as pl
from tests.documents.test_controller_maps import WEIR
from tests.documents.test_hostile import BACKUP

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.peaks import energy, peaks
from crisp_hornet.core.evidence.stopwatch import timed
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.ride.cleaning import cleaned, flaws
from crisp_hornet.demo import FACTORY, HERON, MESSY
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import read_backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.firmware import make_firmware, read_firmware
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.garage.archive import import_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.rides.registry import read_ride

MOST_S, MOST_BYTES = 10.0, 1 << 30
USUAL_S = 0.35  # what :func:`slowness` counts takes on the machine that ten seconds are meant for


def slowness() -> float:
    """How much slower than usual this machine is now: a fixed piece of work, in the processor's time."""
    begin, total = time.process_time(), 0
    for number in range(6_000_000):
        total += number & 7
    return max(1.0, (time.process_time() - begin) / USUAL_S)


BIKE, TUNE = store.read_bike(HERON), store.read_tune(FACTORY)
EXTREMES = [
    0,
    -1,
    1e300,
    -1e300,
    1e-320,
    10**401,
    2**63,
    "",
    "x" * 200_000,
    "\ud800",
    [],
    {},
    None,
    True,
    [[[[[[]]]]]],
    {"a": {"b": {}}},
]

INSERTS = [
    b"1e300",
    b"-1e300",
    b"9" * 401,
    b"nan",
    b"inf",
    b",",
    b";",
    b"\n",
    b"\0",
    b'"',
    b"<",
    b"[",
    b"{" * 50,
    b"x" * 140_000,
]


@dataclass
class Told:
    seed: int
    kind: str
    ended: str
    broken: str
    seconds: float


def rows(count=40):
    return [
        [f"{k * 0.5:.1f}", f"{20 + 5 * np.sin(k / 5):.2f}", f"{60 - k * 0.01:.2f}", f"{k % 9}"] for k in range(count)
    ]


def csv(separator=",", comma=False):
    head = separator.join(["time_s", "wheel_speed_kmh", "pack_v", "battery_a"])
    lines = [separator.join(one.replace(".", ",") if comma else one for one in row) for row in rows()]
    return ("\n".join([head, *lines]) + "\n").encode()


def dated():
    lines = [f"12-Oct-2025 10:00:{k:02d};{20 + k % 3};{60 - k}" for k in range(40)]
    return ("\n".join(["date;speed (km/h);volts", *lines])).encode()


def parquet():
    count = 40
    frame = pl.DataFrame({
        "time_s": np.arange(count) * 0.5, "pack_v": np.linspace(60, 59, count), "wheel_speed_kmh": np.linspace(1, 30, count),
        "kind": pl.Series(["a", "b"] * 20, dtype=pl.Categorical), "e": pl.Series(["x"] * count, dtype=pl.Enum(["x", "y"])),
        "b": [b"\xff\x00"] * count, "d": pl.Series(range(count)).cast(pl.Duration("ms")), "t": pl.Series([1] * count).cast(pl.Time),
        "m": pl.Series(["1.25"] * count).cast(pl.Decimal(10, 2)), "s": ["words"] * count, "n": [None] * count, "f": [True] * count,
        "l": [[1, 2]] * count, "z": pl.Series(range(count)).cast(pl.Datetime("us", "UTC")),
    })  # fmt: skip
    buffer = io.BytesIO()
    frame.write_parquet(buffer)
    return buffer.getvalue()


def jsonl():
    names = ["time_s", "wheel_speed_kmh", "pack_v", "battery_a"]
    return "\n".join(json.dumps(dict(zip(names, map(float, row), strict=True))) for row in rows()).encode()


def gpx():
    point = '<trkpt lat="47.{0:05d}" lon="8.1"><ele>{0}</ele><time>2025-05-01T10:00:{0:02d}Z</time></trkpt>'
    inside = "".join(point.format(k) for k in range(40))
    return f'<gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>{inside}</trkseg></trk></gpx>'.encode()


def tcx():
    point = (
        "<Trackpoint><Time>2025-05-01T10:00:{0:02d}Z</Time><Position><LatitudeDegrees>47.{0:05d}</LatitudeDegrees>"
        "<LongitudeDegrees>8</LongitudeDegrees></Position><DistanceMeters>{0}</DistanceMeters></Trackpoint>"
    )
    inside = "".join(point.format(k) for k in range(40))
    return f"<Database><Activities><Activity><Lap><Track>{inside}</Track></Lap></Activity></Activities></Database>".encode()


def fit(count=60):
    fields = [(253, 4, 0x86), (0, 4, 0x85), (1, 4, 0x85), (6, 2, 0x84), (2, 2, 0x84), (5, 4, 0x86)]
    body = bytes([0x40, 0, 0]) + struct.pack("<HB", 20, len(fields)) + b"".join(bytes(one) for one in fields)
    values = ((1_000_000_000 + k, 560_000_000 + 50 * k, 90_000_000, 5000, 2500, 500 * k) for k in range(count))
    body += b"".join(b"\0" + struct.pack("<IiiHHI", *one) for one in values)
    return struct.pack("<BBHI4sH", 14, 16, 2132, len(body), b".FIT", 0) + body + b"\0\0"


def xlsx(count=40):
    book = openpyxl.Workbook()
    book.active.append(["time_s", "wheel_speed_kmh", "pack_v", "battery_a"])
    for row in rows(count):
        book.active.append([float(one) for one in row])
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def archive():
    story = {"format": "crisp-hornet/archive", "version": 1, "bike": json.loads(HERON.read_text()),
             "tunes": [{"role": "draft", "name": "x", "document": json.loads(FACTORY.read_text()), "at": "2025-01-01T10:00:00"}],
             "backups": [], "rides": [{"name": "r", "tune": None, "card": None, "at": "2025-01-01T10:00:00"}],
             "logbook": [{"kind": "note", "title": "t", "detail": "", "at": "2025-01-01T10:00:00"}], "jobs": [],
             "calibrations": []}  # fmt: skip
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("story.json", json.dumps(story))
        packed.writestr("rides/00000.parquet", parquet())
    return buffer.getvalue()


@cache
def sound(kind):
    """A sound file of a kind."""
    made = {
        "csv": csv, "semicolons.csv": lambda: csv(";", True), "csv.gz": lambda: gzip.compress(csv()), "dated.csv": dated,
        "messy.csv": MESSY.read_bytes, "parquet": parquet, "jsonl": jsonl, "gpx": gpx, "tcx": tcx, "fit": fit, "xlsx": xlsx,
        "bike.json": HERON.read_bytes, "tune.json": FACTORY.read_bytes, "backup.json": lambda: json.dumps(store.dump(BACKUP)).encode(),
        "firmware": lambda: make_firmware("weir-60-b", "3.3.0", b"x" * 400), "map.toml": WEIR.encode, "archive.zip": archive,
        "timed": lambda: b"100 m in 9.8 s and 10.4 s; 0 to 25 km/h in 6.2 s",
    }  # fmt: skip
    return made[kind]()


KINDS = ("csv", "semicolons.csv", "csv.gz", "dated.csv", "messy.csv", "parquet", "jsonl", "gpx", "tcx", "fit", "xlsx", "bike.json",
         "tune.json", "backup.json", "firmware", "map.toml", "archive.zip", "timed")  # fmt: skip


def look_through(ride):
    """What every page does with a ride that was opened."""
    flaws(ride)
    clean = cleaned(ride)
    energy(clean)
    peaks(clean, TUNE)
    energy_used(clean, BIKE, circumference(clean, BIKE))


def read(kind, path, garage):
    """Read a file as the application would, and do with it what is always done."""
    if kind == "bike.json":
        bike = store.read_bike(path)
        pull_curve(bike, TUNE, [0.0, 12.0, 40.0], Conditions(min(60.0, 4.0 * bike.battery.series)))
    elif kind == "tune.json":
        pull_curve(BIKE, store.read_tune(path), [0.0, 12.0, 40.0], Conditions(60.0))
    elif kind == "backup.json":
        read_backup(path)
    elif kind == "firmware":
        read_firmware(path)
    elif kind == "map.toml":
        read_map(path)
    elif kind == "archive.zip":
        import_bike(garage, path)
    elif kind == "timed":
        timed(path.read_bytes().decode("utf-8", "replace"), None)
    else:
        ride = read_ride(path).ride
        assert np.all(np.diff(ride.time_s) > 0) and all(len(one) == len(ride) for one in ride.channels.values())
        look_through(ride)


def spoilt(data, kind, rng):
    """One thing done to a file."""
    if kind.endswith(".json") and rng.random() < 0.6:
        return _other_value(data, rng)
    if kind == "archive.zip" and rng.random() < 0.6:
        return _repacked(data, rng)
    data = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 5])):
        at = rng.randrange(len(data) + 1)
        what = rng.randrange(8)
        if what == 0 and at < len(data):
            data[at] ^= 1 << rng.randrange(8)
        elif what == 1:
            del data[at:]
        elif what == 2:
            del data[at : at + rng.randrange(1, 50)]
        elif what == 3:
            data[at:at] = rng.randbytes(rng.randrange(1, 20))
        elif what == 4:
            data[at:at] = data[at : at + rng.randrange(1, 400)]
        elif what == 5:
            data[at:at] = rng.choice(INSERTS)
        elif what == 6 and (digits := [k for k, byte in enumerate(data) if 48 <= byte <= 57]):
            place = rng.choice(digits)
            data[place : place + 1] = rng.choice([b"9999999999", b"-", b"0", b"1e308", b"1e-320", b".", b"8" * 30])
        elif what == 7 and len(data) > 4:
            other = rng.randrange(len(data))
            data[at : at + 30], data[other : other + 30] = data[other : other + 30], data[at : at + 30]
        if not data:
            break
    return bytes(data)


def _other_value(data, rng):
    """A document with one value exchanged for another, or one key too many, too few, or twice."""
    document = json.loads(data)
    holder = document
    for _ in range(rng.randrange(4)):
        inner = [
            value
            for value in (holder.values() if isinstance(holder, dict) else holder)
            if isinstance(value, (dict, list)) and value
        ]
        if not inner:
            break
        holder = rng.choice(inner)
    keys = list(holder) if isinstance(holder, dict) else list(range(len(holder)))
    key, value = rng.choice(keys), rng.choice(EXTREMES)
    if isinstance(holder[key], (int, float)) and rng.random() < 0.7:
        value = holder[key] * rng.choice([1e-9, 1e-3, 1e3, 1e9, -1, 0.01, 0.1, 0.5, 2, 10, 100])
    if rng.random() < 0.1:
        del holder[key]
    else:
        holder[key] = value
    return json.dumps(document).encode("utf-8", "surrogatepass")


def _repacked(data, rng):
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    name = rng.choice(sorted(parts))
    parts[name] = _other_value(parts[name], rng) if name.endswith("json") else spoilt(parts[name], "parquet", rng)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for one, inside in parts.items():
            packed.writestr(one, inside)
    return buffer.getvalue()


def _zeros(count, columns):
    frame = pl.select(pl.repeat(0, count, dtype=pl.Int64).alias("c0")).with_columns(
        pl.col("c0").alias(f"c{k}") for k in range(1, columns)
    )
    buffer = io.BytesIO()
    frame.write_parquet(buffer, compression="zstd")
    return buffer.getvalue()


def _far_sheet():
    """A spreadsheet of three cells, the last of them a million rows and sixteen thousand columns away."""
    book = openpyxl.Workbook()
    book.active.append(["time_s", "pack_v"])
    book.active.append([1.0, 60.0])
    book.active.cell(1_048_576, 16_384, 1.0)
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _fat_archive():
    story = b'{"format": "crisp-hornet/archive", "version": 1, "tunes": [' + b"[[[]]]," * 12_000_000 + b"0]}"
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("story.json", story)
    return buffer.getvalue()


BOMBS = {
    "far cells": ("xlsx", _far_sheet),
    "many rows of nothing": ("parquet", lambda: _zeros(9_000_000, 3)),
    "many columns of nothing": ("parquet", lambda: _zeros(400_000, 400)),
    "packed rows": ("jsonl", lambda: gzip.compress(b'{"time_s": 1}\n' * 20_000_000)),
    "packed keys": ("jsonl", lambda: gzip.compress(b'{"a":1,"b":2,"c":3,"d":4}\n' * 9_000_000)),
    "packed text": ("csv.gz", lambda: gzip.compress(b"time_s,pack_v\n" + b"1,2\n" * 90_000_000)),
    "packed words": ("csv.gz", lambda: gzip.compress(b"time_s,pack_v,name\n" + b"1,2,abcdefghij\n" * 14_000_000)),
    "points": (
        "gpx",
        lambda: gpx().replace(
            b"</trkseg>", b'<trkpt lat="1" lon="1"><time>2025</time></trkpt>' * 600_000 + b"</trkseg>"
        ),
    ),
    "track": (
        "tcx",
        lambda: gzip.compress(
            tcx().replace(b"</Track>", b"<Trackpoint><Time/></Trackpoint>" * 1_400_000 + b"</Track>")
        ),
    ),
    "deep": ("tcx", lambda: b"<a>" * 400_000 + b"</a>" * 400_000),
    "entities": (
        "gpx",
        lambda: b'<!DOCTYPE x [<!ENTITY a "' + b"x" * 1000 + b'">]><gpx>' + b"&a;" * 100_000 + b"</gpx>",
    ),
    "records": ("fit", lambda: fit(400_000)),
    "story": ("archive.zip", _fat_archive),
    "tables": ("map.toml", lambda: b"".join(b"[a%d.b.c.d]\n" % k for k in range(250_000))),
    "dots": ("map.toml", lambda: b"a." * 100_000 + b"b = 1\n"),
    "digits": ("timed", lambda: b"100 m in " + b"9" * 100_000 + b" s and " + b"1 s, " * 50_000),
    "deep json": ("tune.json", lambda: b"[" * 2_000_000),
    "long name": ("csv", lambda: dated().replace(b"volts", b"volts" + b"x" * 64_000, 1)),
    "blanks": (
        "csv",
        lambda: b"time_s,pack_v\n" + b"".join(b"%d,1%s" % (k, b" " * 9000 + b"z" * 30 + b"\n") for k in range(900)),
    ),
    "long cell": ("csv", lambda: csv() + b"1," + b"x" * 200_000_000),
}
HARMLESS = {"digits", "long name", "blanks"}  # read, and nothing found in it


def strike(seed, folder, garage=None):
    """One file spoilt and read."""
    rng = random.Random(seed)
    kind = KINDS[seed % len(KINDS)]
    path = folder / f"log.{kind}"
    path.write_bytes(spoilt(sound(kind), kind, rng))
    return attempt(seed, kind, path, garage)


def attempt(seed, kind, path, garage):
    """Read one file, whatever it is, and tell how that ended."""
    before, begin = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.process_time()
    broken = ""
    try:
        with np.errstate(all="ignore"):
            read(kind, path, garage)
        ended = "read"
    except DocumentError as error:
        ended, text = "refused", str(error)
        if "\n" in text or len(text) > 1000:
            broken = "an error of more than a line"
    except BaseException as error:
        if isinstance(error, KeyboardInterrupt):
            raise
        ended, broken = "raised", f"{type(error).__name__}: {error}"[:200]
    seconds = time.process_time() - begin  # of the processor: a loaded machine is not the file's fault
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024
    if seconds > MOST_S and seconds > MOST_S * slowness():
        broken = f"took {seconds:.0f} s"
    if grown > MOST_BYTES:
        broken = f"took {grown >> 20} MiB"
    return Told(seed, kind, ended, broken, seconds)


def garage_in(folder):
    return Garage(folder / "garage")
