"""What another tune changes on a ride, in one sentence."""

from __future__ import annotations

from collections.abc import Mapping

from crisp_hornet.core.virtual_ride.band import Ends, Foreseen
from crisp_hornet.documents.saying import joined, quantity, say

LEAST_S, LEAST_SHARE, LEAST_K = 0.5, 0.005, 0.5  # what is called the same


AGAIN = "That round on this tune"


def change_told(foreseen: Foreseen, changes: Mapping[str, Ends], before: Mapping[str, float], lead: str = AGAIN) -> str:
    """Time, energy and heat against ``before``; of a ride that ends on its way where and why."""
    journey = foreseen.journey
    if journey.stalled_at_m is not None:
        where = quantity(journey.stalled_at_m / 1000, "km", ".2f")
        if journey.why == "empty":
            return say("{lead}: the pack is empty after {where}.", lead=lead, where=where)
        return say("{lead}: it stalls after {where}.", lead=lead, where=where)
    time, energy, heat = changes["time_s"], changes["wh_cells"], changes["winding_c"]
    parts = [_time(time), _energy(energy, before["wh_cells"]), _heat(heat)]
    return say("{lead}: {parts}.", lead=lead, parts=joined(", ", parts))


def _sure(change: Ends) -> bool:
    return change.low > 0 or change.high < 0


def _time(change: Ends) -> str:
    if abs(change.value) < LEAST_S:
        return "as long as before"
    seconds = quantity(abs(change.value), "s", ".0f")
    word = say("{seconds} sooner", seconds=seconds) if change.value < 0 else say("{seconds} later", seconds=seconds)
    return word if _sure(change) else say("{word}, though it may be none", word=word)


def _energy(change: Ends, before: float) -> str:
    share = change.value / before if before else 0.0
    if abs(share) < LEAST_SHARE:
        return "as much energy"
    percent = quantity(abs(100 * share), "%", ".0f" if abs(share) >= 0.01 else ".1f")
    word = say("{percent} more energy", percent=percent) if share > 0 else say("{percent} less energy", percent=percent)
    return word if _sure(change) else say("{word}, though it may be none", word=word)


def _heat(change: Ends) -> str:
    if abs(change.value) < LEAST_K:
        return "as warm"
    kelvin = quantity(abs(change.value), "K", ".0f", difference=True)
    word = say("{kelvin} warmer", kelvin=kelvin) if change.value > 0 else say("{kelvin} cooler", kelvin=kelvin)
    return word if _sure(change) else say("{word}, though it may be none", word=word)
