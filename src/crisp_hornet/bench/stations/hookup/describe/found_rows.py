"""The registers that answered: what each holds, whether it moved since the last reading, and what it is said to be."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.row_grid import RowGrid
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.documents.channels import LIVE, long_name
from crisp_hornet.documents.setting_words import label_of, unit_of
from crisp_hornet.documents.tune import SETTINGS
from crisp_hornet.link.describing import Found, Named

NOT_USED = "not used"
CALIBRATIONS = ("calibration.throttle_rest_v", "calibration.throttle_full_v", "calibration.position_offset_deg")
FIRST_LIVE = (
    "wheel_speed_kmh",
    "motor_rpm",
    "pack_v",
    "battery_a",
    "throttle",
    "brake",
    "fault",
    "unkept",
    "heartbeat",
)
LIVE_WORDS = {
    "unkept": "1 while not permanent",
    "heartbeat": "counter of readings",
    "charging": "1 while charging",
    "inhibited": "1 while motor disabled",
    "throttle_v": "throttle voltage",
    "torque_v": "torque sensor voltage",
}
MOST_SHOWN = 96


class FoundRows(QWidget):
    """A row a register; those that moved stand first."""

    def __init__(self) -> None:
        super().__init__()
        self._before: dict[tuple[int, bool], int] = {}
        self._said: dict[tuple[int, bool], Named] = {}
        self._fields: list[tuple[Found, Chooser, NumberField, NumberField, NumberField]] = []
        self._grid = RowGrid(6, horizontal=10)
        self._left = label("", "quiet", wrap=True)
        column = column_of(self, margins=0, spacing=4)
        column.addLayout(self._grid)
        column.addWidget(self._left)

    def show_found(self, found: list[Found]) -> None:
        """Show what was read; what somebody said before stays said."""
        self._remember()
        moved = {
            (one.address, one.live) for one in found if self._before.get((one.address, one.live), one.word) != one.word
        }
        order = sorted(
            found,
            key=lambda one: (
                (one.address, one.live) not in moved and (one.address, one.live) not in self._said,
                one.live,
                one.address,
            ),
        )
        self._grid.begin(("register", "holds", "is", "one step is", "from", "to"))
        self._fields = []
        for one in order[:MOST_SHOWN]:
            self._add(one, (one.address, one.live) in moved)
        self._grid.end()
        more = len(found) - MOST_SHOWN
        self._left.setText(f"{more} more answer: read a shorter range to see them." if more > 0 else "")
        self._before = {(one.address, one.live): one.word for one in found}

    def named(self) -> list[Named]:
        """What was said of them. Raises :class:`~crisp_hornet.bench.figures.Misread`."""
        named = []
        for found, what, scale, least, most in self._fields:
            name = what.currentData()
            if isinstance(name, str):
                ends = (0.0, 0.0) if found.live else (least.read(), most.read())
                low = ends[0] < 0 or name in ("motor_rpm", "battery_a", "phase_a", "motor_c")
                named.append(Named(found, name, scale.read(), *ends, signed=low))
        return named

    def _remember(self) -> None:
        for found, what, scale, least, most in self._fields:
            name = what.currentData()
            if isinstance(name, str):
                step, low, high = (field.value() for field in (scale, least, most))
                ends = (0.0 if low is None else low, 100.0 if high is None else high)
                self._said[found.address, found.live] = Named(found, name, step or 1.0, *ends)

    def _add(self, found: Found, moved: bool) -> None:
        said = self._said.get((found.address, found.live))
        what = Chooser(f"what register {found.address:#06x} is")
        what.addItem(NOT_USED, None)
        for name in _live_names() if found.live else (*SETTINGS, *CALIBRATIONS):
            what.addItem(_told(name, found.live), name)
        what.setCurrentIndex(max(what.findData(said.name) if said is not None else 0, 0))
        scale = _field("one step is", said.scale if said is not None else 1.0)
        least, most = (
            _field(words, value)
            for words, value in (("from", said.least if said else 0.0), ("to", said.most if said else 100.0))
        )
        for one in (least, most):
            one.setVisible(not found.live)
        where = f"{'live ' if found.live else ''}{found.address:#06x}"
        holds = f"{found.word}{', moved' if moved else ''}"
        self._grid.add([label(where), label(holds, "" if moved else "quiet"), what, scale, least, most])
        self._fields.append((found, what, scale, least, most))


def _live_names() -> list[str]:
    return [*FIRST_LIVE, *sorted(LIVE - set(FIRST_LIVE))]


def _told(name: str, live: bool) -> str:
    if live:
        return LIVE_WORDS.get(name) or long_name(name).replace("_", " ")
    if name.startswith("calibration."):
        return name.removeprefix("calibration.").replace("_", " ")
    unit = unit_of(name)
    return f"{label_of(name)}{f', {unit}' if unit else ''}"


def _field(name: str, value: float) -> NumberField:
    made = NumberField(name, width=70)
    made.setText(f"{value:g}")
    return made
