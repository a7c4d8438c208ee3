"""The controller descriptions that ship with the application."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from crisp_hornet.documents.controller_map import ControllerMap, read_map


def shipped_maps() -> list[ControllerMap]:
    """All shipped descriptions, by file name."""
    with resources.as_file(resources.files("crisp_hornet.documents") / "controllers") as folder:
        return [read_map(path) for path in sorted(Path(folder).glob("*.toml"))]


def map_for(vendor: str, product: str) -> ControllerMap | None:
    """The description that fits a controller's own identification, or None."""
    return next(
        (one for one in shipped_maps() if one.identity.vendor == vendor and one.identity.product == product), None
    )
