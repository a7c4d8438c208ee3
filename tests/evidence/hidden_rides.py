"""Rides of hidden truth, made without the core: motor, pack, heat and road stepped in time, then sensors that are off, late and coarse.

``Bike and rider`` differ from the document by what nobody knows exactly; each scenario adds what makes judging hard.
"""

import math
import zlib
from dataclasses import dataclass, field, replace

import numpy as np

from crisp_hornet.core.ride.channels import Ride

G, AIR, DT, CELLS = 9.80665, 1.2, 0.1, 16
USUAL_OFF = {"battery_a": (0.02, 0.2), "phase_a": (0.02, 0.2), "pack_v": (0.005, 0.0), "gps_speed_kmh": (0.003, 0.0),
             "human_nm": (0.05, 0.0)}  # fmt: skip


@dataclass
class Case:
    """What a scenario makes hard. Winds in m/s; ``ripple_m``: waves of the road; ``drift_m``: of the barometer in a minute; ``late_s``:
    of the battery current; ``strip``: channels that were not logged; ``off``: sensors' errors in standard deviations;
    ``sound``: the bike is what its document says, as far as one can know it."""

    kind: str = "round"
    minutes: float = 20
    runs: int = 6
    both_ways: bool = True
    wind: float = 1.5
    gusts: float = 0.4
    ripple_m: float = 0.05
    drift_m: float = 0.3
    late_s: float = 0.0
    hz: float = 5.0
    mass: float = 0.03
    winding: float = 0.05
    strip: tuple = ()
    checked: bool = False
    steep: float = 0.03
    off: float = 1.0
    pedals: bool = True
    loops: bool = True
    drag: float = 0.2
    sound: bool = False


POSITIONS = ("lat_deg", "lon_deg")
CASES = {
    "plain": Case(), "wind": Case(wind=4.0), "gusts": Case(wind=2.5, gusts=1.0), "waves": Case(ripple_m=0.5), "drift": Case(drift_m=1.0),
    "lag": Case(late_s=0.2), "gain": Case(off=-1.0), "one a second": Case(hz=1.0), "no GPS": Case(strip=("gps_speed_kmh", *POSITIONS)),
    "no positions": Case(strip=POSITIONS), "no heights": Case(strip=("altitude_m",)),
    "pedalling not logged": Case(strip=("human_nm", "cadence_rpm")), "mass": Case(mass=-0.08), "winding": Case(winding=-0.25),
    "one way": Case(wind=4.0, loops=False), "checked": Case(checked=True),
    "roll-outs": Case("coasts"), "roll-outs, wavy": Case("coasts", ripple_m=0.5), "roll-outs in wind": Case("coasts", wind=4.0, runs=8),
    "two roll-outs": Case("coasts", runs=2, ripple_m=0.3), "roll-outs, no heights": Case("coasts", strip=("altitude_m",)),
}  # fmt: skip


@dataclass
class Truth:
    """What the ride hides; ``found``: what came of it."""

    mass_kg: float
    turning_kg: float
    wheel: float
    circumference_m: float
    psi: float
    ohm: float
    r_fast: float
    r_slow: float
    slow_s: float
    crr: float
    cda: float
    drag: float
    between: float
    to_air: float
    sink: float
    wind: tuple
    found: dict = field(default_factory=dict)


def _about(rng, share):
    """A factor: off by the share where that is negative (one way or the other), else drawn with it as its spread."""
    return 1 + (
        rng.choice([-1, 1]) * -share if share < 0 else float(np.clip(rng.normal(0, share), -2.5 * share, 2.5 * share))
    )


def hidden(bike, case, rng):
    wide = 0.15 if case.sound else 1.0
    radius = bike.drivetrain.wheel_circumference_m / (2 * math.pi)
    turning = (bike.chassis.wheel_inertia_kgm2 + bike.motor.rotor_inertia_kgm2) / radius**2
    motor, heat, road, blows = bike.motor, bike.motor.thermal, bike.chassis, rng.uniform(0, 2 * math.pi)
    wheel, slow = _about(rng, 0.008 if not case.sound else 0.002), rng.uniform(0, 0.35)
    slow_s = rng.uniform(18, 40)
    ohm = bike.battery.resistance_ohm * (1 + wide * rng.uniform(-0.2, 0.6)) / (1 - slow * math.exp(-10 / slow_s))

    def like(told, low, high):
        return told + wide * (rng.uniform(low, high) - told)

    return Truth(
        bike.mass_kg * _about(rng, case.mass), turning, wheel, bike.drivetrain.wheel_circumference_m * wheel,
        motor.flux_linkage_wb * _about(rng, 0.02 if case.sound else 0.03),
        motor.phase_resistance_ohm * _about(rng, 0.03 if case.sound else case.winding),
        ohm * (1 - slow), ohm * slow, slow_s, like(road.crr, 0.007, 0.015), like(road.cda_m2, 0.45, 0.85),
        _about(rng, case.drag), *(told * like(1.0, 0.7, 1.4) for told in (heat.winding_to_housing_w_per_k, heat.housing_to_air_w_per_k,
        bike.controller.thermal.to_air_w_per_k)), (case.wind * math.cos(blows), case.wind * math.sin(blows)),
    )  # fmt: skip


class Way:
    """Grade, height and heading along a way; a round comes back to where it began."""

    def __init__(self, case, rng):
        steep = case.steep if case.kind == "round" else 0.004
        self.hills = [(rng.uniform(0.3, 1) * steep / 2, rng.uniform(150, 600), rng.uniform(0, 6)) for _ in range(4)]
        self.hills += [
            (case.ripple_m / length, length, rng.uniform(0, 6)) for length in map(float, rng.uniform(12, 30, 2))
        ]
        self.turns = [(rng.uniform(150, 600), rng.uniform(0, 6), rng.uniform(0.2, 0.6)) for _ in range(3)]
        self.straight, self.heading = case.kind != "round", rng.uniform(0, 6)
        self.around = rng.uniform(1500, 3000) if case.loops else math.inf

    def grade(self, x):
        return sum(size * math.cos(x / length + phase) for size, length, phase in self.hills)

    def height(self, x):
        return 400 + sum(size * length * np.sin(x / length + phase) for size, length, phase in self.hills)

    def direction(self, x):
        if self.straight:
            return self.heading + 0 * x
        return (
            self.heading
            + 2 * math.pi * x / self.around
            + sum(size * math.sin(x / length + at) for length, at, size in self.turns)
        )


def plan_of(case, rng):
    """Pieces of (seconds, throttle, brake N, pedalling W, regen A, way)."""
    plan, at = [(8.0, 0, 0, 0, 0, 1)], 0.0
    if case.kind == "coasts":
        for run in range(case.runs):
            way = 1 if run % 2 == 0 or not case.both_ways else -1
            plan += [
                (rng.uniform(7, 11), 0.8, 0, 0, 0, way),
                (30, 0, 0, 0, 0, way),
                (7, 0, 250, 0, 0, way),
                (5, 0, 250, 0, 0, way),
            ]
        return plan
    while at < case.minutes * 60:
        kind, human = (
            rng.choice(["pull", "cruise", "cruise", "cruise", "roll", "stop"]),
            float(rng.choice([0.0, 90.0, 140.0])),
        )
        human *= case.pedals
        piece = {
            "pull": [(rng.uniform(5, 10), 1.0, 0, human, 0, 1)],
            "cruise": [(rng.uniform(15, 45), rng.uniform(0.12, 0.4), 0, human, 0, 1)],
            "roll": [(rng.uniform(5, 14), 0, 0, 0, 0, 1)],
            "stop": [(rng.uniform(2, 4), 0, 0, 0, rng.uniform(10, 25), 1), (6, 0, 300, 0, 0, 1), (rng.uniform(4, 12), 0, 300, 0, 0, 1)],
        }[kind]  # fmt: skip
        plan += piece
        at += sum(one[0] for one in piece)
    return plan


def open_v(charge):
    return CELLS * (3.05 + 1.6 * charge - 1.1 * charge**2 + 0.6 * charge**3 + 0.02 * math.sin(9 * charge))


def ridden(bike, tune, truth, case, way, rng):
    """Stepped in time; the true columns of each step."""
    motor, stage, pole = bike.motor, bike.controller, bike.motor.pole_pairs
    turn, weight = 2 * math.pi / truth.circumference_m, truth.mass_kg * G
    effective, thermal = truth.mass_kg + truth.turning_kg, motor.thermal
    v = x = z = gust = 0.0
    air_c = rng.uniform(8, 24)
    winding = housing = sink = air_c + rng.normal(0, 0.8)
    charge, rows, blows, lights_w = 0.9, [], rng.standard_normal(20_000), rng.uniform(0, 9)
    for seconds, throttle, brake, human_w, regen_a, ways in plan_of(case, rng):
        for _ in range(round(seconds / DT)):
            rpm = v * turn
            omega = pole * rpm
            e = open_v(charge) - truth.r_slow * z
            ohm = truth.ohm * (1 + 0.00385 * (winding - 25)) + stage.resistance_ohm
            emf, most_w = (
                omega * truth.psi,
                tune.drive.battery_current_a * (e - truth.r_fast * tune.drive.battery_current_a) - stage.idle_w,
            )
            i_q = 0.0
            if throttle:
                by_pack = (-emf + math.sqrt(emf * emf + 4 * ohm * most_w / 1.5)) / (2 * ohm)
                most_v = 0.95 / math.sqrt(3) * (e - truth.r_fast * 20)
                square, half = ohm * ohm + (omega * motor.lq_h) ** 2, ohm * emf
                under = half * half - square * (emf * emf - most_v * most_v)
                by_volts = (-half + math.sqrt(under)) / square if under > 0 and emf < most_v else 0.0
                i_q = max(min(throttle * tune.drive.phase_current_a, by_pack, by_volts), 0.0)
            elif regen_a and v > 2.5:
                i_q = -regen_a
            hz = omega / (2 * math.pi)
            iron = truth.drag * (motor.hysteresis_loss_w_per_hz * hz + motor.eddy_loss_w_per_hz2 * hz * hz)
            drag_nm = (iron / rpm if rpm > 0.1 else 0.0) + truth.drag * motor.friction_nm * (v > 0.05)
            push = (
                (1.5 * pole * truth.psi * i_q - drag_nm) * turn
                + human_w * 0.97 / max(v, 1.5) * (human_w > 0)
                - brake * (v > 0.05)
            )
            gust += -gust * DT / 4 + case.gusts * math.sqrt(2 * DT / 4) * float(blows[len(rows) % len(blows)])
            heading = way.direction(x) + (math.pi if ways < 0 else 0.0)
            air = v + truth.wind[0] * math.cos(heading) + truth.wind[1] * math.sin(heading) + gust
            resist = weight * (truth.crr * (v > 0.01) + ways * way.grade(x)) + 0.5 * AIR * truth.cda * air * abs(air)
            power = 1.5 * (ohm * i_q * i_q + emf * i_q) + stage.idle_w + lights_w
            amps = (e - math.sqrt(max(e * e - 4 * truth.r_fast * power, 1.0))) / (2 * truth.r_fast)
            rows.append(
                (
                    v,
                    x,
                    amps,
                    e - truth.r_fast * amps,
                    abs(i_q) * (1 if i_q >= 0 else -1),
                    throttle,
                    brake,
                    human_w,
                    ways,
                    winding,
                    sink,
                    heading,
                    push,
                )
            )
            v = max(v + (push - resist) / effective * DT, 0.0)
            x += ways * v * DT
            z += (amps - z) * DT / truth.slow_s
            charge -= amps * DT / 3600 / bike.battery.capacity_ah
            copper = 1.5 * truth.ohm * (1 + 0.00385 * (winding - 25)) * i_q * i_q
            flow, away = (
                truth.between * (winding - housing),
                (truth.to_air + thermal.airflow_w_per_k_per_mps * v) * (housing - air_c),
            )
            winding += (copper - flow) * DT / thermal.winding_j_per_k
            housing += (iron + truth.drag * motor.friction_nm * rpm + flow - away) * DT / thermal.housing_j_per_k
            made = 1.5 * stage.resistance_ohm * i_q * i_q + stage.idle_w
            fanned = (truth.sink + stage.thermal.airflow_w_per_k_per_mps * v) * (sink - air_c)
            sink += (made - fanned) * DT / stage.thermal.heatsink_j_per_k
    return np.array(rows)


def figures(rows):
    """What was truly used, and what reached the road at full throttle."""
    v, _, amps, volts, _, throttle, *_ = rows.T
    push, power = rows[:, 12], amps * volts
    full = (throttle > 0.99) & (v > 1.2) & (rows[:, 7] == 0)
    airless = full & (0.6 * 0.75 * v**2 < 0.35 * push)
    km, wh = v.sum() * DT / 1000, power.sum() * DT / 3600
    back = -np.minimum(power, 0).sum() * DT / 3600
    return {
        "wh_net": wh, "wh_per_km": wh / max(km, 1e-9), "distance": km, "regen": back / (wh + back), "ah_net": amps.sum() * DT / 3600,
        "efficiency": float((push * v)[airless].sum() / power[airless].sum()) if airless.any() else math.nan,
    }  # fmt: skip


def logged(case, truth, way, rows, rng):
    """What sensors and log make of it: gain and zero off by their spread, noise, steps, delays, what was not logged."""
    every = round(1 / case.hz / DT)
    second, true = rows[:: round(1 / DT)], rows[::every]
    v, x, amps, volts, i_q, throttle, brake, human, _, winding, sink, _, _ = true.T
    late = max(round(case.late_s / DT), 0)
    amps = np.concatenate((np.full(late, rows[0, 2]), rows[:, 2]))[: len(rows)][::every]
    share = 0.15 if case.checked else 1.0

    def off(name, values):
        gain, zero = (share * one for one in USUAL_OFF[name])
        pick = (lambda size: rng.choice([-1, 1]) * size) if case.off < 0 else (lambda size: rng.normal(0, size))
        return values * (1 + pick(gain)) + pick(zero)

    def seen(values, noise, step):
        return np.round((values + rng.normal(0, noise, len(values))) / step) * step

    time, turns = np.arange(len(true)) * every * DT, 2 * np.pi * 68 / 60
    drift = np.cumsum(rng.normal(0, case.drift_m / math.sqrt(60 * case.hz), len(v)))
    channels = {
        "wheel_speed_kmh": np.maximum(seen(v * 3.6 / truth.wheel, 0.05, 0.1), 0), "pack_v": seen(off("pack_v", volts), 0.03, 0.05),
        "battery_a": seen(off("battery_a", amps), 0.12, 0.05), "phase_a": seen(off("phase_a", i_q), 0.3, 0.1), "throttle": throttle,
        "brake": (brake > 0).astype(float), "cadence_rpm": np.where(human > 0, 68.0, 0.0),
        "human_nm": np.where(human > 0, off("human_nm", human / turns) + rng.normal(0, 0.4, len(v)), 0.0),
        "altitude_m": np.round((way.height(x) + drift + rng.normal(0, 0.12, len(v))) / 0.1) * 0.1,
        "motor_c": seen(winding, 0.3, 0.5), "controller_c": seen(sink, 0.2, 0.5),
    }  # fmt: skip
    behind = rng.uniform(0.5, 2.5)
    error = np.convolve(rng.normal(0, 0.35, len(second) + 2), np.ones(3) / 3, "valid")
    ground = np.maximum(off("gps_speed_kmh", second[:, 0] * 3.6) + error, 0)
    north, east = (
        np.cumsum(second[:, 0] * turn(second[:, 11])) + np.cumsum(rng.normal(0, 0.15, len(second)))
        for turn in (np.cos, np.sin)
    )
    which = np.clip(np.floor(time - behind).astype(int), 0, len(second) - 1)
    channels |= {"gps_speed_kmh": np.round(ground, 1)[which], "lat_deg": 47 + north[which] / 111_195,
                 "lon_deg": 11 + east[which] / (111_195 * math.cos(math.radians(47)))}  # fmt: skip
    return Ride("hidden", time, {name: values for name, values in channels.items() if name not in case.strip})


def a_ride(bike, tune, case, seed):
    """(ride, truth) of a case."""
    rng = np.random.default_rng([seed, zlib.crc32(repr(case).encode())])  # no two cases share their luck
    truth = hidden(bike, case, rng)
    way = Way(case, rng)
    rows = ridden(bike, tune, truth, case, way, rng)
    truth.found = figures(rows)
    return logged(case, truth, way, rows, rng), truth


def varied(case, **changes):
    """A case with some of it otherwise."""
    return replace(case, **changes)
