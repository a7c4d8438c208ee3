"""The hands on the simulated bike: what a person at the test stand does to it, as lines of text."""

from __future__ import annotations

from dataclasses import dataclass, field

# what a line says: what it sets, and from where to where
ACTS: dict[str, tuple[str, float, float]] = {
    "throttle": ("throttle", 0, 1),
    "pedal": ("human_nm", 0, 250),
    "cadence": ("cadence_rpm", 0, 140),
    "slope": ("grade", -0.3, 0.3),
    "brake": ("brake", 0, 1),
    "wheel-up": ("wheel_up", 0, 1),
    "ambient": ("ambient_c", -20, 45),
    "turn-back": ("turning_back", 0, 1),
    "charger": ("charging", 0, 1),
    "level": ("level", 0, 12),
    "gear": ("gear", 1, 20),
    "mode": ("mode", 0, 8),
}


@dataclass
class Hands:
    """Throttle 0 to 1, brake lever 0 (free) to 1, pedal torque (N·m) and cadence (rpm), slope (rise over run), assist
    level (0: none), gear from the lowest (1) up where the bike has gears."""

    throttle: float = 0.0
    brake: float = 0.0
    human_nm: float = 0.0
    cadence_rpm: float = 0.0
    grade: float = 0.0
    wheel_up: bool = True
    ambient_c: float = 16.0
    level: int = 0
    gear: int = 1
    mode: int = 0  # which one its switch chooses; 0: none is chosen, the start-up mode counts
    turning_back: bool = False
    charging: bool = False
    broken: set[int] = field(default_factory=set)  # fault codes whose cause stands

    def take(self, word: str, value: float) -> None:
        """Do one thing. Raises :class:`ValueError` for a word or a figure that makes no sense."""
        if word not in ACTS:
            raise ValueError(f"unknown: {word}; known: {', '.join(ACTS)}")
        name, low, high = ACTS[word]
        if not low <= value <= high:
            raise ValueError(f"{word} takes {low:g} to {high:g}")
        kind = type(getattr(self, name))
        setattr(self, name, kind(value))
