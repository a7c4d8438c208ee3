"""The rulers of Assist: style, the family of levels by its anchors, start and stop, and the rider it is drawn for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import pyqtSignal

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.match_fold import MatchFold
from crisp_hornet.bench.stations.tune.ruler_column import WIDE, RulerColumn
from crisp_hornet.bench.stations.tune.scales import in_units
from crisp_hornet.bench.stations.tune.whose_levels import Whose
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.ruler import Ruler, Scale
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.core.rider.assist import exponent_through, family, nearest_family
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.documents.assist import FEWEST_LEVELS, Level
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

USUAL_HILL = 0.06
FAMILY_KEYS = ("family.lowest", "family.middle", "family.highest", "family.exponent", "family.power", "family.speed")
_FAMILY_SCALES = {
    "family.lowest": Scale("Lowest level", "×", 0, 8, 0.1, 0.05),
    "family.middle": Scale("Middle level", "×", 0, 12, 0.1, 0.05),
    "family.highest": Scale("Highest level", "×", 0.5, 12, 0.1, 0.05),
    "family.exponent": Scale("Curve exponent", "", 0.3, 3, 0.1, 0.05),
    "family.power": Scale("Power share, level 1", "%", 0, 1, 5, 1, factor=100),
    "family.speed": Scale("Speed, lowest level", "%", 0, 1, 5, 1, factor=100),
}
BLOCKS = [
    ("", ["assist.style", "assist.levels.count"]),
    ("LEVEL CURVE", list(FAMILY_KEYS)),
    (
        "START AND STOP",
        [
            "assist.start_nm",
            "assist.start_deg",
            "assist.start_delay_s",
            "assist.start_current_a",
            "assist.smoothing_deg",
            "assist.ramp_s",
            "assist.hold_s",
            "assist.stop_s",
        ],
    ),
    ("SHIFTING", ["assist.shift_cut_s", "assist.shift_share"]),
    ("BY STYLE", ["assist.speed_kmh", "assist.handover_rpm", "assist.development_m"]),
]
RIDER = {
    "watts": Scale("Rider", "W", 20, 400, 10, 5, truth=False),
    "cadence_rpm": Scale("Cadence", "rpm", 30, 120, 5, 1, truth=False),
    "most_rpm": Scale("Cadence at most", "rpm", 60, 140, 5, 1, truth=False),
    "most_nm": Scale("Pedal torque at most", "N·m", 10, 150, 5, 1, truth=False),
    "grade": Scale("Hill", "%", 0, 0.2, 1, 0.5, truth=False, factor=100),
}


class AssistColumn(RulerColumn):
    """Rulers of the assist; ``rider_changed`` when it is to be drawn for another rider, ``whose_changed`` when other levels are shown:
    the tune's, or a mode's own."""

    rider_changed = pyqtSignal()
    whose_changed = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme, BLOCKS)
        self.rider, self.grade = Rider(), USUAL_HILL
        self.needs = {
            "assist.handover_rpm": _counts_in("blend"),
            "assist.development_m": _counts_in("torque", "blend"),
            "assist.start_nm": _counts_in("torque", "power", "blend"),
            "assist.smoothing_deg": _counts_in("torque", "power", "blend"),
            "family.lowest": _counts_in("torque", "power", "blend"),
            "family.highest": _counts_in("torque", "power", "blend"),
            "family.middle": lambda tune: "" if len(self.levels(tune)) > 2 else "Two levels have no middle one",
            "assist.shift_share": lambda tune: (
                "" if tune.assist.shift_cut_s is not None else "Counts where there is a shift cut"
            ),
        }
        self._rider_rulers = {key: Ruler(scale, theme, desk.draft.token) for key, scale in RIDER.items()}
        self.whose = Whose(desk)
        self.whose.changed.connect(self.whose_changed)
        self.column.insertWidget(0, self.whose)
        self.match = MatchFold(desk, self)
        for part in (self.whose, self.match):
            fix(part, wide=WIDE)
        at = self.column.count() - 1
        for widget in (self.match, label("CONDITIONS", "caps"), *self._rider_rulers.values()):
            self.column.insertWidget(at, widget)
            at += 1
        for key, ruler in self._rider_rulers.items():
            fix(ruler, wide=WIDE)
            ruler.changed.connect(lambda value, _token, key=key: self.draw_for(key, value))
            ruler.refused.connect(lambda why: desk.said.emit("warn", why))
            ruler.show_value(self.grade if key == "grade" else getattr(self.rider, key))

    def draw_for(self, key: str, value: float) -> None:
        """Another rider or hill."""
        if key == "grade":
            self.grade = value
        else:
            self.rider = replace(self.rider, **{key: value})
        self._rider_rulers[key].show_value(value)
        self.rider_changed.emit()

    def levels(self, tune: Tune) -> list[Level]:
        """The levels in hand."""
        return self.whose.levels(tune)

    def level_path(self, at: int, key: str) -> str:
        """The path of a figure of a level in hand, counted from 1."""
        return f"{self.whose.path}.{at}.{key}"

    def refresh(self) -> None:
        self.whose.refresh()
        self.match.refresh()
        super().refresh()
        for key, ruler in self._rider_rulers.items():
            ruler.set_scale(in_units(RIDER[key], self._desk.units))

    def scale(self, path: str, bike: Bike, draft: Tune) -> Scale:
        return _FAMILY_SCALES[path] if path in _FAMILY_SCALES else super().scale(path, bike, draft)

    def value(self, tune: Tune, path: str) -> float | None:
        levels = self.levels(tune)
        if path == "assist.levels.count":
            return float(len(levels))
        if path == "family.power":
            return levels[0].power_share
        if path == "family.speed":
            return levels[0].speed_share
        if path.startswith("family."):
            return float(getattr(nearest_family([level.multiplier for level in levels]), path.partition(".")[2]))
        return super().value(tune, path)

    def known(self, now: Tune, path: str) -> bool:
        if path.startswith("family.") or path == "assist.levels.count":
            return now.holds(f"{self.whose.path}.count") and len(self.levels(now)) >= FEWEST_LEVELS
        return super().known(now, path)

    def take(self, path: str, value: float | None, token: int) -> None:
        draft = self._desk.draft.tune
        if draft is None or value is None or not (path.startswith("family.") or path == "assist.levels.count"):
            super().take(path, value, token)
            return
        changed = family_settings(self.levels(draft), path, value)
        own = {name.replace("assist.levels", self.whose.path): number for name, number in changed.items()}
        self._desk.draft.change_many(own, "assist levels", token)


def _counts_in(*styles: str) -> Callable[[Tune], str]:
    """Why a ruler is grey in other styles."""
    return lambda tune: "" if tune.assist.style in styles else f"Counts in the style {' or '.join(styles)}"


def family_settings(levels: list[Level], path: str, value: float) -> dict[str, float | None]:
    """All levels anew when an anchor of the family, its bow or the number of levels changes: first and last keep the bow, the middle one
    makes it."""
    now = nearest_family([level.multiplier for level in levels])
    count = round(value) if path == "assist.levels.count" else len(levels)
    given = {"lowest": now.lowest, "highest": now.highest, "exponent": now.exponent}
    changed: dict[str, float | None] = {}
    key = path.partition(".")[2]
    if path == "assist.levels.count" or key in given or key == "middle":
        if key == "middle":
            value = min(max(value, now.lowest), now.highest)
            given["exponent"] = exponent_through(count, now.lowest, now.highest, value)
        given |= {key: value} if key in given else {}
        multipliers = family(count, given["lowest"], given["highest"], given["exponent"])
        changed |= {f"assist.levels.{at + 1}.multiplier": multiplier for at, multiplier in enumerate(multipliers)}
    for share in ("power", "speed"):
        if path in ("assist.levels.count", f"family.{share}"):
            lowest = value if path == f"family.{share}" else getattr(levels[0], f"{share}_share")
            shares = family(count, lowest, getattr(levels[-1], f"{share}_share"), 1.0)
            changed |= {f"assist.levels.{at + 1}.{share}_share": one for at, one in enumerate(shares)}
    if path == "assist.levels.count":
        changed[path] = float(count)
    return changed
