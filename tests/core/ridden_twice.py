"""The same ride on two tunes, stepped in time by physics of its own: hidden bike and road, a rider who wishes speeds, noisy sensors."""

import math

import numpy as np

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.virtual_ride.again import ride_again
from tests.bikes import a_bike, a_tune

G, DT = 9.80665, 0.05
CHECKED = {
    name: {"gain_spread": 0.01, "zero_spread": 0.1, "checked": "2026-11-01"} for name in ("battery_a", "phase_a")
}
COOLER = {
    "winding_j_per_k": 900, "housing_j_per_k": 4000, "winding_to_housing_w_per_k": 14, "housing_to_air_w_per_k": 5,
    "airflow_w_per_k_per_mps": 0.8,
}  # fmt: skip


class World:
    """Truth of one seed: what the document does not know, and a road with hills, wished speeds and stops."""

    def __init__(self, seed):
        rng = np.random.default_rng([seed, 77])
        n = rng.normal
        self.bike = a_bike(motor__thermal=COOLER, motor__friction_nm=0.2, sensors=CHECKED)
        m, self.rng = self.bike.motor, rng
        self.mass = self.bike.mass_kg * (1 + n(0, 0.025))
        self.psi, self.ohm = m.flux_linkage_wb * (1 + n(0, 0.015)), m.phase_resistance_ohm * (1 + n(0, 0.05))
        self.pack_ohm = self.bike.battery.resistance_ohm * (1 + n(0, 0.15))
        self.crr, self.cda = 0.011 * (1 + n(0, 0.15)), 0.75 * (1 + n(0, 0.1))
        self.drag, self.wind = 1 + n(0, 0.2), n(0, 1.5)
        self.paths = [1 + n(0, 0.15) for _ in range(3)]
        self.air_c = rng.uniform(10, 28)
        self.parts = []  # length, grade, wished km/h, stop
        for at in range(int(rng.integers(6, 10))):
            grade = float(rng.choice([0.0, 0.03, 0.06, 0.09, -0.04, -0.02]))
            self.parts.append(
                (
                    rng.uniform(250, 700),
                    grade,
                    rng.uniform(24, 42),
                    rng.uniform(4, 15) if at and rng.random() < 0.3 else 0,
                )
            )
        self.ends = np.cumsum([one[0] for one in self.parts]).tolist()

    def ride(self, tune):
        """Rows (time, v, x, amps, volts, phase, throttle, brake, winding, sink, wh) until the road ends."""
        b, m, stage = self.bike, self.bike.motor, self.bike.controller
        turn = 2 * math.pi / b.drivetrain.wheel_circumference_m
        v = x = wh = 0.0
        t, at, waits = 0.0, 0, 6.0
        w = h = s = self.air_c
        charge, rows, thermal = 0.85, [], m.thermal
        while x < self.ends[-1] - 0.5 and t < 4000:
            while at < len(self.parts) - 1 and x >= self.ends[at]:
                at += 1
                if self.parts[at][3]:
                    waits, v = self.parts[at][3], 0.0
            _, grade, wished, _ = self.parts[at]
            target, left = wished / 3.6, self.ends[at] - x
            if at + 1 < len(self.parts):
                after = 0.0 if self.parts[at + 1][3] else min(self.parts[at + 1][2] / 3.6, target)
                target = min(target, math.sqrt(after**2 + 2 * 1.2 * max(left, 0.0)) + 0.3)
            e = b.battery.series * (3.3 + 0.85 * charge)
            omega = m.pole_pairs * v * turn
            ohm = self.ohm * (1 + 0.00385 * (w - 25)) + stage.resistance_ohm
            emf = omega * self.psi
            guard = tune.heat_guard
            fade = min(max((guard.motor_fade_end_c - w) / (guard.motor_fade_end_c - guard.motor_fade_start_c), 0), 1)
            cap = tune.drive.battery_current_a
            most_w = cap * (e - self.pack_ohm * cap) - stage.idle_w
            by_pack = (-emf + math.sqrt(emf * emf + 4 * ohm * most_w / 1.5)) / (2 * ohm)
            most_v, square, half = (
                0.95 / math.sqrt(3) * (e - self.pack_ohm * 20),
                ohm * ohm + (omega * m.lq_h) ** 2,
                ohm * emf,
            )
            under = half * half - square * (emf * emf - most_v * most_v)
            by_volts = (-half + math.sqrt(under)) / square if under > 0 and emf < most_v else 0.0
            full = max(min(fade * tune.drive.phase_current_a, by_pack, by_volts), 0.0)
            hz = omega / (2 * math.pi)
            iron_nm = m.pole_pairs / (2 * math.pi) * (m.hysteresis_loss_w_per_hz + m.eddy_loss_w_per_hz2 * hz)
            drag_nm = self.drag * (iron_nm + m.friction_nm) * (v > 0.05)
            air = v + self.wind
            load = self.mass * G * (self.crr * (v > 0.01) + grade) + 0.6 * self.cda * air * abs(air)
            effective = self.mass + 0.2 * turn**2
            asked = (load + effective * 1.5 * (target - v)) / turn + drag_nm
            wants = asked / (1.5 * m.pole_pairs * self.psi)
            i_q = min(max(wants, 0.0), full) if waits <= 0 else 0.0
            brake = max(-(load + effective * 1.5 * (target - v)), 0.0) if waits <= 0 and wants < 0 else 0.0
            push = (1.5 * m.pole_pairs * self.psi * i_q - drag_nm) * turn - brake
            power = 1.5 * (ohm * i_q * i_q + emf * i_q) + stage.idle_w
            amps = (e - math.sqrt(max(e * e - 4 * self.pack_ohm * power, 1.0))) / (2 * self.pack_ohm)
            wh += e * amps * DT / 3600
            throttle = 0.0 if i_q <= 0 else 1.0 if wants >= full else 0.9 * i_q / max(full, 1e-6)
            rows.append((t, v, x, amps, e - self.pack_ohm * amps, i_q, throttle, float(brake > 20), w, s, wh))
            if waits > 0:
                waits -= DT
                v = 0.0
            else:
                v = max(v + (push - load) / effective * DT, 0.0)
                x += v * DT
            charge -= amps * DT / 3600 / b.battery.capacity_ah
            flow = self.paths[0] * thermal.winding_to_housing_w_per_k * (w - h)
            away = (
                self.paths[1]
                * (thermal.housing_to_air_w_per_k + thermal.airflow_w_per_k_per_mps * v)
                * (h - self.air_c)
            )
            w += (1.5 * (ohm - stage.resistance_ohm) * i_q * i_q - flow) * DT / thermal.winding_j_per_k
            h += (drag_nm * v * turn + flow - away) * DT / thermal.housing_j_per_k
            cools = (
                self.paths[2]
                * (stage.thermal.to_air_w_per_k + stage.thermal.airflow_w_per_k_per_mps * v)
                * (s - self.air_c)
            )
            s += (1.5 * stage.resistance_ohm * i_q * i_q + stage.idle_w - cools) * DT / stage.thermal.heatsink_j_per_k
            t += DT
        return np.array(rows)

    def log(self, rows, hz=5.0):
        """What sensors and the log make of it."""
        rng = np.random.default_rng(self.rng.integers(1 << 40))
        true = rows[:: round(1 / hz / DT)]
        _, v, x, amps, volts, phase, throttle, brake, w, s, _ = true.T
        starts = np.concatenate(([0.0], self.ends))
        height = np.interp(x, starts, np.concatenate(([0.0], np.cumsum([one[0] * one[1] for one in self.parts])))) + 300
        noise = lambda size: rng.normal(0, size, len(v))
        gain = lambda size: 1 + rng.normal(0, size)
        return Ride("hidden", np.arange(len(v)) / hz, {
            "wheel_speed_kmh": np.maximum(np.round((v * 3.6 + noise(0.05)) / 0.1) * 0.1, 0),
            "pack_v": volts * gain(0.003) + noise(0.03), "battery_a": amps * gain(0.01) + rng.normal(0, 0.1) + noise(0.1),
            "phase_a": phase * gain(0.01) + noise(0.3), "throttle": throttle, "brake": brake,
            "altitude_m": height + np.cumsum(noise(0.02)) + noise(0.1), "motor_c": w + noise(0.3), "controller_c": s + noise(0.2),
        })  # fmt: skip


def two_tunes(seed):
    """(ridden, other): one of them stronger, in phase or battery current or both."""
    rng = np.random.default_rng([seed, 5])
    ridden = a_tune(drive__phase_current_a=rng.uniform(75, 110), drive__battery_current_a=rng.uniform(16, 28))
    phase, battery = (
        factor * rng.uniform(0.75, 1.3) for factor in (ridden.drive.phase_current_a, ridden.drive.battery_current_a)
    )
    return ridden, ridden.with_settings({"drive.phase_current_a": phase, "drive.battery_current_a": battery})


CLOSE = {"time_s": (0.02, 0.0), "wh_cells": (0.03, 0.0), "winding_c": (0.0, 4.0)}  # of the truth, and plain


def compared(seed):
    """{figure: (close, inside, off over half a band)} of the log ridden again; empty where a true ride ends on its way."""
    world, (ridden, other) = World(seed), two_tunes(seed)
    first, second = world.ride(ridden), world.ride(other)
    if max(first[-1, 0], second[-1, 0]) > 3990:
        return {}
    found = ride_again(world.log(first), ridden, other, world.bike)
    truth, told = {"time_s": second[-1, 0], "wh_cells": second[-1, 10], "winding_c": second[:, 8].max()}, {}
    for name, (share, plain) in CLOSE.items():
        ends = found.foreseen.figures[name]
        off = ends.value - truth[name]
        close = abs(off) <= share * truth[name] + plain
        told[name] = (bool(close), bool(ends.low <= truth[name] <= ends.high), float(2 * off / (ends.high - ends.low)))
    return told
