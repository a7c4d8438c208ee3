"""What a chart draws, as figures: a table of texts, for whoever cannot see it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol, runtime_checkable

MOST_ROWS = 60


@dataclass(frozen=True)
class Figures:
    """Columns with their units, and rows of texts."""

    heads: list[str]
    rows: list[list[str]] = field(default_factory=list)


@runtime_checkable
class HasFigures(Protocol):
    """A chart that can say its figures."""

    def figures(self) -> Figures:
        """What it draws now."""
