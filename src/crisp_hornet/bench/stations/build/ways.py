"""What a builder can know about each figure: the figure itself, or something it follows from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crisp_hornet.bench.stations.build.shown import SHOWN
from crisp_hornet.core.build import conversions as c
from crisp_hornet.documents.bike import Bike


@dataclass(frozen=True)
class Field:
    """One thing to type. The typed number times ``factor`` is in SI units."""

    label: str
    unit: str = ""
    factor: float = 1.0


@dataclass(frozen=True)
class Way:
    """A way to a figure: what is asked, how it becomes the figure, where it then comes from, and the catch."""

    title: str
    fields: tuple[Field, ...]
    figure: Callable[[Bike, list[float]], float]
    origin: str
    catch: str = ""
    rating: str = ""  # of ``controller.ratings_by_voltage``: this current, up to the voltage typed second
    change: Callable[[Bike, list[float]], Bike] | None = None  # where more than the one figure follows


_AT_VOLTAGE = (Field("current", "A"), Field("for packs up to", "V"))
_AT_CATCH = (
    "The row with the lowest voltage above the pack's applies; the rating above stays the ceiling. 0 A deletes a row."
)

_SCALES = (Field("front scale, level", "kg"), Field("rear scale, level", "kg"))
_SATURATION = Way(
    "both at once", (Field("current", "A"), Field("flux lost there", "%", 0.01)), lambda _b, x: x[0], "entered",
    "Of the torque-making current; at others the flux falls with its square.",
    change=lambda b, x: b.with_value("motor.saturation", {"at_a": x[0], "flux_drop": x[1]}, "entered"),
)  # fmt: skip

_SPUN = (Field("speed", "rpm"), Field("pack", "V"))

_MORE: dict[str, tuple[Way, ...]] = {
    "motor.pole_pairs": (
        Way("count the magnets", (Field("magnets"),), lambda b, x: c.pole_pairs_from_magnets(x[0]), "measured", "Two magnets make a pair."),
    ),
    "motor.flux_linkage_wb": (
        Way("kV, from peak line-to-line volts", (Field("kV", "rpm/V"),), lambda b, x: c.flux_from_kv(x[0], b.motor.pole_pairs), "entered",
            "A kV read at no load reads high by the commutation: 5 % (120° block) or 10 % (180° six-step). Then use the next methods."),
        Way("no-load speed, 120° block commutation", _SPUN, lambda b, x: c.flux_from_no_load(x[0], x[1], b.motor.pole_pairs, c.BLOCK_120),
            "measured", "Simple controllers with hall sensors. It turns π/3 times as fast as peak back-EMF says; corrected here."),
        Way("no-load speed, 180° six-step", _SPUN, lambda b, x: c.flux_from_no_load(x[0], x[1], b.motor.pole_pairs, c.SIX_STEP_180),
            "measured", "It turns 2√3/π times as fast as peak back-EMF says; corrected here."),
        Way("no-load speed, sine drive", _SPUN,
            lambda b, x: c.flux_from_no_load(x[0], x[1], b.motor.pole_pairs, b.controller.modulation_limit), "measured",
            "Field-oriented control, field weakening at 0. The controller's modulation limit counts."),
        Way("back-EMF, turned by a drill", (Field("AC volts, two leads", "V"), Field("speed", "rpm")),
            lambda b, x: c.flux_from_emf(x[0], x[1], b.motor.pole_pairs), "measured", "Set the meter to AC: it reads rms volts."),
    ),
    "motor.phase_resistance_ohm": (
        Way("between two leads", (Field("meter shows", "mΩ", 1e-3),), lambda b, x: c.phase_from_leads(x[0]), "measured",
            "Two phases in series: half the reading is used. Subtract the test leads first."),
    ),
    "motor.ld_h": (
        Way("lowest between two leads, turning", (Field("lowest", "µH", 1e-6),), lambda b, x: c.inductance_from_leads(x[0]), "measured",
            "Turn the rotor slowly, note the lowest reading; half of it is Ld."),
    ),
    "motor.lq_h": (
        Way("highest between two leads, turning", (Field("highest", "µH", 1e-6),), lambda b, x: c.inductance_from_leads(x[0]), "measured",
            "Turn the rotor slowly, note the highest reading; half of it is Lq. Surface magnets hardly change."),
    ),
    "controller.max_phase_current_a": (
        Way("on the label for a voltage", _AT_VOLTAGE, lambda b, x: x[0], "entered", _AT_CATCH, "phase_current_a"),
    ),
    "controller.max_battery_current_a": (
        Way("on the label for a voltage", _AT_VOLTAGE, lambda b, x: x[0], "entered", _AT_CATCH, "battery_current_a"),
        Way("from the power on its label", (Field("power", "W"), Field("at", "V")), lambda b, x: x[0] / x[1], "entered",
            "Watts over volts are battery amps. Take the voltage the label names, not your pack's."),
    ),
    "battery.resistance_ohm": (
        Way("from its cells", (Field("one cell", "mΩ", 1e-3), Field("in parallel"), Field("joints, leads", "mΩ", 1e-3)),
            lambda b, x: c.pack_resistance(x[0], b.battery.series, x[1], x[2]), "entered"),
    ),
    "battery.capacity_ah": (
        Way("from its cells", (Field("one cell", "Ah"), Field("in parallel")), lambda b, x: c.pack_capacity(x[0], x[1]), "entered"),
    ),
    "drivetrain.wheel_circumference_m": (
        Way("roll-out, rider on", (Field("distance", "m"), Field("wheel turns")),
            lambda b, x: c.circumference_from_roll_out(x[0], x[1]), "measured", "Four turns beat one; tyres at riding pressure."),
        Way("tyre label", (Field("width", "mm"), Field("rim", "mm")), lambda b, x: c.circumference_from_label(x[0], x[1]), "entered",
            "As in 47-406. A tyre rolls about 1 % less under load; corrected here."),
        Way("GPS against indicated", (Field("indicated", "km/h"), Field("GPS", "km/h")),
            lambda b, x: c.circumference_from_gps(b.drivetrain.wheel_circumference_m, x[0], x[1]), "measured"),
    ),
    "chassis.cg_from_rear_m": (
        Way("two bathroom scales, level", _SCALES, lambda b, x: c.cg_from_rear(b.chassis.wheelbase_m, x[0], x[1]), "measured",
            "One under each axle, everything aboard, rider on, front wheel straight."),
    ),
    "chassis.cg_height_m": (
        Way("two bathroom scales, front lifted", (*_SCALES, Field("front scale, lifted", "kg"), Field("front axle lifted by", "m")),
            lambda b, x: c.cg_height(b.chassis.wheelbase_m, b.drivetrain.wheel_circumference_m, *x), "measured",
            "Level first, then with the front axle raised by half a metre or so, brakes free, rider strapped or replaced by weights. "
            "Have a second person hold the bike."),
    ),
    "drivetrain.ratio": (
        Way("teeth", (Field("motor sprocket"), Field("wheel sprocket"), Field("reduction inside")),
            lambda b, x: c.ratio_from_teeth(x[0], x[1], x[2]), "measured", "1 inside if the sprocket sits on the motor's shaft."),
    ),
}  # fmt: skip

_CATCHES = {
    "controller.max_phase_current_a": "A label's headline figure is usually this one.",
    "controller.max_battery_current_a": "Not the headline figure on the label; valid at the voltage named beside it.",
    "battery.bms_discharge_a": "The continuous BMS limit, not its short peak.",
}


def ways(path: str) -> list[Way]:
    """All ways to a figure, the figure itself first."""
    shown = SHOWN[path]
    field = Field(shown.label, shown.unit, 1 / shown.scale)
    if path.startswith("motor.saturation."):
        return [_SATURATION]
    return [
        Way("the figure itself", (field,), lambda _b, x: x[0], "entered", _CATCHES.get(path, "")),
        *_MORE.get(path, ()),
    ]
