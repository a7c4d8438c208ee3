"""The currents of less than full throttle against a search of every weakening."""

import math
import random

import numpy as np

from crisp_hornet.core.drive.motor import MotorModel, electrical_speed
from crisp_hornet.core.drive.part_load import least_loss_currents
from tests.amount import some
from tests.core import exhaustive
from tests.core.test_pull import no_load_kmh, random_case


def currents(bike, rested_v, winding_c, kmh, torque_nm):
    i_d, i_q = least_loss_currents(
        MotorModel.of(bike, winding_c), electrical_speed(bike, np.atleast_1d(kmh)), np.atleast_1d(torque_nm), rested_v,
        bike.battery.resistance_ohm, bike.controller.idle_w, bike.controller.modulation_limit / math.sqrt(3))  # fmt: skip
    return i_d, i_q


def test_part_load_is_the_least_loss_there_is_and_too_weak_only_where_no_weakening_helps():
    rng, seen = random.Random(1606), {"plain": 0, "weakened": 0, "none": 0}
    for _ in range(some(260)):
        bike, _, rested_v = random_case(rng)
        winding_c = rng.uniform(10, 110)
        kmh = rng.uniform(0.05, 2.5) * no_load_kmh(bike, rested_v)
        most = 1.5 * bike.motor.pole_pairs * bike.motor.flux_linkage_wb * 300
        torque = rng.choice([1, -1]) * most * 10 ** rng.uniform(-3, 0)
        expected = exhaustive.least_loss(bike, rested_v, winding_c, kmh, torque)
        i_d, i_q = (float(one[0]) for one in currents(bike, rested_v, winding_c, kmh, torque))
        if math.isnan(i_d):
            assert expected is None
            seen["none"] += 1
            continue
        state = exhaustive.state(bike, rested_v, winding_c, kmh, i_d, i_q)
        assert state["v"] <= bike.controller.modulation_limit * state["pack_v"] / math.sqrt(3) * (1 + 1e-6)
        if expected is None:
            continue  # a sliver between the search's steps
        assert math.hypot(i_d, i_q) <= expected * 1.001 + 0.01
        seen["weakened" if i_d < exhaustive.mtpa_id(bike, i_q) - 0.01 else "plain"] += 1
    assert min(seen.values()) > some(30, 10), seen
