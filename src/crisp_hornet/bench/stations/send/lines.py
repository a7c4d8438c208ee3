"""What the list on Send says: the difference to the controller, to an earlier tune, and what is left out."""

from __future__ import annotations

from crisp_hornet.bench.stations.send.change_list import ChangeLine
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.settings import FURTHER
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.difference import GROUPS, Change, LeftOut, said
from crisp_hornet.link.report import Held


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
            label_of(one.lack.name), "" if one.lack.name in FURTHER else in_words(one.lack.name, one.lack.value),
            in_words(one.lack.name, one.asked), f"not sent: {one.lack.reason}", None, "not on this controller", grey=True,
        )
        for one in found
    ]  # fmt: skip


def lines_between(
    before: Tune, after: Tune, note: str, controller_map: ControllerMap | None = None
) -> list[ChangeLine]:
    """A line per setting in which two tunes differ."""

    def label(path: str) -> str:
        register = controller_map.register(path) if controller_map is not None else None
        return register.label if register is not None else label_of(path)

    return [
        ChangeLine(
            label(path),
            _told(before, path),
            _told(after, path),
            note,
            None,
            GROUPS[path.partition(".")[0]],
        )
        for path in before.differing(after)
    ]


def _line(change: Change, held: Held | None = None) -> ChangeLine:
    unit = change.register.unit
    note = ""
    if change.rounded:
        asked = said(change.register, change.asked)
        note = f"{asked} asked; rounded to the controller's step of {change.register.step:g} {unit}, to the safe side"
    if change.register.needs_power_cycle:
        note = f"{note}; " if note else ""
        note += "active after a power cycle"
    return ChangeLine(
        change.register.label,
        said(change.register, change.before),
        said(change.register, change.after),
        note,
        held,
        change.group,
    )


def _told(tune: Tune, path: str) -> str:
    return in_words(path, tune.setting(path)) if tune.holds(path) else "not there"
