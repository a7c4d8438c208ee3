"""The Verdict station: measured points over the predicted curve, peaks against limits, findings beside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.boundary import unforeseen
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.desk.prediction import Prediction, band_of, predict
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.stations.verdict.charts import Charts
from crisp_hornet.bench.stations.verdict.differences_view import DifferencesView
from crisp_hornet.bench.stations.verdict.estimate_figures import BIKE, FIGURES
from crisp_hornet.bench.stations.verdict.estimates_view import EstimatesView
from crisp_hornet.bench.stations.verdict.laid_against import Against, AgainstRow, Judged
from crisp_hornet.bench.stations.verdict.life_view import LifeView
from crisp_hornet.bench.stations.verdict.peak_table import PeakTable, peak_lines
from crisp_hornet.bench.stations.verdict.report import Told, page, save
from crisp_hornet.bench.stations.verdict.ridden_again import RiddenAgainView
from crisp_hornet.bench.stations.verdict.ridden_on import AS_ENTERED, RiddenOn
from crisp_hornet.bench.stations.verdict.taking import forget_figure, into_draft, learn_figure
from crisp_hornet.bench.stations.verdict.teaching_rows import CHECK, TeachingRows
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import Pages, column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, shortened
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.bench.widgets.traces import Traces
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.drive.uncertainty import Band
from crisp_hornet.core.evidence.day import Day
from crisp_hornet.core.evidence.dyno import DynoRuns, dyno_runs
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.evidence.moves import moves
from crisp_hornet.core.evidence.peaks import Peak
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.measured_pull import MeasuredPull, measured_pull
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted, quantity, say
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.tune import Tune

STRIP = (("wheel_speed_kmh",), ("limit",), ("battery_w", "predicted_w"), ("pack_v",), ("motor_c",))


SOON_MS = 250  # the window comes first
LONG_ROWS = 60_000  # a ride of more rows is judged off the interface thread


@dataclass(frozen=True, eq=False)
class Seen:
    """A ride, what it proves, and it with all that is worked out from it."""

    judged: Judged
    whole: Ride
    found: list[Finding]
    peaks: list[Peak]
    measured: MeasuredPull | None
    runs: DynoRuns | None
    moves: dict[str, str]
    band: Band | None


PAGES = ("Pull", "Along the route", "Dyno", "Peaks", "Estimates", "Over time", "Compared", "Ridden again")
PULL, _ROUTE, DYNO, PEAKS, ESTIMATES, LIFE, COMPARED, AGAIN = range(8)
LEAST_STRIP_PX = 150


class VerdictPage(Station):
    """Proof instead of feel."""

    key = "verdict"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.found: list[Finding] = []
        self.verdict: Verdict | None = None
        self.peaks: list[Peak] = []
        self._ride: object = None
        self._prediction: Prediction | None = None
        self._title = label("", "title")
        self._about = label("", "quiet")
        self.charts = Charts(theme)
        self.charts.flywheel.connect(self._judge)
        self.chart = self.charts.pull
        self.table = PeakTable(theme)
        self.estimates = EstimatesView(theme)
        self.teaching, self.life = TeachingRows(desk, theme), LifeView(desk, theme)
        self.teaching.start.connect(self._start_run)
        self.estimates.learn.connect(lambda path, one: learn_figure(desk, path, one))
        self.estimates.forget.connect(lambda path: forget_figure(desk, path))
        self.pages = PageChoice(PAGES, "verdict", 16)
        self._views = Pages()
        self.pages.chosen.connect(self._show_page)
        self._report = button("Save a report", self._ask_report, "small", "Save a report of the ride")
        self._traces = Traces(theme, STRIP)
        self._traces.setMinimumHeight(px(LEAST_STRIP_PX))
        self.charts.refused.connect(lambda why: desk.said.emit("note", why))
        self._judging = Background()
        self._judging.done.connect(self._take_judged)
        self._judging.failed.connect(self._take_failure)
        self._head = ""
        self.against = AgainstRow(desk)
        self.against.found.connect(self._show_against)
        self.ridden_on = RiddenOn(desk)
        self.ridden_on.entered.connect(desk.ride.enter_tune)
        self.differences = DifferencesView(theme)
        self.differences.jump.connect(self._jump)
        self.again = RiddenAgainView(desk)
        self._seen: Seen | None = None
        self._work: Callable[[], Seen] | None = None
        self._undrawn = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._judge_beside)
        self._cursor = label("", "quiet")
        self._traces.pointed.connect(self._show_cursor)
        inside = QWidget()
        self._cards = column_of(inside, margins=(0, 0, 4, 0), spacing=8)
        self._side = column_scroll(inside)
        self._lay_out()
        for changed in (desk.ride.changed, desk.bike_changed, desk.units_changed):
            changed.connect(self._judge)
        self._judge()

    def _lay_out(self) -> None:
        peaks_page = QWidget()
        reached = column_of(peaks_page, margins=(0, 0, 8, 0))
        reached.addWidget(self.table)
        reached.addStretch(1)
        told = QWidget()
        said = column_of(told, margins=0, spacing=4)
        said.addWidget(self.estimates, 1)
        said.addWidget(self.teaching)
        for view in (
            self.charts,
            column_scroll(peaks_page),
            told,
            self.life,
            self.differences,
            column_scroll(self.again),
        ):
            self._views.addWidget(view)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self.against.row)
        head.addWidget(self._report)
        column = column_of(self, margins=(0, 4, 0, 0), spacing=3)
        column.addLayout(head)
        column.addWidget(self._about)
        column.addWidget(self.ridden_on)
        column.addWidget(self.against)
        column.addSpacing(4)
        column.addWidget(self.pages)
        column.addSpacing(4)
        self._split = QSplitter(Qt.Orientation.Vertical)  # picture and traces compete: whoever looks decides
        self._split.setAccessibleName(tr("how high the picture is against the traces"))
        self._split.setChildrenCollapsible(False)
        self._split.addWidget(self._views)
        self._split.addWidget(self._traces)
        self._split.setStretchFactor(0, 5)
        self._split.setStretchFactor(1, 3)
        column.addWidget(self._split, 1)
        column.addWidget(self._cursor)

    def _show_page(self, at: int) -> None:
        """Three pictures of the ride, then what is told in rows; those that are long have the traces' room."""
        if at < PEAKS:
            self.charts.choose(at)
        self._views.setCurrentIndex(max(at - DYNO, 0))
        if at == LIFE:
            self.life.look()
        if at == AGAIN:
            self.again.look()
        if at == ESTIMATES and self.verdict is not None:
            self.teaching.look(self.desk.bike, self.desk.ride.tune or self.desk.held.tune)
        for widget in (self._traces, self._cursor):
            widget.setVisible(at <= PEAKS)

    def _start_run(self, name: str) -> None:
        """The run, or the check, that would teach most."""
        self.hand_over.emit("calibrate" if name == CHECK else "rides", name)

    def _jump(self, at_s: float) -> None:
        """Show a moment of the ride."""
        if self.pages.at > PEAKS:
            self.pages.choose(PULL)
        self._traces.point_at(at_s)

    def side(self) -> QWidget | None:
        return self._side

    def finish(self) -> None:
        self.again.stop()

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours: make them anew."""
        self.theme = self.estimates.theme = self.teaching.theme = self.life.theme = self.differences.theme = theme
        self._judge()

    def _judge(self) -> None:
        """Judge the open ride: at once where it is looked at; a long one, and one that nobody looks at, off the interface thread."""
        self._judging.cancel()
        self._soon.stop()
        self._work = None
        ride, bike = self.desk.ride.cleaned, self.desk.bike
        bike = bike and bike.with_pack(self.desk.ride.card.pack)  # the one it was ridden on
        self.found, self.peaks, self._prediction, self.verdict, self._seen = [], [], None, None, None
        entered = self.desk.ride.tune is None or self.desk.ride.tune.name.startswith(AS_ENTERED)
        self.ridden_on.setVisible(ride is not None and bike is not None and entered)
        self.ridden_on.refresh()
        tune = self.desk.ride.tune or self.desk.held.tune
        if ride is None or bike is None or tune is None or self.desk.speeds is None:
            self._title.setText("No ride to analyse" if ride is None or bike is None else ride.name)
            self._about.setText(
                "Import a log on Rides."
                if ride is None or bike is None
                else "Which tune was it ridden on? No contact has told."
            )
            self.chart.show_curves(None, None)
            self.chart.show_measured(None)
            self._traces.show_ride(ride)
            self.charts.show_ride(None, None, None, self.desk.units)
            self._show_judged()
            return
        rested_v = self.desk.ride.card.rested_start_v
        told = Conditions(rested_v) if rested_v is not None else self.desk.conditions
        conditions = conditions_at_start(ride, bike) or told
        self._prediction = predict(bike, tune, conditions, self.desk.speeds)
        self._show_head(ride, tune, conditions)
        curve, day, with_tune = self._prediction.curve, Day.of(self.desk.ride.card), self.desk.ride.tune
        flywheel_kg, speeds = self.charts.flywheel_kg, self.desk.speeds

        def work() -> Seen:
            verdict, found = judge(ride, bike, tune, curve, day)
            whole = Ride(ride.name, ride.time_s, ride.channels | derived(ride, bike, with_tune))
            judged = Judged(ride, bike, tune, verdict, curve, day, flywheel_kg)
            runs = dyno_runs(ride, bike, flywheel_kg, verdict.stretch(bike))
            band = band_of(bike, tune, conditions, speeds) if tune.unknown else None
            good_for = {one.path: moves(bike, tune, curve, one.path, one.take(verdict)) for one in BIKE}
            return Seen(judged, whole, found, list(verdict.peaks), measured_pull(ride, bike), runs, good_for, band)

        self._work = work
        if len(ride) > LONG_ROWS:
            self._about.setText(f"{self._about.text()}; a long ride: analysing")
            self._show_judged()
            self._judging.start(work)
        elif self.isVisible():
            self._judge_now()
        else:
            self._soon.start()

    def _judge_now(self) -> None:
        assert self._work is not None
        try:
            seen = self._work()
        except Exception as error:  # noqa: BLE001 - told by the boundary; the page must not wait for it
            self._take_failure(unforeseen("Judging the ride", error))
        else:
            self._take_judged(seen)

    def _take_failure(self, error: Exception) -> None:
        self._work = None
        self._about.setText(str(error))
        self.desk.said.emit("stop", str(error))
        self.news.emit()

    def _judge_beside(self) -> None:
        if self._work is not None:
            self._judging.start(self._work)

    def showEvent(self, event: QShowEvent | None) -> None:
        """What was put off while nobody looked."""
        super().showEvent(event)
        ride = self.desk.ride.cleaned
        if self._work is not None and ride is not None and self._seen is None and len(ride) <= LONG_ROWS:
            self._soon.stop()
            self._judging.cancel()
            self._judge_now()
        elif self._undrawn and self._seen is not None:
            self._draw(self._seen)

    def _show_head(self, ride: Ride, tune: Tune, conditions: Conditions) -> None:
        assert self._prediction is not None
        guessed = "" if self.desk.ride.tune else " (the tune it was ridden on is not known)"
        self._title.setText(f"{shortened(ride.name, 60)}, on “{shortened(tune.name, 30)}”")
        self._title.setToolTip(tr(f"{ride.name}, on “{tune.name}”"))
        state = say(
            "{rested} at rest, winding at {winding}",
            rested=quantity(conditions.rested_v, "V", ".1f"),
            winding=quantity(conditions.winding_c, "°C", ".0f"),
        )
        self._head = self.desk.units.text(say("predicted for {state}{guessed}", state=state, guessed=guessed))
        self._about.setText(self._head)
        self.chart.show_curves(None, self._prediction.curve)

    def _take_judged(self, seen: Seen) -> None:
        if seen.judged.ride is not self.desk.ride.cleaned:
            return  # another ride was opened meanwhile
        self._seen = seen
        self.verdict, self.found, self.peaks = seen.judged.verdict, seen.found, seen.peaks
        if self.isVisible():
            self._draw(seen)
        else:
            self._undrawn = True
            self.news.emit()

    def _draw(self, seen: Seen) -> None:
        self._undrawn = False
        self._about.setText(self._head)
        self.chart.show_measured(seen.measured, seen.judged.verdict.motion)
        self.chart.show_band(seen.band)
        self._traces.show_units(self.desk.units)
        self._traces.show_ride(seen.whole)
        self.charts.show_ride(seen.whole, seen.runs, seen.judged.curve, self.desk.units)
        self._show_judged()

    def _show_against(self, against: Against | None) -> None:
        self.charts.show_against(against)
        self.differences.show_found(against, self.desk.units)
        if against is not None:
            self.pages.choose(COMPARED)

    def _show_judged(self) -> None:
        self.chart.show_units(self.desk.units)
        self._traces.show_units(self.desk.units)
        turn = self.desk.units.text
        lines = peak_lines(self.peaks, self.verdict.energy if self.verdict is not None else None)
        self.table.show_lines(
            [replace(line, value=turn(line.value), against=turn(line.against), word=turn(line.word)) for line in lines]
        )
        name = self.desk.ride.cleaned.name if self.desk.ride.cleaned is not None else ""
        good_for = self._seen.moves if self._seen is not None else None
        if self.pages.at == LIFE:
            self.life.look()
        if self.pages.at == ESTIMATES or self.verdict is None:
            self.teaching.look(
                self.desk.bike if self.verdict is not None else None, self.desk.ride.tune or self.desk.held.tune
            )
        self.estimates.show_verdict(self.verdict, self.desk.bike, name, self.desk.units, good_for)
        self.against.show_judged(self._seen.judged if self._seen is not None else None)
        self._report.setVisible(self.verdict is not None)
        self._show_findings()
        self.news.emit()

    def _show_findings(self) -> None:
        clear(self._cards)
        turn = self.desk.units.text
        self._cards.addWidget(label("FINDINGS", "caps"))
        for one in self.found:
            self._cards.addWidget(
                card(
                    self.theme,
                    one.severity,
                    turn(one.text),
                    f"{turn(one.reason)} {turn(one.effects_in_words)}".strip(),
                    *self._links(one),
                    about=f"finding.{one.id}",
                )
            )
        if not self.found:
            self._cards.addWidget(label(self._none_words(), "quiet", wrap=True))
        self._cards.addStretch(1)

    def _none_words(self) -> str:
        if self.desk.ride.cleaned is None:
            return "None: there is no ride to analyse."
        if self.verdict is None:
            return "None yet: the tune it was ridden on is needed, or it is still being analysed."
        return "None: nothing stood out."

    def _links(self, finding: Finding) -> list[QWidget]:
        links: list[QWidget] = []
        if finding.at_s is not None:
            jump: Callable[[], None] = partial(self._jump, finding.at_s)
            links.append(button(f"{clock(finding.at_s)} ›", jump, "place", f"Show the moment of {finding.id}"))
        change = finding.suggest
        if change is not None and not change.bike and self.desk.draft.tune is not None:
            value = self.desk.units.text(in_words(change.path, change.value))
            words = f"Draft {label_of(change.path)} {value}"
            links.append(
                button(words, partial(into_draft, self.desk, finding), "small", f"Draft the change of {finding.id}")
            )
        elif change is not None and change.bike:
            take = partial(self._learn, change.path)
            links.append(button(self._learn_words(change), take, "small", f"Learn from {finding.id}"))
        return links

    def _learn_words(self, change: Suggestion) -> str:
        """``Learn 87 mΩ``."""
        figure = next((one for one in FIGURES if one.path == change.path), None)
        if figure is None or self.verdict is None:
            return "Learn the figure"
        unit = figure.unit or figure.take(self.verdict).unit
        value = quantity(change.value * figure.factor, unit, f".{figure.digits}g")
        return self.desk.units.text(say("Learn {value}", value=value))

    def _learn(self, path: str) -> None:
        figure = next((one for one in FIGURES if one.path == path), None)
        if figure is not None and self.verdict is not None:
            learn_figure(self.desk, path, figure.take(self.verdict))

    def _ask_report(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Save a report"), "verdict.pdf", "PDF (*.pdf);;HTML (*.html)")
        if name:
            self.save_report(Path(name))

    def save_report(self, path: Path) -> None:
        """The page a builder hands to a customer."""
        if self.verdict is None or self.desk.bike is None:
            return
        against = self.charts.against
        html = page(
            Told(
                self._title.text(),
                self._about.text(),
                self._prediction.headlines.words if self._prediction else "",
                self.desk.bike,
                self.verdict,
                self.table.lines,
                self.found,
                self.charts.on_paper(),
                against,
                self.desk.units,
                *self._ridden(),
            )
        )
        try:
            save(self.desk.people.without_others(html), path)
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))
            return
        self.desk.said.emit("settled", f"Written: {path.name}.")

    def _ridden(self) -> tuple[str, str, str, tuple[Tune, Tune | None]]:
        """The open ride's name, when it was ridden, what its card says, and the tunes before and after it."""
        desk, ride = self.desk, self.desk.ride.cleaned
        assert self._seen is not None and ride is not None
        imported = next((one.at for one in desk.ride.kept() if one.id == desk.ride.id), None)
        at = imported if ride.started_s is None else datetime.fromtimestamp(ride.started_s).astimezone()
        ridden = "at a time nobody noted" if at is None else f"{at:%-d %B %Y}"
        return ride.name, ridden, desk.ride.card.in_words(), (self._seen.judged.tune, desk.draft.tune)

    def _show_cursor(self, _at_s: float) -> None:
        self._cursor.setText(self._traces.values_at_cursor())

    def state(self) -> BoltState:
        if not self.found:
            return BoltState.UNTOUCHED
        return BoltState.NEEDS_A_LOOK if any(one.severity == "warn" for one in self.found) else BoltState.DONE

    def caption(self) -> str:
        if self._work is not None and self._seen is None:
            return "analysing"
        return counted(len(self.found), "finding") if self.found else "no ride yet"

    def meaning(self) -> tuple[str, str]:
        if not self.found:
            return "PROOF", "A ride laid over its prediction shows which limit was reached, and which never was."
        first, more = self.found[0], len(self.found) - 1
        rest = f" {more} more on the right." if more else ""
        return "WHAT THE RIDE SAYS", say(
            "<b>{text}.</b> {reason}{rest}", text=first.text, reason=first.reason, rest=rest
        )

    def act_text(self) -> str:
        return "Back to the tune" if self.found else "Import a log"

    def act(self) -> None:
        self.go.emit("tune" if self.found else "rides")
