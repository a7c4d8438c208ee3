"""What happened to the simulated bike, in the order it happened: kept by the bike itself, so that nobody need be believed."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

MOST = 20_000
WRITE, KEEP, KEY, READ, MEND, STAND, ROAD, RIDE, LOOP, BMS, HAND, DETECT = (
    *("write", "keep", "key", "read", "mend", "stand", "road", "ride", "loop", "bms", "hand", "detect"),
)


@dataclass(frozen=True)
class Happened:
    """One thing: when (seconds since 1970), of which kind, to what, and figures from and to where there are some."""

    at_s: float
    kind: str
    what: str = ""
    before: float | None = None
    after: float | None = None

    def row(self) -> list[object]:
        """As it is kept in a file."""
        return [round(self.at_s, 3), self.kind, self.what, self.before, self.after]


@dataclass
class Journal:
    """All of it; what goes on and on (reading, turning) counts once until something else happens."""

    rows: list[Happened] = field(default_factory=list)

    def add(self, kind: str, what: str = "", before: float | None = None, after: float | None = None) -> None:
        """Something happened now."""
        if len(self.rows) < MOST:
            self.rows.append(Happened(time.time(), kind, what, before, after))

    def goes_on(self, kind: str, what: str = "") -> None:
        """Something is so: noted when it begins."""
        for row in reversed(self.rows):
            if row.kind == kind and row.what == what:
                return
            if row.kind not in (READ, STAND, ROAD):
                break
        self.add(kind, what)
