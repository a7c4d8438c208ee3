"""Controllers on a CAN bus: ``can://socketcan/can0``, ``can://slcan/dev/ttyACM0`` (an adapter on a serial port), ``can://virtual/NAME``."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import can

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import CANOPEN
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled, Nobody, PortFailed, WrongDevice
from crisp_hornet.link.lines.canopen.line import CanopenLine, identify
from crisp_hornet.link.lines.canopen.wire import CanWire

WAY = "can://"
INTERFACES = ("socketcan", "slcan", "virtual")
SLCAN_OPENS_S = 0.1
WHO = "Identifying the controller"


class CanopenKind:
    """CAN interfaces."""

    name = CANOPEN

    def reaches(self, port: str) -> bool:
        """CAN interfaces."""
        return port.startswith(WAY)

    def open(self, port: str, maps: Sequence[ControllerMap], device: int | None, answer_s: float) -> CanopenLine:
        """Each described node is asked for its numbers, unless ``device`` names one."""
        tried, others = [], []
        for one in maps:
            node = one.line.device if device is None else device
            wire = CanWire(port, open_bus(port, _rate(one)), node, one.line.answer_s or answer_s)
            try:
                line, who = _ask(wire, one)
            except BaseException:
                wire.close()
                raise
            if line is not None:
                return line
            wire.close()
            tried.append(f"node {node} at {_rate(one)} bit/s")
            others += [f"node {node} as {who}"] if who else []
        if others:
            raise WrongDevice(
                "This device is not known", f"it reports {others[0]}", "Nothing was written. Add a description for it."
            )
        raise Nobody(WHO, "no answer came in time", ", ".join(tried))


def _ask(wire: CanWire, described: ControllerMap) -> tuple[CanopenLine | None, str]:
    """The line, if this description's controller is there; else what answers instead, "" if nobody does."""
    try:
        identity = identify(wire, described)
        if identity.product != described.identity.product:
            return None, f"{identity.vendor} {identity.product}"
        line = CanopenLine(wire, described)
        line.begin()
        wire.troubles = 0
        return line, ""
    except (LineDead, LineGarbled, AnsweredNo):
        if wire.gone:
            raise
        return None, ""


def open_bus(port: str, bitrate: int) -> Any:
    """The bus an address names. Raises :class:`PortFailed` with the reason."""
    interface, _, channel = port.removeprefix(WAY).partition("/")
    if interface not in INTERFACES or not channel:
        raise PortFailed(
            f"{port!r}", "this is no CAN address", "Write it as can://socketcan/can0 or can://slcan/dev/ttyACM0."
        )
    more: dict[str, Any] = {}
    if interface == "slcan":
        channel = f"/{channel}"
        more = {"bitrate": bitrate, "sleep_after_open": SLCAN_OPENS_S}
    try:
        return can.Bus(channel=channel, interface=interface, **more)
    except (can.CanError, OSError, ValueError) as error:
        why = str(error).strip().rstrip(".") or type(error).__name__
        mend = "Check the adapter, and that its interface is up: sudo ip link set can0 up type can bitrate 500000."
        if interface == "slcan":
            mend = "Check the adapter's lead, and that no other program uses it."
        raise PortFailed(f"{port} cannot be opened", why[:160].lower(), mend) from None


def _rate(described: ControllerMap) -> int:
    assert described.canopen is not None  # checked with the description
    return described.canopen.bitrate


__all__ = ["CanopenKind", "CanopenLine", "open_bus"]
