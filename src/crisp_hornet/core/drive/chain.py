"""Who is in charge: for each quantity what every link of the chain says, which one has effect, and where links contradict."""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.core.drive.limits import Effective, effective_limits
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.core.pack.nominal import called_v, same_class
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import joined, quantity, say
from crisp_hornet.documents.tune import Tune

SAME = 0.02  # wheels closer than this are the same wheel


@dataclass(frozen=True)
class Say:
    """What one link says of a quantity; ``trips`` says that it does not limit but switch off, ``replaces`` that it counts instead of what
    came before it."""

    link: str
    value: float
    trips: bool = False
    replaces: bool = False


@dataclass(frozen=True)
class Quantity:
    """One quantity of the chain. ``effective`` is None where nobody limits; ``owner`` sets it."""

    name: str
    unit: str
    says: list[Say]
    effective: float | None
    owner: str


def who_is_in_charge(bike: Bike, tune: Tune) -> list[Quantity]:
    """Phase current, battery current, power and speed through the whole chain."""
    rated = bike.rated_at(full_v(bike.battery))
    limits = effective_limits(rated, tune)
    controller, battery = rated.controller, bike.battery
    board = [Say("BMS", battery.bms_discharge_a, trips=True)]
    board += [Say("fuse", battery.fuse_a, trips=True)] if battery.fuse_a else []
    rows: list[tuple[str, str, str, float | None, list[Say], Effective]] = [
        (
            "phase current",
            "A",
            "phase_current_a",
            tune.drive.phase_current_a,
            [Say("controller", controller.max_phase_current_a)],
            limits.phase_current_a,
        ),
        (
            "battery current",
            "A",
            "battery_current_a",
            tune.drive.battery_current_a,
            [*board, Say("controller", controller.max_battery_current_a)],
            limits.battery_current_a,
        ),
        ("power", "W", "power_w", tune.drive.power_w, [], limits.power_w),
        ("speed", "km/h", "speed_kmh", tune.drive.speed_kmh, [], limits.speed_kmh),
    ]
    found = []
    for name, unit, key, drafted, says, limit in rows:
        own = [Say("tune", drafted)] if drafted is not None else []
        links = [
            Say(link.name, getattr(link, key), replaces=key in link.replaces)
            for link in bike.chain
            if getattr(link, key) is not None
        ]
        hands = _by_hand(tune, key, limit.value)
        value, owner = min(
            [(limit.value, limit.owner), *((word.value, word.link) for word in hands)],
            key=lambda one: math.inf if one[0] is None else one[0],
        )
        found.append(Quantity(name, unit, says + own + links + hands, value, owner))
    return found


def _by_hand(tune: Tune, key: str, before: float | None) -> list[Say]:
    """What comes last: the mode that is on after power-on, and the rider's lever, whose full twist may ask for less than all."""
    mode = next((one for one in tune.modes if one.starts), None)
    limit = getattr(mode, key) if mode is not None else None
    says = [Say(say("mode {name}", name=mode.name), limit)] if mode is not None and limit is not None else []
    if key == "phase_current_a" and before is not None:
        share = tune.throttle.maximum
        if mode is not None and mode.throttle_maximum is not None:
            share = min(share, mode.throttle_maximum)
        if share < 1:
            says.append(Say("full throttle", round(share * min(before, limit or before), 1)))
    return says


def conflicts(bike: Bike, tune: Tune) -> list[str]:
    """Where links contradict each other, each as a sentence."""
    told: list[str] = []
    for one in who_is_in_charge(bike, tune):
        drafted = next((word.value for word in one.says if word.link == "tune"), None)
        if drafted is not None and one.effective is not None and drafted > one.effective and one.owner != "tune":
            told.append(
                say(
                    "The tune sets {name} to {drafted} {unit}, but {owner} allows {effective} {unit}",
                    drafted=quantity(drafted),
                    unit=one.unit,
                    name=one.name,
                    owner=one.owner,
                    effective=quantity(one.effective),
                )
            )
        for word in one.says:
            if word.trips and one.effective is not None and one.effective > word.value:
                told.append(
                    say(
                        "The {link} cuts off at {value} {unit}, the limits allow {effective} {unit}",
                        link=word.link,
                        value=quantity(word.value),
                        unit=one.unit,
                        effective=quantity(one.effective),
                    )
                )
    own = bike.drivetrain.wheel_circumference_m
    for link in bike.chain:
        wheel = link.wheel_circumference_m
        if wheel is not None and abs(wheel / own - 1) > SAME:
            true = (
                say(
                    "its {speed} are really {wheel}",
                    speed=quantity(link.speed_kmh, "km/h"),
                    wheel=quantity(link.speed_kmh * own / wheel, "km/h", ".1f"),
                )
                if link.speed_kmh
                else "its speed is wrong"
            )
            told.append(
                say(
                    "{name} is set to a {wheel} wheel instead of {own}: {true}",
                    name=link.name,
                    wheel=quantity(wheel, "m"),
                    own=quantity(own, "m"),
                    true=true,
                )
            )
    nominal = {link.nominal_v for link in bike.chain if link.nominal_v is not None}
    if nominal and not same_class(min(nominal), max(nominal)):
        told.append(
            say(
                "The devices are set to different nominal voltages: {nominal}",
                nominal=joined(", ", (say("{nominal}", nominal=quantity(one, "V")) for one in sorted(nominal))),
            )
        )
    return told


@dataclass(frozen=True)
class CardLine:
    """One line of the key-in card: what to enter on a device that cannot be connected."""

    what: str
    value: str


def key_in_card(bike: Bike, tune: Tune, magnets_per_turn: float | None = None) -> list[CardLine]:
    """What a display needs for this bike. Wheels are often asked for in millimetres of circumference, or inches of diameter."""
    wheel = bike.drivetrain.wheel_circumference_m
    limits = effective_limits(bike, tune)
    lines = [
        CardLine("wheel, circumference", say("{wheel}", wheel=quantity(1000 * wheel, "mm", ".0f"))),
        CardLine("wheel, diameter", say("{pi} inch", pi=quantity(wheel / math.pi / 0.0254, "", ".1f"))),
        CardLine(
            "pack, nominal",
            say(
                "{series} ({series_2} cells)",
                series=quantity(called_v(bike.battery), "V"),
                series_2=bike.battery.series,
            ),
        ),
        CardLine("low-voltage cutoff", say("{fade_end}", fade_end=quantity(tune.battery_guard.fade_end_v, "V"))),
        CardLine("magnets of the speed sensor", f"{magnets_per_turn:g}" if magnets_per_turn else "count them"),
    ]
    if tune.holds("assist.levels.count"):
        lines.append(CardLine("number of levels", f"{len(tune.assist.levels)}"))
    if limits.battery_current_a.value is not None:
        lines.append(CardLine("current", say("{value}", value=quantity(limits.battery_current_a.value, "A"))))
    speed = limits.speed_kmh.value
    lines.append(
        CardLine(
            "speed limit",
            say("{speed}", speed=quantity(speed, "km/h")) if speed is not None else "as the local code says",
        )
    )
    return lines
