"""What the list on Send says: the difference to the controller, to an earlier tune, and what is left out."""

from __future__ import annotations

from crisp_hornet.bench.stations.send.change_list import ChangeLine
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.tune import SETTINGS, Tune
from crisp_hornet.link.difference import GROUPS, Change, LeftOut, shown
from crisp_hornet.link.send import Held


def change_lines(changes: list[Change], held: dict[str, Held] | None = None) -> list[ChangeLine]:
    """A line per change, grouped by what it touches."""
    order = list(GROUPS.values())

    def place(change: Change) -> int:
        return order.index(change.group) if change.group in order else len(order)

    return [_line(change, (held or {}).get(change.register.name)) for change in sorted(changes, key=place)]


def left_out_lines(found: list[LeftOut]) -> list[ChangeLine]:
    """A grey line per setting that the controller does not have."""
    return [
        ChangeLine(
            _label(one.lack.name), shown(one.lack.value, _unit(one.lack.name)), shown(one.asked, _unit(one.lack.name)),
            f"not sent: {one.lack.reason}", None, "not on this controller", grey=True,
        )
        for one in found
    ]  # fmt: skip


def lines_between(
    before: Tune, after: Tune, note: str, controller_map: ControllerMap | None = None
) -> list[ChangeLine]:
    """A line per setting in which two tunes differ."""

    def label(path: str) -> str:
        register = controller_map.register(path) if controller_map is not None else None
        return register.label if register is not None else _label(path)

    changed = [path for path in SETTINGS if before.setting(path) != after.setting(path)]
    return [
        ChangeLine(
            label(path),
            shown(before.setting(path), _unit(path)),
            shown(after.setting(path), _unit(path)),
            note,
            None,
            GROUPS[path.partition(".")[0]],
        )
        for path in changed
    ]


def _line(change: Change, held: Held | None = None) -> ChangeLine:
    unit = change.register.unit
    note = ""
    if change.rounded:
        note = f"{shown(change.asked, unit)} asked; rounded to the controller's step of {change.register.step:g} {unit}, to the safe side"
    if change.register.needs_power_cycle:
        note = f"{note}; " if note else ""
        note += "counts after the next power-off"
    return ChangeLine(
        change.register.label, shown(change.before, unit), shown(change.after, unit), note, held, change.group
    )


def _label(path: str) -> str:
    return path.partition(".")[2].rpartition("_")[0].replace("_", " ")


def _unit(path: str) -> str:
    return {"a": "A", "v": "V", "c": "°C", "w": "W", "kmh": "km/h", "rpm": "rpm"}.get(path.rpartition("_")[2], "")
