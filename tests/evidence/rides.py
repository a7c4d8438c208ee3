"""Rides with known truth, made without the core: a point mass, a pack with a slow part, sensors with noise, steps and delays."""

import math
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.ride.channels import Ride

G, AIR, DT = 9.80665, 1.2, 0.05
CELLS = 16


@dataclass
class Truth:
    """What the ride hides. ``wheel``: true metres for a metre that is indicated."""

    mass_kg: float
    effective_kg: float
    circumference_m: float
    wheel: float
    r_fast: float
    r_slow: float
    slow_s: float
    crr: float
    cda: float
    wind_mps: float
    capacity_ah: float = 20.0
    found: dict = field(default_factory=dict)

    @property
    def resistance_ohm(self):
        return self.r_fast + self.r_slow * (1 - np.exp(-10 / self.slow_s))


def hidden(bike, rng, wind=2.0):
    """A truth around what the bike document says."""
    from crisp_hornet.core.road.vehicle import (
        effective_mass_kg,  # the document's own mass: it is not what is looked for
    )

    wheel, ohm = float(rng.uniform(0.97, 1.03)), bike.battery.resistance_ohm * float(rng.uniform(0.8, 1.6))
    slow = float(rng.uniform(0, 0.35))
    return Truth(
        bike.mass_kg, effective_mass_kg(bike), bike.drivetrain.wheel_circumference_m * wheel, wheel, ohm * (1 - slow), ohm * slow,
        *(float(rng.uniform(*ends)) for ends in ((22, 40), (0.006, 0.015), (0.4, 0.85), (-wind, wind))), bike.battery.capacity_ah,
    )  # fmt: skip


def open_v(charge):
    return CELLS * (3.05 + 1.6 * charge - 1.1 * charge**2 + 0.6 * charge**3 + 0.02 * math.sin(9 * charge))


class Road:
    """Height and direction along a way: hills of given size, bends."""

    def __init__(self, rng, steep=0.03, bends=True):
        self.waves = [
            (float(rng.uniform(0.3, 1.0)) * steep, float(rng.uniform(300, 1500)), float(rng.uniform(0, 6)))
            for _ in range(4)
        ]
        self.turns = (
            [(rng.uniform(200, 900), rng.uniform(0, 6), rng.uniform(0.2, 0.9)) for _ in range(3)] if bends else []
        )
        self.heading = rng.uniform(0, 6)

    def grade(self, x):
        return sum([size * math.cos(x / length + phase) for size, length, phase in self.waves]) / 2

    def height(self, x):
        return 400 + sum(size * length * np.sin(x / length + phase) for size, length, phase in self.waves) / 2

    def direction(self, x):
        return self.heading + sum(size * np.sin(x / length + phase) for length, phase, size in self.turns)


def ridden(truth, road, plan, rng, start_charge=0.85):
    """``plan``: pieces of (seconds, force share 0..1 of 380 N, brake N, pedalling W, way +1/-1). Columns every DT seconds, true ones."""
    v = x = z = 0.0
    charge, rows = start_charge, []
    weight, air_k, fast, slow = truth.mass_kg * G, 0.5 * AIR * truth.cda, truth.r_fast, truth.r_slow
    for seconds, share, brake, human_w, way in plan:
        held = max(brake, 0.0)
        for _ in range(round(seconds / DT)):
            drive = min(380 * share, 2200 * share / max(v, 1.0))
            regen = 60.0 if brake < 0 and v > 2 else 0.0
            push = drive + (human_w * 0.95 / max(v, 1.5) if human_w else 0.0) - held * (v > 0.05) - regen
            air = v + way * truth.wind_mps
            resist = weight * (truth.crr * (v > 0.01) + way * road.grade(x)) + air_k * air * abs(air)
            v = max(v + (push - resist) / truth.effective_kg * DT, 0.0)
            x += way * v * DT
            power = drive * v / 0.86 + 0.00055 * drive**2 + 4 - 0.7 * regen * v
            e = open_v(charge) - slow * z
            amps = (e - math.sqrt(max(e * e - 4 * fast * power, 1.0))) / (2 * fast)
            z += (amps - z) * DT / truth.slow_s
            charge -= amps * DT / 3600 / truth.capacity_ah
            rows.append((v, x, amps, e - fast * amps, share, held, human_w, way))
    return np.array(rows)


def logged(truth, road, rows, rng, hz=5.0, gps=True, heights=True, drops=True):
    """What the sensors and the log make of it."""
    every = round(1 / hz / DT)
    true = rows[::every]
    time = np.arange(len(true)) * every * DT

    def seen(values, noise, step):
        return np.round((values + rng.normal(0, noise, len(values))) / step) * step

    v, x, amps, volts, share, brake, human, _ = true.T
    cadence = np.where(human > 0, 68.0, 0.0)
    channels = {
        "wheel_speed_kmh": np.maximum(seen(v * 3.6 / truth.wheel, 0.05, 0.1), 0), "pack_v": seen(volts, 0.03, 0.05),
        "battery_a": seen(amps, 0.15, 0.1), "throttle": np.clip(share, 0, 1), "brake": (brake > 0).astype(float),
        "human_nm": (human / (68 * 2 * np.pi / 60) + rng.normal(0, 0.4, len(v))) * (human > 0), "cadence_rpm": cadence,
    }  # fmt: skip
    if heights:
        drift = np.cumsum(rng.normal(0, 0.011 * np.sqrt(1 / hz), len(v)))
        channels["altitude_m"] = np.round((road.height(x) + drift + rng.normal(0, 0.12, len(v))) / 0.1) * 0.1
    if gps:
        channels |= _gps(truth, road, rows, time, rng, drops)
    return Ride("made", time, channels)


def _gps(truth, road, rows, time, rng, drops):
    """Once a second, late, with errors that last, sometimes gone."""
    late, step = rng.uniform(0.5, 3.0), round(1 / DT)
    second = rows[::step]
    error = np.convolve(rng.normal(0, 0.35, len(second) + 2), np.ones(3) / 3, "valid")
    speed = np.maximum(second[:, 0] * 3.6 + error, 0)
    heading = road.direction(second[:, 1]) + np.where(second[:, 7] < 0, np.pi, 0)
    north, east = np.cumsum(second[:, 0] * np.cos(heading)), np.cumsum(second[:, 0] * np.sin(heading))
    north, east = north + np.cumsum(rng.normal(0, 0.15, len(north))), east + np.cumsum(rng.normal(0, 0.15, len(east)))
    if drops:
        for _ in range(3):
            at = rng.integers(5, max(len(speed) - 20, 6))
            speed[at : at + rng.integers(5, 15)] = rng.choice([0.0, np.nan])
    which = np.clip(np.floor(time - late).astype(int), 0, len(second) - 1)
    return {"gps_speed_kmh": np.round(speed, 1)[which], "lat_deg": 47 + north[which] / 111_195,
            "lon_deg": 11 + east[which] / (111_195 * np.cos(np.radians(47)))}  # fmt: skip


def a_round(truth, rng, minutes=20, **sensors):
    """A ride through town and over hills: pulls, even stretches, pedalling, stops, some regen."""
    road, plan, at = Road(rng), [(5, 0, 0, 0, 1)], 0.0
    while at < minutes * 60:
        kind = rng.choice(["pull", "cruise", "cruise", "roll", "stop"])
        human = float(rng.choice([0.0, 90.0, 140.0]))
        piece = {
            "pull": [(rng.uniform(4, 9), 1.0, 0, human, 1)],
            "cruise": [(3, 0.9, 0, human, 1), (rng.uniform(20, 60), rng.uniform(0.12, 0.35), 0, human, 1)],
            "roll": [(rng.uniform(4, 12), 0, 0, 0, 1)],
            "stop": [(4, 0, -1, 0, 1), (8, 0, 300, 0, 1), (rng.uniform(4, 15), 0, 300, 0, 1)],
        }[kind]
        plan += [tuple(map(float, one)) for one in piece]
        at += sum(one[0] for one in piece)
    rows = ridden(truth, road, plan, rng)
    truth.found = figures(rows)
    return logged(truth, road, rows, rng, **sensors)


def coast_downs(truth, rng, runs=6, slope=0.004, both_ways=True, **sensors):
    """Up and down one stretch, rolling out each time."""
    road = Road(rng, steep=slope, bends=False)
    plan = [(5, 0, 0, 0, 1)]
    for run in range(runs):
        way = 1 if run % 2 == 0 or not both_ways else -1
        plan += [
            (rng.uniform(7, 11), 0.9, 0, 0, way),
            (rng.uniform(0.5, 2), 0.15, 0, 0, way),
            (34, 0, 0, 0, way),
            (8, 0, 250, 0, way),
            (6, 0, 250, 0, way),
        ]
    rows = ridden(truth, road, plan, rng)
    truth.found = figures(rows)
    return logged(truth, road, rows, rng, **{"drops": False, **sensors})


def figures(rows):
    """The truth of what was used."""
    power = rows[:, 2] * rows[:, 3]
    wh, back = power.sum() * DT / 3600, -np.minimum(power, 0).sum() * DT / 3600
    km = rows[:, 0].sum() * DT / 1000
    ah = rows[:, 2].sum() * DT / 3600
    return {"wh_net": wh, "ah_net": ah, "regen_share": back / (wh + back), "distance_km": km, "wh_per_km": wh / km}
