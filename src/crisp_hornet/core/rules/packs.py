"""Rules about several packs: what they do to each other, and what a tune does to those that are not on the bike now."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.rules import pack
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule, says
from crisp_hornet.documents.battery import shares
from crisp_hornet.documents.saying import quantity, say

RULES_OF_A_PACK = (
    pack.battery_over_bms,
    pack.battery_over_wiring,
    pack.fade_under_trip,
    pack.regen_over_charge_limit,
)
COARSE_KMH = np.linspace(0.0, 60.0, 61)
UNEVEN = 1.25  # times its fair share, from which a pack ages and heats sooner than the rest
APART_V = 1.0


@rule
def another_pack_unfit(s: Situation) -> Warning_ | None:
    """The tune suits the pack that is on the bike, and not another one that it will run on."""
    packs = s.bike.packs
    if packs is None or packs.how != "in turn":
        return None
    now = {one.id for check in RULES_OF_A_PACK if (one := check(s)) is not None}
    for at, other in enumerate(packs.each):
        if at == packs.in_use:
            continue
        bike = s.bike.model_copy(update={"battery": other.battery, "packs": None})
        curve = pull_curve(bike, s.draft, COARSE_KMH, Conditions(rested_or_typical_v(other.battery, 0.5)))
        for check in RULES_OF_A_PACK:
            found = check(replace(s, bike=bike, curve=curve))
            if found is not None and found.id not in now:
                return says(
                    "another-pack-unfit",
                    strength=found.strength,
                    pack=other.name,
                    told=found.text,
                    reason=found.reason,
                    mend=found.mend,
                    setting=found.setting,
                    value=found.mended_value,
                )
    return None


@rule
def packs_of_other_voltage(s: Situation) -> Warning_ | None:
    """Packs taken in turn that have other numbers of cells: guards in volts fit only one of them."""
    packs = s.bike.packs
    if packs is None or packs.how != "in turn" or len({one.battery.series for one in packs.each}) < 2:
        return None
    told = ", ".join(f"{one.name} {one.battery.series}" for one in packs.each)
    return says("packs-of-other-voltage", told=told)


@rule
def packs_share_unevenly(s: Situation) -> Warning_ | None:
    """In parallel the stiffest pack takes most of the current."""
    packs = s.bike.packs
    if packs is None or packs.how != "in parallel":
        return None
    parts = shares([one.battery for one in packs.each])
    most = int(np.argmax(parts))
    if parts[most] * len(parts) < UNEVEN:
        return None
    hardest = packs.each[most]
    alone = hardest.battery.bms_discharge_a
    return says(
        "packs-share-unevenly",
        pack=hardest.name,
        share=quantity(100 * parts[most], "%", ".0f"),
        together=quantity(s.bike.battery.bms_discharge_a, "A", ".0f"),
        alone=quantity(alone, "A"),
    )


@rule
def packs_joined(s: Situation) -> Warning_ | None:
    """What flows between packs that are joined at different voltages: the caution of this step."""
    packs = s.bike.packs
    if packs is None or packs.how != "in parallel":
        return None
    ohms = sorted(one.battery.resistance_ohm for one in packs.each)
    between = ohms[0] + ohms[1]
    flows = (
        say("{amps}", amps=quantity(APART_V / between, "A", ".0f"))
        if between > 0
        else "whatever their wires let through"
    )
    return says("packs-joined", strength=Strength.NOTE, apart=quantity(APART_V, "V"), flows=flows)
