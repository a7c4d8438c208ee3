"""The one table of channels: what a ride log, a controller and what is worked out from them call a figure, its names, unit and digits."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


class Origin(Enum):
    """Where a channel comes from: kept in a ride; read from logs of other layouts and turned into such; worked out from others."""

    KEPT = "kept"
    READ = "read"
    WORKED_OUT = "worked out"


@dataclass(frozen=True)
class Channel:
    """``words`` name it where it stands alone, ``short`` beside its figure; ``digits`` behind the point are what matters of it."""

    name: str
    words: str
    short: str
    unit: str
    digits: int = 1
    origin: Origin = Origin.KEPT


_READ, _OUT = Origin.READ, Origin.WORKED_OUT
TABLE: dict[str, Channel] = {
    one.name: one
    for one in (
        Channel("wheel_speed_kmh", "speed, wheel", "speed", "km/h"),
        Channel("gps_speed_kmh", "speed, GPS", "GPS", "km/h"),
        Channel("motor_rpm", "motor speed", "motor", "rpm", 0),
        Channel("pack_v", "pack voltage", "pack", "V"),
        Channel("battery_a", "battery current", "battery", "A"),
        Channel("phase_a", "phase current", "phase", "A", 0),
        Channel("d_axis_a", "d-axis current", "d-axis", "A"),
        Channel("throttle", "throttle", "throttle", "", 0),
        Channel("human_nm", "crank torque", "rider", "N·m"),
        Channel("cadence_rpm", "cadence", "cadence", "rpm", 0),
        Channel("motor_c", "motor temperature", "motor", "°C", 0),
        Channel("controller_c", "controller temperature", "controller", "°C", 0),
        Channel("level", "assist level", "level", "", 0),
        Channel("mode", "mode", "mode", "", 0),
        Channel("altitude_m", "height", "height", "m"),
        Channel("lat_deg", "latitude", "latitude", "°", 6),
        Channel("lon_deg", "longitude", "longitude", "°", 6),
        Channel("brake", "brake", "brake", "", 0),
        Channel("fault", "fault", "fault", "", 0),
        Channel("power_w", "pack power", "power", "W", 0, _READ),
        Channel("battery_w", "electric power", "electric", "W", 0, _OUT),
        Channel("wh", "energy drawn", "energy", "Wh", 0, _OUT),
        Channel("ah", "charge drawn", "charge", "Ah", 1, _OUT),
        Channel("distance_km", "distance", "way", "km", 1, _OUT),
        Channel("grade", "grade", "grade", "%", 1, _OUT),
        Channel("acceleration_mps2", "acceleration", "accel.", "m/s²", 1, _OUT),
        Channel("human_w", "rider's power", "rider", "W", 0, _OUT),
        Channel("wheel_w", "power on the road, estimated", "road", "W", 0, _OUT),
        Channel("human_share", "rider's share", "rider", "%", 0, _OUT),
        Channel("efficiency", "battery to road, estimated", "efficiency", "%", 0, _OUT),
        Channel("rested_v", "open-circuit voltage, estimated", "rested", "V", 1, _OUT),
        Channel("phase_per_battery", "phase per battery current", "phase/batt.", "×", 1, _OUT),
        Channel("limit", "what held it back, by the model", "limited by", "", 0, _OUT),
        Channel("predicted_w", "electric power, predicted", "predicted", "W", 0, _OUT),
        Channel("ahead_s", "time ahead", "ahead", "s", 1, _OUT),
    )
}


def long_name(channel: str) -> str:
    """What a channel is called where it stands alone; its key for one that is not in the table."""
    return TABLE[channel].words if channel in TABLE else channel


def short_name(channel: str) -> str:
    """What it is called beside its figure."""
    return TABLE[channel].short if channel in TABLE else channel


UNITS = {one.name: one.unit for one in TABLE.values() if one.origin is Origin.KEPT}
"""Channels of a ride log, with their units."""
READ_FROM_LOGS = (*UNITS, "power_w", "human_w", "distance_km")
"""What a column of another layout may be."""
LIVE_ONLY = (
    "unkept",
    "charging",
    "inhibited",
    "heartbeat",
    "throttle_v",
    "torque_v",
    "pedal_pulses",
    "pedal_forward",
    "wheel_pulses",
    "motor_sensor_ohm",
    "detect_state",
    "detected_resistance_ohm",
    "detected_ld_h",
    "detected_lq_h",
    "detected_flux_linkage_wb",
    "detected_pole_pairs",
    "detected_offset_deg",
    "detected_direction",
)
"""What a controller tells besides, of no use in a log."""
LIVE = frozenset([*UNITS, *LIVE_ONLY])
