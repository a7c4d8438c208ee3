"""How the cause was found: what the bike's own journal says of backups, sends, proofs, rides and mends."""

from __future__ import annotations

import math
from collections.abc import Callable

from crisp_hornet.practice.trial import Trial
from crisp_hornet.standin.journal import BMS, KEY, LOOP, MEND, READ, RIDE, ROAD, STAND, WRITE, Happened

Value = float | str | bool | list[str]
CALIBRATION = "calibration."


def sends(trial: Trial) -> list[list[Happened]]:
    """Writes in groups: those with nothing between them but reading belong to one send."""
    groups: list[list[Happened]] = []
    going = False
    for row in trial.journal:
        if row.kind == WRITE:
            if not going:
                groups.append([])
            groups[-1].append(row)
            going = True
        elif row.kind in (KEY, MEND, RIDE, ROAD, STAND):
            going = False
    return [group for group in groups if _net(group)]


def _net(group: list[Happened]) -> dict[str, tuple[float | None, float | None]]:
    """What a send changed at last: setting -> (before, after)."""
    first: dict[str, float | None] = {}
    last: dict[str, float | None] = {}
    for row in group:
        first.setdefault(row.what, row.before)
        last[row.what] = row.after
    return {name: (first[name], last[name]) for name in last if first[name] != last[name]}


def _most_changes(trial: Trial) -> Value:
    """The most things that one send changed: a backup put back counts as one, and so do the figures of one sensor or of one guard."""
    held = trial.held.values(calibration=True)
    most = 0
    for group in sends(trial):
        net = _net(group)
        if len(net) > 1 and all(held.get(name) == after for name, (_, after) in net.items()):
            most = max(most, 1)
            continue
        most = max(most, len({_thing(name) for name in net}))
    return float(most)


def _thing(setting: str) -> str:
    """What a setting belongs to: a sensor, a guard, a mode, the family of levels, or itself."""
    if setting.startswith(CALIBRATION):
        return CALIBRATION + setting.removeprefix(CALIBRATION).split("_")[0]
    if setting.startswith(("assist.levels", "battery_guard", "heat_guard")):
        return setting.split(".", maxsplit=1)[0]
    if setting.startswith("modes."):
        return "modes"
    return setting


def _backup_first(trial: Trial) -> Value:
    first = min((row.at_s for row in trial.writes), default=math.inf)
    return any(at < first for at in trial.handed.backed_up_s)


def _after_last_write(trial: Trial) -> list[Happened]:
    at = max((index for index, row in enumerate(trial.journal) if row.kind == WRITE), default=-1)
    return trial.journal[at + 1 :]


def _proved_after_key(trial: Trial) -> Value:
    """After the last write the key was turned, and everything was read again."""
    rows = [row.kind for row in _after_last_write(trial)]
    return KEY in rows and READ in rows[rows.index(KEY) :]


def _ridden_after_write(trial: Trial) -> Value:
    return any(row.kind in (RIDE, ROAD, STAND) for row in _after_last_write(trial))


def _mended_before_learned(trial: Trial) -> Value:
    mended = [row.at_s for row in trial.journal if row.kind == MEND]
    return bool(mended) and all(at > max(mended) for at in trial.handed.learned_s)


def _mended(trial: Trial) -> Value:
    return [row.what for row in trial.journal if row.kind == MEND]


WAY: dict[str, Callable[[Trial], Value]] = {
    "backup_first": _backup_first,
    "most_changes_a_send": _most_changes,
    "proved_after_key": _proved_after_key,
    "ridden_after_write": _ridden_after_write,
    "mended_before_learned": _mended_before_learned,
    "mended": _mended,
    "writes": lambda trial: float(len(trial.writes)),
    "bms_opened": lambda trial: float(sum(row.kind == BMS for row in trial.journal)),
    "loops": lambda trial: float(sum(row.kind == LOOP for row in trial.journal)),
}
