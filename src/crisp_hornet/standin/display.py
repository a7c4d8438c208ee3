"""The handlebar display of the simulated bike: figures of its own, set by its buttons, which it may write to the controller at power-on."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Display:
    """``figures``: setting by name. ``writes_after_s``: so long after power-on it sends them to the controller; None: it sets them at once,
    where it is the only way in."""

    figures: dict[str, float] = field(default_factory=dict)
    writes_after_s: float | None = None

    def page(self) -> str:
        """What its page shows, as one line."""
        return " ".join(f"{name}={value:g}" for name, value in self.figures.items()) or "-"
