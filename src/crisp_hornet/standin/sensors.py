"""The sensors of the simulated bike: true values that nobody is told, noise, drift, broken wires, and the controller's own routines.

An ideal set (the default) says just what the registers expect; :func:`departed` draws one that differs.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field, fields, replace

from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.thermistors import ohm_of
from crisp_hornet.standin.truth import Truth

FOUND = ("resistance_ohm", "ld_h", "lq_h", "flux_linkage_wb", "pole_pairs", "offset_deg", "direction")
DETECT_S, DEADMAN_S = 2.5, 0.6
IDLE, RUNNING, DONE, ABORTED = 0.0, 1.0, 2.0, 3.0
WIRES = (
    "throttle-signal",
    "throttle-ground",
    "torque-signal",
    "torque-ground",
    "pedal",
    "speed",
    "motor-temp",
    "lever",
)


@dataclass(frozen=True)
class SensorTruth:
    """What the sensors truly are."""

    direction: float = 0.0  # which setting turns the wheel forwards
    throttle_rest_v: float = 0.85
    throttle_full_v: float = 4.1
    throttle_noise_v: float = 0.004
    throttle_spread_v: float = 0.0
    torque_rest_v: float = 0.75
    torque_nm_per_v: float = 80.0
    torque_noise_v: float = 0.003
    torque_drift_v_per_min: float = 0.0
    torque_one_side: bool = False  # it feels one pedal: half of what both feet do
    pedal_pulses: int = 12
    pedal_backwards: bool = False
    pedal_missing: int | None = None
    wheel_magnets: int = 1
    thermistor: int = 0
    ntc_beta: float = 3950.0
    position_offset_deg: float = 31.4
    current_zero_a: float = 0.0

    def throttle_at(self, throttle: float) -> float:
        """The throttle's signal (V) at a position of the grip, without noise."""
        return self.throttle_rest_v + (self.throttle_full_v - self.throttle_rest_v) * throttle

    def torque_at(self, human_nm: float) -> float:
        """The torque sensor's signal (V) at a crank torque, without noise and drift."""
        return self.torque_rest_v + (human_nm / 2 if self.torque_one_side else human_nm) / self.torque_nm_per_v


def departed(seed: int) -> SensorTruth:
    """A sound set whose true values differ from what the registers hold."""
    rng = random.Random(seed)
    return SensorTruth(
        throttle_rest_v=0.85 + rng.uniform(0.0, 0.05),
        throttle_full_v=4.1 - rng.uniform(0.02, 0.25),
        throttle_noise_v=rng.uniform(0.002, 0.01),
        throttle_spread_v=rng.uniform(0.0, 0.03),
        torque_rest_v=0.75 + rng.uniform(-0.015, 0.015),
        torque_nm_per_v=80.0 * rng.uniform(0.85, 1.15),
        torque_noise_v=rng.uniform(0.002, 0.006),
        torque_drift_v_per_min=rng.uniform(-0.01, 0.01),
        pedal_pulses=rng.choice([8, 12, 24, 32]),
        wheel_magnets=1,
        position_offset_deg=31.4 + rng.uniform(-1.5, 1.5),
        current_zero_a=rng.uniform(-0.2, 0.2),
    )


def with_truth(truth: SensorTruth, name: str, value: float) -> SensorTruth:
    """One true value changed. Raises :class:`ValueError` for a name there is not."""
    if name not in {one.name for one in fields(SensorTruth)}:
        raise ValueError(f"no sensor value {name!r}")
    if name == "pedal_missing":
        return replace(truth, pedal_missing=int(value) if value >= 0 else None)
    if name == "thermistor" and value not in range(5):
        raise ValueError("thermistor takes 0 to 4")
    kind = type(getattr(truth, name))
    return replace(truth, **{name: kind(value)})


@dataclass
class Sensors:
    """The sensors as they are now. ``cut`` are the wires that are broken (of :data:`WIRES`)."""

    truth: SensorTruth = field(default_factory=SensorTruth)
    seed: int = 1
    cut: set[str] = field(default_factory=set)
    seconds: float = 0.0
    crank_turns: float = 0.0
    wheel_turns: float = 0.0
    detect_state: float = IDLE
    _detect_s: float = 0.0
    _held_s: float = 0.0
    _rest_v: float = 0.0
    _random: random.Random = field(init=False, repr=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def step(self, dt: float, hands: Hands, wheel_turns: float) -> None:
        """Time goes by; ``wheel_turns`` is how far the wheel has turned by itself since the last step."""
        self.seconds += dt
        self.crank_turns += hands.cadence_rpm / 60 * dt
        self.wheel_turns += wheel_turns
        if hands.throttle < 0.01 and self._rest_v == 0.0:  # each time it comes back it rests a little elsewhere
            self._rest_v = self._random.uniform(-0.5, 0.5) * self.truth.throttle_spread_v or 1e-9
        elif hands.throttle > 0.3:
            self._rest_v = 0.0
        if self.detect_state == RUNNING:
            self._detect_s += dt
            self._held_s += dt
            if self._held_s > DEADMAN_S:
                self.detect_state = ABORTED
            elif self._detect_s >= DETECT_S:
                self.detect_state = DONE

    def detect(self) -> None:
        """The routine is asked for, again and again while the hand holds the key; without that it ends by itself."""
        if self.detect_state != RUNNING:
            self._detect_s = 0.0
            self.detect_state = RUNNING
        self._held_s = 0.0

    def throttle_v(self, throttle: float) -> float:
        """The throttle's signal at a position of the grip (0 to 1)."""
        t = self.truth
        if "throttle-signal" in self.cut:
            return max(0.0, self._random.gauss(0.02, 0.004))
        if "throttle-ground" in self.cut:
            return min(5.0, self._random.gauss(4.97, 0.004))
        rest = t.throttle_rest_v + self._rest_v * (1 - throttle)
        return rest + (t.throttle_full_v - rest) * throttle + self._random.gauss(0, t.throttle_noise_v)

    def torque_v(self, human_nm: float) -> float:
        """The torque sensor's signal at a crank torque (N·m)."""
        t = self.truth
        if "torque-signal" in self.cut:
            return max(0.0, self._random.gauss(0.03, 0.004))
        if "torque-ground" in self.cut:
            return min(5.0, self._random.gauss(4.96, 0.004))
        drift = t.torque_drift_v_per_min * self.seconds / 60
        felt_nm = human_nm / 2 if t.torque_one_side else human_nm
        return t.torque_rest_v + drift + felt_nm / t.torque_nm_per_v + self._random.gauss(0, t.torque_noise_v)

    def pedal_count(self) -> int:
        """The running pulse count of the pedal sensor (16 bits)."""
        t = self.truth
        if "pedal" in self.cut:
            return 0
        passed = math.floor(self.crank_turns * t.pedal_pulses)
        if t.pedal_missing is not None:
            whole, part = divmod(passed, t.pedal_pulses)
            passed = whole * (t.pedal_pulses - 1) + part - (part > t.pedal_missing)
        return passed & 0xFFFF

    def wheel_count(self) -> int:
        """The running pulse count of the wheel's magnets (16 bits)."""
        return 0 if "speed" in self.cut else math.floor(self.wheel_turns * self.truth.wheel_magnets) & 0xFFFF

    def motor_ohm(self, winding_c: float) -> float:
        """Resistance of the motor's temperature sensor."""
        return 4e6 if "motor-temp" in self.cut else ohm_of(self.truth.thermistor, self.truth.ntc_beta, winding_c)

    def ripple(self, believed_offset_deg: float) -> float:
        """The share by which the speed swings at low speed when the controller believes another position offset."""
        error = math.radians(believed_offset_deg - self.truth.position_offset_deg)
        return 0.012 + 0.75 * abs(math.sin(error))

    def detected(self, truth: Truth) -> dict[str, float]:
        """What the controller's own routine found, once it is done."""
        if self.detect_state != DONE:
            return dict.fromkeys(FOUND, 0.0)
        return {
            "resistance_ohm": truth.winding_ohm * 1.01,
            "ld_h": truth.ld_h * 0.97,
            "lq_h": truth.inductance_h * 1.03,
            "flux_linkage_wb": truth.flux_wb * 1.004,
            "pole_pairs": float(truth.pole_pairs),
            "offset_deg": self.truth.position_offset_deg,
            "direction": self.truth.direction,
        }
