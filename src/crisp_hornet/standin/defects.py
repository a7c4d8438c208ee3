"""What is broken or worn on the simulated bike besides its figures, and what the hands of a workshop can mend."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, fields

LIMITS = {
    "brake_drag_n": (0.0, 200.0),
    "lever_stuck": (0.0, 1.0),
    "weak_capacity": (0.1, 1.0),
    "weak_resistance": (1.0, 10.0),
}


@dataclass
class Defects:
    """``brake_drag_n``: a brake that rubs; ``lever_stuck``: where the brake lever reads with free hands; ``weak_capacity`` and
    ``weak_resistance``: one group of cells against its sound neighbours, as factors. ``mends``: acts of a mend, by its name."""

    brake_drag_n: float = 0.0
    lever_stuck: float = 0.0
    weak_capacity: float = 1.0
    weak_resistance: float = 1.0
    mends: dict[str, list[str]] = field(default_factory=dict)

    def take(self, name: str, value: float) -> None:
        """Set one. Raises :class:`ValueError` for a name or a figure that makes no sense."""
        if name not in LIMITS:
            raise ValueError(f"no defect {name!r}; there are: {', '.join(LIMITS)}")
        low, high = LIMITS[name]
        if not (math.isfinite(value) and low <= value <= high):
            raise ValueError(f"{name} takes {low:g} to {high:g}")
        setattr(self, name, value)

    def figures(self) -> dict[str, float]:
        """Each by its name."""
        return {one.name: float(getattr(self, one.name)) for one in fields(self) if one.name in LIMITS}
