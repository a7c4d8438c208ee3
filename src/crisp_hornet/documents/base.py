"""Shared ground of all documents: number kinds and the rules for unknown keys."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

# Strict: text or a boolean where a number belongs is an error, never a silent conversion.
MOST = 1e9  # beyond it nothing on a bike is measured: such figures only overflow
Number = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-MOST, le=MOST)]
Positive = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=MOST)]
NotNegative = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=MOST)]
Share = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-3, le=1)]
Count = Annotated[int, Field(strict=True, ge=1, le=1_000_000_000)]
Text = Annotated[str, Field(strict=True, min_length=1, max_length=200)]


class Part(BaseModel):
    """A piece of a document. Keys it does not know are kept, and listed by :func:`unknown_keys`."""

    # its validator is built when the first of its kind is made: most runs need few kinds
    model_config = ConfigDict(extra="allow", frozen=True, defer_build=True)


def unknown_keys(part: BaseModel, prefix: str = "") -> list[str]:
    """Dotted paths of all keys in ``part`` that this version does not know."""
    return list(_unknown(part, prefix))


def _unknown(part: BaseModel, prefix: str) -> Iterator[str]:
    yield from (prefix + key for key in (part.model_extra or {}))
    for name in type(part).model_fields:
        value: Any = getattr(part, name)
        items = value if isinstance(value, list) else [value]
        for index, item in enumerate(items):
            if isinstance(item, BaseModel):
                step = f"[{index}]" if isinstance(value, list) else ""
                yield from _unknown(item, f"{prefix}{name}{step}.")
