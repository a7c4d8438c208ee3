"""How a fault of a description is raised: its text, and where it stands."""

from __future__ import annotations

from pydantic_core import PydanticCustomError


def faulty(text: str, *place: str | int) -> PydanticCustomError:
    """An error that names the place by its keys."""
    return PydanticCustomError("map", "{text}", {"text": text, "at": list(place)})
