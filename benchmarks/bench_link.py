"""The line: how much of what each kind allows is reached, and whether an hour of 50 Hz loses anything or grows.

``python benchmarks/bench_link.py hour`` runs the whole hour; without it a minute stands for it and says so.
"""

from __future__ import annotations

import os
import resource
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.standins import StandInProcess

from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.link.contact import make_contact, read_live
from crisp_hornet.link.finding import open_line

KINDS = {"Weir 60": 115_200, "Culvert 50": 38_400, "Penstock 120": None}  # the last is behind an adapter
BITS_A_BYTE, SILENCE_S, PDO_HZ, STEADY = 10, 0.00175, 100.0, "Weir 60"
QUESTION_BYTES = 8
RATE_TARGET, HZ = 0.8, 50
ROUNDS, SECONDS = 5, 4.0


def main() -> None:
    seconds = 3600.0 if "hour" in sys.argv[1:] else 60.0
    before_s = taken_s()
    for name, baud in KINDS.items():
        with TemporaryDirectory() as folder:
            options = ["--baud", str(baud)] if baud else []
            standin = StandInProcess(Path(folder), "--controller", name, *options)
            line = open_line(standin.port, shipped_maps())
            contact, _ = make_contact(line, lambda text: None)
            print(f"== {name}, {contact.map.line.kind}")
            reached(contact, allowed_of(contact))
            if name == STEADY:
                steady(contact, seconds)
            line.close()
            standin.close()
    print(
        f"taken by the host meanwhile: {taken_s() - before_s:.1f} s of processor; a figure beside much of it is the machine's"
    )


def allowed_of(contact) -> float:
    """Readings a second that bytes and silent times allow, or that the node sends."""
    live, baud = contact.map.telemetry, KINDS[contact.map.name]
    if contact.map.line.kind == "canopen":
        return PDO_HZ
    size = QUESTION_BYTES + 5 + 2 * live.length if contact.map.line.kind == "modbus" else 0
    if contact.map.line.kind == "frames":
        codec = contact.line.wire.codec
        size = len(codec.build(live.ask.command, live.ask.sent)) + len(
            codec.build(live.ask.answered_by, bytes(live.bytes_long))
        )
    return 1 / (size * BITS_A_BYTE / baud + 2 * SILENCE_S)


def taken_s() -> float:
    """Processor time (s) that a virtual machine's host gave to others since it started."""
    words = Path("/proc/stat").read_text(encoding="ascii").split("\n", 1)[0].split()
    return int(words[8]) / os.sysconf("SC_CLK_TCK")


def reached(contact, allowed) -> None:
    """Readings of all live values as fast as they go, against what is allowed."""
    rates = []
    for _ in range(ROUNDS):
        begin, count = time.perf_counter(), 0
        while time.perf_counter() - begin < SECONDS:
            read_live(contact)
            count += 1
        rates.append(count / (time.perf_counter() - begin))
    rate = sorted(rates)[len(rates) // 2]
    print(
        f"readings a second   median {rate:6.1f} ({min(rates):.0f} to {max(rates):.0f})   allowed {allowed:6.1f}   "
        f"reached {rate / allowed:5.2f}   reached/target {rate / allowed / RATE_TARGET:5.2f}"
    )


def steady(contact, seconds: float) -> None:
    """One reading every 20 ms; each must move on, and memory must stay flat after the first tenth."""
    readings = stood = late = 0
    last = None
    begin = time.perf_counter()
    settled = 0
    while (now := time.perf_counter() - begin) < seconds:
        live = read_live(contact)
        readings += 1
        stood += live.values["heartbeat"] == last
        last = live.values["heartbeat"]
        if not settled and now > seconds / 10:
            settled = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        due = begin + readings / HZ
        late += time.perf_counter() > due + 1 / HZ
        time.sleep(max(0.0, due - time.perf_counter()))
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - settled
    wanted = int(seconds * HZ)
    print(
        f"{seconds:.0f} s at {HZ} Hz     {readings} of {wanted} readings, {wanted - readings} lost, {stood} that did not move on, "
        f"{late} late, memory grown by {grown} KiB"
    )


if __name__ == "__main__":
    main()
