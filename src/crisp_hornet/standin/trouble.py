"""What can go wrong on the line, on demand: bytes lost, doubled, late or damaged, seeded; and acts due after so many writes."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

LATE_S = (0.05, 0.6)
KINDS = ("lost", "doubled", "late", "corrupt", "cut")


@dataclass
class Trouble:
    """``chance`` of each answer to be spoilt in one of :data:`KINDS`; ``due`` are acts and after how many more writes. ``latency_s``: every
    answer comes so late; ``double_s``: and once more after that."""

    chance: float = 0.0
    seed: int = 1
    due: list[tuple[int, str]] = field(default_factory=list)
    latency_s: float = 0.0
    double_s: float | None = None
    _random: random.Random = field(init=False, repr=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def spoilt(self, answer: bytes) -> list[tuple[float, bytes]]:
        """The pieces that really arrive, each with its delay (s)."""
        pieces = [(self.latency_s + delay, piece) for delay, piece in self._spoilt(answer)]
        if self.double_s is not None:
            pieces += [(delay + self.double_s, piece) for delay, piece in pieces]
        return pieces

    def _spoilt(self, answer: bytes) -> list[tuple[float, bytes]]:
        if self._random.random() >= self.chance:
            return [(0.0, answer)]
        match self._random.choice(KINDS):
            case "lost":
                return []
            case "doubled":
                return [(0.0, answer), (0.002, answer)]
            case "late":
                return [(self._random.uniform(*LATE_S), answer)]
            case "cut":
                return [(0.0, answer[: self._random.randrange(1, len(answer))])]
            case _:
                damaged = bytearray(answer)
                damaged[self._random.randrange(len(damaged))] ^= 1 << self._random.randrange(8)
                return [(0.0, bytes(damaged))]

    def after_write(self) -> list[str]:
        """Acts that are due now that another write was carried out."""
        now = [act for left, act in self.due if left == 0]
        self.due = [(left - 1, act) for left, act in self.due if left > 0]
        return now
