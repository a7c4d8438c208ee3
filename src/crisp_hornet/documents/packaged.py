"""Data that ships beside the code that reads it, as TOML."""

from __future__ import annotations

import tomllib
from importlib.resources import files
from typing import Any


def packaged(package: str, name: str) -> dict[str, Any]:
    """A TOML file of a package, e.g. ``packaged("crisp_hornet.core.build", "kinds.toml")``."""
    return tomllib.loads((files(package) / name).read_text(encoding="utf-8"))
