"""The roads of the garage: route documents in a folder of it, a file each, to be copied in and out by hand too."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import quote, unquote

from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.route import Route

FOLDER, ENDING = "roads", ".route.json"
MOST_ROADS, MOST_NAME_BYTES = 500, 200


class Roads:
    """Roads by name. What is no road document is left out of the list, and left where it is."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder / FOLDER

    def names(self) -> list[str]:
        """What they are called, in order."""
        if not self._folder.is_dir():
            return []
        found = sorted(file.name.removesuffix(ENDING) for file in self._folder.glob(f"*{ENDING}"))
        return sorted((unquote(name) for name in found[:MOST_ROADS]), key=str.casefold)

    def get(self, name: str) -> Route:
        """A road. Raises :class:`~crisp_hornet.documents.errors.DocumentError` where it cannot be read."""
        return store.read_route(self._file(name))

    def keep(self, road: Route) -> None:
        """Keep a road under its name; an earlier one of that name is replaced. Raises
        :class:`~crisp_hornet.documents.errors.DocumentError`."""
        try:
            self._folder.mkdir(mode=0o700, exist_ok=True)
        except OSError as error:
            raise DocumentError(
                str(self._folder),
                "",
                f"cannot be made: {(error.strerror or '').lower()}",
                "Check that you may write there.",
            ) from error
        store.write(self._file(road.name), road, private=True)

    def drop(self, name: str) -> None:
        """Let a road go. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
        file = self._file(name)
        try:
            file.unlink(missing_ok=True)
        except OSError as error:
            raise DocumentError(
                str(file), "", f"cannot be deleted: {(error.strerror or '').lower()}", "Check that you may write there."
            ) from error

    def _file(self, name: str) -> Path:
        safe = quote(name, safe=" ,()+-")
        if len(safe.encode()) > MOST_NAME_BYTES or safe in ("", ".", ".."):
            raise DocumentError(name, "name", "is too long for a file", "Give the road a shorter name.")
        return self._folder / f"{safe}{ENDING}"
