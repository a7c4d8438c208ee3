"""The pull curve against one SciPy constrained optimisation per speed, at equal accuracy, in one run."""

from __future__ import annotations

import math
import time

import numpy as np
from scipy.optimize import NonlinearConstraint, minimize

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import electrical_speed
from crisp_hornet.core.drive.pull import Conditions, drive_bounds, drive_power_cap, pull_curve, torque_share
from crisp_hornet.demo import DRAFT, HERON
from crisp_hornet.documents.store import read_bike, read_tune

TARGET = 100.0


def main() -> None:
    bike, state = read_bike(HERON), Conditions(62.4)
    for name, lq, weakening in (("surface magnets", 1.5e-4, 25.0), ("interior magnets", 3.2e-4, 25.0)):
        motor = bike.motor.model_copy(update={"lq_h": lq})
        machine = bike.model_copy(update={"motor": motor})
        tune = read_tune(DRAFT).with_setting("drive.field_weakening_a", weakening)
        speeds = np.linspace(0, 56, 400)
        begin = time.perf_counter()
        for _ in range(5):
            curve = pull_curve(machine, tune, speeds, state)
        ours = (time.perf_counter() - begin) / 5 / speeds.size
        few = speeds[5::16]
        begin = time.perf_counter()
        found = np.array([by_optimiser(machine, tune, state, v) for v in few])
        theirs = (time.perf_counter() - begin) / few.size
        shortfall = np.max((found - curve.shaft_torque_nm[5::16]) / np.maximum(found, 1.0))
        print(f"{name:20s} ours {1e6 * ours:7.1f} us a speed   optimiser {1e6 * theirs:9.0f} us   ratio {theirs / ours:6.0f}"
              f"   ratio/target {theirs / ours / TARGET:5.2f}   most it found beyond ours {100 * max(shortfall, 0):.3f} %")  # fmt: skip


def by_optimiser(bike, tune, state, v):
    """Shaft torque by SLSQP from three starts."""
    limits = effective_limits(bike, tune)
    share, _ = torque_share(tune, limits, state, np.array([v]))
    bounds = drive_bounds(bike, tune, limits, state, share, drive_power_cap(bike, tune, limits, state))
    motor, omega, top = bounds.motor, electrical_speed(bike, np.array([v])), float(bounds.current_a[0])

    def margins(x):
        i_d, i_q = np.array([x[0] * top]), np.array([x[1] * top])
        above = motor.mtpa_id(i_q) - i_d
        power = bounds.power_w(omega, i_d, i_q)
        return np.array([1 - x[0] ** 2 - x[1] ** 2, -bounds.voltage_excess(omega, i_d, i_q)[0], above[0] / top,
                         (bounds.weakening_a[0] - above[0]) / top, 1 - power[0] / bounds.most_w[0]])  # fmt: skip

    best = 0.0
    for start in ((-0.05, 0.1), (-0.15, 0.4), (0.0, 0.9)):
        done = minimize(lambda x: -motor.torque_nm(np.array([x[0] * top]), np.array([x[1] * top]))[0], start, method="SLSQP",
                        constraints=NonlinearConstraint(margins, 0, math.inf), options={"ftol": 1e-9, "maxiter": 80})  # fmt: skip
        if np.all(margins(done.x) >= -1e-7):
            best = max(best, -done.fun)
    return best - float(motor.drag_nm(omega)[0])


if __name__ == "__main__":
    main()
