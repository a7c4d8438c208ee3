"""The hands on the simulated bike: what a person at the test stand does to it, as lines of text."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Hands:
    """Throttle 0 to 1, brake lever 0 (free) to 1, pedal torque (N·m) and cadence (rpm), slope (rise over run), assist
    level (0: none)."""

    throttle: float = 0.0
    brake: float = 0.0
    human_nm: float = 0.0
    cadence_rpm: float = 0.0
    grade: float = 0.0
    wheel_up: bool = True
    ambient_c: float = 16.0
    level: int = 0
    turning_back: bool = False
    charging: bool = False
    broken: set[int] = field(default_factory=set)  # fault codes whose cause stands

    def take(self, word: str, value: float) -> None:
        """Do one thing. Raises :class:`ValueError` for a word or a figure that makes no sense."""
        ranges = {
            "throttle": (0, 1),
            "pedal": (0, 250),
            "cadence": (0, 140),
            "slope": (-0.3, 0.3),
            "brake": (0, 1),
            "wheel-up": (0, 1),
            "ambient": (-20, 45),
            "turn-back": (0, 1),
            "charger": (0, 1),
            "level": (0, 12),
        }
        if word not in ranges:
            raise ValueError(f"unknown: {word}; known: {', '.join(ranges)}")
        low, high = ranges[word]
        if not low <= value <= high:
            raise ValueError(f"{word} takes {low} to {high}")
        match word:
            case "throttle":
                self.throttle = value
            case "pedal":
                self.human_nm = value
            case "cadence":
                self.cadence_rpm = value
            case "slope":
                self.grade = value
            case "brake":
                self.brake = value
            case "wheel-up":
                self.wheel_up = bool(value)
            case "turn-back":
                self.turning_back = bool(value)
            case "charger":
                self.charging = bool(value)
            case "level":
                self.level = int(value)
            case "ambient":
                self.ambient_c = value
