"""Who answers Modbus at a port: asked as the descriptions say, at the addresses they name, and never taken silently from among several."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import MODBUS
from crisp_hornet.documents.kinds import Line as LineSettings
from crisp_hornet.link.errors import AnsweredNo, LineDead, LinkError, Nobody, SeveralAnswer, WrongDevice
from crisp_hornet.link.line import Identity
from crisp_hornet.link.lines.modbus import ModbusLine, identity_of
from crisp_hornet.link.lines.modbus_wire import ADDRESS_FAILS, SILENT, ModbusWire
from crisp_hornet.link.ports import with_device
from crisp_hornet.link.transports import transport_to
from crisp_hornet.link.transports.bluetooth import WAY

PROBE_S = 0.5  # how long another address on a line may take, once somebody has answered


@dataclass(frozen=True)
class _Answer:
    """Somebody who said who they are, at an address."""

    device: int
    identity: Identity
    map: ControllerMap | None

    @property
    def at_home(self) -> bool:
        """Whether it answers where its description says."""
        return self.map is not None and self.map.line.device == self.device


class ModbusKind:
    """Serial, over the network, or by radio."""

    name = MODBUS

    def reaches(self, port: str) -> bool:
        """Whatever carries bytes."""
        return not port.startswith("can://")

    def open(self, port: str, maps: Sequence[ControllerMap], device: int | None, answer_s: float) -> ModbusLine:
        """A controller counts at its description's address only, unless ``device`` names another; where several answer none is
        taken: :class:`~crisp_hornet.link.errors.SeveralAnswer` lists them. Raises :class:`~crisp_hornet.link.errors.WrongDevice` when
        only others answer."""
        radios = [one.bluetooth for one in maps if one.bluetooth is not None]
        ways = _ways(port, maps, device)
        last: LinkError | None = None
        for way, devices in ways:
            wire = ModbusWire(transport_to(port, way, radios, answer_s), devices[0])
            wire.open()
            try:
                answers, failed = _ask(wire, devices, maps)
                if answers:
                    return _line(wire, answers[0] if device is not None else _choose(port, answers))
            except BaseException:
                wire.close()
                raise
            wire.close()
            last = failed or last
        raise _nobody(last, [(way.baud, one) for way, devices in ways for one in devices])


def _line(wire: ModbusWire, chosen: _Answer) -> ModbusLine:
    if chosen.map is None:
        who = f"{chosen.identity.vendor or '?'} {chosen.identity.product or '?'}"
        mend = "Nothing was written. Add a description for it, or connect another."
        raise WrongDevice("This device is not known", f"it reports {who}", mend)
    wire.device, wire.settle_s = chosen.device, chosen.map.line.settle_s
    return ModbusLine(wire, chosen.map)


def map_of(identity: Identity, maps: Sequence[ControllerMap], device: int) -> ControllerMap | None:
    """The description that fits: one for that very address before others, the user's own before a shipped one."""
    named = (identity.vendor, identity.product)
    fits = [one for one in maps if (one.identity.vendor, one.identity.product) == named]
    return next((fit for fit in fits if fit.line.device == device), fits[0] if fits else None)


def _ways(port: str, maps: Sequence[ControllerMap], device: int | None) -> list[tuple[LineSettings, list[int]]]:
    """Which addresses to ask at which speed, the fastest first; a network has no speed, a radio only one at its end."""
    found: dict[int, tuple[LineSettings, list[int]]] = {}
    for way in sorted((one.line for one in maps), key=lambda line: -line.baud):
        _, devices = found.setdefault(0 if "://" in port else way.baud, (way, []))
        wanted = way.device if device is None else device
        if wanted not in devices:
            devices.append(wanted)
    return list(found.values())


def _ask(
    line: ModbusWire, devices: Sequence[int], maps: Sequence[ControllerMap]
) -> tuple[list[_Answer], LinkError | None]:
    """Who answers at each address of an open line, and the last failure where nobody does."""
    answers: list[_Answer] = []
    last: LinkError | None = None
    for device in devices:
        if answers and line.transport.address.startswith(WAY):
            break
        try:
            said = line.who_at(device, tries=1, within_s=PROBE_S if answers else None)
        except AnsweredNo as error:
            if error.code not in ADDRESS_FAILS:
                raise
            last = error
        except LineDead as error:
            if not line.transport.alive:
                raise
            last = error
        else:
            identity = identity_of(said)
            answers.append(_Answer(device, identity, map_of(identity, maps, device)))
    return answers, last


def _choose(port: str, answers: Sequence[_Answer]) -> _Answer:
    home = [answer for answer in answers if answer.at_home]
    if len(home) > 1:
        told = [with_device(port, one.device) for one in home]
        who = ", ".join(f"{one.identity.product} {one.identity.serial} at address {one.device}" for one in home)
        raise SeveralAnswer(
            "Connecting", f"several controllers answer there: {who}", f"Choose one: {', '.join(told)}.", told
        )
    if home:
        return home[0]
    for answer in answers:
        if answer.map is not None:
            raise WrongDevice(
                "Connecting",
                f"a {answer.identity.product} answers at address {answer.device}, not at {answer.map.line.device} as its description says",
                f"If this is the right one, name its address: {with_device(port, answer.device)}.",
            )
    return answers[0]  # nobody knows it: whoever identifies it says so


def _nobody(last: LinkError | None, asked: Sequence[tuple[int, int]]) -> LinkError:
    if isinstance(last, LineDead) and last.why != SILENT:
        return last
    what, why = (last.what, last.why) if last is not None else ("Identifying the controller", SILENT)
    return Nobody(what, why, ", ".join(f"address {device} at {baud} baud" for baud, device in asked))
