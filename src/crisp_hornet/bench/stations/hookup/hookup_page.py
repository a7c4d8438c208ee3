"""The Hook-up station: cautions, ports, who answered, the first backup, live values, faults, firmware, job sheets."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QGridLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.hookup.backups_panel import BackupsPanel
from crisp_hornet.bench.stations.hookup.by_hand.hand_panel import HandPanel
from crisp_hornet.bench.stations.hookup.describe.describe_panel import DescribePanel
from crisp_hornet.bench.stations.hookup.faults_panel import FaultsPanel
from crisp_hornet.bench.stations.hookup.firmware_panel import FirmwarePanel
from crisp_hornet.bench.stations.hookup.jobs_panel import JobsPanel
from crisp_hornet.bench.stations.hookup.live_values import LiveValues
from crisp_hornet.bench.stations.hookup.logs_panel import LogsPanel
from crisp_hornet.bench.stations.hookup.ports_panel import PortsPanel
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.identify import IdentifyPanel
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, sheet
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.link.contact import Live
from crisp_hornet.link.operations import Release
from crisp_hornet.link.report import Outcome, Report
from crisp_hornet.link.session import ContactMade

CAUTION = (
    "Wire with the pack unplugged and the capacitors discharged: they hold charge after unplugging. Ground first, pre-charge before the "
    "main switch. Lithium packs burn and a wheel on a stand takes fingers. Where wiring or pack are in doubt, a licensed workshop does it; "
    "what may be ridden where, the local code decides."
)
HELD_OFF = (
    "A send that was interrupted held it off while sensors changed. Wheel clear, throttle and pedals at rest: it is only enabled "
    "where both read rest."
)
VIEWS = ("Live", "Faults", "Backups", "Firmware", "Stored rides", "Job sheets", "By hand", "Describe")


def short_port(port: str) -> str:
    """A port as it is told apart: devices by their last name where the whole path is long."""
    return port if "://" in port or len(port) < 24 else f"…/{Path(port).name}"


class HookUpPage(Station):
    """Connect, identify, keep a backup before anything else."""

    key = "hookup"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._progress = ""
        self._caution = sheet(label("BEFORE YOU CONNECT", "caps"), label(CAUTION, wrap=True))
        self.ports = PortsPanel(desk, link)
        self.ports.chosen.connect(self.connect_to)
        self._who = QGridLayout()
        self._who.setHorizontalSpacing(18)
        self._who.setVerticalSpacing(2)
        self._who.setContentsMargins(0, 0, 0, 0)
        self._who_title = label("", "title")
        self._doubts = column_of(spacing=6)
        self._links = row_of(spacing=16)
        self.identify = IdentifyPanel(link)
        self.identify.hide()
        self.live_values = LiveValues(theme)
        self.faults = FaultsPanel(desk, link, theme)
        self.backups = BackupsPanel(desk, link, theme)
        self.backups.restore.connect(lambda backup: self.hand_over.emit("send", backup))
        self.firmware = FirmwarePanel(desk, link, theme)
        self.logs = LogsPanel(desk, link, theme)
        self.jobs = JobsPanel(desk, theme)
        self.by_hand = HandPanel(desk, theme)
        self.describe = DescribePanel(desk, link, theme)
        self._views = Pages()
        self.pages = PageChoice(VIEWS, "Hook-up", 14)
        self.pages.chosen.connect(self._views.setCurrentIndex)
        self._lay_out()
        link.changed.connect(self._show)
        link.said.connect(self._take_progress)
        link.shown_changed.connect(self._take_shown)
        link.live_changed.connect(self.live_values.take)
        link.live_changed.connect(self._name_views)
        link.failed.connect(self._take_failure)
        desk.bike_changed.connect(self._take_bike)
        desk.units_changed.connect(self._take_units)
        self._take_units()
        self._take_bike()

    def _lay_out(self) -> None:
        left = column_of(spacing=8)
        left.addWidget(self._caution)
        left.addWidget(self.ports)
        left.addStretch(1)
        who = QWidget()
        who.setLayout(self._who)
        for panel in (
            self.live_values,
            self.faults,
            self.backups,
            self.firmware,
            self.logs,
            self.jobs,
            self.by_hand,
            self.describe,
        ):
            inside = QWidget()
            column = column_of(inside, margins=(0, 0, 6, 0))
            column.addWidget(panel)
            column.addStretch(1)
            self._views.addWidget(column_scroll(inside))
        right = column_of(spacing=8)
        right.addWidget(self._who_title)
        right.addWidget(who)
        right.addLayout(self._doubts)
        right.addWidget(self.identify)
        right.addLayout(self._links)
        right.addSpacing(4)
        right.addWidget(self.pages)
        right.addWidget(self._views, 1)
        row = row_of(self, margins=(0, 4, 0, 0), spacing=28)
        row.addLayout(left, 5)
        row.addLayout(right, 6)

    def take(self, thing: object) -> None:
        """Somebody has entered a sheet's values, and wants to type what the display shows."""
        if isinstance(thing, str) and thing in VIEWS:
            self.show_view(VIEWS.index(thing))

    def show_view(self, index: int) -> None:
        """Show live values (0), faults, backups, firmware, stored rides, job sheets (5), by hand, or describe."""
        self.pages.choose(index)

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours: make them anew."""
        self.theme = theme
        self.by_hand.set_theme(theme)
        self._show()

    def offer(self, simulated: Simulated) -> None:
        """Offer the stand-in's ports first, and hands on it."""
        self.ports.offer_simulated(simulated)
        self.identify.offer_hands(simulated)

    def connect_to(self, port: str) -> None:
        """Ask for a contact; the bike's own controller is expected."""
        serial = self.desk.bike.controller.serial if self.desk.bike else None
        had = next((one.product for _, one in self.desk.story.backups() if not one.by_hand), "")
        self.link.connect_to(port, serial, had)

    # --- what the link says ---------------------------------------------------------------------------------

    def _take_progress(self, text: str) -> None:
        self._progress = text
        self.news.emit()

    def _take_shown(self) -> None:
        contact = self.link.contact
        if contact is not None and bool(contact.shown) == self.identify.isVisibleTo(self):
            self._show()
        if contact is not None and contact.shown and not contact.blocked:
            self.desk.held.remember_serial(contact.identity.serial)

    def _take_failure(self, why: str) -> None:
        self.live_values.take(None)
        if self.desk.bike is not None:
            self.desk.log("link", "Connection lost or refused", why)

    def _take_units(self) -> None:
        self.live_values.show_units(self.desk.units)

    def _take_bike(self) -> None:
        self._show()

    # --- showing it -----------------------------------------------------------------------------------------

    def _name_views(self, _live: Live | None = None) -> None:
        """The faults' page says whether one is active, whatever is being looked at."""
        fault = self.faults.standing
        if self.pages.rename(VIEWS.index("Faults"), f"Fault {fault.shown}" if fault is not None else "Faults"):
            self.news.emit()

    def _show(self) -> None:
        self.ports.look()
        self._name_views()
        clear(self._who)
        clear(self._links)
        clear(self._doubts)
        contact = self.link.contact
        self._caution.setVisible(contact is None)
        self.identify.setVisible(contact is not None and not contact.shown and not contact.blocked)
        self.identify.refresh()
        if contact is None:
            self._who_title.setText("Connection lost" if self.link.waiting_for else "Not connected")
            self._who.addWidget(label(self._without_contact(), "quiet", wrap=True), 0, 0)
            self.live_values.take(None)
            if self.link.waiting_for:
                self._links.addWidget(button("Stop reconnecting", self.link.disconnect_now, "large"))
                self._links.addStretch(1)
        else:
            self._show_contact(contact)
        self.news.emit()

    def _without_contact(self) -> str:
        if self.link.busy:
            return self.link.busy
        if self.link.waiting_for:
            return f"Reconnects at {self.link.waiting_for} when the same controller answers."
        own = "".join(f"\nNot used: {refused_map}" for refused_map in self.link.refused_maps)
        return "Choose a port. Connecting identifies the controller and saves a backup." + own

    def _show_contact(self, contact: ContactMade) -> None:
        who = contact.identity
        self._who_title.setText(f"Connected: {who.product}")
        rows = [
            ("maker", who.vendor),
            ("serial number", who.serial),
            ("firmware", who.firmware),
            ("port", short_port(contact.port)),
            ("backup", f"{len(contact.backup.registers)} registers, {self._backup_words(contact)}"),
            ("bike confirmed by", contact.shown or "not confirmed yet"),
        ]
        for row, (name, value) in enumerate(rows):
            self._who.addWidget(label(name, "quiet"), row, 0)
            self._who.addWidget(label(value), row, 1)
        self._who.setColumnStretch(1, 1)
        for doubt in contact.doubts:
            self._doubts.addWidget(self._doubt_card(contact, doubt.id, doubt.text, doubt.blocks))
        if contact.interrupted is not None:
            severity = "note" if contact.interrupted.settled else "stop"
            self._doubts.addWidget(card(self.theme, severity, "An interrupted send", contact.interrupted.text))
        if contact.held_off:
            free = button("Enable the motor", self._release, "large")
            free.setEnabled(not self.link.busy)
            self._doubts.addWidget(card(self.theme, "stop", "The motor is disabled", HELD_OFF, free))
        self._links.addWidget(button("Disconnect", self.link.disconnect_now, "large", "Disconnect the controller"))
        self._links.addWidget(button("Export the backup", lambda: self.backups.export(contact.backup), "large"))
        self._links.addStretch(1)

    def _backup_words(self, contact: ContactMade) -> str:
        if contact.is_another:
            return "not kept: it is another bike's"
        at = self.desk.held.backup_at
        return f"saved {time_words(at)}" if at is not None else "not saved: export it before you send"

    def _doubt_card(self, contact: ContactMade, doubt: str, text: str, blocks: bool) -> QWidget:
        if doubt != "wrong-bike":
            return card(
                self.theme,
                "stop" if blocks else "warn",
                text,
                "Nothing is written." if blocks else "Send asks you to confirm it.",
            )
        adopt = button("Assign this controller to the bike", partial(self._adopt, contact), "small")
        return card(
            self.theme,
            "stop",
            "Another bike's controller",
            f"{text}. Nothing is written to it or taken from it.",
            adopt,
        )

    def _release(self) -> None:
        self.link.perform("enabling the motor", Release(), (), self._released)

    def _released(self, report: Report) -> None:
        self.desk.log(
            "link", "Motor enabled" if report.outcome is Outcome.PROVED else "Motor not enabled", report.message
        )
        self.desk.said.emit("settled" if report.outcome is Outcome.PROVED else "stop", report.message)

    def _adopt(self, contact: ContactMade) -> None:
        """The bike was given this controller: remember it, and connect as its own."""
        self.desk.held.remember_serial(contact.identity.serial)
        self.connect_to(contact.port)

    # --- the job line and the footer ------------------------------------------------------------------------

    def state(self) -> BoltState:
        standing = super().state()
        return BoltState.STOPPED if standing is BoltState.DONE and self.faults.standing is not None else standing

    def caption(self) -> str:
        contact, fault = self.link.contact, self.faults.standing
        if contact is not None and fault is not None and not contact.is_another and not contact.held_off:
            return f"{contact.identity.product} · fault {fault.shown}"
        return super().caption()

    def meaning(self) -> tuple[str, str]:
        contact = self.link.contact
        if self.desk.bike is None:
            return "FIRST THE BIKE", "Open a bike on Build: a backup belongs to a bike."
        if contact is not None and contact.blocked:
            return "CHECK THIS FIRST", f"<b>{contact.blocked}.</b> Nothing is written to it."
        if contact is not None and self.desk.held.backup_at is None:
            return (
                "NOT BACKED UP",
                "<b>The backup could not be saved.</b> Export it to a file before you send anything.",
            )
        if contact is not None:
            return "WHAT IT HOLDS", (
                f"All <b>{len(contact.backup.registers)} registers</b> were saved on connecting. You can restore that state at any time."
            )
        if self.link.busy:
            return "CONNECTING", f"{self._progress[:1].upper()}{self._progress[1:]} …"
        return (
            "WHAT HAPPENS",
            "Connecting only reads: identity, firmware, every register. Nothing is written on this page without asking.",
        )

    def act_text(self) -> str:
        return "Go to Tune" if self.link.contact else ""

    def act(self) -> None:
        self.go.emit("tune")
