"""How the window was left: its place and size, the station, the theme. Taken up at the next start."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray

from crisp_hornet.bench import theme as themes
from crisp_hornet.bench.window import Window

GEOMETRY, STATION, THEME = "window", "station", "theme"


def take_up(window: Window) -> None:
    """As it was left; what is not known, or fits no screen any more, stays as it is."""
    desk = window.desk
    kept = desk.remembered(GEOMETRY)
    if isinstance(kept, str):
        window.restoreGeometry(QByteArray.fromBase64(kept.encode("ascii", "ignore")))  # keeps to the screens there are
    theme = desk.remembered(THEME)
    if isinstance(theme, str) and theme in themes.THEMES and window.theme.name != theme:
        window.use_theme(themes.THEMES[theme])
    if desk.bike is None and window.practising is None:
        window.show_station("start")
        return
    station = desk.remembered(STATION)
    if isinstance(station, str) and station in (*window.stations, "start") and desk.bike is not None:
        window.show_station(station)


def keep(window: Window) -> None:
    """Remember how it is left."""
    active = window.desk.active
    active.remember(GEOMETRY, bytes(window.saveGeometry().toBase64().data()).decode("ascii"))
    active.remember(STATION, window.current)
    active.remember(THEME, window.theme.name)
