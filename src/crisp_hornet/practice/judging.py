"""How a job stands after it was handed over: solved, solved with a flaw, not yet, or ended by what must never happen."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import Enum

from crisp_hornet.documents.job import Check
from crisp_hornet.documents.setting_words import label_of, unit_of
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.practice.readers import Value, holds, value_of
from crisp_hornet.practice.trial import Trial
from crisp_hornet.standin.journal import DETECT, STAND


class Outcome(Enum):
    """How it stands, as it is said."""

    SOLVED = "solved"
    FLAWED = "solved, with a flaw"
    NOT_YET = "not yet"
    ENDED = "ended"


@dataclass(frozen=True)
class Judgement:
    """``lines``: what still shows, the flaws, or what would have happened; ``seen``: each check of the job with what was found."""

    outcome: Outcome
    lines: tuple[str, ...]
    seen: tuple[tuple[str, bool], ...] = ()


ENDINGS = {
    "ride": "ready to ride",
    "nothing": "nothing to mend",
    "workshop": "not to be ridden: workshop",
}
FLAWS: tuple[tuple[str, Check, str], ...] = (
    ("B", Check(of="journal.backup_first", **{"is": True}), "No backup of this contact is older than the first write."),
    ("O", Check(of="journal.most_changes_a_send", most=1.0), "More than one thing was changed in one send."),
    (
        "P",
        Check(of="journal.proved_after_key", **{"is": True}),
        "After the last write the key was not turned and everything read again.",
    ),
    ("R", Check(of="journal.ridden_after_write", **{"is": True}), "No ride or run on the stand after the last write."),
)


def judge(trial: Trial) -> Judgement:
    """Try the bike as it was handed over and read its journal. Raises :class:`~crisp_hornet.documents.errors.DocumentError` for a check
    that asks what there is not."""
    found = [(check, holds(trial, check)) for check in trial.job.solved]
    seen = tuple((words(trial, check), so) for check, so in found)
    if ended := _never(trial):
        return Judgement(Outcome.ENDED, tuple(ended), seen)
    still = list(dict.fromkeys(_still(trial, check) for check, so in found if not so))
    if trial.handed.ending != trial.job.ending:
        still.append(f"The ending “{ENDINGS[trial.handed.ending]}” does not fit what is so.")
    if still:
        return Judgement(Outcome.NOT_YET, tuple(still), seen)
    flaws = [text for _, check, text in FLAWS if trial.writes and not holds(trial, check)]
    return Judgement(Outcome.FLAWED if flaws else Outcome.SOLVED, tuple(flaws), seen)


def _still(trial: Trial, check: Check) -> str:
    """What still shows of a check that does not hold. What would give the cause away is not named."""
    kind = check.of.partition(".")[0]
    if kind in ("road", "true", "shown", "chain", "rule"):
        return f"Still so: {words(trial, check)}."
    return STILL.get(kind, "A figure is still not what is so.")


def _never(trial: Trial) -> list[str]:
    """What was done that must never be done, and what it would have led to."""
    found = [f"This must never be: {words(trial, check)}." for check in trial.job.never if holds(trial, check)]
    bike = bike_of(trial.job)
    limits = {
        "drive.battery_current_a": (bike.battery.bms_discharge_a, "the BMS's limit: the pack goes dark under load"),
        "drive.phase_current_a": (bike.controller.max_phase_current_a, "the controller's rating: it burns"),
    }
    for name, (most, leads_to) in limits.items():
        asked = max((row.after or 0.0 for row in trial.writes if row.what == name), default=0.0)
        if asked > most:
            found.append(f"{label_of(name).capitalize()} was set to {asked:g} A, above {most:g} A, {leads_to}.")
    driven = min((row.at_s for row in trial.journal if row.kind in (STAND, DETECT)), default=math.inf)
    if driven < trial.handed.lever_proved_s:
        found.append(
            "The wheel was driven on the stand before the brake lever had passed its test: nothing was sure to stop it."
        )
    if "lever" in trial.handed.state["cut"]:
        found.append("The brake lever's wire is cut: the motor pushes on while the rider brakes.")
    if trial.writes and (trial.kept("battery_guard.fade_end_v") or 0.0) < 0.6 * bike.battery.bms_trip_v:
        found.append("The low-voltage cutoff was taken out: the BMS is the only guard left.")
    return found


STILL = {
    "changed": "Something was changed that was right before, or is not yet as it was.",
    "journal": "The way there was not as it should be: something was written that need not be, or learned before it was mended.",
    "report": "The sentence to the customer does not name what is so.",
    "state": "Something on the bike is still not mended.",
}
OFF = {
    "position_offset_deg": ("error of the position sensor offset", "°"),
    "throttle_rest_v": ("error of the throttle's rest voltage", "V"),
    "throttle_full_v": ("error of the throttle's full voltage", "V"),
    "torque_rest_v": ("error of the torque sensor's rest voltage", "V"),
    "magnets": ("error of the magnets a turn", "%"),
    "beta": ("error of the temperature sensor's beta", "%"),
    "torque_nm_per_v": ("error of the torque sensor's sensitivity", "%"),
    "circumference": ("error of the wheel circumference", "%"),
    "resistance": ("error of the pack resistance on Build", "%"),
    "capacity": ("error of the pack capacity on Build", "%"),
    "crr": ("error of the rolling resistance on Build", "%"),
    "flux": ("error of the flux linkage on Build", "%"),
}
OTHERS = {
    "changed.from_held": "settings that differ from the backup from before",
    "changed.calibration": "calibrations that were changed",
    "changed.tune": "settings that were changed",
    "journal.writes": "settings written",
    "journal.mended_before_learned": "mended before anything was learned",
    "journal.mended": "mended",
    "report.sentence": "the sentence to the customer",
    "chain.battery_current_a": "battery current of the other devices, as entered",
    "levels.smallest_step": "smallest step from level to level",
    "levels.largest_step": "largest step from level to level",
    "state.brake_drag_n": "drag of the brake",
}
NAMES: dict[str, tuple[str, str]] = {
    "top_kmh": ("top speed", "km/h"),
    "end_kmh": ("speed at the end", "km/h"),
    "metres": ("distance covered", "m"),
    "time_s": ("time to the end", "s"),
    "to_15_s": ("time to 15 km/h", "s"),
    "to_walking_s": ("time to walking pace", "s"),
    "after_fade_s": ("time from the first low-voltage derating to walking pace", "s"),
    "wh_per_km": ("consumption", "Wh/km"),
    "stop_m": ("distance to a stop", "m"),
    "battery_a_max": ("highest true battery current", "A"),
    "battery_a_steady": ("true battery current held at last", "A"),
    "winding_c_max": ("hottest winding", "°C"),
    "front_share_min": ("load left on the front wheel", ""),
    "bms_opened": ("times the BMS cut off", ""),
    "loops": ("times it went over backwards", ""),
    "ah": ("charge used", "Ah"),
    "throttle_rest": ("throttle read with free hands", ""),
    "throttle_full": ("throttle read fully open", ""),
    "human_nm_rest": ("pedal torque read with no foot on it", "N·m"),
    "human_nm_of_40": ("pedal torque read of 40 N·m", "N·m"),
    "brake_free": ("brake lever read with free hands", ""),
    "brake_pulled": ("brake lever read pulled", ""),
    "speed_share": ("shown speed for the true one", ""),
    "ripple": ("ripple at walking pace", ""),
    "battery_rest_a": ("battery current shown with nothing drawn", "A"),
    "cut_s": ("time until the brake lever stops the motor", "s"),
    "motor_c_off": ("error of the shown motor temperature at 100 °C", "K"),
}


def words(trial: Trial, check: Check) -> str:
    """A check with what was found, in words."""
    found = value_of(trial, check.of)
    name, unit = _name(trial, check.of)
    wanted = _wanted(trial, check, unit)
    return f"{name} {_shown(found, unit)}{wanted}"


def _name(trial: Trial, of: str) -> tuple[str, str]:
    kind, _, rest = of.partition(".")
    last = rest.rpartition(".")[2]
    if kind == "road":
        name, unit = NAMES[last]
        return f"on {trial.job.roads[rest.rpartition('.')[0]].name}: {name}", unit
    if kind in ("true", "shown"):
        return NAMES[last]
    if kind == "register":
        setting = rest.partition(".")[2]
        when = {"kept": "kept", "running": "a minute after key-on", "two_mornings": "after two key-ons"}
        return f"{label_of(setting)}, {when[rest.partition('.')[0]]}:", unit_of(setting)
    if of in OTHERS:
        return f"{OTHERS[of]}:", "N" if of.endswith("_n") else "A" if of.endswith("_a") else ""
    if kind == "off" and last in OFF:
        return OFF[last]
    if kind == "changed" and rest.startswith("group."):
        return f"settings of {rest.removeprefix('group.').replace('_', ' ')} that were changed:", ""
    if kind == "changed":
        return f"{label_of(rest)} changed by", unit_of(rest)
    if kind == "rule":
        return f"the watch list warns of {rest.replace('-', ' ')}:", ""
    return of.replace(".", ": ").replace("_", " ") + ":", ""


def _shown(found: Value, unit: str) -> str:
    if isinstance(found, bool):
        return "yes" if found else "no"
    if isinstance(found, (str, list)):
        return f"“{found if isinstance(found, str) else ', '.join(found)}”"
    if math.isinf(found):
        return "never" if unit == "s" else "none"
    return f"{100 * found if unit == '%' else found:.3g} {unit}".strip()


def _limits(trial: Trial, check: Check) -> tuple[float | None, float | None]:
    return trial.drawn.value(check.least, trial.job), trial.drawn.value(check.most, trial.job)


def _wanted(trial: Trial, check: Check, unit: str) -> str:
    if check.is_ is not None:
        asked = check.is_
        if isinstance(asked, list):
            return f" (it should name {', '.join(asked)})"
        if isinstance(asked, str) and asked in trial.drawn.figures:
            asked = trial.drawn.figures[asked]
        return f" (wanted: {_shown(asked, unit)})"
    share = 100.0 if unit == "%" else 1.0
    least, most = (None if one is None else share * one for one in _limits(trial, check))
    if least is not None and most is not None:
        return f" (wanted: {least:.4g} to {most:.4g} {unit}".rstrip() + ")"
    if least is not None:
        return f" (wanted: at least {least:.4g} {unit}".rstrip() + ")"
    return f" (wanted: at most {most:.4g} {unit}".rstrip() + ")" if most is not None else ""
