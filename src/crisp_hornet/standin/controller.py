"""The simulated controller: registers that run and registers that are kept, telemetry, refusals."""

from __future__ import annotations

import random

from crisp_hornet.documents.controller_map import Channel, ControllerMap
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import Settings, SimulatedBike

ILLEGAL_ADDRESS, ILLEGAL_VALUE, DEVICE_FAILURE, BUSY = 2, 3, 4, 6
FIRMWARE, SERIAL = "3.2.1", "TW60-00417"


class Refusal(Exception):
    """A question the controller refuses; ``code`` is the Modbus exception code."""

    def __init__(self, code: int) -> None:
        self.code = code
        super().__init__(f"exception {code}")


class SimulatedController:
    """Answers for one device. Words are volatile until kept; a power cycle falls back to the kept ones."""

    def __init__(self, controller_map: ControllerMap, bike: SimulatedBike, hands: Hands, seed: int = 1) -> None:
        self.map, self.bike, self.hands = controller_map, bike, hands
        self.serial, self.firmware = SERIAL, FIRMWARE
        self.kept = {register.address: register.encode(register.default) for register in controller_map.register_list}
        self.running = dict(self.kept)
        self._noise = random.Random(seed)
        self._settings = self._decode()

    @property
    def settings(self) -> Settings:
        """What the registers mean for the motor."""
        return self._settings

    def power_cycle(self) -> None:
        """Off and on: what was not kept is gone."""
        self.running = dict(self.kept)
        self._settings = self._decode()

    def identification(self) -> dict[int, bytes]:
        """The basic and regular objects of a device identification."""
        identity = self.map.identity
        texts = {0: identity.vendor, 1: identity.product, 2: self.firmware, 4: identity.product, 6: self.serial}
        return {key: text.encode("ascii") for key, text in texts.items()}

    def read_holding(self, address: int, count: int) -> list[int]:
        """Settings. Raises :class:`Refusal` where a register does not exist."""
        try:
            return [self.running[at] for at in range(address, address + count)]
        except KeyError:
            raise Refusal(ILLEGAL_ADDRESS) from None

    def read_input(self, address: int, count: int) -> list[int]:
        """Live values."""
        block = self.map.telemetry
        if address < block.address or address + count > block.address + block.length:
            raise Refusal(ILLEGAL_ADDRESS)
        words = [0] * block.length
        live = self.live()
        for channel in block.channel:
            words[channel.at] = _word(channel, live[channel.name])
        start = address - block.address
        return words[start : start + count]

    def write(self, address: int, word: int) -> None:
        """Set one register, or keep what runs. Refused while the wheel turns."""
        if address == self.map.keep.address:
            if word != self.map.keep.word:
                raise Refusal(ILLEGAL_VALUE)
            self._refuse_while_turning()
            self.kept = dict(self.running)
            return
        register = next((one for one in self.map.register_list if one.address == address), None)
        if register is None:
            raise Refusal(ILLEGAL_ADDRESS)
        value = register.decode(word)
        if value is not None and not register.min <= value <= register.max:
            raise Refusal(ILLEGAL_VALUE)
        self._refuse_while_turning()
        self.running[address] = word
        self._settings = self._decode()

    def live(self) -> dict[str, float]:
        """What the controller's sensors say, noise and errors included."""
        s, t, noise = self.bike.state, self.bike.truth, self._noise.gauss
        return {
            "wheel_speed_kmh": max(0.0, self.bike.indicated_kmh + (noise(0, 0.03) if s.speed_mps > 0.2 else 0.0)),
            "motor_rpm": self.bike.motor_rpm,
            "pack_v": s.pack_v + noise(0, 0.02),
            "battery_a": s.battery_a * t.current_gain + t.current_zero_a + noise(0, 0.06),
            "phase_a": s.iq * t.current_gain + noise(0, 0.25),
            "throttle": s.ramped_throttle,
            "brake": float(self.hands.brake),
            "motor_c": s.winding_c + noise(0, 0.15),
            "controller_c": s.sink_c + noise(0, 0.1),
            "human_nm": self.hands.human_nm,
            "cadence_rpm": self.hands.cadence_rpm,
            "fault": 0.0,
            "unkept": float(self.running != self.kept),
        }

    def _refuse_while_turning(self) -> None:
        if self.bike.motor_rpm > 5 or self.hands.throttle > 0.05:
            raise Refusal(BUSY)

    def _decode(self) -> Settings:
        value = {one.name: one.decode(self.running[one.address]) for one in self.map.register_list}

        def must(name: str) -> float:
            return float(value[name] or 0.0)

        return Settings(
            phase_a=must("drive.phase_current_a"),
            battery_a=must("drive.battery_current_a"),
            power_w=value["drive.power_w"],
            rpm=must("drive.motor_rpm"),
            speed_kmh=value["drive.speed_kmh"],
            taper_kmh=must("drive.speed_taper_kmh"),
            low_start_v=must("battery_guard.fade_start_v"),
            low_end_v=must("battery_guard.fade_end_v"),
            motor_start_c=must("heat_guard.motor_fade_start_c"),
            motor_end_c=must("heat_guard.motor_fade_end_c"),
            stage_start_c=must("heat_guard.controller_fade_start_c"),
            stage_end_c=must("heat_guard.controller_fade_end_c"),
        )


def _word(channel: Channel, value: float) -> int:
    low, high = (-0x8000, 0x7FFF) if channel.type == "i16" else (0, 0xFFFF)
    return min(max(round(value / channel.scale), low), high) & 0xFFFF
