"""Findings of a ride, each with the moment that shows it and the change it speaks for. One function a kind, by subject."""

from crisp_hornet.core.evidence.findings import drive, heat, limits, motor, pack, rider, road, sensors
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, found_in
from crisp_hornet.core.evidence.findings.suggestion import Effect, Suggestion

__all__ = [
    "Effect",
    "Evidence",
    "Finding",
    "Suggestion",
    "drive",
    "found_in",
    "heat",
    "limits",
    "motor",
    "pack",
    "rider",
    "road",
    "sensors",
]
