"""Backups: listed, compared with what the controller holds, exported, imported, and put back with proof."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.stations.hookup.factory_panel import FactoryPanel
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label, sheet
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import Backup, read_backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.link.difference import shown
from crisp_hornet.link.way_back import compare

MOST_SHOWN = 8
MOST_DIFFERENCES = 6


class BackupsPanel(QWidget):
    """The newest backups of the bike; ``restore`` asks Send to put one back."""

    restore = pyqtSignal(object)

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self._column = column_of(spacing=8)
        self._factory = FactoryPanel(desk, link, theme)
        whole = column_of(self, margins=0, spacing=8)
        whole.addLayout(self._column)
        whole.addWidget(self._factory)
        whole.addStretch(1)
        desk.bike_changed.connect(self._show)
        desk.held.changed.connect(self._show)
        link.changed.connect(self._show)
        self._show()

    def import_file(self) -> None:
        """Let the user choose a backup document."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a backup"), "", "Backup documents (*.json)")
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Take a backup document into the garage."""
        try:
            backup = read_backup(path)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            return
        self._desk.story.keep_backup(backup)
        self._desk.log("backup", f"Backup imported: {backup.product}, taken {backup.taken}", str(path.name))
        self._show()

    def export(self, backup: Backup) -> None:
        """Let the user choose where a backup goes."""
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the backup"), "backup.json", "Backup documents (*.json)")
        if name:
            self.write(Path(name), backup)

    def write(self, path: Path, backup: Backup) -> None:
        """Write a backup as a document."""
        try:
            store.write(path, backup)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def _show(self) -> None:
        clear(self._column)
        backups = self._desk.story.backups()
        head = QHBoxLayout()
        unreadable = self._desk.story.unreadable_backups
        told = f"{_count(backups)}, {unreadable} unreadable" if unreadable else _count(backups)
        head.addWidget(label(told, "quiet"), 1)
        head.addWidget(button("Import one", self.import_file, "small", "Import a backup"))
        self._column.addLayout(head)
        for at, backup in backups[:MOST_SHOWN]:
            self._column.addWidget(self._line(at, backup))

    def _line(self, at: datetime, backup: Backup) -> QWidget:
        contact = self._link.contact
        row = QHBoxLayout()
        when = time_words(at)
        told = "read off by eyes" if backup.by_hand else f"{backup.serial}, firmware {backup.firmware}".lstrip(" ,")
        row.addWidget(label(f"{when}   {backup.product} {told}"), 1)
        if contact is not None and backup.raws() != contact.raws and not backup.by_hand:
            row.addWidget(
                button("Restore", partial(self.restore.emit, backup), "small", f"Restore the backup of {when}")
            )
        row.addWidget(button("export", partial(self.export, backup), "small", f"Export the backup of {when}"))
        inside = QWidget()
        column = column_of(inside, margins=0, spacing=2)
        column.addLayout(row)
        column.addWidget(label(self._against(backup), "quiet", wrap=True))
        return sheet(inside, margin=10)

    def _against(self, backup: Backup) -> str:
        """How it differs from what the controller holds now."""
        contact = self._link.contact
        if contact is None or backup.by_hand:
            return f"{len(backup.registers)} {'settings of a display' if backup.by_hand else 'registers'}"
        if (backup.vendor, backup.product) != (contact.identity.vendor, contact.identity.product):
            return "of another type than the controller that answers"
        now = contact.map.values(contact.raws)
        held = backup.model_copy(
            update={
                "registers": [
                    register.model_copy(update={"value": now.get(register.name)}) for register in backup.registers
                ]
            }
        )
        differing = compare(backup, held)
        if not differing:
            return "what the controller holds now"
        labels = {register.name: register.label for register in contact.map.register_list}
        told = [
            f"{labels.get(name, name)} {shown(then, unit)}, now {shown(value, unit)}"
            for name, then, value, unit in differing
        ]
        more = f" and {len(told) - MOST_DIFFERENCES} more" if len(told) > MOST_DIFFERENCES else ""
        return "; ".join(self._desk.units.text(one) for one in told[:MOST_DIFFERENCES]) + more


def _count(backups: list[tuple[datetime, Backup]]) -> str:
    if not backups:
        return "No backup yet"
    return f"{counted(len(backups), 'backup')} saved"
