"""The line: how much of what the baud rate allows is reached, and whether an hour of 50 Hz loses anything or grows.

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

BAUD, BITS_A_BYTE, SILENCE_S = 115_200, 10, 0.00175
QUESTION_BYTES = 8
RATE_TARGET, HZ = 0.8, 50
ROUNDS, SECONDS = 5, 4.0


def main() -> None:
    seconds = 3600.0 if "hour" in sys.argv[1:] else 60.0
    before_s = taken_s()
    with TemporaryDirectory() as folder:
        standin = StandInProcess(Path(folder), "--baud", str(BAUD))
        line = open_line(standin.port, shipped_maps())
        contact, _ = make_contact(line, shipped_maps(), lambda text: None)
        reached(contact)
        steady(contact, seconds)
        print(
            f"taken by the host meanwhile: {taken_s() - before_s:.1f} s of processor; a figure beside much of it is the machine's"
        )
        line.close()
        standin.close()


def taken_s() -> float:
    """Processor time (s) that a virtual machine's host gave to others since it started."""
    words = Path("/proc/stat").read_text(encoding="ascii").split("\n", 1)[0].split()
    return int(words[8]) / os.sysconf("SC_CLK_TCK")


def reached(contact) -> None:
    """Readings of the whole telemetry block as fast as they go, against what bytes and silent times allow."""
    answer_bytes = 5 + 2 * contact.map.telemetry.length
    allowed = 1 / ((QUESTION_BYTES + answer_bytes) * BITS_A_BYTE / BAUD + 2 * SILENCE_S)
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
