"""Bikes to start from: typical figures of each kind (``kinds.toml``), every one marked as assumed."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from typing import Any

from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.store import parse

_TOLD = packaged("crisp_hornet.core.build", "kinds.toml")
PARTS = ("motor", "controller", "battery", "drivetrain", "chassis")
THERMAL_SPREAD = (
    0.35  # one standard deviation of a heat figure of a kind, as a share: they differ that much from motor to motor
)
KINDS = tuple(kind for kind in _TOLD if kind != "common")


def bike_of_kind(kind: str, name: str) -> Bike:
    """A whole bike of a kind (one of :data:`KINDS`) with typical figures, all assumed. Raises :class:`KeyError`."""
    own, common = _TOLD[kind], _TOLD["common"]
    data: dict[str, Any] = {"format": "crisp-hornet/bike", "version": BIKE_VERSION, "name": name, "chain": []}
    for part in PARTS:
        data[part] = deepcopy(common.get(part, {})) | deepcopy(own.get(part, {}))
    data["sources"] = {
        path: {"from": "assumed"} | ({"spread": THERMAL_SPREAD * value} if ".thermal." in path else {})
        for part in PARTS
        for path, value in _figures(part, data[part])
    }
    return parse(Bike, "crisp-hornet/bike", BIKE_VERSION, data, f"a bike of kind {kind}")


def _figures(path: str, part: dict[str, Any]) -> Iterator[tuple[str, float]]:
    """(dotted path, value) of every figure in a part."""
    for key, value in part.items():
        if isinstance(value, dict):
            yield from _figures(f"{path}.{key}", value)
        elif isinstance(value, (int, float)) and not isinstance(value, bool):
            yield f"{path}.{key}", value
