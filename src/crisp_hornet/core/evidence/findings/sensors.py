"""Sensors that contradict the others: each named as itself, before anything is said of the bike."""

from __future__ import annotations

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, Kind, finding, tells

IDS = (
    *("sensor-stuck", "sensor-dead", "sensor-open", "sensor-spikes", "heat-stuck", "battery-zero", "speed-counted"),
)  # fmt: skip


def _named(id_: str) -> Kind:
    def kind(e: Evidence) -> Finding | None:
        doubt = next((one for one in e.doubts if one.id == id_), None)
        return None if doubt is None else tells(id_, span=doubt.span, **doubt.places)

    kind.__doc__ = f"A doubt of the kind {id_}."
    return kind


for one in IDS:
    finding(_named(one))
