"""The controller descriptions that ship with the application."""

from __future__ import annotations

from functools import lru_cache
from importlib import resources
from pathlib import Path

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.map_file import read_map


def shipped_maps() -> list[ControllerMap]:
    """All shipped descriptions, by file name."""
    return list(_shipped())


@lru_cache(maxsize=1)
def _shipped() -> tuple[ControllerMap, ...]:
    with resources.as_file(resources.files("crisp_hornet.documents") / "controllers") as folder:
        return tuple(read_map(path) for path in sorted(Path(folder).glob("*.toml")))


def all_maps(folder: Path) -> tuple[list[ControllerMap], list[str]]:
    """The shipped descriptions and the user's own in ``folder`` (``*.toml``), and why some of those cannot be read.

    An own description for the same controller goes before a shipped one.
    """
    own, faulty = [], []
    for path in sorted(folder.glob("*.toml")) if folder.is_dir() else []:
        try:
            own.append(read_map(path))
        except DocumentError as error:
            faulty.append(str(error))
    return [*own, *shipped_maps()], faulty


def shipped_map(name: str) -> ControllerMap:
    """A shipped description by its name. Raises :class:`KeyError` naming those there are."""
    known = {one.name: one for one in shipped_maps()}
    if name not in known:
        raise KeyError(f"no controller {name!r}; there are: {', '.join(known)}")
    return known[name]
