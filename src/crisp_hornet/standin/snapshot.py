"""All that is so about a simulated bike as one JSON object, to take it up again, or to try on a copy what it would do."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from crisp_hornet.standin.defects import LIMITS
from crisp_hornet.standin.journal import Happened
from crisp_hornet.standin.sensors import SensorTruth
from crisp_hornet.standin.truth import Departures, true_bike
from crisp_hornet.standin.workshop import LASTING, STATE_ACTS, Workshop


def snapshot(shop: Workshop) -> dict[str, Any]:
    """What lasts: figures, settings, defects, charge and heat, and what happened; not how fast it turns just now."""
    controller, bike, sensors = shop.controller, shop.bike, shop.controller.sensors
    return {
        "kept": dict(controller.kept),
        "running": dict(controller.running),
        "firmware": controller.firmware,
        "faults": list(controller.faults),
        "broken": sorted(shop.hands.broken),
        "obeys": controller.obeys_sensors,
        "believed_rad": bike.position_error_rad,
        "sensors": asdict(sensors.truth),
        "cut": sorted(sensors.cut),
        "departures": asdict(bike.truth.departures),
        "defects": bike.defects.figures(),
        "mends": bike.defects.mends,
        "display": {"figures": shop.display.figures, "writes_after_s": shop.display.writes_after_s},
        "at_key_on": [list(one) for one in shop.at_key_on],
        "state": {name: getattr(bike.state, name) for name in LASTING},
        "journal": [row.row() for row in shop.journal.rows],
    }


def restore(shop: Workshop, kept: dict[str, Any]) -> None:
    """Make a workshop's bike what another one was. Raises :class:`ValueError` where that is no snapshot of such a bike."""
    try:
        _restore(shop, kept)
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise ValueError(f"this is no state of such a bike: {error}") from None


def _restore(shop: Workshop, kept: dict[str, Any]) -> None:
    controller, bike, sensors = shop.controller, shop.bike, shop.controller.sensors
    for name in LIMITS:
        bike.defects.take(name, float(kept["defects"][name]))
    bike.defects.mends = {str(name): [str(one) for one in acts] for name, acts in kept["mends"].items()}
    bike.truth = true_bike(bike.truth.document, Departures(**kept["departures"]))
    sensors.truth = SensorTruth(**kept["sensors"])
    sensors.cut = set(kept["cut"])
    known = {register.name for register in controller.map.register_list}
    controller.kept = {**controller.kept, **_raws(kept["kept"], known)}
    controller.firmware = str(kept["firmware"])
    controller.faults = [int(code) for code in kept["faults"]]
    shop.hands.broken = {int(code) for code in kept["broken"]}
    shop.display.figures = {str(name): float(value) for name, value in kept["display"]["figures"].items()}
    after_s = kept["display"]["writes_after_s"]
    shop.display.writes_after_s = None if after_s is None else float(after_s)
    shop.at_key_on = [(float(due_s), str(act)) for due_s, act in kept["at_key_on"]]
    for name in LASTING:
        setattr(bike.state, name, float(kept["state"][name]))
    controller.obeys_sensors = bool(kept["obeys"])
    controller.run_with({**controller.kept, **_raws(kept["running"], known)})
    bike.position_error_rad = float(kept["believed_rad"])
    shop.journal.rows = [Happened(float(at), str(kind), str(what), before, after)
                         for at, kind, what, before, after in kept["journal"]]  # fmt: skip


def _raws(found: dict[str, Any], known: set[str]) -> dict[str, int]:
    return {name: int(raw) for name, raw in found.items() if name in known}


def _told(shop: Workshop, _rest: str) -> str:
    return f"is {json.dumps(snapshot(shop))}"


def _ridden(shop: Workshop, rest: str) -> None:
    """A copy of it was ridden: charge and heat are as after that ride, and the journal knows of it. Takes ``{"state", "journal"}``."""
    told = json.loads(rest)
    for name in LASTING:
        setattr(shop.bike.state, name, float(told["state"][name]))
    for kind, what, figure in told["journal"]:
        shop.journal.add(str(kind), str(what), after=figure)


STATE_ACTS["snapshot"] = _told
STATE_ACTS["ridden"] = _ridden
