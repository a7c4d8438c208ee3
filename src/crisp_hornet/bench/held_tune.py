"""The part of the desk that knows what the controller holds: after contact, after a send, after a failure."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from crisp_hornet.bench.draft_in_hand import DraftInHand
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune


class HeldTune(DraftInHand):
    """Held by the desk, which is one."""

    controller_changed = pyqtSignal()
    controller_map: ControllerMap | None  # known once it answered

    def _predict_controller(self) -> None:
        raise NotImplementedError

    def change_bike(self, bike: Bike, what: str) -> None:
        """Change figures of the active bike, undoably."""
        raise NotImplementedError

    def take_contact(self, tune: Tune | None, backup: Backup, controller_map: ControllerMap | None = None) -> None:
        """A controller answered: keep its backup, and know what it holds and what it lacks."""
        if controller_map is not self.controller_map:
            self.controller_map = controller_map
            self._predict_draft()
        self.kept(lambda: self.garage.backups.keep(self.bike_id, backup))
        self.log(
            "backup",
            f"Backup of {backup.product} kept",
            f"{len(backup.registers)} settings, firmware {backup.firmware}, serial number {backup.serial}",
        )
        if tune is None:
            self.said.emit(
                "stop",
                "What the controller holds makes no valid tune: put a backup back on Send, or send a whole tune, before you ride.",
            )
            return
        self._take_controller(tune)
        if self.draft is None:
            self.set_draft(tune)

    def take_sent(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A send was proved: the controller now holds ``tune``, and so does the draft (values may have been
        rounded to what the registers can hold)."""
        self.kept(lambda: self.garage.tunes.keep_sent(self.bike_id, tune))
        self._sent = None
        self.log("send", f"Sent with proof: {tune.name}", "; ".join(changes) + f". {message}")
        self._take_controller(tune, remember=kept)
        whole = tune if self.draft is None else tune.completed_from(self.draft)
        if self.draft != whole:
            self.open_draft(whole)

    def take_restored(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A backup was put back with proof; the draft stays what it is."""
        self.log("send", "Backup put back with proof", "; ".join(changes) + f". {message}")
        self._take_controller(tune, remember=kept)

    def take_running(self, tune: Tune) -> None:
        """A send failed and left the controller running this; what it keeps over power-off is as it was."""
        if self.controller is None or tune.differing(self.controller):
            self._take_controller(tune, remember=False)

    def _take_controller(self, tune: Tune, remember: bool = True) -> None:
        self.controller = tune
        if remember:
            self.kept(lambda: self.garage.tunes.keep_controller(self.bike_id, tune))
        self._predict_controller()
        self.controller_changed.emit()

    def remember_port(self, port: str) -> None:
        """Remember by which way the active bike's controller was reached."""
        try:
            self.garage.settings.keep(f"port of bike {self.bike_id}", port)
        except DocumentError as error:
            self.said.emit("warn", str(error))

    @property
    def last_port(self) -> str:
        """By which way the active bike's controller was last reached; "" if never."""
        port = self.garage.settings.get(f"port of bike {self.bike_id}")
        return port if isinstance(port, str) else ""

    def remember_serial(self, serial: str) -> None:
        """The bike has shown that this is its controller."""
        if self.bike is None or not serial or self.bike.controller.serial == serial:
            return
        was = self.bike.controller.serial
        controller = self.bike.controller.model_copy(update={"serial": serial})
        self.change_bike(self.bike.model_copy(update={"controller": controller}), "controller's serial number")
        self.log("bike", f"Controller {serial} belongs to this bike", f"before: {was or 'none noted'}")
