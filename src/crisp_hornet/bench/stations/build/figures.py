"""The bike's figures as groups of rows: label, value, where it comes from."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.bench.stations.build.ways import GROUPS, SHOWN
from crisp_hornet.core.build.conversions import kv_from_flux
from crisp_hornet.documents.bike import Bike

PHASE_RATING, BATTERY_RATING = "controller.max_phase_current_a", "controller.max_battery_current_a"


@dataclass(frozen=True)
class Figure:
    """One row. ``path`` is the key in the document, for its source; "" for a computed figure."""

    label: str
    text: str
    path: str = ""


def figures(bike: Bike) -> dict[str, list[Figure]]:
    """All groups, in the order a builder goes through a bike."""
    groups = {}
    for name, part in GROUPS.items():
        rows = [
            Figure(shown.label, shown.text(bike.figure(path)), path)
            for path, shown in SHOWN.items()
            if path.startswith(part)
        ]
        groups[name] = rows
    kv = kv_from_flux(bike.motor.flux_linkage_wb, bike.motor.pole_pairs)
    groups["MOTOR"].insert(1, Figure("kV, peak line to line", f"{kv:.2f} rpm/V", "motor.flux_linkage_wb"))
    for row in bike.controller.ratings_by_voltage or []:
        for current, path in ((row.phase_current_a, PHASE_RATING), (row.battery_current_a, BATTERY_RATING)):
            if current is not None:
                what = "phase" if path == PHASE_RATING else "battery"
                groups["CONTROLLER"].append(Figure(f"{what}, up to {row.up_to_v:g} V", f"{current:g} A", path))
    return groups


_MORE_NAMES = {"motor.hysteresis_loss_w_per_hz": "hysteresis loss", "motor.eddy_loss_w_per_hz2": "eddy-current loss"}


def name_of(bike: Bike, path: str) -> str:
    """What a figure is called on the page; the key itself for one that has no row."""
    rows = {one.path: one.label for group in figures(bike).values() for one in group}
    return rows.get(path) or _MORE_NAMES.get(path, path)


def source_word(bike: Bike, path: str) -> str:
    """``assumed``, ``measured`` …; "" where the document does not say."""
    source = bike.sources.get(path)
    return source.origin if source else ""
