"""What a ride says of the figures that stand in the bike document, by their paths."""

from __future__ import annotations

from crisp_hornet.core.evidence.capacity_seen import capacity
from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.heat_seen import heat_paths
from crisp_hornet.core.evidence.motor_seen import motor_seen
from crisp_hornet.core.evidence.pack_seen import resistance
from crisp_hornet.core.evidence.road_seen import road_load
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.core.ride.even import even
from crisp_hornet.documents.bike import Bike

CRR, CDA, PACK, CAPACITY = "chassis.crr", "chassis.cda_m2", "battery.resistance_ohm", "battery.capacity_ah"
WHEEL, FLUX, WINDING = "drivetrain.wheel_circumference_m", "motor.flux_linkage_wb", "motor.phase_resistance_ohm"
INWARD, OUTWARD = "motor.thermal.winding_to_housing_w_per_k", "motor.thermal.housing_to_air_w_per_k"
PATHS = (PACK, CAPACITY, WHEEL, FLUX, WINDING, CRR, CDA, INWARD, OUTWARD)


def told_by(ride: Ride, bike: Bike, rested_v: tuple[float, float] | None = None) -> dict[str, Estimate]:
    """What a ride says of each of :data:`PATHS`; ``rested_v``: the pack's voltages at rest before and after, where they were noted."""
    smooth = even(ride, CHANNELS)
    wheel = circumference(smooth, bike)
    stretch = wheel.value / bike.drivetrain.wheel_circumference_m if wheel.known else 1.0
    road, motor = road_load(smooth, bike, wheel), motor_seen(smooth, bike, None, stretch)
    heat = heat_paths(smooth, bike, motor.winding_ohm)
    used = energy_used(ride, bike, wheel, rested_v, smooth)
    return {
        PACK: resistance(smooth, bike), CAPACITY: capacity(smooth, bike, used.ah_net, rested_v), WHEEL: wheel,
        FLUX: motor.flux_linkage_wb, WINDING: motor.winding_ohm, CRR: road.crr, CDA: road.cda_m2,
        INWARD: heat.winding_to_housing, OUTWARD: heat.housing_to_air,
    }  # fmt: skip
