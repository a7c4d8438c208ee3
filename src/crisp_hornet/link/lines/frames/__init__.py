"""Controllers that speak frames of their maker's own, as a description lays them out: over serial, a bridge, or a radio."""

from __future__ import annotations

from collections.abc import Sequence

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import FRAMES
from crisp_hornet.link.errors import LineDead, LineGarbled, Nobody, PortFailed, WrongDevice
from crisp_hornet.link.lines.frames.line import FramesLine, identity_in
from crisp_hornet.link.lines.frames.wire import FramesWire
from crisp_hornet.link.transports import transport_to

WHO = "Identifying the controller"


class FramesKind:
    """Whatever carries bytes, but Modbus TCP."""

    name = FRAMES

    def reaches(self, port: str) -> bool:
        """Serial ports, bridges, radios."""
        return "://" not in port or port.startswith(("rtu+tcp://", "ble://"))

    def open(self, port: str, maps: Sequence[ControllerMap], device: int | None, answer_s: float) -> FramesLine:
        """Each description's question is asked at its speed; who answers in frames of that layout must name its product."""
        tried, others = [], []
        failed: PortFailed | None = None
        for one in sorted(maps, key=lambda described: -described.line.baud):
            try:
                found = _ask(port, one, answer_s)
            except PortFailed as error:
                failed = error
                continue
            if isinstance(found, FramesLine):
                return found
            tried.append(f"{one.name} at {one.line.baud} baud")
            others += [found] if found else []
        if others:
            raise WrongDevice(
                "This device is not known", f"it reports {others[0]}", "Nothing was written. Add a description for it."
            )
        if failed is not None and not tried:
            raise failed
        raise Nobody(WHO, "no answer came in time", ", ".join(tried))


def _ask(port: str, described: ControllerMap, answer_s: float) -> FramesLine | str:
    """The line, if this description's controller is there; else what answers instead, "" if nobody does."""
    frames, who, live = described.frames, described.identity.ask, described.telemetry
    assert frames is not None and who is not None and live is not None  # checked with the description
    radios = [described.bluetooth] if described.bluetooth is not None else []
    transport = transport_to(port, described.line, radios, answer_s)
    transport.open()
    wire = FramesWire(transport, frames, described.line.answer_s or answer_s, who, live.heard)
    try:
        identity = identity_in(wire.ask(WHO, who, once=True), described)
        if identity.product == described.identity.product:
            wire.troubles = 0  # another speed's noise lay there before
            return FramesLine(wire, described)
        transport.close()
        return identity.product or "no product"
    except (LineDead, LineGarbled):
        transport.close()
        return ""
    except BaseException:
        transport.close()
        raise


__all__ = ["FramesKind", "FramesLine"]
