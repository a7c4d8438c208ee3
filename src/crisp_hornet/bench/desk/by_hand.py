"""What of the active bike is set by hand: its sheet, what the display showed last, and what is to be entered next."""

from __future__ import annotations

import re
from datetime import datetime
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.desk.draft import Draft
from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.bench.desk.watch import Watch
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import SETTINGS, Tune
from crisp_hornet.garage.settings import of_bike

if TYPE_CHECKING:
    from crisp_hornet.documents.backup import Backup
    from crisp_hornet.documents.controller_map import ControllerMap
    from crisp_hornet.link.hand import HandPlan

ENTERED = "on the controller, entered by hand"


class ByHand(QObject):
    """``changed``: another sheet, or other figures were read off the display."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike, held: Held, draft: Draft, watch: Watch, story: Story) -> None:
        super().__init__()
        self._bike, self._held, self._draft, self._watch, self._story = bike, held, draft, watch, story
        self.sheet: ControllerMap | None = None
        self.carried: dict[str, int] = {}  # what the display is to show, once the sheet was taken to the bike
        self._entered: tuple[datetime, Backup] | None = None
        self._carried_name = ""
        held.overlay = self.overlay

    def reload(self) -> None:
        """Take up the sheet of the active bike, and what its display showed last."""
        self.sheet, self._entered, self.carried = None, None, {}
        name = self._bike.remembered(self._key("sheet"))
        if self._bike.document is not None and isinstance(name, str):
            self.sheet = self._read(self._folder / Path(name).name)
        if self.sheet is not None:
            product = self.sheet.identity.product
            kept = [(at, one) for at, one in self._story.backups() if one.by_hand and one.product == product]
            self._entered = kept[0] if kept else None
            carried = self._bike.remembered(self._key("carried"))
            if isinstance(carried, dict) and isinstance(carried.get("raws"), dict):
                known = {one.name for one in self.sheet.register_list}
                self.carried = {
                    key: raw for key, raw in carried["raws"].items() if key in known and isinstance(raw, int)
                }
                self._carried_name = str(carried.get("tune", ""))
        self.changed.emit()

    @property
    def raws(self) -> dict[str, int]:
        """What the display showed when it was last read; nothing where the sheet was changed so that it would mean something else."""
        known = self.readable
        return known if self.sheet is not None and len(known) == len(self.sheet.register_list) else {}

    @property
    def readable(self) -> dict[str, int]:
        """The same for those lines of the sheet that still mean what they meant."""
        if self._entered is None or self.sheet is None:
            return {}
        held = {one.name: one for one in self._entered[1].registers}
        lines = [(one, held[one.name]) for one in self.sheet.register_list if one.name in held]
        return {one.name: was.word for one, was in lines if one.decode(was.word) == was.value}

    @property
    def entered_at(self) -> datetime | None:
        """When that was."""
        return self._entered[0] if self._entered is not None else None

    def plan(self) -> HandPlan | None:
        """What is to be entered for the draft; None without a sheet, or before its display was read."""
        from crisp_hornet.link.hand import plan_by_hand
        from crisp_hornet.link.operations import Watched

        bike, draft, running = self._bike.document, self._draft.tune, self._held.tune
        if self.sheet is None or bike is None or draft is None or running is None or not self.raws:
            return None
        speeds = tuple(float(speed) for speed in self._bike.speeds) if self._bike.speeds is not None else None
        watched = Watched(bike, self._bike.conditions, speeds, self._watch.sensors)
        return plan_by_hand(self.sheet, self.raws, draft, running, bike, watched)

    def carry(self, plan: HandPlan) -> None:
        """The sheet is taken to the bike: what it should show afterwards is remembered."""
        self.carried = self.raws | {change.register.name: change.raw_after for change in plan.changes}
        self._carried_name = self._draft.tune.name if self._draft.tune is not None else ""
        self._bike.remember(self._key("carried"), {"tune": self._carried_name, "raws": self.carried})
        told = "; ".join(change.in_words() for change in plan.changes)
        self._story.log("send", f"Sheet made for {self.sheet.name if self.sheet else '?'}, not yet entered", told)
        self.changed.emit()

    def keep_sheet(self, sheet: ControllerMap) -> None:
        """Keep a sheet as the active bike's. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
        from crisp_hornet.documents.sheets import write_sheet

        self._folder.mkdir(parents=True, exist_ok=True)
        path = self._free_place(sheet)
        write_sheet(path, sheet)
        self._bike.remember(self._key("sheet"), path.name)
        self._bike.remember(self._key("carried"), None)  # it was made for the sheet as it was
        self._story.log("bike", f"Sheet {sheet.name} kept", f"{len(sheet.register_list)} settings set by hand")
        self.reload()

    def forget_sheet(self) -> None:
        """The bike is not set by hand any more; the sheet's file stays."""
        self._bike.remember(self._key("sheet"), None)
        self.reload()

    def take(self, raws: dict[str, int], photo: Path | None = None) -> list[str]:
        """What the display shows now. Gives where it differs from what was to be entered.

        Raises :class:`ValueError` where it makes no tune, and :class:`~crisp_hornet.documents.errors.DocumentError` for the photograph."""
        from crisp_hornet.link.hand import backup_of_hand, differing, shown_text

        sheet = self.sheet
        assert sheet is not None  # there is something to type into only then
        tune, wrong = self._tune(raws), differing(sheet, self.carried, raws)
        told = "; ".join(
            f"{one.label} {shown_text(one, raws[one.name])}" for one in sheet.register_list if one.name in raws
        )
        if photo is not None:
            self._story.attach(photo, f"What {sheet.name} showed")
        self._story.keep_backup(backup_of_hand(sheet, raws))
        fits = bool(self.carried) and not wrong
        self._story.log(
            "send", f"{ENTERED[:1].upper()}{ENTERED[1:]}: {tune.name}", f"{told}. {'; '.join(wrong)}".strip()
        )
        if fits:
            self._bike.remember(self._key("carried"), None)
        self._held.take_by_hand(tune, fits)
        if self._draft.tune is None:
            self._draft.set(tune)
        self.reload()
        return wrong

    def overlay(self, tune: Tune, described: ControllerMap | None) -> Tune:
        """A tune as a line told it, with what only the display shows in its place."""
        from crisp_hornet.link.hand import with_hand

        if self.sheet is None or not self.raws:
            return tune
        own = {name: raw for name, raw in self.raws.items() if described is None or described.register(name) is None}
        try:
            return with_hand(self.sheet, own, tune)
        except ValueError:
            return tune

    def _tune(self, raws: dict[str, int]) -> Tune:
        from crisp_hornet.core.tunes.starting import starting_tune
        from crisp_hornet.link.hand import with_hand

        bike, sheet, known = self._bike.document, self.sheet, self._held.tune
        assert bike is not None and sheet is not None
        base = known or starting_tune(bike)
        tune = with_hand(sheet, raws, base)
        reached = bool(self.carried) and all(raws.get(key) == raw for key, raw in self.carried.items())
        name = self._carried_name if reached and self._carried_name else f"As {sheet.name} shows"
        shown = {one.name for one in sheet.register_list}
        unknown = base.unknown if known is not None else [path for path in SETTINGS if path not in shown]
        return tune.model_copy(update={"name": name, "unknown": unknown})

    def _free_place(self, sheet: ControllerMap) -> Path:
        """A file of the sheet's name: this bike's own, or one that lies there for no other."""
        name = re.sub(r"[^a-z0-9]+", "-", sheet.name.lower()).strip("-")[:60] or "sheet"
        own = self._bike.remembered(self._key("sheet"))
        for number in count(1):
            path = self._folder / (f"{name}.toml" if number == 1 else f"{name}-{number}.toml")
            if path.name == own or not path.exists():
                return path
        raise AssertionError("unreachable")

    @property
    def _folder(self) -> Path:
        from crisp_hornet.garage.garage import CONTROLLERS

        return self._bike.garage.folder / CONTROLLERS

    def _key(self, what: str) -> str:
        return of_bike(what, self._bike.id)

    def _read(self, path: Path) -> ControllerMap | None:
        from crisp_hornet.documents.map_file import read_map

        try:
            return read_map(path)
        except DocumentError as error:
            self._bike.said.emit("warn", f"The sheet of this bike cannot be read: {error}")
            return None
