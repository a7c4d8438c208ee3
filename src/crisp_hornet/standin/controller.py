"""The simulated controller, whatever line leads to it: settings that run and settings that are kept, telemetry, faults, refusals."""

from __future__ import annotations

import math
import random
import time
from dataclasses import replace

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.register import Channel, Register
from crisp_hornet.documents.tune import KNOWN, Tune
from crisp_hornet.standin import journal as happened
from crisp_hornet.standin.asked_current import RiderSettings
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.journal import Journal
from crisp_hornet.standin.physics import CUT_AT, Settings, ShownSpeed, SimulatedBike
from crisp_hornet.standin.sensors import RUNNING, Sensors
from crisp_hornet.standin.storage import Slots, stored_rides
from crisp_hornet.standin.thermistors import read_as

ILLEGAL_FUNCTION, ILLEGAL_ADDRESS, ILLEGAL_VALUE, DEVICE_FAILURE, BUSY = 1, 2, 3, 4, 6
FIRMWARE, SERIAL = "3.2.1", "TW60-00417"
RESET_FAULT = 41
COUNTS = ("heartbeat", "pedal_pulses", "wheel_pulses")
HARDWARE_LEAST_V = 40.0  # below it the controller refuses to write


class Refusal(Exception):
    """A question the controller refuses; ``code`` is the Modbus exception code."""

    def __init__(self, code: int) -> None:
        self.code = code
        super().__init__(f"exception {code}")


class SimulatedController:
    """One device. What is set is volatile until kept, unless its description says otherwise; a power cycle falls back to what is kept."""

    def __init__(
        self,
        controller_map: ControllerMap,
        bike: SimulatedBike,
        hands: Hands,
        seed: int = 1,
        sensors: Sensors | None = None,
        journal: Journal | None = None,
    ) -> None:
        self.map, self.bike, self.hands = controller_map, bike, hands
        self.sensors = sensors or Sensors()
        self.journal = journal or Journal()
        self.serial = bike.truth.document.controller.serial or SERIAL
        self.firmware = FIRMWARE if controller_map.firmware is None else _inside(controller_map)
        self.kept = self._defaults()
        self.running = dict(self.kept)
        self.inhibited = False
        self.faults: list[int] = []
        self.obeys_sensors = False  # the drive follows what throttle, torque and position sensors say
        self.seconds_on = 0.0
        self._mode = 0
        self.felt = Hands()  # what it took the hands for at the last step
        self.lying_still = False  # telemetry that no longer moves on
        self.supply_dip_v = 0.0
        self.stuck: dict[str, int] = {}  # settings that hold this raw number whatever is written
        self.lag_s = 0.0  # how long after its answer a write shows
        self.keeps = True  # whether it does what a keep command asks
        self.says_unkept: float | None = None  # what it says instead of whether everything is kept
        self.off = False  # the key: it answers nothing
        self._pending: list[tuple[float, str, int]] = []  # writes that do not show yet: when, which, what
        self.slots = Slots(controller_map.update)
        self.rides = stored_rides(controller_map.logs, bike.truth.series) if controller_map.logs else []
        self._values: tuple[dict[str, int], dict[str, float | None]] | None = (
            None  # of which numbers, and what they mean
        )
        self._noise = random.Random(seed)
        self._settings = self._decode()
        self._set_up_reading()

    @property
    def settings(self) -> Settings:
        """What its settings mean for the motor."""
        return self._settings

    @property
    def drive_allowed(self) -> bool:
        """Whether the power stage may drive: not while held off or while a fault stands."""
        return not self.inhibited and not self.faults

    def catch_up(self) -> None:
        """Let writes that lagged show now that their time has come."""
        now = time.monotonic()
        while self._pending and self._pending[0][0] <= now:
            _, name, raw = self._pending.pop(0)
            self._set(name, raw)

    def _set(self, name: str, raw: int) -> None:
        self.running[name] = raw
        if self.map.keep is not None and self.map.keep.at_once:
            self.kept[name] = raw
        self._settings = self._decode()
        self._set_up_reading()

    def power_cycle(self) -> None:
        """Off and on: what was not kept is gone; an activated firmware starts, with the maker's settings."""
        if (version := self.slots.swap()) is not None:
            self.firmware = version
            self.kept = self._defaults()
            self.faults = [RESET_FAULT]
        self._pending.clear()
        self.journal.add(happened.KEY)
        self.running = dict(self.kept)
        self.inhibited, self.seconds_on = False, 0.0
        self._settings = self._decode()
        self._find_rotor()

    def raw(self, name: str) -> int:
        """What a setting holds. Raises :class:`Refusal` where there is none."""
        if name not in self.running:
            raise Refusal(ILLEGAL_ADDRESS)
        self.journal.goes_on(happened.READ)
        return self.running[name]

    def write(self, register: Register, raw: int) -> None:
        """Set a setting. Refused where it is read only, out of range, while the wheel turns, or the supply is low."""
        self.check(register, raw)
        before, after = register.decode(self.running[register.name]), register.decode(raw)
        self.journal.add(happened.WRITE, register.name, before, after)
        self.put(register, raw)

    def check(self, register: Register, raw: int) -> None:
        """Whether it would be taken. Raises :class:`Refusal`."""
        if register.access == "r":
            raise Refusal(ILLEGAL_ADDRESS)
        value = register.decode(raw)
        if value is not None and not register.min <= value <= register.max:
            raise Refusal(ILLEGAL_VALUE)
        self._refuse_unless_quiet()

    def run_with(self, raws: dict[str, int]) -> None:
        """Run with these settings from now on, whatever is kept."""
        self.running = dict(raws)
        self._settings = self._decode()
        self._set_up_reading()

    def obey_sensors(self) -> None:
        """From now on the drive follows what its sensors say, right or wrong."""
        self.obeys_sensors = True
        self._find_rotor()

    def _find_rotor(self) -> None:
        """The position offset counts from power-on."""
        held = self.kept_value("calibration.position_offset_deg")
        true_deg = self.sensors.truth.position_offset_deg
        wrong_deg = 0.0 if held is None or not self.obeys_sensors else held - true_deg
        self.bike.position_error_rad = math.radians(max(-80.0, min(80.0, wrong_deg)))

    def kept_value(self, name: str) -> float | None:
        """One setting as it is kept; None where there is none, or no limit."""
        return self.values(kept=True).get(name)

    def take_tune(self, tune: Tune) -> None:
        """Hold a tune as if it had been sent and kept."""
        held = {one.name: tune.setting(one.name) for one in self.map.register_list if _is_held(tune, one.name)}
        for name, value in self.map.as_registers(held).items():
            register = self.map.register(name)
            assert register is not None  # it came from the list
            self.put(register, register.encode(value))
        self.kept = dict(self.running)

    def put(self, register: Register, raw: int) -> None:
        """Set a setting without asking: what a display on the same line might do. A stuck one holds what it will."""
        raw = self.stuck.get(register.name, raw)
        if self.lag_s > 0:
            self._pending.append((time.monotonic() + self.lag_s, register.name, raw))
        else:
            self._set(register.name, raw)

    def write_slot(self, record: int, data: bytes) -> None:
        """A piece of a new firmware into the second slot."""
        self._refuse_unless_quiet()
        self.slots.write(record, data)

    def live_raws(self) -> list[tuple[Channel, int]]:
        """Each live value as its raw number; a count that is longer than its number wraps."""
        live, found = self.live(), []
        for channel in self.map.channels:
            value = live.get(channel.name, 0.0)
            found.append(
                (channel, int(value) % (1 << channel.number_bits) if channel.name in COUNTS else channel.encode(value))
            )
        return found

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
        believed_deg = held.get("calibration.position_offset_deg") or sensors.truth.position_offset_deg
        if self.obeys_sensors:  # it counts from power-on
            believed_deg = sensors.truth.position_offset_deg + math.degrees(self.bike.position_error_rad)
        ripple = sensors.ripple(believed_deg)
        slow = 1 / (1 + (self.bike.motor_rpm / 300) ** 2)  # it shows at low speed above all
        shake = ripple * slow * math.sin(6 * t.pole_pairs * s.travelled_m) * 1.4
        lever = self._lever()
        return {
            "wheel_speed_kmh": max(0.0, self.bike.indicated_kmh + (noise(0, 0.03) if s.speed_mps > 0.2 else 0.0)),
            "motor_rpm": self.bike.motor_rpm * (1 + shake) + back,
            "pack_v": s.pack_v - self.supply_dip_v + noise(0, 0.02),
            "battery_a": s.battery_a * t.current_gain
            + t.current_zero_a
            + sensors.truth.current_zero_a
            + noise(0, 0.06),
            "phase_a": math.hypot(s.iq, s.i_d) * t.phase_gain + noise(0, 0.25),
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
        if self.obeys_sensors:
            self.bike.sensor_zero_a = truth.current_zero_a
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
        if self.hands.mode != self._mode:
            self._mode = self.hands.mode
            self._settings = self._decode()
        self.seconds_on += dt
        self.bike.step(dt, self.hands, self._settings, self.drive_allowed, self._felt_by_sensors())
        if detecting and self.hands.wheel_up:  # the routine turns the wheel slowly by itself
            self.bike.state.speed_mps = max(self.bike.state.speed_mps, 0.35)
        self.sensors.step(dt, self.hands, (self.bike.state.travelled_m - before) / self.bike.truth.rolled_m)

    def _lever(self) -> float:
        """Where the brake lever reads; a cut wire reads as free."""
        return 0.0 if "lever" in self.sensors.cut else max(self.hands.brake, self.bike.defects.lever_stuck)

    def _felt_by_sensors(self) -> Hands:
        """What the controller takes the hands for. Unless it obeys its sensors only the lever can be wrong: throttle and torque are then
        read as they are, whatever their calibration says."""
        felt, hands = self.felt, self.hands
        felt.__dict__.update(hands.__dict__)
        felt.brake = self._lever()
        if self.obeys_sensors:
            (rest, full), (torque_rest, span), truth = *self._reads, self.sensors.truth
            read = (truth.throttle_at(hands.throttle) - rest) / max(full - rest, 0.1)
            felt.throttle = min(max(read, 0.0), 1.0)
            felt.human_nm = max(0.0, (truth.torque_at(hands.human_nm) - torque_rest) * span)
        return felt

    def values(self, kept: bool = False) -> dict[str, float | None]:
        """All registers by name, running or kept."""
        if not kept and self._values is not None and self._values[0] == self.running:
            return dict(self._values[1])
        raws = self.kept if kept else self.running
        decoded = {register.name: register.decode(raws[register.name]) for register in self.map.register_list}
        if not kept:
            self._values = (dict(raws), decoded)
        return dict(decoded)

    def act(self, act: Act) -> None:
        """Do what a command asks. Raises :class:`Refusal`."""
        if act is Act.KEEP:
            self._refuse_unless_quiet()
            self.journal.add(happened.KEEP)
            if self.keeps:
                self.kept = dict(self.running)
        elif act in (Act.HOLD_OFF, Act.ENABLE):
            self.inhibited = act is Act.HOLD_OFF
        elif act is Act.CLEAR_FAULTS:
            self.faults = [code for code in self.faults if code in self.hands.broken]
        elif act is Act.DETECT:
            if not self.hands.wheel_up or self.hands.brake > CUT_AT:
                raise Refusal(BUSY)
            self.sensors.detect()
            self.journal.goes_on(happened.DETECT)
        elif act is Act.ZERO:
            self._refuse_unless_quiet()
            self.sensors.truth = replace(self.sensors.truth, current_zero_a=-self.bike.truth.current_zero_a)
        elif act is Act.FACTORY:
            self._refuse_unless_quiet()
            self.kept = self._defaults()
        elif act is Act.ACTIVATE:
            self._refuse_unless_quiet()
            if not self.slots.arm():
                raise Refusal(DEVICE_FAILURE)

    def _refuse_unless_quiet(self) -> None:
        if self.bike.motor_rpm > 5 or self.hands.throttle > 0.05:
            raise Refusal(BUSY)
        if self.bike.state.pack_v - self.supply_dip_v < HARDWARE_LEAST_V:
            raise Refusal(DEVICE_FAILURE)

    def _defaults(self) -> dict[str, int]:
        raws: dict[str, int] = {}
        for register in self.map.register_list:
            start = (
                self.bike.truth.believed_m if register.name == "calibration.wheel_circumference_m" else register.default
            )
            if start is None and register.none_raw is None:
                start = min(max(0.0, register.min), register.max)
            raws[register.name] = register.encode(start)
        return raws

    def _mode_on(self, value: dict[str, float | None]) -> int:
        """The number of the mode that counts: the switch's, or the start-up mode; 0 for none."""
        count = int(value.get("modes.count") or 0)
        if 1 <= self._mode <= count:
            return self._mode
        return next((at for at in range(1, count + 1) if value.get(f"modes.{at}.starts")), 0)

    def _decode(self) -> Settings:
        value = {lack.name: lack.value for lack in self.map.lacks} | self.values()

        def must(name: str) -> float:
            return float(value[name] or 0.0)

        mode = self._mode_on(value)
        held_rest, held_full = value.get("calibration.throttle_rest_v"), value.get("calibration.throttle_full_v")
        torque_rest, span = value.get("calibration.torque_rest_v"), value.get("calibration.torque_nm_per_v")
        sides = 2 if value.get("calibration.torque_sides") == 1 else 1  # one pedal felt: as much again from the other
        self._reads = (
            (0.85 if held_rest is None else held_rest, 4.1 if held_full is None else held_full),
            (0.75 if torque_rest is None else torque_rest, (span or 80.0) * sides),
        )

        def least(name: str) -> float | None:
            """The drive's figure or the mode's, whichever is less."""
            both = [value[f"drive.{name}"], value.get(f"modes.{mode}.{name}") if mode else None]
            return min((one for one in both if one is not None), default=None)

        rider = RiderSettings.of(value, self.map.level_share)
        most = value.get(f"modes.{mode}.throttle_maximum") if mode else None
        if most is not None:
            rider.points = tuple(min(share, most) for share in rider.points)
        return Settings(
            phase_a=least("phase_current_a") or 0.0,
            battery_a=least("battery_current_a") or 0.0,
            power_w=least("power_w"),
            rpm=must("drive.motor_rpm"),
            speed_kmh=least("speed_kmh"),
            taper_kmh=must("drive.speed_taper_kmh"),
            low_start_v=must("battery_guard.fade_start_v"),
            low_end_v=must("battery_guard.fade_end_v"),
            motor_start_c=must("heat_guard.motor_fade_start_c"),
            motor_end_c=must("heat_guard.motor_fade_end_c"),
            stage_start_c=must("heat_guard.controller_fade_start_c"),
            stage_end_c=must("heat_guard.controller_fade_end_c"),
            rider=rider,
            direction=value.get("calibration.direction") or 0.0,
        )


def _is_held(tune: Tune, name: str) -> bool:
    return name in KNOWN and tune.holds(name)


def _inside(controller_map: ControllerMap) -> str:
    """The firmware the simulated controller starts with: one that its description knows."""
    assert controller_map.firmware is not None
    return FIRMWARE if controller_map.identity.product.startswith("Weir") else controller_map.firmware.newest
