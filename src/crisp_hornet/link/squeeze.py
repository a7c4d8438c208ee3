"""Squeeze to identify: before the first write of a contact the bike itself must show that it is the one under the hands.

The brake lever worked twice, or the wheel turned back by hand, seen in the live values: right bike, live link, working lever.
"""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.link.contact import Live

PULLS = 2
BACK_RPM = -4.0


def can_show(controller_map: ControllerMap) -> list[str]:
    """By what the controller can show it: "brake", "back"; empty where another proof is needed."""
    channels = {channel.name: channel for channel in controller_map.channels}
    ways = ["brake"] if "brake" in channels else []
    turns = channels.get("motor_rpm")
    return [*ways, "back"] if turns is not None and turns.signed else ways


@dataclass
class Squeeze:
    """Takes readings until one of the two was seen."""

    pulls: int = 0
    shown: bool = False
    by: str = ""
    _pulled: bool | None = None

    def take(self, live: Live) -> bool:
        """One more reading; True from when the bike has shown itself."""
        pulled = live.values.get("brake", 0.0) > 0
        if self._pulled is False and pulled:
            self.pulls += 1
        self._pulled = pulled
        if self.pulls >= PULLS:
            self._show("the brake lever, worked twice")
        if live.values.get("motor_rpm", 0.0) <= BACK_RPM:
            self._show("the wheel, turned back by hand")
        return self.shown

    def _show(self, by: str) -> None:
        if not self.shown:
            self.shown, self.by = True, by
