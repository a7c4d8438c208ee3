"""Whether a figure is what such a thing usually has, and if not, which slip would explain it."""

from __future__ import annotations

from crisp_hornet.core.build.conversions import kv_from_flux
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.saying import Place, Saying, quantity, say

USUAL = packaged("crisp_hornet.core.build", "usual.toml")


def implausible(bike: Bike, path: str, value: float) -> str:
    """A reason to look again at a figure (document's unit), or "" if it is usual."""
    if path == "motor.flux_linkage_wb":
        if value <= 0:
            return "No magnets at all? It must be above 0."
        kv = kv_from_flux(value, bike.motor.pole_pairs)
        if kv > 400:
            return say(
                "{kv} per volt is rare in a bike: electrical speed, or pole pairs counted twice?",
                kv=quantity(kv, "rpm", ".0f"),
            )
        return (
            say("{kv} per volt is rare: volts per 1000 rpm, or kV per pole pair?", kv=quantity(kv, "rpm", ".2f"))
            if kv < 2
            else ""
        )
    usual = USUAL.get(path)
    if usual is None:
        return ""
    for words, outside in (("below", value < usual["low"]), ("above", value > usual["high"])):
        if outside and words in usual:
            ends: dict[str, Place] = {end: quantity(usual[end], usual.get("unit", "")) for end in ("low", "high")}
            return Saying(usual[words], ends)
    if path == "controller.max_battery_current_a" and value > bike.controller.max_phase_current_a:
        return "More battery than phase current is rare: a label's headline figure is the phase current."
    if path in ("motor.ld_h", "motor.lq_h"):
        ld, lq = (value, bike.motor.lq_h) if path == "motor.ld_h" else (bike.motor.ld_h, value)
        if ld > 1.02 * lq:
            return "ld over lq does not occur in bikes' motors: the two exchanged?"
    return ""
