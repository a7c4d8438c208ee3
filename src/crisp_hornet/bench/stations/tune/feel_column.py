"""The rulers of Feel: what the throttle asks for and when it works, cruise, and the voltages of a response map."""

from __future__ import annotations

from collections.abc import Callable

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.stations.tune.ruler_column import RulerColumn
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.ruler import Scale, Stop
from crisp_hornet.core.rider.throttle import signal_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.throttle import MOST_POINTS
from crisp_hornet.documents.tune import Tune

POINTS = [f"throttle.response.{at}.volts" for at in range(1, MOST_POINTS + 1)]
RULERS = [
    ("", ["throttle.asks", "throttle.dead_band", "throttle.ramp_s", "throttle.release_s"]),
    ("RESPONSE MAP, SIGNAL OF EACH POINT", POINTS),
    (
        "WHEN IT WORKS",
        [
            "throttle.start",
            "throttle.rolling_kmh",
            "throttle.speed_kmh",
            "throttle.at_level_zero",
            "throttle.follows_level",
        ],
    ),
    ("SLOWLY", ["throttle.rolling_back", "throttle.walk_kmh"]),
    ("CRUISE", ["throttle.cruise_s", "throttle.cruise_least_kmh", "throttle.cruise_ends"]),
]


class FeelColumn(RulerColumn):
    """Of a response map as many rulers as it has points; none where the curve counts."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme, RULERS)
        self.needs = {
            "throttle.rolling_kmh": _where(
                lambda tune: tune.throttle.start == "rolling", "it works only while rolling"
            ),
            "throttle.dead_band": _where(lambda tune: tune.throttle.response is None, "there is no response map"),
            "throttle.cruise_least_kmh": _where(lambda tune: tune.throttle.cruise_s is not None, "there is cruise"),
            "throttle.cruise_ends": _where(lambda tune: tune.throttle.cruise_s is not None, "there is cruise"),
        }

    def refresh(self) -> None:
        draft = self._desk.draft.tune
        points = len(draft.throttle.response or ()) if draft is not None else 0
        self.headings["RESPONSE MAP, SIGNAL OF EACH POINT"].setVisible(points > 0)
        for at, path in enumerate(POINTS):
            self.rulers[path].setVisible(at < points)
        super().refresh()

    def scale(self, path: str, bike: Bike, draft: Tune) -> Scale:
        if path not in POINTS:
            return super().scale(path, bike, draft)
        rest, full = signal_v(bike.sensors)
        return Scale(
            f"Point {path.split('.')[-2]}", "V", 0, 5, 0.05, 0.01, [Stop(rest, "at rest"), Stop(full, "fully open")]
        )

    def value(self, tune: Tune, path: str) -> float | None:
        return super().value(tune, path) if path not in POINTS or tune.holds(path) else None


def _where(holds: Callable[[Tune], bool], words: str) -> Callable[[Tune], str]:
    """Why a ruler is grey elsewhere."""
    return lambda tune: "" if holds(tune) else f"Counts where {words}"
