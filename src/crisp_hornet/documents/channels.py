"""Names of the channels of a ride log and of a controller's live values."""

UNITS = {
    "wheel_speed_kmh": "km/h",
    "gps_speed_kmh": "km/h",
    "motor_rpm": "rpm",
    "pack_v": "V",
    "battery_a": "A",
    "phase_a": "A",
    "d_axis_a": "A",
    "throttle": "",
    "human_nm": "N·m",
    "cadence_rpm": "rpm",
    "motor_c": "°C",
    "controller_c": "°C",
    "level": "",
    "mode": "",
    "altitude_m": "m",
    "lat_deg": "°",
    "lon_deg": "°",
    "brake": "",
    "fault": "",
}
"""Channels of a ride log, with their units."""
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
