"""Whether a controller may be written to right now: asked before every single register, not once."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from crisp_hornet.link.contact import Contact, Live, read_live

STILL_KMH = 0.5
STILL_RPM = 3.0
CLOSED_THROTTLE = 0.03
REST_NM = 3.0
STALE_TRIES = 4
LEAST_WAIT_S = 0.2


class Stopped(Exception):
    """Standstill lost, or the user stopped: said in the text."""


@dataclass
class Gate:
    """Watches standstill, throttle, charger and whether the live values still move on."""

    contact: Contact
    cancelled: Callable[[], bool]
    cures_throttle: bool = False  # it does nothing but tell the controller where the throttle rests
    _last_beat: float | None = None

    def check(self, before_held_off: bool = False) -> None:
        """A throttle that reads open at rest may be given its rest anew, and nothing else: with the motor held off (or just
        ``before_held_off``) or the brake lever held. Raises :class:`Stopped` with the reason, or
        :class:`~crisp_hornet.link.errors.LinkError`."""
        if self.cancelled():
            raise Stopped("You stopped it")
        live = self._fresh().values
        if live.get("wheel_speed_kmh", 0.0) > STILL_KMH or abs(live.get("motor_rpm", 0.0)) > STILL_RPM:
            raise Stopped("The wheel is turning; writing needs standstill")
        if live.get("throttle", 0.0) > CLOSED_THROTTLE and not (
            self.cures_throttle and (before_held_off or self._cannot_drive(live))
        ):
            hold = ", or hold the brake lever while its rest is written" if self.cures_throttle else ""
            raise Stopped(f"The throttle is open; close it{hold}")
        if live.get("charging", 0.0) > 0:
            raise Stopped("The charger is on; unplug it before writing")

    def at_rest(self) -> str:
        """What is not at rest with the values that now run: throttle or torque sensor; "" when both are."""
        live = self._fresh().values
        if live.get("throttle", 0.0) > CLOSED_THROTTLE:
            return "the throttle does not read zero with the new values"
        if abs(live.get("human_nm", 0.0)) > REST_NM:
            return "the torque sensor does not read rest with the new values"
        return ""

    def _cannot_drive(self, live: Mapping[str, float]) -> bool:
        inhibit = self.contact.map.inhibit
        return live.get("brake", 0.0) > 0 or (inhibit is not None and live.get(inhibit.state) == 1)

    def _fresh(self) -> Live:
        """A reading that is not the last one again, where the controller counts its readings."""
        # a fast line asks more often than the controller counts
        wait_s = max(self.contact.line.settle_s, LEAST_WAIT_S) / STALE_TRIES
        for tries_left in reversed(range(STALE_TRIES)):
            live = read_live(self.contact)
            beat, last = live.values.get("heartbeat"), self._last_beat
            self._last_beat = beat
            if beat is None or (last is not None and beat != last):
                return live
            if tries_left and last is not None:
                time.sleep(wait_s)
        raise Stopped("Live values are frozen. Power cycle the controller")
