"""The simulated controller: registers that run and registers that are kept, telemetry, faults, refusals."""

from __future__ import annotations

import math
import random
import time
from dataclasses import replace

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.register import Register
from crisp_hornet.documents.tune import KNOWN, Tune
from crisp_hornet.standin.asked_current import RiderSettings
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import CUT_AT, Settings, ShownSpeed, SimulatedBike
from crisp_hornet.standin.sensors import RUNNING, Sensors
from crisp_hornet.standin.storage import Slots, stored_rides
from crisp_hornet.standin.thermistors import read_as

ILLEGAL_FUNCTION, ILLEGAL_ADDRESS, ILLEGAL_VALUE, DEVICE_FAILURE, BUSY = 1, 2, 3, 4, 6
FIRMWARE, SERIAL = "3.2.1", "TW60-00417"
RESET_FAULT = 41
HARDWARE_LEAST_V = 40.0  # below it the controller refuses to write


class Refusal(Exception):
    """A question the controller refuses; ``code`` is the Modbus exception code."""

    def __init__(self, code: int) -> None:
        self.code = code
        super().__init__(f"exception {code}")


class SimulatedController:
    """Answers for one device. Words are volatile until kept; a power cycle falls back to the kept ones."""

    def __init__(
        self,
        controller_map: ControllerMap,
        bike: SimulatedBike,
        hands: Hands,
        seed: int = 1,
        sensors: Sensors | None = None,
    ) -> None:
        self.map, self.bike, self.hands = controller_map, bike, hands
        self.sensors = sensors or Sensors()
        self.serial = bike.truth.document.controller.serial or SERIAL
        self.firmware = FIRMWARE if controller_map.firmware is None else _inside(controller_map)
        self.kept = self._defaults()
        self.running = dict(self.kept)
        self.inhibited = False
        self.faults: list[int] = []
        self.lying_still = False  # telemetry that no longer moves on
        self.supply_dip_v = 0.0
        self.stuck: dict[str, list[int]] = {}  # registers that hold these words whatever is written
        self.lag_s = 0.0  # how long after its answer a write shows
        self.keeps = True  # whether it does what a keep command asks
        self.says_unkept: float | None = None  # what it says instead of whether everything is kept
        self.off = False  # the key: it answers nothing
        self._pending: list[tuple[float, list[int], list[int]]] = []  # writes that do not show yet: when, where, what
        self.slots = Slots(controller_map.update)
        self.rides = stored_rides(controller_map.logs, bike.truth.series) if controller_map.logs else []
        self._values: tuple[dict[int, int], dict[str, float | None]] | None = None  # of which words, and what they mean
        self._noise = random.Random(seed)
        self._settings = self._decode()
        self._set_up_reading()

    @property
    def settings(self) -> Settings:
        """What the registers mean for the motor."""
        return self._settings

    @property
    def drive_allowed(self) -> bool:
        """Whether the power stage may drive: not while held off or while a fault stands."""
        return not self.inhibited and not self.faults

    def catch_up(self) -> None:
        """Let writes that lagged show now that their time has come."""
        now = time.monotonic()
        while self._pending and self._pending[0][0] <= now:
            _, places, words = self._pending.pop(0)
            self._set(dict(zip(places, words, strict=True)))

    def _set(self, words: dict[int, int]) -> None:
        self.running.update(words)
        self._settings = self._decode()
        self._set_up_reading()

    def power_cycle(self) -> None:
        """Off and on: what was not kept is gone; an activated firmware starts, with the maker's settings."""
        if (version := self.slots.swap()) is not None:
            self.firmware = version
            self.kept = self._defaults()
            self.faults = [RESET_FAULT]
        self._pending.clear()
        self.running = dict(self.kept)
        self.inhibited = False
        self._settings = self._decode()

    def identification(self) -> dict[int, bytes]:
        """The basic and regular objects of a device identification."""
        identity = self.map.identity
        texts = {0: identity.vendor, 1: identity.product, 2: self.firmware, 4: identity.product, 6: self.serial}
        return {key: text.encode("ascii") for key, text in texts.items()}

    def read_holding(self, address: int, count: int) -> list[int]:
        """Settings. Raises :class:`Refusal` where a register does not exist."""
        inhibit = self.map.inhibit
        if inhibit is not None and (address, count) == (inhibit.address, 1):
            return [inhibit.on if self.inhibited else inhibit.off]
        try:
            return [self.running[at] for at in range(address, address + count)]
        except KeyError:
            raise Refusal(ILLEGAL_ADDRESS) from None

    def read_input(self, address: int, count: int) -> list[int]:
        """Live values, and where stored rides are told."""
        block = self.map.telemetry
        if address >= block.address and address + count <= block.address + block.length:
            words = [0] * block.length
            live = self.live()
            for channel in block.channel:
                words[channel.at : channel.at + channel.words] = self.map.words_of(
                    channel, channel.encode(live.get(channel.name, 0.0))
                )
            start = address - block.address
            return words[start : start + count]
        logs = self.map.logs
        if logs is not None:
            told = {logs.count: len(self.rides)} | {logs.lengths + k: len(ride) for k, ride in enumerate(self.rides)}
            if all(at in told for at in range(address, address + count)):
                return [told[at] for at in range(address, address + count)]
        raise Refusal(ILLEGAL_ADDRESS)

    def write(self, address: int, words: list[int]) -> None:
        """Set a register, or do what a command register asks. Refused while the wheel turns or the supply is low."""
        if self._command(address, words):
            return
        register = next((one for one in self.map.register_list if one.address == address), None)
        if register is None or register.words != len(words) or register.access == "r":
            raise Refusal(ILLEGAL_ADDRESS)
        value = register.decode(self.map.raw_of(words))
        if value is not None and not register.min <= value <= register.max:
            raise Refusal(ILLEGAL_VALUE)
        self._refuse_unless_quiet()
        self.put(register, words)

    def take_tune(self, tune: Tune) -> None:
        """Hold a tune as if it had been sent and kept."""
        held = {one.name: tune.setting(one.name) for one in self.map.register_list if _is_held(tune, one.name)}
        for name, value in self.map.as_registers(held).items():
            register = self.map.register(name)
            assert register is not None  # it came from the list
            self.put(register, self.map.words_of(register, register.encode(value)))
        self.kept = dict(self.running)

    def put(self, register: Register, words: list[int]) -> None:
        """Set a register without asking: what a display on the same line might do. A stuck one holds what it will."""
        words = self.stuck.get(register.name, words)
        places = list(range(register.address, register.address + register.words))
        if self.lag_s > 0:
            self._pending.append((time.monotonic() + self.lag_s, places, words))
        else:
            self._set(dict(zip(places, words, strict=True)))

    def read_file(self, file: int, record: int, length: int) -> bytes:
        """Words of a stored ride, or of the second slot."""
        logs = self.map.logs
        if logs is not None and 0 <= file - logs.first_file < len(self.rides):
            row_words = sum(column.words for column in logs.column)
            data = b"".join(
                word.to_bytes(2, "big") for row in self.rides[file - logs.first_file] for word in row
            )  # a record is one row
            found = data[2 * record * row_words :][: 2 * length]
        elif self.map.update is not None and file == self.map.update.file:
            found = self.slots.read(record, length)
        else:
            raise Refusal(ILLEGAL_ADDRESS)
        if len(found) != 2 * length:
            raise Refusal(ILLEGAL_ADDRESS)
        return found

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """A piece of a new firmware into the second slot."""
        if self.map.update is None or file != self.map.update.file:
            raise Refusal(ILLEGAL_ADDRESS)
        self._refuse_unless_quiet()
        self.slots.write(record, data)

    def live(self) -> dict[str, float]:
        """What the controller's sensors say, noise and errors included."""
        s, t, noise, sensors = self.bike.state, self.bike.truth, self._noise.gauss, self.sensors
        self._set_up_reading()
        back = -14.0 if self.hands.turning_back else 0.0
        held = self.values()
        rest, full = held.get("calibration.throttle_rest_v") or 0.85, held.get("calibration.throttle_full_v") or 4.1
        throttle_v, torque_v = sensors.throttle_v(self.hands.throttle), sensors.torque_v(self.hands.human_nm)
        read = min(max((throttle_v - rest) / max(full - rest, 0.1), 0.0), 1.0)
        found = {f"detected_{name}": value for name, value in sensors.detected(t).items()}
        span = held.get("calibration.torque_nm_per_v") or 80.0
        span *= 2 if held.get("calibration.torque_sides") == 1 else 1  # one pedal felt: as much again from the other
        pulses = held.get("calibration.pedal_pulses") or float(sensors.truth.pedal_pulses)
        ripple = sensors.ripple(held.get("calibration.position_offset_deg") or sensors.truth.position_offset_deg)
        slow = 1 / (1 + (self.bike.motor_rpm / 300) ** 2)  # it shows at low speed above all
        shake = ripple * slow * math.sin(6 * t.pole_pairs * s.travelled_m) * 1.4
        lever = 0.0 if "lever" in sensors.cut else self.hands.brake
        return {
            "wheel_speed_kmh": max(0.0, self.bike.indicated_kmh + (noise(0, 0.03) if s.speed_mps > 0.2 else 0.0)),
            "motor_rpm": self.bike.motor_rpm * (1 + shake) + back,
            "pack_v": s.pack_v - self.supply_dip_v + noise(0, 0.02),
            "battery_a": s.battery_a * t.current_gain
            + t.current_zero_a
            + sensors.truth.current_zero_a
            + noise(0, 0.06),
            "phase_a": math.hypot(s.iq, s.i_d) * t.current_gain + noise(0, 0.25),
            "throttle": read if read > 0.015 else 0.0,
            "brake": float(lever),
            "motor_c": self.bike.read_motor_c(s.winding_c) + noise(0, 0.15),
            "controller_c": s.sink_c + noise(0, 0.1),
            "human_nm": (torque_v - (held.get("calibration.torque_rest_v") or 0.75)) * span,
            "cadence_rpm": self.hands.cadence_rpm * sensors.truth.pedal_pulses / pulses,
            "fault": float(self.faults[0]) if self.faults else 0.0,
            "unkept": float(self.running != self.kept) if self.says_unkept is None else self.says_unkept,
            "charging": float(self.hands.charging),
            "inhibited": float(self.inhibited),
            "heartbeat": 0.0 if self.lying_still else float(int(time.monotonic() * 1000) & 0xFFFF),
            "throttle_v": throttle_v,
            "torque_v": torque_v,
            "pedal_pulses": float(sensors.pedal_count()),
            "pedal_forward": float(self.hands.cadence_rpm > 0 and not sensors.truth.pedal_backwards),
            "wheel_pulses": float(sensors.wheel_count()),
            "motor_sensor_ohm": sensors.motor_ohm(s.winding_c),
            "detect_state": sensors.detect_state,
        } | found

    def _set_up_reading(self) -> None:
        """Tell the bike how the controller reads speed and heat: by the sensors there are and what its registers take them for."""
        held, truth = self.values(), self.sensors.truth
        rolled = held.get("calibration.wheel_circumference_m") or self.bike.truth.believed_m
        pulses = held.get("calibration.magnets_per_turn") or 1.0
        by_motor = held.get("calibration.speed_from") == 1
        self.bike.shown = ShownSpeed(rolled * (1 if by_motor else truth.wheel_magnets) / pulses, by_motor)
        kind, beta = int(held.get("calibration.motor_sensor_kind") or 0), held.get("calibration.motor_sensor_beta")
        believed_k = truth.ntc_beta if beta is None else beta
        self.bike.read_motor_c = lambda at_c: read_as(kind, believed_k, self.sensors.motor_ohm(at_c))

    def step(self, dt: float) -> None:
        """The bike and its sensors go on."""
        detecting = self.sensors.detect_state == RUNNING
        before = self.bike.state.travelled_m
        self.bike.backwards = self._settings.direction != self.sensors.truth.direction
        self.bike.step(dt, self.hands, self._settings, self.drive_allowed)
        if detecting and self.hands.wheel_up:  # the routine turns the wheel slowly by itself
            self.bike.state.speed_mps = max(self.bike.state.speed_mps, 0.35)
        self.sensors.step(dt, self.hands, (self.bike.state.travelled_m - before) / self.bike.truth.rolled_m)

    def values(self, kept: bool = False) -> dict[str, float | None]:
        """All registers by name, running or kept."""
        if not kept and self._values is not None and self._values[0] == self.running:
            return dict(self._values[1])
        words = self.kept if kept else self.running
        decoded = {register.name: register.decode(self._raw(register, words)) for register in self.map.register_list}
        if not kept:
            self._values = (dict(words), decoded)
        return dict(decoded)

    def _command(self, address: int, words: list[int]) -> bool:
        commands, keep, inhibit, update = self.map.commands, self.map.keep, self.map.inhibit, self.map.update
        if address == keep.address:
            self._must_be(words, keep.word)
            self._refuse_unless_quiet()
            if self.keeps:
                self.kept = dict(self.running)
        elif inhibit is not None and address == inhibit.address:
            self._must_be(words, inhibit.on, inhibit.off)
            self.inhibited = words == [inhibit.on]
        elif commands.clear_faults is not None and address == commands.clear_faults.address:
            self._must_be(words, commands.clear_faults.word)
            self.faults = [code for code in self.faults if code in self.hands.broken]
        elif commands.detect is not None and address == commands.detect.address:
            self._must_be(words, commands.detect.word)
            if not self.hands.wheel_up or self.hands.brake > CUT_AT:
                raise Refusal(BUSY)
            self.sensors.detect()
        elif commands.zero is not None and address == commands.zero.address:
            self._must_be(words, commands.zero.word)
            self._refuse_unless_quiet()
            self.sensors.truth = replace(self.sensors.truth, current_zero_a=-self.bike.truth.current_zero_a)
        elif update is not None and address == update.activate.address:
            self._must_be(words, update.activate.word)
            self._refuse_unless_quiet()
            if not self.slots.arm():
                raise Refusal(DEVICE_FAILURE)
        else:
            return False
        return True

    def _must_be(self, words: list[int], *allowed: int) -> None:
        if len(words) != 1 or words[0] not in allowed:
            raise Refusal(ILLEGAL_VALUE)

    def _refuse_unless_quiet(self) -> None:
        if self.bike.motor_rpm > 5 or self.hands.throttle > 0.05:
            raise Refusal(BUSY)
        if self.bike.state.pack_v - self.supply_dip_v < HARDWARE_LEAST_V:
            raise Refusal(DEVICE_FAILURE)

    def _defaults(self) -> dict[int, int]:
        words: dict[int, int] = {}
        for register in self.map.register_list:
            start = (
                self.bike.truth.believed_m if register.name == "calibration.wheel_circumference_m" else register.default
            )
            if start is None and register.none_raw is None:
                start = min(max(0.0, register.min), register.max)
            pair = self.map.words_of(register, register.encode(start))
            words.update(zip(range(register.address, register.address + register.words), pair, strict=True))
        return words

    def _raw(self, register: Register, words: dict[int, int]) -> int:
        return self.map.raw_of([words[at] for at in range(register.address, register.address + register.words)])

    def _decode(self) -> Settings:
        value = {lack.name: lack.value for lack in self.map.lacks} | self.values()

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
            rider=RiderSettings.of(value, self.map.level_share),
            direction=value.get("calibration.direction") or 0.0,
        )


def _is_held(tune: Tune, name: str) -> bool:
    return name in KNOWN and tune.holds(name)


def _inside(controller_map: ControllerMap) -> str:
    """The firmware the simulated controller starts with: one that its description knows."""
    assert controller_map.firmware is not None
    return FIRMWARE if controller_map.identity.product.startswith("Weir") else controller_map.firmware.newest
