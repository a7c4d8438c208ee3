"""A job in work: what its customer said, hints, rides on its roads, handing over, and how it then stands."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job, JobRoad
from crisp_hornet.practice.drawing import Drawn
from crisp_hornet.practice.jobs import JobFile, bike_of
from crisp_hornet.practice.judging import Judgement, Outcome, judge
from crisp_hornet.practice.laying_out import map_of
from crisp_hornet.practice.progress import BEGUN, ENDED, FLAWED, SOLVED, Progress
from crisp_hornet.practice.riding import Cancelled, Seen, ride
from crisp_hornet.practice.trial import HandedOver, Trial
from crisp_hornet.standin.journal import BMS, LOOP, RIDE
from crisp_hornet.standin.snapshot import restore
from crisp_hornet.standin.workshop import LASTING, Workshop

LEARNED, KEEPS_MS = "learned.json", 5000
KEPT_AS = {Outcome.SOLVED: SOLVED, Outcome.FLAWED: FLAWED, Outcome.ENDED: ENDED, Outcome.NOT_YET: BEGUN}


@dataclass(frozen=True)
class Room:
    """Where a job is done. ``before``: the bike's state as it came in; ``held``: the backup from before; ``began_s``: since 1970."""

    file: JobFile
    drawn: Drawn
    simulated: Simulated
    folder: Path
    progress: Progress
    before: dict[str, Any]
    held: Backup
    guided: bool = False
    _kept: list[str] = field(default_factory=lambda: [""])  # what was kept last

    @property
    def job(self) -> Job:
        """Its document."""
        return self.file.job

    def keep_state(self) -> None:
        """Keep how the simulated bike now is, for the next sitting. Raises :class:`DocumentError`."""
        told = self.simulated.act("snapshot")
        if told.startswith("is ") and told != self._kept[0]:
            self._kept[0] = told
            state = self.progress.state_file(self.file.key)
            wire.write_bytes(state, told.removeprefix("is ").encode(), private=True)


@dataclass(frozen=True)
class Ridden:
    """A ride that was made on the simulated bike."""

    road: str
    log: Ride
    seen: Seen


class Practising(QObject):
    """``changed``: hints, or what is under way; ``judged`` and ``ridden`` bring results, ``failed`` why there is none."""

    changed = pyqtSignal()
    judged = pyqtSignal(object)
    ridden = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, room: Room) -> None:
        super().__init__()
        self.room = room
        standing = room.progress.of(room.file.key)
        self.hints = min(standing.hints, 3) if standing is not None else 0
        self.judgement: Judgement | None = None
        self.share = 0.0
        self._desk: Desk | None = None
        self._known: Bike | None = None
        self._stop = False
        self._rides, self._trial = Background(Cancelled), Background(Cancelled, DocumentError)
        self._rides.done.connect(self._take_ride)
        self._rides.failed.connect(self._take_failure)
        self._trial.done.connect(self._take_judgement)
        self._trial.failed.connect(self._take_failure)
        self._keeps = QTimer(self)  # a window that is killed loses so much at most
        self._keeps.timeout.connect(self._keep_state)
        self._keeps.start(KEEPS_MS)

    # --- what it is --------------------------------------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job's document."""
        return self.room.job

    @property
    def busy(self) -> bool:
        """Whether a ride or a trial is under way."""
        return self._rides.running or self._trial.running

    def watch(self, desk: Desk) -> None:
        """Note when figures of the bike are changed: what is learned before the cause is mended is learned wrong."""
        self._desk, self._known = desk, desk.bike
        desk.bike_changed.connect(self._bike_changed)

    def _bike_changed(self) -> None:
        assert self._desk is not None
        before, now = self._known, self._desk.bike
        self._known = now
        if before is None or now is None or before.model_dump(exclude={"chain"}) == now.model_dump(exclude={"chain"}):
            return
        try:
            rows = json.dumps([*self._learned(), time.time()]).encode()
            wire.write_bytes(self.room.folder / LEARNED, rows, private=True)
        except DocumentError as error:
            self.failed.emit(str(error))

    def _learned(self) -> list[float]:
        try:
            return [float(at) for at in json.loads((self.room.folder / LEARNED).read_bytes())]
        except (OSError, ValueError, TypeError):
            return []

    def close(self) -> None:
        """The window closes: what is under way ends, and nothing is kept from here any more."""
        self._stop = True
        self._keeps.stop()

    def _keep_state(self) -> None:
        try:
            self.room.keep_state()
        except DocumentError as error:
            self._keeps.stop()
            self.failed.emit(str(error))

    # --- hints ---------------------------------------------------------------------------------------------

    def open_hint(self) -> None:
        """One more hint; it costs nothing."""
        if self.job.hints is not None and self.hints < len(self.job.hints):
            self.hints += 1
            self._keep(BEGUN)
            self.changed.emit()

    def _keep(self, state: str) -> None:
        room = self.room
        try:
            room.progress.keep(room.file.key, state, room.drawn.seed, self.hints, room.guided)
        except DocumentError as error:
            self.failed.emit(str(error))

    # --- riding --------------------------------------------------------------------------------------------

    def ride(self, name: str) -> None:
        """Ride a road of the job on the simulated bike as it now is; its log goes to Rides."""
        if self.busy:
            return
        road, state = self.job.roads[name], self.state()
        rider_kg = self.room.drawn.value(road.rider_kg, self.job)
        self._stop, self.share = False, 0.0
        self._rides.start(lambda: self._ride(road, state, rider_kg))
        self.changed.emit()

    def _ride(self, road: JobRoad, state: dict[str, Any], rider_kg: float | None) -> tuple[Ridden, dict[str, Any]]:
        shop = Workshop(bike_of(self.job), map_of(self.job))
        restore(shop, state)
        seen = ride(shop, road, self._go_on, rider_kg)
        told: list[list[object]] = [[RIDE, road.name, round(seen.top_kmh, 1)]]
        bms = shop.bike.state.bms
        told += [[BMS, bms.opened_by, round(bms.last_v, 1)]] * int(seen.bms_opened)
        told += [[LOOP, road.name, None]] * int(seen.loops)
        after = {"state": {one: getattr(shop.bike.state, one) for one in LASTING}, "journal": told}
        name = f"{road.name}, {datetime.now().astimezone():%H:%M}"
        return Ridden(road.name, seen.log(name), seen), after

    def _go_on(self, share: float) -> bool:
        self.share = share
        return not self._stop

    def stop(self) -> None:
        """End the ride or the trial that is under way."""
        self._stop = True

    def _take_ride(self, result: tuple[Ridden, dict[str, Any]]) -> None:
        ridden, after = result
        self.room.simulated.act(f"ridden {json.dumps(after)}")
        self.changed.emit()
        self.ridden.emit(ridden)

    def _take_failure(self, error: object) -> None:
        self.changed.emit()
        self.failed.emit("Stopped." if isinstance(error, Cancelled) else str(error))

    # --- handing over --------------------------------------------------------------------------------------

    def state(self) -> dict[str, Any]:
        """The simulated bike as it now is."""
        found: dict[str, Any] = json.loads(self.room.simulated.act("snapshot").removeprefix("is "))
        return found

    def hand_over(self, sentence: str, ending: str) -> None:
        """Give the bike back: it is tried as it is, and the journal is read."""
        if self.busy:
            return
        assert self._desk is not None
        desk, room = self._desk, self.room
        backups = desk.garage.backups.of(desk.bike_id)
        began = room.folder.stat().st_mtime if not backups else min(at.timestamp() for at, _ in backups)
        handed = HandedOver(
            state=self.state(),
            sentence=sentence,
            ending=ending,
            backed_up_s=tuple(at.timestamp() for at, _ in backups if at.timestamp() > began),
            learned_s=tuple(self._learned()),
            document=desk.bike,
            lever_proved_s=self._lever_proved_s(desk),
        )
        trial = Trial(self.job, room.drawn, handed, room.before, room.held, self._go_on)
        self._stop, self.share = False, 0.0
        self._trial.start(lambda: judge(trial))
        self.changed.emit()

    def _lever_proved_s(self, desk: Desk) -> float:
        times = [
            datetime.fromisoformat(one.taken).timestamp()
            for one in desk.story.calibrations()
            if "brake" in one.kind and one.verdict == "passed"
        ]
        return min(times, default=float("inf"))

    def _take_judgement(self, judgement: Judgement) -> None:
        self.judgement = judgement
        self._keep(KEPT_AS[judgement.outcome])
        if self._desk is not None:
            self._desk.log("practice", f"Handed over: {judgement.outcome.value}", " ".join(judgement.lines))
        self.changed.emit()
        self.judged.emit(judgement)
