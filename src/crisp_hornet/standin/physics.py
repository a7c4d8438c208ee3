"""The simulated bike, stepped in time.

A current controller drives iq towards its reference against inductance and back-EMF and runs into the voltage
the sagging pack leaves; an integrating regulator holds the battery current; the pack has a fast and a slow
resistance; winding, housing and heatsink warm up. Forward steps of about a millisecond, semi-implicit where the
electrical time constant is of the same size.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from crisp_hornet.standin.asked_current import Rider, RiderSettings
from crisp_hornet.standin.bms import Bms
from crisp_hornet.standin.defects import Defects
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.truth import SLOW_PACK_S, Truth

CURRENT_LOOP_PER_S = 300.0
LOOPS_AFTER_S = 0.3  # with no load on the front wheel
CUT_AT = 0.1  # from this position of the lever on the motor is cut
# Rested voltage per cell of a common nickel-manganese-cobalt cell, in steps of 10 % charge (figures of our own).
# Below what counts as empty there is hardly anything left: the voltage falls away.
CHARGE = [-0.03, -0.01, 0.0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0]
CELL_V = [1.50, 2.60, 3.00, 3.32, 3.43, 3.54, 3.60, 3.65, 3.71, 3.80, 3.90, 4.00, 4.09, 4.19]


@dataclass
class Settings:
    """What the controller runs with, in SI units (None: no limit)."""

    phase_a: float
    battery_a: float
    power_w: float | None
    rpm: float
    speed_kmh: float | None
    taper_kmh: float
    low_start_v: float
    low_end_v: float
    motor_start_c: float
    motor_end_c: float
    stage_start_c: float
    stage_end_c: float
    rider: RiderSettings = field(default_factory=RiderSettings)
    direction: float = 0.0


@dataclass(frozen=True)
class ShownSpeed:
    """How the controller makes a speed: metres for each turn of the wheel, or of the motor's field."""

    m_per_turn: float
    by_motor: bool = False


@dataclass
class State:
    """What moves, flows and warms."""

    speed_mps: float = 0.0
    motor_rad: float = 0.0
    iq: float = 0.0
    i_d: float = 0.0
    battery_cap: float = 1e9
    battery_a: float = 0.0
    pack_v: float = 0.0
    slow_v: float = 0.0
    charge: float = 0.78
    winding_c: float = 16.0
    housing_c: float = 16.0
    sink_c: float = 16.0
    travelled_m: float = 0.0
    used_ah: float = 0.0
    front_share: float = 1.0  # of the standing load that the front wheel keeps
    light_s: float = 0.0
    looped: bool = False
    loops: int = 0
    bms: Bms = field(default_factory=Bms)

    @property
    def bms_open(self) -> bool:
        """Whether the pack gives nothing."""
        return self.bms.is_open


def rested_cell_v(charge: float) -> float:
    """Rested voltage of one cell (V) at a charge of 0 to 1, and a little below."""
    charge = min(max(charge, CHARGE[0]), 1.0)
    at = min(max(bisect.bisect_left(CHARGE, charge), 1), len(CHARGE) - 1)
    share = (charge - CHARGE[at - 1]) / (CHARGE[at] - CHARGE[at - 1])
    return CELL_V[at - 1] + share * (CELL_V[at] - CELL_V[at - 1])


def _fade(value: float, start: float, end: float) -> float:
    if end <= start:
        return 1.0 if value < end else 0.0
    return min(1.0, max(0.0, (end - value) / (end - start)))


def _centre(truth: Truth) -> tuple[float, float]:
    """Where the centre of gravity lies (m): forward of the rear wheel, and high; of the single masses where they are known."""
    chassis = truth.document.chassis
    if not chassis.masses:
        return chassis.cg_from_rear_m, chassis.cg_height_m
    whole = sum(one.kg for one in chassis.masses)
    return sum(one.kg * one.x_m for one in chassis.masses) / whole, sum(
        one.kg * one.z_m for one in chassis.masses
    ) / whole


class SimulatedBike:
    """Steps the true bike under a rider's hands and a controller's settings."""

    def __init__(self, truth: Truth, charge: float = 0.78) -> None:
        self.truth = truth
        self.state = State(charge=charge)
        self.rider = Rider()
        self.defects = Defects()
        self.sensor_zero_a = 0.0  # of the controller's current sensor, besides the pack's truth
        self.position_error_rad = 0.0  # by how much the controller is wrong about where the rotor stands
        self.gear = 1
        self.backwards = False  # the controller turns the motor the wrong way round
        self.shown = ShownSpeed(truth.believed_m)
        self.read_motor_c: Callable[[float], float] = float  # what the controller takes the winding's temperature for
        self.state.pack_v = truth.series * rested_cell_v(charge)
        self.centre = _centre(truth)

    def load(self, rider_kg: float) -> None:
        """Another rider sits on it."""
        chassis = self.truth.document.chassis
        mass_kg = chassis.bike_kg + chassis.cargo_kg + rider_kg
        self.truth = replace(self.truth, mass_kg=mass_kg)

    @property
    def ratio(self) -> float:
        """Motor turns for a wheel turn in the gear that is in."""
        gears = self.truth.gears
        return gears[min(self.gear, len(gears)) - 1] if gears else self.truth.ratio

    @property
    def omega(self) -> float:
        """Electrical angular speed (rad/s); behind a freewheel the motor may turn slower than the wheel."""
        if self.truth.freewheel:
            return self.state.motor_rad * self.truth.pole_pairs
        return self._with_wheel_rad() * self.truth.pole_pairs

    def _with_wheel_rad(self) -> float:
        """How fast the motor turns (rad/s) when it drives the wheel."""
        return self.state.speed_mps * 2 * math.pi / self.truth.rolled_m * self.ratio

    @property
    def motor_rpm(self) -> float:
        """Motor shaft speed (1/min)."""
        return self.omega / self.truth.pole_pairs * 30 / math.pi

    @property
    def indicated_kmh(self) -> float:
        """What the bike shows: turns of the wheel, or of the motor's field, times the metres it believes each to be."""
        turns_per_s = self.omega / (2 * math.pi) if self.shown.by_motor else self.state.speed_mps / self.truth.rolled_m
        return turns_per_s * 3.6 * self.shown.m_per_turn

    def step(
        self, dt: float, hands: Hands, settings: Settings, drive_allowed: bool = True, felt: Hands | None = None
    ) -> None:
        """Advance by ``dt`` seconds. ``felt``: what the controller's sensors make of the hands, where that is not what they do."""
        self.gear = hands.gear
        felt = felt or hands
        if self.state.looped and hands.throttle < 0.02:  # it is picked up again
            self.state.looped, self.state.light_s = False, 0.0
        if hands.charging:
            self.state.bms.close()
        if drive_allowed and felt.brake <= CUT_AT and not self.state.bms_open and not self.state.looped:
            pack_w = settings.battery_a * self.state.pack_v
            asked_a = self.rider.step(
                dt, felt, settings.rider, self.truth, self.state.speed_mps, settings.phase_a, pack_w, self.ratio
            )
        else:
            self.rider.stop()
            asked_a = 0.0
        self._current(dt, self._share(settings) * asked_a, settings)
        self._pack(dt, asked_a > 0)
        self._roll(dt, hands)
        self._warm(dt, hands.ambient_c)

    def _share(self, c: Settings) -> float:
        s = self.state
        share = _fade(self.read_motor_c(s.winding_c), c.motor_start_c, c.motor_end_c) * _fade(
            s.sink_c, c.stage_start_c, c.stage_end_c
        )
        if c.speed_kmh is not None:
            share *= _fade(self.indicated_kmh, c.speed_kmh - c.taper_kmh, c.speed_kmh)
        # a real controller cannot cut at an rpm like a knife: it fades over the last two per cent
        share *= _fade(self.motor_rpm, 0.98 * c.rpm, c.rpm)
        return share

    def _current(self, dt: float, reference: float, c: Settings) -> None:
        s, t = self.state, self.truth
        allowed = c.battery_a * (1 - _fade(s.pack_v, c.low_end_v, c.low_start_v))
        if c.power_w is not None:
            allowed = min(allowed, c.power_w / max(s.pack_v, 1.0))
        measured = s.battery_a * t.current_gain + t.current_zero_a + self.sensor_zero_a
        s.battery_cap = min(max(s.battery_cap + 40.0 * (allowed - measured) * dt * 10, 0.0), c.phase_a + 1.0)
        reference = min(reference, s.battery_cap)
        reference = self._torque_share_a(reference) * math.cos(self.position_error_rad)
        ohm, omega = self._path_ohm(), self.omega
        ceiling = t.modulation * s.pack_v / math.sqrt(3)
        emf = omega * (t.flux_wb + t.ld_h * s.i_d)
        vd = ohm * s.i_d - omega * t.inductance_h * s.iq
        room = math.sqrt(max(ceiling**2 - vd**2, 0.0))
        wanted = ohm * s.iq + emf + t.inductance_h * CURRENT_LOOP_PER_S * (reference - s.iq)
        vq = min(max(wanted, -room), room)
        s.iq = (s.iq + dt / t.inductance_h * (vq - emf)) / (1 + dt * ohm / t.inductance_h)
        if s.iq < 0:  # diodes would block; this controller does not brake on its own
            s.iq = 0.0
        s.i_d = self._with_it_a(s.iq) - abs(math.tan(self.position_error_rad)) * s.iq

    def _torque_share_a(self, amplitude: float) -> float:
        """The q-axis part of a current amplitude: all of it with surface magnets, else what gives the most torque."""
        gap, flux = self.truth.inductance_h - self.truth.ld_h, self.truth.flux_wb
        if gap <= 0:
            return amplitude
        sine = (
            (math.sqrt(flux**2 + 8 * (gap * amplitude) ** 2) - flux) / (4 * gap * amplitude) if amplitude > 0 else 0.0
        )
        return amplitude * math.sqrt(1 - sine**2)

    def _with_it_a(self, iq: float) -> float:
        """The d-axis current that belongs to a q-axis current, below 0 with interior magnets."""
        gap, flux = self.truth.inductance_h - self.truth.ld_h, self.truth.flux_wb
        return (flux - math.sqrt(flux**2 + 4 * (gap * iq) ** 2)) / (2 * gap) if gap > 0 else 0.0

    def _linked_wb(self) -> float:
        """Flux that makes torque with the q-axis current: the magnets', and what reluctance adds."""
        return self.truth.flux_wb - (self.truth.inductance_h - self.truth.ld_h) * self.state.i_d

    def _path_ohm(self) -> float:
        return self.truth.winding_ohm * (1 + 0.00393 * (self.state.winding_c - 25)) + self.truth.stage_ohm

    def _pack(self, dt: float, asked: bool) -> None:
        s, t = self.state, self.truth
        if s.bms_open:  # nothing flows any more, and nothing is fed
            s.battery_a = s.pack_v = s.iq = s.i_d = 0.0
            s.slow_v -= dt / SLOW_PACK_S * s.slow_v
            s.bms.rest(dt, asked)
            return
        copper = self._path_ohm() * (s.iq**2 + s.i_d**2)
        terminal_w = 1.5 * (copper + self.omega * self._linked_wb() * s.iq) + t.idle_w
        weak = self._weak_group_v(s.battery_a)
        source_v = (t.series if weak is None else t.series - 1) * rested_cell_v(s.charge) - s.slow_v + (weak or 0.0)
        s.battery_a = terminal_w / max(s.pack_v, 1.0)
        s.pack_v = source_v - s.battery_a * t.pack_ohm_fast
        s.slow_v += dt / SLOW_PACK_S * (s.battery_a * t.pack_ohm_slow - s.slow_v)
        s.charge = max(CHARGE[0], s.charge - s.battery_a * dt / 3600 / t.capacity_ah)
        s.used_ah += s.battery_a * dt / 3600
        limit_a = t.document.battery.bms_discharge_a
        sound_ohm = self._group_ohm() / self.defects.weak_resistance
        lowest = math.inf if weak is None else weak - s.battery_a * sound_ohm  # alike, the pack's volts tell all
        s.bms.watch(dt, (s.battery_a, limit_a), (s.pack_v, t.bms_trip_v), lowest)

    def _group_ohm(self) -> float:
        """Resistance of one group of cells."""
        return (self.truth.pack_ohm_fast + self.truth.pack_ohm_slow) / self.truth.series * self.defects.weak_resistance

    def _weak_group_v(self, battery_a: float) -> float | None:
        """What the weaker group gives before its share of the pack's usual resistance; None where all are alike."""
        d = self.defects
        if d.weak_capacity == 1.0 and d.weak_resistance == 1.0:
            return None
        charge = 1 - (1 - self.state.charge) / d.weak_capacity
        more_ohm = self._group_ohm() * (1 - 1 / d.weak_resistance)
        return max(rested_cell_v(charge) - battery_a * more_ohm, -0.5)

    def _drag_nm(self) -> float:
        t = self.truth
        hz = self.omega / (2 * math.pi)
        if hz < 0.05:
            return 0.0
        return t.friction_nm + t.pole_pairs / (2 * math.pi) * (t.hysteresis + t.eddy * hz)

    def _roll(self, dt: float, hands: Hands) -> None:
        s, t = self.state, self.truth
        radius = t.rolled_m / (2 * math.pi)
        made = 1.5 * t.pole_pairs * self._linked_wb() * s.iq
        torque = (-made if self.backwards else made) - self._drag_nm()
        engaged = not t.freewheel or (torque > 0 and s.motor_rad >= self._with_wheel_rad())
        force = torque * self.ratio * t.drive_efficiency / radius if engaged else 0.0
        turning = (t.wheels_kgm2 + (t.rotor_kgm2 * self.ratio**2 if engaged else 0.0)) / radius**2
        if hands.wheel_up:  # only the wheel turns
            inertia = turning
            force -= 0.4 + 0.05 * s.speed_mps
        else:
            inertia = t.mass_kg + turning
            angle = math.atan(hands.grade)
            self._front(dt, force, angle)
            if hands.cadence_rpm > 0:
                watts = hands.human_nm * hands.cadence_rpm * math.pi / 30
                force += 0.95 * watts / max(s.speed_mps, 1.2)
            force -= t.mass_kg * 9.80665 * math.sin(angle)
            if s.speed_mps > 0.01:
                force -= min(self.defects.brake_drag_n, self.defects.brake_drag_n * s.speed_mps / 0.1)
                force -= t.mass_kg * 9.80665 * t.rolling * math.cos(angle) + 0.5 * 1.2 * t.drag_m2 * s.speed_mps**2
        if hands.brake:
            force -= 0.32 * hands.brake * t.mass_kg * 9.80665 * min(1.0, s.speed_mps / 0.3)
        s.speed_mps = max(0.0, s.speed_mps + dt * force / inertia)
        if engaged:
            s.motor_rad = self._with_wheel_rad()
        else:  # it spins up, or down, on its own until it meets the wheel
            s.motor_rad = max(0.0, s.motor_rad + dt * torque / max(t.rotor_kgm2, 1e-5))
            s.motor_rad = min(s.motor_rad, self._with_wheel_rad()) if torque > 0 else s.motor_rad
        s.travelled_m += s.speed_mps * dt

    def _front(self, dt: float, driven_n: float, angle: float) -> None:
        """The load that the pull leaves on the front wheel; with none for a while the bike goes over backwards (rear drive: moments about
        the rear wheel's contact, as in the documents' contract)."""
        s, chassis = self.state, self.truth.document.chassis
        if chassis.driven_wheel == "front":
            return
        back, high = self.centre
        lift_n = self.truth.mass_kg * 9.80665 * math.cos(angle) * back / high
        s.front_share = 1 - max(driven_n, 0.0) / lift_n
        s.light_s = s.light_s + dt if s.front_share < 0 else 0.0
        if s.light_s > LOOPS_AFTER_S:
            s.looped, s.speed_mps, s.loops = True, 0.0, s.loops + 1

    def _warm(self, dt: float, ambient_c: float) -> None:
        s, t = self.state, self.truth
        winding, housing, between, to_air, airflow = t.heat
        current = s.iq**2 + s.i_d**2
        copper = 1.5 * t.winding_ohm * (1 + 0.00393 * (s.winding_c - 25)) * current
        across = between * (s.winding_c - s.housing_c)
        iron = self._drag_nm() * self.omega / t.pole_pairs
        s.winding_c += dt * (copper - across) / winding
        s.housing_c += dt * (iron + across - (to_air + airflow * s.speed_mps) * (s.housing_c - ambient_c)) / housing
        sink, sink_air, sink_flow = t.sink
        loss = 1.5 * t.stage_ohm * current + t.idle_w
        s.sink_c += dt * (loss - (sink_air + sink_flow * s.speed_mps) * (s.sink_c - ambient_c)) / sink
