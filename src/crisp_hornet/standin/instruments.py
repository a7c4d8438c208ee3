"""Instruments of a workshop's own at the simulated bike: they show what is true, not what the controller's sensors say."""

from __future__ import annotations

from collections.abc import Callable

from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.physics import SimulatedBike, rested_cell_v

Reading = Callable[[SimulatedBike, SimulatedController], float]


def _gps_kmh(bike: SimulatedBike, _controller: SimulatedController) -> float:
    return 0.0 if bike.state.looped else bike.state.speed_mps * 3.6


def _shown_metres(bike: SimulatedBike, controller: SimulatedController) -> float:
    """What the display counts while the bike is pushed ten metres by a tape."""
    controller.live()  # it reads its settings
    return 10.0 / bike.truth.rolled_m * bike.shown.m_per_turn


INSTRUMENTS: dict[str, Reading] = {
    "clamp": lambda bike, _c: bike.state.battery_a,  # A round one battery lead
    "leads": lambda bike, _c: (
        2e3 * bike.truth.winding_ohm * (1 + 0.00393 * (bike.state.winding_c - 25))
    ),  # mΩ between two
    "surface": lambda bike, _c: bike.state.housing_c,  # °C of the motor's shell
    "sensor": lambda bike, controller: controller.sensors.motor_ohm(
        bike.state.winding_c
    ),  # Ω of the temperature sensor
    "roll-out": lambda bike, _c: bike.truth.rolled_m,  # m, one turn under the rider's weight
    "ten-metres": _shown_metres,  # m that the display counts over ten by the tape
    "scale": lambda bike, _c: bike.truth.mass_kg,  # kg, ready to ride
    "gps": _gps_kmh,  # km/h
    "volts": lambda bike, _c: bike.truth.series * rested_cell_v(bike.state.charge),  # V at rest, at the pack
    "charger": lambda bike, _c: bike.state.used_ah,  # Ah put back since the ride began
    "magnets": lambda _b, controller: float(controller.sensors.truth.wheel_magnets),  # counted
}


def measure(bike: SimulatedBike, controller: SimulatedController, name: str) -> float:
    """One reading. Raises :class:`ValueError` for an instrument that there is not."""
    if name not in INSTRUMENTS:
        raise ValueError(f"no instrument {name!r}; there are: {', '.join(INSTRUMENTS)}")
    return INSTRUMENTS[name](bike, controller)
