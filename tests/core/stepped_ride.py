"""A ride over a road by scipy's integrator with events: each phase (all the pull, held, braking) a system of equations of its own."""

import math

import numpy as np
from scipy.integrate import solve_ivp

from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.drive.pull import Conditions, pull_curve, regen_curve
from crisp_hornet.core.pack.cells import charge_at, rested_v

G, SLOWS = 9.80665, 1.5


class SteppedRide:
    """State: metres, m/s, charge, Wh, winding, housing, controller. ``asks(curve, kmh)``: force of throttle or level, None for all."""

    def __init__(self, bike, tune, route, hold_kmh=math.inf, start_v=None, ambient_c=25.0, asks=None):
        self.bike, self.tune, self.ambient = bike, tune, ambient_c
        self.hold, self.asks = hold_kmh / 3.6, asks
        self.points = route.points
        charge = 1.0 if start_v is None else charge_at(bike.battery, start_v).value
        self.state = np.array([0.0, 0.0, charge, 0.0, ambient_c, ambient_c, ambient_c])
        self.time, self.stalled_at_m, self.least_v = 0.0, None, math.inf
        self.hottest = [ambient_c, ambient_c]
        self._ride()

    # forces
    def load(self, v):
        m, c = self.bike.mass_kg, self.bike.chassis
        theta, w = math.atan(self.grade), v + self.wind
        return m * G * (c.crr * math.cos(theta) + math.sin(theta)) + 0.6 * c.cda_m2 * w * abs(w)

    def conditions(self, y):
        return Conditions(float(rested_v(self.bike.battery, min(max(y[2], 0), 1))), y[4], y[6])

    def full(self, v, y):
        """(force, pack W, phase A, ratio, mass) with all there is."""
        bike = self.bike
        curve = pull_curve(bike, self.tune, [3.6 * v], self.conditions(y))
        ratio = float(np.broadcast_to(curve.motor_turns, (1,))[0])
        force, watts, phase = float(curve.wheel_force_n[0]), float(curve.battery_w[0]), float(curve.phase_current_a[0])
        if force <= 0 and not bike.drivetrain.freewheel:
            drag = float(curve.motor.drag_nm(curve.bike.motor.pole_pairs * curve.shaft_speed)[0])
            shaft = float(curve.shaft_torque_nm[0]) if curve.running[0] else -drag
            force = shaft * ratio / wheel_radius_m(bike) / bike.drivetrain.efficiency
        c, theta = bike.chassis, math.atan(self.grade)
        most = c.tyre_grip * bike.mass_kg * G * math.cos(theta) * (1 - c.cg_from_rear_m / c.wheelbase_m)
        most /= max(1 - c.tyre_grip * c.cg_height_m / c.wheelbase_m, 1e-9)
        most = min(most, bike.mass_kg * G * math.cos(theta) * c.cg_from_rear_m / c.cg_height_m)
        if self.asks is not None:
            most = min(most, self.asks(self.bike, self.tune, self.conditions(y), 3.6 * v))
        turning = c.wheel_inertia_kgm2 + bike.motor.rotor_inertia_kgm2 * ratio**2
        mass = bike.mass_kg + turning / wheel_radius_m(bike) ** 2
        if force > most:
            return most, *self.point(v, most, y), mass
        return force, watts, phase, ratio, mass

    def point(self, v, force, y):
        """(pack W, phase A, ratio) of less than all, by the solver that the drive uses; the thriftiest gear."""
        found = []
        for bike in self.bike.in_each_gear():
            d = bike.drivetrain
            motor, omega = MotorModel.of(bike, y[4]), np.atleast_1d(electrical_speed(bike, 3.6 * v))
            torque = force * wheel_radius_m(bike) / d.ratio * (1 / d.efficiency if force > 0 else d.efficiency)
            i_d, i_q = least_loss_currents(
                motor, omega, torque + motor.drag_nm(omega), self.conditions(y).rested_v, bike.battery.resistance_ohm,
                bike.controller.idle_w, bike.controller.modulation_limit / math.sqrt(3),
            )  # fmt: skip
            watts = float(motor.terminal_power_w(omega, i_d, i_q)[0]) + bike.controller.idle_w
            found.append((watts, float(np.hypot(i_d, i_q)[0]), d.ratio))
        return min(found, key=lambda one: one[0] if math.isfinite(one[0]) else math.inf)

    def holding(self, v, force, y):
        """(pack W, phase A, motor turns W) for a force that is asked for, brakes and regen where it is negative."""
        bike = self.bike
        d = bike.drivetrain
        motor = MotorModel.of(bike)
        omega = electrical_speed(bike, 3.6 * v)
        shaft = omega / bike.motor.pole_pairs
        drag = 0.0 if d.freewheel else float(motor.drag_nm(omega)) * d.ratio / wheel_radius_m(bike) / d.efficiency
        idle = bike.controller.idle_w
        turns = float(motor.drag_nm(omega) * shaft)
        if force > 0 or (force > -drag and not d.freewheel):
            watts, phase, _ = self.point(v, force, y)
            return watts, phase, turns
        if d.freewheel:
            return idle, 0.0, 0.0
        most = float(regen_curve(bike, self.tune, [3.6 * v], self.conditions(y)).wheel_force_n[0])
        force = max(force, most) if self.tune.braking.command != "none" else -drag
        if force >= -drag:
            return idle, 0.0, turns
        watts, phase, _ = self.point(v, force, y)
        return watts, phase, turns

    def slopes(self, y, a, watts, phase, turns):
        bike, v = self.bike, max(y[1], 0.0)
        e, ohm, t = self.conditions(y).rested_v, bike.battery.resistance_ohm, bike.motor.thermal
        amps = (e - math.sqrt(max(e * e - 4 * ohm * watts, 0))) / (2 * ohm)
        self.pack_v = e - ohm * amps
        copper = 1.5 * phase**2 * bike.motor.phase_resistance_ohm * (1 + 0.00385 * (y[4] - 25))
        between = t.winding_to_housing_w_per_k * (y[4] - y[5])
        away = (t.housing_to_air_w_per_k + t.airflow_w_per_k_per_mps * v) * (y[5] - self.ambient)
        s = bike.controller.thermal
        stage = 1.5 * bike.controller.resistance_ohm * phase**2 + bike.controller.idle_w
        cools = (s.to_air_w_per_k + s.airflow_w_per_k_per_mps * v) * (y[6] - self.ambient)
        return [
            v, a, -amps / 3600 / bike.battery.capacity_ah, e * amps / 3600, (copper - between) / t.winding_j_per_k,
            (turns + between - away) / t.housing_j_per_k, (stage - cools) / s.heatsink_j_per_k,
        ]  # fmt: skip

    # phases
    def pulling(self, _t, y):
        v = max(y[1], 0.0)
        force, watts, phase, ratio, mass = self.full(v, y)
        shaft = v / wheel_radius_m(self.bike) * ratio
        turns = float(MotorModel.of(self.bike).drag_nm(self.bike.motor.pole_pairs * shaft)) * shaft
        if phase == 0 and self.bike.drivetrain.freewheel:
            turns = 0.0
            mass = self.bike.mass_kg + self.bike.chassis.wheel_inertia_kgm2 / wheel_radius_m(self.bike) ** 2
        return self.slopes(y, (force - self.load(v)) / mass, watts, phase, turns)

    def held(self, _t, y):
        return self.slopes(y, 0.0, *self.holding(y[1], self.load(y[1]), y))

    def braking(self, _t, y):
        v = max(y[1], 0.01)
        mass = (
            self.bike.mass_kg
            + (
                self.bike.chassis.wheel_inertia_kgm2
                + (
                    0
                    if self.bike.drivetrain.freewheel
                    else self.bike.motor.rotor_inertia_kgm2 * self.bike.drivetrain.ratio**2
                )
            )
            / wheel_radius_m(self.bike) ** 2
        )
        return self.slopes(y, -SLOWS, *self.holding(v, self.load(v) - SLOWS * mass, y))

    def standing(self, _t, y):
        return self.slopes(y, 0.0, self.bike.controller.idle_w, 0.0, 0.0)

    def run(self, slopes, events, longest=4000.0):
        for event in events:
            event.terminal = True
        found = solve_ivp(slopes, (0, longest), self.state, "LSODA", events=events, rtol=1e-4, atol=1e-5, max_step=30.0)
        self.state, self.time = found.y[:, -1].copy(), self.time + found.t[-1]
        for column in found.y.T[:: max(1, found.y.shape[1] // 40)]:
            slopes(0, column)
            self.least_v = min(self.least_v, self.pack_v)
        self.hottest = [max(self.hottest[0], found.y[4].max()), max(self.hottest[1], found.y[6].max())]
        hit = next((at for at, times in enumerate(found.t_events) if len(times)), None)
        return hit

    def _ride(self):
        points, passes = self.points, self._passes()
        limit, self.wind = math.inf, 0.0
        for at in range(len(points) - 1):
            point = points[at]
            limit = point.limit_kmh / 3.6 if point.limit_kmh is not None else limit
            self.wind = point.headwind_kmh / 3.6 if point.headwind_kmh is not None else self.wind
            self.grade = (points[at + 1].altitude_m - point.altitude_m) / (points[at + 1].at_m - point.at_m)
            if point.stop_s:
                self.state[1] = 0.0
                self.run(self.standing, [], point.stop_s)
            if not self._stretch(points[at + 1].at_m, min(limit, self.hold), passes[at + 1]):
                self.stalled_at_m = self.state[0]
                return

    def _passes(self):
        points = self.points
        limit, most = math.inf, []
        for point in points[:-1]:
            limit = point.limit_kmh / 3.6 if point.limit_kmh is not None else limit
            most.append(min(limit, self.hold))
        passes = [0.0 if point.stop_s else math.inf for point in points]
        for at in range(len(points) - 2, -1, -1):
            ahead = math.sqrt(passes[at + 1] ** 2 + 2 * SLOWS * (points[at + 1].at_m - points[at].at_m))
            passes[at] = min(passes[at], most[at], ahead)
        return passes

    def _stretch(self, end, target, out):
        at_end = lambda _t, y: y[0] - end
        must_brake = lambda _t, y: (y[1] ** 2 - out**2) / (2 * SLOWS) - (end - y[0]) - 1e-6
        at_target = lambda _t, y: y[1] - target
        stands = lambda _t, y: y[1] + 1e-9
        lost = lambda _t, y: self.full(y[1], y)[0] - self.load(y[1]) + 0.05
        stands.direction = lost.direction = -1
        must_brake.direction = at_target.direction = 1
        for _ in range(200):
            y = self.state
            left = end - y[0]
            if left <= 1e-4:
                return True
            if math.isfinite(out) and y[1] > out + 1e-9 and must_brake(0, y) >= -1e-3:
                slow = lambda _t, y: y[1] - out
                slow.direction = -1
                self.run(self.braking, [slow, at_end])
                self.state[1] = out
                self.state[0] = end if abs(end - self.state[0]) < 0.5 else self.state[0]
                continue
            full = self.full(y[1], y)[0] - self.load(y[1])
            if y[1] >= target - 1e-6 and full >= -0.02:
                self.state[1] = target
                self.run(self.held, [at_end, must_brake, lost] if math.isfinite(out) else [at_end, lost])
                continue
            if y[1] <= 1e-6 and full <= 0:
                return False
            events = [at_end, stands]
            if math.isfinite(target):
                events.append(at_target)
            if math.isfinite(out):
                events.append(must_brake)
            if self.run(self.pulling, events) == 1:
                return False
            if math.isfinite(target) and abs(self.state[1] - target) < 1e-4:
                self.state[1] = target
        raise AssertionError("never came to the end of a stretch")
