"""The order of work for fitting a part, each step with its caution. Sheets can be changed once they are laid out."""

from __future__ import annotations

CAPACITORS = "Capacitors stay charged after the pack is off: wait, then measure below 5 V before you touch a terminal."
LICENSED = "Where mains, a charger's inside or the pack's own cells are concerned, licensed practice and the local code go first."
Sheet = list[tuple[str, str]]

_OFF: Sheet = [
    ("Pack off and unplugged, key out", LICENSED),
    ("Capacitors discharged and measured", CAPACITORS),
    ("Every connection noted, with a picture, before it is opened", ""),
]
_ON: Sheet = [
    (
        "Ground first, then signals, then phases, pack last",
        "A signal plug without ground puts pack voltage on sensor pins.",
    ),
    (
        "Pre-charge through the resistor, then the main switch",
        "Without it the spark burns the plug and can weld the switch.",
    ),
    (
        "First power-on, wheel in the air, hands clear",
        "A wheel on a stand takes fingers: nothing near spokes and chain.",
    ),
    ("Hook up: identity as expected, backup kept, faults read", ""),
]
_RIDE: Sheet = [
    ("Calibrate what is new, on the stand", "The brake must cut the motor before anything else is tried."),
    ("A gentle draft: a third of the phase current", ""),
    (
        "Throttle on the stand, both directions of turning checked",
        "If it turns backwards, stop: exchange two phases or set the direction.",
    ),
    ("Open space, walking pace, then low speed", "Helmet, gloves, and room to stop."),
    ("Road, as the local code allows; log the first ride", "The local code decides what may be ridden where."),
]
SHEETS: dict[str, Sheet] = {
    "Fit a controller": [
        *_OFF,
        ("Ratings checked: pack full below the controller's voltage, fuse and leads for its battery current", ""),
        ("Controller mounted where air passes; leads away from edges", ""),
        *_ON,
        ("The bike's controller figures on Build match its label", ""),
        *_RIDE,
    ],
    "Fit a motor": [
        *_OFF,
        ("Axle flats, torque arm and nuts as the maker says", "An axle that spins out takes the leads and the wheel with it."),
        ("Phase and sensor leads: no strain, no chafing, drip loop below the plug", ""),
        *_ON,
        ("Motor detection or position sensor calibrated", ""),
        *_RIDE,
    ],
    "Fit a pack": [
        ("New pack at storage charge, no bulge, no smell", "A damaged lithium pack burns: outside, away from anything that burns."),
        *_OFF,
        ("Polarity measured at the plug", "Wrong polarity kills a controller at once."),
        ("Fuse and board fit the battery current set", ""),
        *_ON,
        ("Low-voltage and regen fades moved to the new pack's window", ""),
        *_RIDE,
    ],
    "Fit a display": [
        *_OFF,
        ("Its plug: pack voltage, ground, key wire and signals told apart by measuring", "The key wire carries pack voltage."),
        *_ON,
        ("Wheel size, speed limit and current limit of the display noted in the bike's chain on Build", ""),
        *_RIDE,
    ],
}  # fmt: skip
