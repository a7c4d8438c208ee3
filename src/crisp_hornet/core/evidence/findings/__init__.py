"""Findings of a ride, each with the moment that shows it and the change it speaks for. One function a kind, by subject."""

from crisp_hornet.core.evidence.findings import drive, heat, limits, pack, rider, road
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, Suggestion, found_in

__all__ = ["Evidence", "Finding", "Suggestion", "drive", "found_in", "heat", "limits", "pack", "rider", "road"]
