"""What every Tune page is: rulers left, pictures in the middle, a sentence for the footer."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.handle_chart import HandleChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.theme import Theme


class TuneView(QWidget):
    """Base of the Tune pages. ``column`` is its left side, if it has one of its own."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self.desk, self.link, self.theme = desk, link, theme
        self.column: QWidget | None = None

    def refresh(self) -> None:
        """Show what the desk holds now; called only while in view."""

    def refresh_slow(self) -> None:
        """Show what takes longer than a step of a drag; called once the hands rest."""

    def meaning(self) -> tuple[str, str] | None:
        """Heading and words for the footer; None leaves the reading of the pull chart there."""
        return None

    def shows(self, setting: str) -> QWidget | None:
        """The ruler of a setting, if it is on this page."""
        return getattr(self.column, "rulers", {}).get(setting)

    def listen(
        self,
        chart: HandleChart,
        steps: dict[str, tuple[float, float]],
        sideways: bool = False,
        back: Callable[[float], float] = float,
    ) -> None:
        """Let a chart's handles change the draft. ``steps``: by the end of a setting's path, (step, fine) in the document's unit;
        ``back`` turns what the chart shows into it."""

        def step_of(setting: str) -> tuple[float, float]:
            return next(step for end, step in steps.items() if setting.endswith(end))

        def take(setting: str, x: float, y: float, token: int) -> None:
            if self.desk.draft.tune is not None:
                fine = step_of(setting)[1]
                self.desk.draft.try_change(setting, round(round(back(x if sideways else y) / fine) * fine, 6), token)

        def step(setting: str, steps_: float, fine: bool, token: int) -> None:
            if self.desk.draft.tune is not None:
                by = step_of(setting)[1 if fine else 0]
                self.desk.draft.try_change(
                    setting, round((self.desk.draft.tune.setting(setting) or 0.0) + steps_ * by, 6), token
                )

        def give_back(setting: str) -> None:
            if self.desk.held.tune is not None and self.desk.held.tune.holds(setting):
                self.desk.draft.try_change(setting, self.desk.held.tune.setting(setting))

        def take_typed(setting: str, shown: float) -> None:
            self.desk.draft.try_change(setting, round(back(shown), 6))

        chart.typed.connect(take_typed)
        chart.refused.connect(lambda why: self.desk.said.emit("warn", why))
        chart.dragged.connect(take)
        chart.stepped.connect(step)
        chart.returned.connect(give_back)
        chart.cancelled.connect(lambda _setting, token: self.desk.draft.cancel(token))
