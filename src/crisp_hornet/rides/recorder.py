"""Records live values into a file that survives a kill at any instant: lines are appended and flushed to the disk every second.

Rows are as in :mod:`~crisp_hornet.rides.json_lines`; gaps, laps, notes and the ride card are lines with ``event``. Times are seconds of
a clock that never jumps, so a change of the computer's clock does not matter.
"""

from __future__ import annotations

import json
import math
import os
from collections.abc import Mapping
from pathlib import Path
from typing import IO

from crisp_hornet.core.ride.channels import CHANNELS
from crisp_hornet.rides.errors import RideError

HEAD_BYTES = 64 * 1024
FLUSH_S = 1.0
GAP_S = 1.5
MOVING_KMH = 1.0
ENDED, ENDING = "end", ".recording.jsonl"


class Recorder:
    """One recording. ``waits``: it begins with the first movement. ``still_s``: it ends after standing for so long (0: never)."""

    def __init__(self, path: Path, waits: bool = False, still_s: float = 0.0) -> None:
        """Raises :class:`RideError` where the file cannot be made."""
        self.path, self._waits, self._still_s = path, waits, still_s
        self.rows = 0
        self.lasts_s = 0.0
        self.done = False
        self._start: float | None = None
        self._last: float | None = None
        self._moved_s = 0.0
        self._flushed = -math.inf
        self._pending: list[str] = []
        self._file: IO[bytes] | None = None
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = path.open("ab", buffering=0)
        except OSError as error:
            raise self._failed(error) from None

    @property
    def waiting(self) -> bool:
        """Whether it still waits for the first movement."""
        return self._start is None

    def take(self, at_s: float, values: Mapping[str, float]) -> None:
        """One reading at a time of a steady clock. The same reading again is passed over. Raises :class:`RideError`: disk full."""
        speed = values.get("wheel_speed_kmh", 0.0)
        if self.done or (self._start is None and self._waits and not speed > MOVING_KMH):
            return
        if self._start is None:
            self._start = at_s
        if self._last is not None and at_s <= self._last:
            return
        time = at_s - self._start
        if self._last is not None and at_s - self._last > GAP_S:
            self._event("gap", time, f"{at_s - self._last:.1f} s without values")
        self._last, self.lasts_s = at_s, time
        row = {"time_s": round(time, 4)}
        row |= {name: value for name in CHANNELS if (value := values.get(name)) is not None and math.isfinite(value)}
        self._pending.append(json.dumps(row))
        self.rows += 1
        if speed > MOVING_KMH:
            self._moved_s = time
        if at_s - self._flushed >= FLUSH_S:
            self._flush(at_s)
        if self._still_s and time - self._moved_s > self._still_s:
            self.finish()

    def lap(self) -> None:
        """Mark a lap now."""
        self._event("lap", self.lasts_s, "")

    def note(self, text: str, at_s: float | None = None) -> None:
        """A note, of now or of a moment before."""
        self._event("note", self.lasts_s if at_s is None else at_s, text)

    def card(self, lines: Mapping[str, str]) -> None:
        """What is known before the start: tyre pressure, wind, load, purpose."""
        told = ", ".join(f"{name} {value}" for name, value in lines.items() if value.strip())
        if told:
            self._event("card", 0.0, told)

    def bike(self, name: str) -> None:
        """Whose ride it is: that bike's, whatever is open when the recording is taken."""
        self._event("bike", 0.0, name)

    def finish(self) -> None:
        """End the recording properly. Raises :class:`RideError` where the disk is full; what was written before stays."""
        if self.done:
            return
        self.done = True
        self._event(ENDED, self.lasts_s, "")
        self._flush(math.inf)
        if self._file is not None:
            self._file.close()
            self._file = None

    def _event(self, kind: str, time_s: float, text: str) -> None:
        self._pending.append(json.dumps({"event": kind, "time_s": round(time_s, 3), "text": text[:2000]}))

    def _flush(self, at_s: float) -> None:
        if self._file is None or not self._pending:
            return
        try:
            self._file.write(("\n".join(self._pending) + "\n").encode())
            os.fsync(self._file.fileno())
        except OSError as error:
            self.done = True
            self._file.close()
            self._file = None
            raise self._failed(error) from None
        self._pending.clear()
        self._flushed = at_s

    def _failed(self, error: OSError) -> RideError:
        why = (error.strerror or "cannot be written").lower()
        return RideError(
            str(self.path),
            "",
            f"recording stopped: {why}",
            "What was written until then is saved. Make room on the disk.",
        )


def bike_of(path: Path) -> str:
    """The name of the bike that a recording was begun with; "" where it does not say."""
    try:
        with path.open("rb") as file:
            lines = file.read(HEAD_BYTES).split(b"\n")
    except OSError:
        return ""
    for line in lines:
        try:
            row = json.loads(line)
        except ValueError:  # cut off, or not ours
            continue
        if isinstance(row, dict) and row.get("event") == "bike" and isinstance(row.get("text"), str):
            return str(row["text"])
    return ""


def left_behind(folder: Path) -> list[Path]:
    """Recordings in a folder that nobody took as rides: a crash came between. The oldest first."""
    if not folder.is_dir():
        return []
    return sorted(path for path in folder.iterdir() if path.name.endswith(ENDING) and path.stat().st_size > 0)
