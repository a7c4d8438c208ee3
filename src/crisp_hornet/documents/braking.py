"""What commands braking with the motor: levers, throttle, and letting go of it."""

from __future__ import annotations

from typing import Literal

from crisp_hornet.documents.base import Part
from crisp_hornet.documents.throttle import Portion, Seconds


class Braking(Part):
    """How the regen currents of a tune are asked for.

    ``command``: nothing; a switch in the lever, which asks for all at once; a lever whose travel is measured; a throttle that turns, or a
    thumb lever that is pushed, the other way. ``lift_off_share``: of all regen, what closing the throttle asks for by itself while rolling.
    ``ramp_s``: seconds from nothing to all.
    """

    command: Literal["none", "lever switch", "proportional lever", "two-way throttle"] = "lever switch"
    lift_off_share: Portion = 0.0
    ramp_s: Seconds = 0.3
