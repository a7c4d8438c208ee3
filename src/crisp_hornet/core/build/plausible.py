"""Whether a figure is what such a thing usually has, and if not, which slip would explain it."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.core.build.conversions import kv_from_flux
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say


@dataclass(frozen=True)
class _Usual:
    """What is usual, in the document's unit; what to say below and above it."""

    low: float
    high: float
    below: str
    above: str


USUAL = {
    "motor.pole_pairs": _Usual(
        2,
        32,
        "Motors of bikes have 2 to 32 pole pairs.",
        "Magnets entered as pole pairs? Two magnets make one pair.",
    ),
    "motor.phase_resistance_ohm": _Usual(
        0.004,
        0.6,
        "So little would be a lead, not a winding: is the meter zeroed, are milliohms meant?",
        "A bike's motor rarely has over 0.6 Ω a phase: milliohms entered as ohms, or between two leads instead of a phase?",
    ),
    "motor.ld_h": _Usual(
        8e-6,
        2e-3,
        "Under 8 µH is rare: millihenries entered as henries?",
        "Over 2 mH is rare: microhenries meant?",
    ),
    "motor.lq_h": _Usual(
        8e-6,
        4e-3,
        "Under 8 µH is rare: millihenries entered as henries?",
        "Over 4 mH is rare: microhenries meant?",
    ),
    "motor.friction_nm": _Usual(
        0,
        3,
        "",
        say("Over {at} a wheel would hardly turn by hand.", at=quantity(3, "N·m")),
    ),
    "motor.max_rpm": _Usual(
        100,
        12000,
        "Under 100 rpm is slower than a wheel.",
        "Over 12,000 rpm is rare: electrical speed entered as mechanical?",
    ),
    "motor.max_winding_c": _Usual(
        80,
        200,
        say("Windings bear more than {at}.", at=quantity(80, "°C")),
        say("Magnets and enamel rarely bear {at}: degrees Fahrenheit?", at=quantity(200, "°C")),
    ),
    "controller.max_phase_current_a": _Usual(
        10,
        700,
        "Under 10 A phase current hardly moves a bike.",
        "Over 700 A is not a bike's controller.",
    ),
    "controller.max_battery_current_a": _Usual(
        5,
        300,
        "Under 5 A is rare.",
        "Over 300 A is rare: the headline figure on a label is often the phase current.",
    ),
    "controller.max_voltage_v": _Usual(
        24,
        150,
        "Under 24 V is rare.",
        "Over 150 V is beyond bikes, and deadly.",
    ),
    "battery.series": _Usual(
        6,
        35,
        "Fewer than 6 cells in series are rare.",
        "Over 35 in series is beyond bikes: cells in parallel counted too?",
    ),
    "battery.capacity_ah": _Usual(
        2,
        150,
        "Under 2 Ah is rare.",
        "Over 150 Ah is rare: watt-hours entered as ampere-hours?",
    ),
    "battery.resistance_ohm": _Usual(
        0.008,
        0.8,
        "Under 8 mΩ is rare for a whole pack: one cell's figure?",
        "Over 0.8 Ω a pack would be worn out: milliohms entered as ohms?",
    ),
    "battery.bms_discharge_a": _Usual(
        5,
        300,
        "Under 5 A is rare.",
        "Over 300 A is rare.",
    ),
    "battery.bms_charge_a": _Usual(
        0,
        100,
        "",
        "Over 100 A of charging is rare.",
    ),
    "drivetrain.wheel_circumference_m": _Usual(
        0.8,
        2.5,
        "Under 0.8 m round is a scooter's wheel: the diameter instead?",
        "Over 2.5 m round is rare: millimetres, or inches?",
    ),
    "drivetrain.ratio": _Usual(
        0.5,
        60,
        "The motor turning slower than the wheel is rare: turned upside down?",
        "Over 60 : 1 is rare.",
    ),
    "chassis.bike_kg": _Usual(
        12,
        200,
        say("Under {at} with motor and pack is rare.", at=quantity(12, "kg")),
        say("Over {at} is rare: pounds?", at=quantity(200, "kg")),
    ),
    "chassis.rider_kg": _Usual(
        25,
        180,
        say("Under {at} is a child.", at=quantity(25, "kg")),
        say("Over {at} is rare: pounds entered as kilograms?", at=quantity(180, "kg")),
    ),
    "chassis.cargo_kg": _Usual(
        0,
        250,
        "",
        say("Over {at} is beyond bikes.", at=quantity(250, "kg")),
    ),
    "chassis.wheelbase_m": _Usual(
        0.8,
        3.0,
        "Under 0.8 m is rare.",
        "Over 3 m is rare: centimetres or inches?",
    ),
    "chassis.crr": _Usual(
        0.003,
        0.03,
        "Under 0.003 is a rail.",
        "Over 0.03 is soft ground or a flat tyre.",
    ),
    "chassis.cda_m2": _Usual(
        0.25,
        1.6,
        "Under 0.25 m² is a faired racer.",
        "Over 1.6 m² is a delivery van.",
    ),
}


def implausible(bike: Bike, path: str, value: float) -> str:
    """A reason to look again at a figure (document's unit), or "" if it is usual."""
    if path == "motor.flux_linkage_wb":
        if value <= 0:
            return "No magnets at all? It must be above 0."
        kv = kv_from_flux(value, bike.motor.pole_pairs)
        if kv > 400:
            return say(
                "{kv} per volt is rare in a bike: electrical speed, or pole pairs counted twice?",
                kv=quantity(kv, "rpm", ".0f"),
            )
        return (
            say("{kv} per volt is rare: volts per 1000 rpm, or kV per pole pair?", kv=quantity(kv, "rpm", ".2f"))
            if kv < 2
            else ""
        )
    usual = USUAL.get(path)
    if usual is None:
        return ""
    if value < usual.low:
        return usual.below
    if value > usual.high:
        return usual.above
    if path == "controller.max_battery_current_a" and value > bike.controller.max_phase_current_a:
        return "More battery than phase current is rare: a label's headline figure is the phase current."
    if path in ("motor.ld_h", "motor.lq_h"):
        ld, lq = (value, bike.motor.lq_h) if path == "motor.ld_h" else (bike.motor.ld_h, value)
        if ld > 1.02 * lq:
            return "ld over lq does not occur in bikes' motors: the two exchanged?"
    return ""
