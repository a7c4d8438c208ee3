"""What the controller of the active bike holds: after contact, after a send, after a failure; and what was sent before."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.prediction import Prediction
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.settings import of_bike

if TYPE_CHECKING:
    from crisp_hornet.documents.controller_map import ControllerMap


class Held(QObject):
    """``map`` is known once the controller answered; ``tune`` is what it was last known to run."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike, story: Story) -> None:
        super().__init__()
        self._bike, self._story = bike, story
        self.tune: Tune | None = None
        self.map: ControllerMap | None = None
        self.prediction: Prediction | None = None
        self.backup_at: datetime | None = None  # when the backup of this contact was kept; None where it could not be
        self._sent: list[tuple[datetime, Tune]] | None = None
        self._was_sent: bool | None = None
        self.overlay: Callable[[Tune, ControllerMap | None], Tune] = lambda tune, _map: (
            tune
        )  # what only a display shows
        bike.recompute.connect(self._predict)
        bike.follow.connect(self.changed)

    def reload(self) -> None:
        """Take up what the active bike's controller was last known to hold."""
        self.map = self._sent = self._was_sent = None
        self.tune = self._bike.garage.glance.tune(self._bike.id, "controller") if self._bike.document else None
        self._predict()

    def sent(self) -> list[tuple[datetime, Tune]]:
        """The tunes that were sent with proof, or entered by hand and read back; the newest first."""
        if self._sent is None:
            self._sent = self._bike.garage.tunes.sent(self._bike.id) if self._bike.document is not None else []
        return self._sent

    @property
    def was_sent(self) -> bool:
        """Whether there is one."""
        if self._was_sent is None:
            there = self._bike.document is not None
            self._was_sent = there and self._bike.garage.glance.tune(self._bike.id, "sent") is not None
        return self._was_sent

    def take_contact(self, tune: Tune | None, backup: Backup) -> None:
        """A controller answered: keep its backup, and know what it holds."""
        self.backup_at = None
        if self._story.keep_backup(backup):
            self.backup_at = datetime.now().astimezone()
            self._story.log(
                "backup",
                f"Backup of {backup.product} kept",
                f"{len(backup.registers)} settings, firmware {backup.firmware}, serial number {backup.serial}",
            )
        if tune is not None:
            self._take(self.overlay(tune, self.map))
            return
        self._bike.said.emit(
            "stop",
            "What the controller holds makes no valid tune: put a backup back on Send, or send a whole tune, before you ride.",
        )

    def take_sent(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A send was proved: the controller now runs ``tune``."""
        self._bike.kept(lambda: self._bike.garage.tunes.keep_sent(self._bike.id, tune))
        self._sent = self._was_sent = None
        self._story.log("send", f"Sent with proof: {tune.name}", "; ".join(changes) + f". {message}")
        self._take(tune, remember=kept)

    def take_restored(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A backup was put back with proof."""
        self._story.log("send", "Backup restored with proof", "; ".join(changes) + f". {message}")
        self._take(tune, remember=kept)

    def take_by_hand(self, tune: Tune, sent: bool) -> None:
        """Somebody read off a display what the bike is set to; ``sent``: it is what was to be entered."""
        if sent:
            self._bike.kept(lambda: self._bike.garage.tunes.keep_sent(self._bike.id, tune))
            self._sent = self._was_sent = None
        self._take(tune)

    def take_running(self, tune: Tune) -> None:
        """A send failed and left the controller running this; what it keeps over power-off is as it was."""
        if self.tune is None or tune.differing(self.tune):
            self._take(tune, remember=False)

    def _take(self, tune: Tune, remember: bool = True) -> None:
        self.tune = tune
        if remember:
            self._bike.kept(lambda: self._bike.garage.tunes.keep_controller(self._bike.id, tune))
        self._predict()
        self.changed.emit()

    def as_run(self, tune: Tune) -> Tune:
        """What a tune comes to on the controller, as far as that is known."""
        return tune if self.map is None else self.map.as_run(tune)

    def as_held(self, tune: Tune) -> Tune:
        """A tune in the steps that the controller can hold, as far as that is known, and what it comes to there."""
        return tune if self.map is None else self.map.as_run(self.map.as_held(tune))

    def steps(self, paths: Sequence[str]) -> dict[str, float]:
        """The smallest differences of settings that the controller can hold, where they are known."""
        found = {path: self.map.step(path) if self.map is not None else None for path in paths}
        return {path: step for path, step in found.items() if step is not None}

    def _predict(self) -> None:
        self.prediction = self._bike.predict(self.tune)

    # --- the way to it ----------------------------------------------------------------------------------

    def remember_port(self, port: str) -> None:
        """Remember by which way the active bike's controller was reached."""
        self._bike.remember(of_bike("port", self._bike.id), port)

    @property
    def last_port(self) -> str:
        """By which way the active bike's controller was last reached; "" if never."""
        port = self._bike.garage.settings.get(f"port of bike {self._bike.id}")
        return port if isinstance(port, str) else ""

    def remember_serial(self, serial: str) -> None:
        """The bike has shown that this is its controller."""
        bike = self._bike.document
        if bike is None or not serial or bike.controller.serial == serial:
            return
        was = bike.controller.serial
        controller = bike.controller.model_copy(update={"serial": serial})
        self._bike.change(bike.model_copy(update={"controller": controller}), "controller's serial number")
        self._story.log("bike", f"Controller {serial} belongs to this bike", f"before: {was or 'none noted'}")
