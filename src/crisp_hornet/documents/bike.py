"""The bike document: what the machine is made of. SI units, the unit in each key."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import Count, NotNegative, Number, Part, Positive, Share, Text
from crisp_hornet.documents.battery import Battery, Packs
from crisp_hornet.documents.local_rules import LocalRules
from crisp_hornet.documents.sensors import COUNTED, Sensors
from crisp_hornet.documents.source import Source

BIKE_VERSION = 1
RATED = ("phase_current_a", "battery_current_a")


class MotorThermal(Part):
    """Two heat nodes, winding and housing, and the paths between and out of them."""

    winding_j_per_k: Positive = Field(ge=0.1, le=1e06)
    housing_j_per_k: Positive = Field(ge=0.1, le=1e07)
    winding_to_housing_w_per_k: Positive = Field(ge=0.0001, le=10000)
    housing_to_air_w_per_k: Positive = Field(ge=0.0001, le=10000)
    airflow_w_per_k_per_mps: NotNegative = Field(le=10000)


class Saturation(Part):
    """Iron that saturates: at ``at_a`` of torque-making current the magnets' flux counts ``flux_drop`` (a share) less,
    at other currents with their square."""

    at_a: Positive = Field(ge=0.1, le=100000)
    flux_drop: Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, lt=0.7)]


class Motor(Part):
    """Amplitude-invariant d/q figures of the motor; the resistance is phase to star point at 25 °C."""

    pole_pairs: Count = Field(le=200)
    phase_resistance_ohm: Positive = Field(ge=1e-05, le=100)
    ld_h: Positive = Field(ge=1e-08, le=1)
    lq_h: Positive = Field(ge=1e-08, le=1)
    flux_linkage_wb: Positive = Field(ge=1e-05, le=10)
    hysteresis_loss_w_per_hz: NotNegative = Field(le=1000)
    eddy_loss_w_per_hz2: NotNegative = Field(le=10)
    friction_nm: NotNegative = Field(le=1000)
    max_rpm: Positive = Field(ge=1, le=200000)
    max_winding_c: Number = Field(ge=0, le=500)
    rotor_inertia_kgm2: NotNegative = Field(default=0.0, le=100)
    demagnetising_a: Positive | None = Field(default=None, ge=0.1, le=100000)
    saturation: Saturation | None = None
    thermal: MotorThermal


class ControllerThermal(Part):
    """The heatsink as one node."""

    heatsink_j_per_k: Positive = Field(ge=0.1, le=1e06)
    to_air_w_per_k: Positive = Field(ge=0.0001, le=10000)
    airflow_w_per_k_per_mps: NotNegative = Field(le=10000)


class VoltageRating(Part):
    """What a controller is rated for up to a pack voltage, as its label says."""

    up_to_v: Positive = Field(ge=1, le=2000)
    phase_current_a: Positive | None = None
    battery_current_a: Positive | None = None


ShareOf = Literal["power", "battery_current", "phase_current", "torque"]


class Controller(Part):
    """The power stage and its ratings. ``resistance_ohm`` is per phase path. ``level_share``: what an assist level's power share is a
    share of: the drive's greatest power at the wheel, its battery current, its phase current, or its torque."""

    max_phase_current_a: Positive = Field(ge=0.1, le=10000)
    max_battery_current_a: Positive = Field(ge=0.1, le=10000)
    max_voltage_v: Positive = Field(ge=1, le=2000)
    modulation_limit: Share
    resistance_ohm: NotNegative = Field(le=100)
    idle_w: NotNegative = Field(le=10000)
    ratings_by_voltage: list[VoltageRating] | None = None
    level_share: ShareOf = "power"
    serial: str | None = None
    thermal: ControllerThermal


class Drivetrain(Part):
    """From motor to road. ``ratio``: motor turns per wheel turn; ``gears``: the ratios to choose from, then. ``freewheel``: the wheel
    turns on without the motor, as with geared hubs and most mid motors: no drag when coasting, and no regen."""

    wheel_circumference_m: Positive = Field(ge=0.05, le=20)
    ratio: Positive = Field(ge=0.01, le=1000)
    efficiency: Share
    gears: list[Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0.01, le=1000)]] | None = Field(
        default=None, max_length=50
    )
    freewheel: bool = False


class Mass(Part):
    """One mass at a place: metres forward of the rear axle, and above the ground."""

    name: Text
    kg: Positive = Field(ge=0.001, le=10000)
    x_m: Number = Field(ge=-10, le=10)
    z_m: Number = Field(ge=-10, le=10)


class Chassis(Part):
    """Masses, geometry and rolling figures. ``bike_kg`` includes motor and pack. ``front_wheel``: whether its rider wants it to lift under
    full throttle."""

    bike_kg: Positive = Field(ge=0.5, le=10000)
    rider_kg: NotNegative = Field(le=1000)
    cargo_kg: NotNegative = Field(le=10000)
    wheelbase_m: Positive = Field(ge=0.1, le=10)
    cg_from_rear_m: NotNegative = Field(le=10)
    cg_height_m: Positive = Field(ge=0.01, le=10)
    crr: NotNegative = Field(le=1)
    cda_m2: NotNegative = Field(le=50)
    wheel_inertia_kgm2: NotNegative = Field(le=1000)
    tyre_grip: Positive = Field(ge=0.01, le=10)
    driven_wheel: Literal["rear", "front"] = "rear"
    front_wheel: Literal["as it comes", "must stay down", "shall lift"] = "as it comes"
    masses: list[Mass] | None = None
    rated_speed_kmh: Positive | None = Field(default=None, ge=0.1, le=500)


Limited = Literal["phase_current_a", "battery_current_a", "power_w", "speed_kmh"]


class ChainLink(Part):
    """Something else that limits: protection board, display, mode switch. What it says counts where it is the least; of the figures in
    ``replaces`` it counts instead of all that came before it, and may then raise them."""

    name: Text
    phase_current_a: NotNegative | None = None
    battery_current_a: NotNegative | None = None
    power_w: NotNegative | None = None
    speed_kmh: NotNegative | None = None
    replaces: list[Limited] = Field(default=[], max_length=4)
    nominal_v: Positive | None = None
    wheel_circumference_m: Positive | None = None


class Bike(Part):
    """A whole bike (``crisp-hornet/bike``)."""

    format: Literal["crisp-hornet/bike"]
    version: Literal[1]
    name: Text
    motor: Motor
    controller: Controller
    battery: Battery
    drivetrain: Drivetrain
    chassis: Chassis
    chain: list[ChainLink] = []
    sources: dict[str, Source] = {}
    local: LocalRules | None = None
    sensors: Sensors = Sensors()
    packs: Packs | None = None

    @model_validator(mode="after")
    def _runs_on_its_packs(self) -> Self:
        """Where it has several packs, its battery is what they come to."""
        return self if self.packs is None else self.model_copy(update={"battery": self.packs.battery})

    @model_validator(mode="after")
    def _centre_of_gravity_between_the_wheels(self) -> Self:
        chassis = self.chassis
        if chassis.cg_from_rear_m > chassis.wheelbase_m:
            raise ValueError("chassis.cg_from_rear_m lies in front of the front wheel (over wheelbase_m)")
        return self

    def with_figure(self, path: str, value: float, origin: str) -> Bike:
        """This bike with one figure changed, e.g. ``with_figure("motor.ld_h", 1e-4, "measured")``, its source noted.

        A listed mass that weighed just what a changed mass did follows it. Otherwise listed masses are let go when a mass or
        the centre of gravity is set by hand: they no longer add up.
        Raises :class:`pydantic.ValidationError` if the result is no valid bike and :class:`KeyError` for an unknown path.
        """
        return self.with_value(path, value, origin)

    def with_value(self, path: str, value: Any, origin: str) -> Bike:
        """The same for figures of any kind: words, lists, and None for one that is not set any more. A table of cell voltages makes the
        chemistry that of the table. Raises as :meth:`with_figure`."""
        data = self.model_dump(mode="json", by_alias=True, exclude_unset=True)
        part, _, key = path.rpartition(".")
        if part == "sensors":
            data.setdefault(part, {})
        holds: Any = data
        for step in part.split("."):
            holds = holds.get(step) if isinstance(holds, dict) else None
        if not isinstance(holds, dict) or not self._has_key(part, key):
            raise KeyError(path)
        was = holds.get(key)
        whole = isinstance(value, float) and value == int(value) and (isinstance(was, int) or self._counts(part, key))
        holds[key] = int(value) if whole else value
        sources = data.setdefault("sources", {})
        sources.pop(path, None)
        if value is not None:
            sources[path] = {"from": origin}
        if path == "battery.rested_v_table" and value is not None:
            holds["chemistry"] = "custom"
        if part == "battery" and self.packs is not None:
            changed = self.packs.with_figure(key, was, holds[key])
            if holds["chemistry"] != self.battery.chemistry:
                changed = changed.with_figure("chemistry", self.battery.chemistry, holds["chemistry"])
            data["packs"] = changed.model_dump(mode="json", by_alias=True)
        if part == "chassis" and key in ("bike_kg", "rider_kg", "cargo_kg", "cg_from_rear_m", "cg_height_m"):
            same = [mass for mass in data["chassis"].get("masses") or [] if key.endswith("_kg") and mass["kg"] == was]
            if len(same) == 1 and value > 0:
                same[0]["kg"] = value
            else:
                data["chassis"].pop("masses", None)
        return Bike.model_validate(data)

    def _has_key(self, part: str, key: str) -> bool:
        holds: Any = self
        for step in part.split("."):
            holds = getattr(holds, step, None)
        return isinstance(holds, Part) and key in type(holds).model_fields

    def _counts(self, part: str, key: str) -> bool:
        return part == "sensors" and key in COUNTED

    def value(self, path: str) -> Any:
        """What stands at a dotted path, a figure, a word or a list; None where nothing is set."""
        value: Any = self
        for step in path.split("."):
            value = getattr(value, step, None)
        return value

    def with_part_of(self, other: Bike, part: str) -> Bike:
        """This bike with ``motor``, ``controller`` or ``battery`` of another, what is known about its figures included.

        Raises :class:`KeyError` for another part.
        """
        if part not in ("motor", "controller", "battery"):
            raise KeyError(part)
        kept = {path: source for path, source in self.sources.items() if not path.startswith(f"{part}.")}
        brought = {path: source for path, source in other.sources.items() if path.startswith(f"{part}.")}
        packs = {"packs": other.packs} if part == "battery" else {}
        return self.model_copy(update={part: getattr(other, part), "sources": kept | brought, **packs})

    def with_pack(self, name: str) -> Bike:
        """This bike with another of its packs in use, and what is known of that one's figures. Itself where the packs are not taken in
        turn, or none is called that."""
        packs = self.packs
        at = packs.place(name) if packs is not None and packs.how == "in turn" else None
        if packs is None or at is None or at == packs.in_use:
            return self
        return self.with_packs(packs.model_copy(update={"in_use": at}))

    def with_packs(self, packs: Packs | None) -> Bike:
        """This bike with other packs, or with the one in use alone; what is known of the figures goes with each pack.

        Raises :class:`pydantic.ValidationError` if the packs do not go together.
        """
        known = {path: source for path, source in self.sources.items() if path.startswith("battery.")}
        others = {path: source for path, source in self.sources.items() if path not in known}
        before = self.packs
        if packs is None:
            if before is None:
                return self
            alone = before.each[before.in_use]
            if before.how == "in parallel":  # what was known was of all together
                known = {f"battery.{key}": source for key, source in alone.sources.items()}
            return self.model_copy(update={"packs": None, "battery": alone.battery, "sources": others | known})
        left = before.each[before.in_use].name if before is not None and before.how == "in turn" else None
        each = [
            pack.model_copy(update={"sources": {path.partition(".")[2]: source for path, source in known.items()}})
            if pack.name == left
            else pack
            for pack in packs.each
        ]
        made = Packs.model_validate(packs.model_copy(update={"each": each}).model_dump(mode="json", by_alias=True))
        if made.how == "in parallel" and (
            before is None or before.how == "in turn"
        ):  # of all together nothing is known yet
            known = {}
        elif made.how == "in turn":
            known = {f"battery.{key}": source for key, source in made.each[made.in_use].sources.items()}
        return self.model_copy(update={"packs": made, "battery": made.battery, "sources": others | known})

    def with_rating(self, up_to_v: float, key: str, value_a: float) -> Bike:
        """This bike with ``phase_current_a`` or ``battery_current_a`` of its controller's rating up to a voltage set; 0 takes it out.

        Raises :class:`pydantic.ValidationError` if the result is no valid bike.
        """
        data = self.model_dump(mode="json", by_alias=True, exclude_unset=True)
        rows = data["controller"].get("ratings_by_voltage") or []
        kept = {row["up_to_v"]: row for row in rows}
        row = kept.setdefault(up_to_v, {"up_to_v": up_to_v})
        row[key] = value_a or None
        left = [kept[volts] for volts in sorted(kept) if any(kept[volts].get(one) for one in RATED)]
        data["controller"]["ratings_by_voltage"] = left or None
        return Bike.model_validate(data)

    def rated_at(self, rested_v: float) -> Bike:
        """This bike with the ratings its controller has at a rested pack voltage, and no others.

        The row with the lowest ``up_to_v`` not below it counts; above all rows the last one does. The general ratings stay the most.
        """
        rows = sorted(self.controller.ratings_by_voltage or [], key=lambda row: row.up_to_v)
        if not rows:
            return self
        row = next((one for one in rows if one.up_to_v >= rested_v), rows[-1])
        controller = self.controller
        rated = {
            "ratings_by_voltage": None,
            "max_phase_current_a": min(controller.max_phase_current_a, row.phase_current_a or math.inf),
            "max_battery_current_a": min(controller.max_battery_current_a, row.battery_current_a or math.inf),
        }
        return self.model_copy(update={"controller": controller.model_copy(update=rated)})

    def figure(self, path: str) -> float:
        """The value at a dotted path such as ``motor.ld_h``. Raises :class:`KeyError` for a path that names no figure."""
        value: Any = self
        for step in path.split("."):
            value = getattr(value, step, None)
        if not isinstance(value, (int, float)) or isinstance(value, bool):
            raise KeyError(path)
        return float(value)

    def in_gear(self, ratio: float) -> Bike:
        """This bike locked in one gear: that ratio, and no gears."""
        return self.model_copy(
            update={"drivetrain": self.drivetrain.model_copy(update={"ratio": ratio, "gears": None})}
        )

    def in_each_gear(self) -> list[Bike]:
        """This bike locked in each of its gears; itself alone where it has none."""
        return [self.in_gear(ratio) for ratio in self.drivetrain.gears or []] or [self]

    @property
    def mass_kg(self) -> float:
        """Bike, rider and cargo together."""
        return self.chassis.bike_kg + self.chassis.rider_kg + self.chassis.cargo_kg

    @property
    def assumed(self) -> list[str]:
        """Dotted paths of the figures that nobody entered or measured."""
        return [path for path, source in self.sources.items() if source.origin == "assumed"]
