"""A log as it lies in its file: named columns, numbers or words, before anybody knows what they mean."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.rides.quantities import LONGEST_NAME

MOST_COLUMNS = 500


@dataclass(frozen=True, eq=False)
class Column:
    """One column. ``name`` is cut where nobody reads on; ``unit`` is what the file says, "" if nothing; ``texts`` are kept where most
    cells are no numbers; ``header`` is what stands above it, letter for letter."""

    name: str
    unit: str
    values: Array
    texts: list[str] | None = None
    header: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", self.name[:LONGEST_NAME])


@dataclass(frozen=True, eq=False)
class Table:
    """All columns, equally long. ``kind`` names the format; ``name`` is the ride's."""

    name: str
    kind: str
    columns: list[Column]
    notes: list[str] = field(default_factory=list)
    started: float | None = None  # s since 1970, where the format says it beside its rows

    def __len__(self) -> int:
        return len(self.columns[0].values) if self.columns else 0

    @property
    def signature(self) -> str:
        """The same for all logs of one source: its format, column names and units."""
        told = "\n".join([self.kind, *(f"{column.name}\t{column.unit}" for column in self.columns)])
        return hashlib.sha256(told.encode()).hexdigest()[:16]

    def column(self, name: str) -> Column | None:
        """The first column of a name."""
        return next((column for column in self.columns if column.name == name), None)


def nothing(rows: int) -> Array:
    """A column without a value."""
    return np.full(rows, np.nan)
