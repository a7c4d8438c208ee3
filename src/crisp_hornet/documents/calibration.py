"""The calibration document: how one sensor was judged, when, and the figures that were found."""

from __future__ import annotations

from typing import Literal

from crisp_hornet.documents.base import Number, Part, Text

CALIBRATION_VERSION = 1
SENSORS = (  # what can be calibrated, in the order in which it is done
    *(
        "brake",
        "brake cut",
        "motor",
        "running",
        "throttle",
        "throttle output",
        "pedals",
        "torque",
        "torque span",
        "torque sides",
    ),
    *("human", "current", "current gain", "temperature", "speed", "wheel", "gps"),
)


class Calibration(Part):
    """One calibration of one sensor (``crisp-hornet/calibration``). ``figures`` carry their unit in the name."""

    format: Literal["crisp-hornet/calibration"] = "crisp-hornet/calibration"
    version: Literal[1] = 1
    kind: Text
    taken: Text
    serial: str = ""
    verdict: Literal["passed", "doubtful", "failed"]
    reason: Text
    next: str = ""
    figures: dict[str, Number] = {}
    written: bool = False
