"""The instruments: what each asks the user to do, which channels it records, how it judges, and what may be written."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.bench.stations.calibrate.recording import Recording
from crisp_hornet.core.calibrate import electric, heat, levers, pedals, speed, thermistors, throttle, torque
from crisp_hornet.core.calibrate.judgement import Judgement, doubtful
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say


@dataclass(frozen=True)
class Question:
    """A figure that the user knows: its name, unit and a first guess; or one of ``words``, by its place among them."""

    name: str
    label: str
    unit: str
    guess: float
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Known:
    """What an instrument may use besides the recording."""

    bike: Bike
    answers: Mapping[str, float]
    held: Mapping[str, float | None]  # what the controller's registers hold, by name


@dataclass(frozen=True)
class Instrument:
    """One instrument. ``writes`` maps a found figure to the register that takes it, ``takes_over`` to the bike document; ``turns``
    says that the wheel turns, so the
    lever must have been proved first."""

    kind: str
    title: str
    why: str
    do: str
    channels: tuple[str, ...]
    judge: Callable[[Recording, Known], Judgement]
    questions: tuple[Question, ...] = ()
    writes: tuple[tuple[str, str], ...] = ()
    takes_over: tuple[tuple[str, str], ...] = ()  # found figure to figure of the bike document
    words: Mapping[str, tuple[str, ...]] = field(default_factory=dict)  # what a found figure chooses from, by its place
    turns: bool = False
    detects: bool = False
    ride: Callable[[Ride, Known], Judgement] | None = None  # judged from the ride on the desk instead of a recording
    zeroes: bool = False  # the controller can zero it on request
    writes_mends: bool = False  # writing what was found is what mends a failure
    checks: str = ""  # the channel whose sensor it holds against something known


def _throttle(taken: Recording, _known: Known) -> Judgement:
    return throttle.judge_throttle(taken.time_s, taken.get("throttle_v"))


def _output(taken: Recording, _known: Known) -> Judgement:
    return throttle.judge_output(taken.get("throttle"))


def _brake(taken: Recording, _known: Known) -> Judgement:
    return levers.judge_lever(taken.get("brake"))


def _cut(taken: Recording, _known: Known) -> Judgement:
    return levers.judge_cut(taken.time_s, taken.get("brake"), taken.get("phase_a"), taken.get("throttle"))


def _pedals(taken: Recording, known: Known) -> Judgement:
    found = pedals.judge_pedals(
        taken.time_s, taken.get("pedal_pulses"), taken.get("pedal_forward"), known.answers["turns"]
    )
    noticed = pedals.recognised_after_s(taken.time_s, taken.get("pedal_pulses"), taken.get("cadence_rpm"))
    figures = dict(found.figures) | ({"noticed_s": noticed} if noticed is not None else {})
    return Judgement(found.verdict, found.reason, found.next, figures)


def _torque_rest(taken: Recording, _known: Known) -> Judgement:
    return torque.judge_torque_rest(taken.time_s, taken.get("torque_v"))


def _torque_span(taken: Recording, known: Known) -> Judgement:
    rest_v = known.held.get("calibration.torque_rest_v")
    if rest_v is None:
        return doubtful("Its rest voltage is not known", "Calibrate and write its rest voltage first.")
    loaded_v = float(np.median(taken.get("torque_v")))
    return torque.judge_torque_span(rest_v, loaded_v, known.answers["weight_kg"], known.answers["crank_mm"] / 1000)


def _sides(_taken: Recording, known: Known) -> Judgement:
    return torque.judge_sides(known.answers["left"], known.answers["right"])


def _human(taken: Recording, known: Known) -> Judgement:
    return torque.judge_human(taken.get("human_nm"), taken.get("cadence_rpm"), known.answers["known_w"])


def _gps(ride: Ride, known: Known) -> Judgement:
    believed = known.bike.drivetrain.wheel_circumference_m
    return speed.judge_against_gps(ride.get("wheel_speed_kmh"), ride.get("gps_speed_kmh"), believed)


def _from_ride(_taken: Recording, _known: Known) -> Judgement:
    return doubtful("This is checked from a ride", "Open a ride with GPS on Rides.")


def _zero(taken: Recording, known: Known) -> Judgement:
    return electric.judge_zero(
        taken.get("battery_a"), known.bike.controller.idle_w, float(np.median(taken.get("pack_v")))
    )


def _gain(taken: Recording, known: Known) -> Judgement:
    return electric.judge_gain(
        float(np.mean(taken.get("battery_a"))), known.answers["meter_a"], known.answers["zero_a"]
    )


def _temperature(taken: Recording, known: Known) -> Judgement:
    ohm, said = float(np.median(taken.get("motor_sensor_ohm"))), float(np.median(taken.get("motor_c")))
    chosen = int(known.answers["thermistor"])
    beta_k = known.held.get("calibration.motor_sensor_beta") or known.bike.sensors.motor_thermistor_beta_k
    kind = thermistors.KINDS[chosen - 1] if chosen else None
    return heat.judge_temperature(ohm, known.answers["known_c"], said, kind, beta_k or thermistors.USUAL_BETA_K)


def _magnets(taken: Recording, known: Known) -> Judgement:
    held = known.held.get("calibration.magnets_per_turn") or 1.0
    if speed.SOURCES[int(known.answers["source"])] == "motor pulses":
        drive = known.bike.drivetrain
        gears = len(drive.gears or [])
        return speed.judge_motor_pulses(known.bike.motor.pole_pairs, drive.ratio, gears, drive.freewheel, held)
    return speed.judge_magnets(taken.get("wheel_pulses"), known.answers["turns"], held)


def _roll_out(_taken: Recording, known: Known) -> Judgement:
    believed = known.held.get("calibration.wheel_circumference_m") or known.bike.drivetrain.wheel_circumference_m
    return speed.judge_roll_out(known.answers["distance_m"], known.answers["turns"], believed)


def _detection(taken: Recording, known: Known) -> Judgement:
    if not len(taken) or taken.get("detect_state")[-1] != 2:
        return doubtful(
            "The detection did not run to its end", "Hold the key until it has ended; the wheel must turn freely."
        )
    names = ("resistance_ohm", "ld_h", "lq_h", "flux_linkage_wb", "pole_pairs")
    found = {name: float(taken.get(f"detected_{name}")[-1]) for name in names}
    judged = electric.judge_detection(found, known.bike)
    offset = float(taken.get("detected_offset_deg")[-1])
    more = {"position_offset_deg": offset}
    forwards = float(taken.get("detected_direction")[-1])
    if np.isfinite(forwards):  # NaN where the controller does not tell
        more["direction"] = forwards
        set_so = known.held.get("calibration.direction")
        if set_so is not None and set_so != forwards:
            judged = doubtful(
                f"Direction reversed: set to {set_so:g}, forward is {forwards:g}",
                "Write the direction that was found, then run it again.",
                **judged.figures,
            )
    return Judgement(judged.verdict, judged.reason, judged.next, judged.figures | more)


def _running(taken: Recording, _known: Known) -> Judgement:
    return electric.judge_running(taken.get("motor_rpm"))


_TWIST = "Hold the brake lever so the motor stays off. Open the throttle fully and release it, four times, pausing at each end."
INSTRUMENTS: tuple[Instrument, ...] = (
    Instrument(
        "brake",
        "Brake lever",
        "The lever is the way to stop the motor: nothing may drive the wheel before it is tested.",
        "Pull the brake lever twice and release it.",
        ("brake",),
        _brake,
    ),
    Instrument(
        "brake cut",
        "Brake cut-off",
        "A signal alone is not enough: the motor itself must stop when the lever is pulled.",
        "Throttle a little open so that the motor drives, then pull the lever.",
        ("throttle", "phase_a", "brake"),
        _cut,
        turns=True,
    ),
    Instrument(
        "motor",
        "Motor detection",
        "Phase resistance, inductance and flux linkage are what every prediction starts from.",
        "Hold Space or “Hold to run”: the controller turns and measures the motor. Release to stop.",
        ("detect_state", "motor_rpm", "phase_a"),
        _detection,
        turns=True,
        detects=True,
        writes=(("position_offset_deg", "calibration.position_offset_deg"), ("direction", "calibration.direction")),
        takes_over=(
            ("resistance_ohm", "motor.phase_resistance_ohm"),
            ("ld_h", "motor.ld_h"),
            ("lq_h", "motor.lq_h"),
            ("flux_linkage_wb", "motor.flux_linkage_wb"),
            ("pole_pairs", "motor.pole_pairs"),
        ),
    ),
    Instrument(
        "running",
        "Low-speed smoothness",
        "A wrong position offset wastes current as heat and can make the bike jump at the start.",
        "Open the throttle a little from standstill, stop with the lever; four times.",
        ("motor_rpm", "phase_a", "throttle"),
        _running,
        turns=True,
    ),
    Instrument(
        "throttle",
        "Throttle",
        "A rest voltage that is off opens the throttle by itself, or leaves travel dead.",
        _TWIST,
        ("throttle_v", "throttle"),
        _throttle,
        writes=(("rest_v", "calibration.throttle_rest_v"), ("full_v", "calibration.throttle_full_v")),
        takes_over=(("rest_v", "sensors.throttle_rest_v"), ("full_v", "sensors.throttle_full_v")),
    ),
    Instrument(
        "throttle output",
        "Throttle, 0 to 100 %",
        "Full throttle must read 100 %, or the limits at full throttle are never reached.",
        _TWIST,
        ("throttle", "throttle_v"),
        _output,
    ),
    Instrument(
        "pedals",
        "Pedal sensor",
        "A wrong pulse count or direction gives assist late, too strong, or backwards.",
        "Turn the crank forwards, whole and even turns, three seconds each.",
        ("pedal_pulses", "pedal_forward", "cadence_rpm"),
        _pedals,
        (Question("turns", "turns", "", 5),),
        writes=(("pulses_per_turn", "calibration.pedal_pulses"),),
        takes_over=(("pulses_per_turn", "sensors.pedal_pulses"),),
    ),
    Instrument(
        "torque",
        "Torque sensor rest voltage",
        "A rest voltage that is off drives without pedalling, or hides a light foot.",
        "Feet off the pedals, crank still.",
        ("torque_v",),
        _torque_rest,
        writes=(("rest_v", "calibration.torque_rest_v"),),
        takes_over=(("rest_v", "sensors.torque_rest_v"),),
    ),
    Instrument(
        "torque span",
        "Torque sensor sensitivity",
        "The sensitivity decides how much help each newton metre brings.",
        "Brake held, crank level forwards; hang a known weight on the pedal.",
        ("torque_v", "human_nm"),
        _torque_span,
        (Question("weight_kg", "weight", "kg", 10), Question("crank_mm", "crank", "mm", 170)),
        writes=(("nm_per_v", "calibration.torque_nm_per_v"),),
        takes_over=(("nm_per_v", "sensors.torque_nm_per_v"),),
    ),
    Instrument(
        "torque sides",
        "Torque sensor, both sides",
        "A sensor that reads one side stronger surges once per crank turn.",
        "Hang the weight on each pedal in turn, then enter both sensitivities found; 0 for a pedal it does not feel.",
        ("torque_v",),
        _sides,
        (Question("left", "left, N·m/V", "", 80), Question("right", "right, N·m/V", "", 80)),
        writes=(("sides", "calibration.torque_sides"),),
        takes_over=(("sides", "sensors.torque_sides"),),
        words={"sides": torque.SIDES},
    ),
    Instrument(
        "human",
        "Rider power",
        "Rider power that reads wrong makes every level stronger or weaker than set.",
        "Pedal evenly for ten seconds; say what you know it to be.",
        ("human_nm", "cadence_rpm"),
        _human,
        (Question("known_w", "you give", "W", 100),),
    ),
    Instrument(
        "current",
        "Current sensor zero",
        "A zero that is off falsifies energy, range and the battery limit.",
        "Stand still, throttle closed, charger off.",
        ("battery_a", "pack_v"),
        _zero,
        zeroes=True,
        checks="battery_a",
    ),
    Instrument(
        "current gain",
        "Current sensor gain",
        "A gain that is off falsifies every watt in log and prediction.",
        "A steady draw of at least 5 A, meter in the pack's lead.",
        ("battery_a",),
        _gain,
        (
            Question("meter_a", "meter shows", "A", 10),
            Question("zero_a", "zero found", "A", 0),
            Question("meter_percent", "meter is true to", "%", 1),
        ),
        checks="battery_a",
    ),
    Instrument(
        "temperature",
        "Motor temperature",
        "Derating acts on this reading: too cold and the winding burns.",
        say(
            "The motor at a known temperature: after a cold night that of the air. Away from {alike} it tells the beta as well.",
            alike=quantity(25, "°C", ".0f"),
        ),
        ("motor_c", "motor_sensor_ohm"),
        _temperature,
        (
            Question("known_c", "its temperature", "°C", 16),
            Question("thermistor", "kind", "", 0, ("to be found", *thermistors.KINDS)),
        ),
        writes=(("kind", "calibration.motor_sensor_kind"), ("beta_k", "calibration.motor_sensor_beta")),
        takes_over=(("kind", "sensors.motor_thermistor"), ("beta_k", "sensors.motor_thermistor_beta_k")),
        words={"kind": thermistors.KINDS},
        writes_mends=True,
    ),
    Instrument(
        "speed",
        "Speed sensor pulses",
        "A wrong count of magnets, or of the motor's pulses, shows and limits a wrong speed.",
        "Turn the wheel by hand, whole turns, valve down to valve down.",
        ("wheel_pulses", "wheel_speed_kmh"),
        _magnets,
        (Question("turns", "turns", "", 5), Question("source", "speed comes from", "", 0, speed.SOURCES)),
        writes=(("magnets", "calibration.magnets_per_turn"), ("source", "calibration.speed_from")),
        takes_over=(("magnets", "sensors.speed_magnets"), ("source", "sensors.speed_from")),
        words={"source": speed.SOURCES},
        writes_mends=True,
    ),
    Instrument(
        "wheel",
        "Roll-out",
        "Speed, distance and every speed limit rest on the wheel circumference.",
        "Rider on, tyres at riding pressure: roll it straight, valve down to valve down.",
        ("wheel_pulses",),
        _roll_out,
        (Question("distance_m", "distance", "m", 5.24), Question("turns", "turns", "", 4)),
        writes=(("circumference_m", "calibration.wheel_circumference_m"),),
        takes_over=(("circumference_m", "drivetrain.wheel_circumference_m"),),
    ),
    Instrument(
        "gps",
        "Wheel circumference by GPS",
        "A ride with GPS checks the circumference under real load.",
        say("A straight minute above {at} with GPS: the ride that is open on Rides is used.", at=quantity(12, "km/h")),
        ("wheel_speed_kmh",),
        _from_ride,
        ride=_gps,
        writes=(("circumference_m", "calibration.wheel_circumference_m"),),
        takes_over=(("circumference_m", "drivetrain.wheel_circumference_m"),),
    ),
)
