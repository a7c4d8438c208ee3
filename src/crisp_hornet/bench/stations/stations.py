"""All stations in the order of the work, by name. Each is imported and built when it is first looked at."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from importlib import import_module

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.standing import STANDINGS, Standing
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme

PAGES = {
    "build": "BuildPage",
    "hookup": "HookUpPage",
    "calibrate": "CalibratePage",
    "tune": "TunePage",
    "send": "SendPage",
    "rides": "RidesPage",
    "verdict": "VerdictPage",
    "logbook": "LogbookPage",
}
BESIDE = {"start": "StartPage"}  # a page that is no station: not on the job line
TITLES = {"hookup": "Hook-up"}  # where the name is not the key


def title(key: str) -> str:
    """The station's name on the screen."""
    return TITLES.get(key, key.capitalize())


def load(key: str) -> type[Station]:
    """The class of a station; imports what it needs."""
    module = import_module(f"crisp_hornet.bench.stations.{key}.{key}_page")
    kind: type[Station] = getattr(module, (PAGES | BESIDE)[key])
    return kind


class Stations:
    """The stations of a window. ``built`` is called with each one that comes to be."""

    def __init__(self, desk: Desk, link: Link, theme: Callable[[], Theme], built: Callable[[Station], None]) -> None:
        self._desk, self._link, self._theme, self._built = desk, link, theme, built
        self._there: dict[str, Station] = {}

    def __getitem__(self, key: str) -> Station:
        """A station, built now if nobody has looked at it yet."""
        if key not in self._there:
            self._there[key] = load(key)(self._desk, self._link, self._theme())
            self._built(self._there[key])
        return self._there[key]

    def __iter__(self) -> Iterator[str]:
        return iter(PAGES)

    def items(self) -> Iterator[tuple[str, Station]]:
        """All of them, built where need be."""
        return ((key, self[key]) for key in PAGES)

    @property
    def there(self) -> list[Station]:
        """Those that have been looked at."""
        return list(self._there.values())

    def standing(self, key: str) -> Standing:
        """How far a station is, whether it has been looked at or not."""
        page = self._there.get(key)
        if page is None:
            return STANDINGS[key](self._desk, self._link)
        return Standing(page.state(), page.caption())
