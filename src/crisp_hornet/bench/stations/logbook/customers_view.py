"""Customers: whose bikes these are, how they are reached, what they allowed; all that is known of one handed over, or erased for good."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.logbook.erasing_panel import COPIES, ErasingPanel
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label, rule
from crisp_hornet.documents.customer import CONSENTS, POSITIONS, Customer, What
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted

NOBODY, FIELD_PX = "the workshop's own", 260
ABOUT = "Kept apart: no ride, tune or line names a person, and a bike that is exported does not say whose it is."
WHERE = "New rides are kept without where they went. Older ones may tell still."
FILES = "All that is known of a customer (*.zip);;All files (*)"
NEW = "New customer"


class CustomersView(QWidget):
    """What is typed is kept when the field is left; what takes long runs beside the window."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._uid = ""
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(self._refuse)
        self._then: Callable[[Any], None] = lambda _found: None
        self.owner, self.who = Chooser("this bike belongs to"), Chooser("customer")
        self.owner.activated.connect(self._hand)
        self.who.activated.connect(lambda _at: self._choose(self.who.currentData()))
        self.name, self.contact = QLineEdit(), QLineEdit()
        for field, most in ((self.name, 200), (self.contact, 500)):
            field.setMaxLength(most)
            field.editingFinished.connect(self._keep)
        fix(self.name, wide=FIELD_PX)
        self.consents = {what: Confirm(theme, words) for what, words in CONSENTS.items()}
        self._said = {what: label("", "quiet") for what in CONSENTS}
        for what, box in self.consents.items():
            box.clicked.connect(partial(self._consent, what))
        self._bikes = label("", wrap=True)
        self._where = label(WHERE, "quiet")
        self._forget = button("Erase where they rode", self._forget_where, "small")
        self.erasing = ErasingPanel(theme)
        self.erasing.meant.connect(self._erase)
        self._one = QWidget()
        column = column_of(self, margins=(0, 0, 12, 0), spacing=8)
        column.addWidget(label(ABOUT, "quiet", wrap=True))
        column.addLayout(
            _row(
                Captioned("this bike belongs to", self.owner),
                None,
                Captioned("customer", self.who),
                button(NEW, self.add, "small"),
            )
        )
        column.addWidget(rule())
        column.addWidget(self._one)
        column.addStretch(1)
        self._lay_out(column_of(self._one, margins=0, spacing=8))
        desk.people.changed.connect(self._changed)

    def _lay_out(self, inside: QVBoxLayout) -> None:
        """All that is told of one customer."""
        fields = _row(Captioned("name", self.name))
        fields.addWidget(Captioned("contact", self.contact), 1)
        inside.addLayout(fields)
        inside.addWidget(self._bikes)
        asked = QWidget()  # gives its place to the question whether to erase
        allowed = column_of(asked, margins=0, spacing=2)
        allowed.addWidget(label("WHAT THEY ALLOWED", "caps"))
        for what, box in self.consents.items():
            allowed.addLayout(_row(box, label(CONSENTS[what]), self._said[what], None))
        allowed.addLayout(_row(self._where, self._forget, None))
        self.erasing.shown.connect(asked.setHidden)
        inside.addWidget(asked)
        inside.addWidget(rule())
        ask = button("Erase this customer", self._ask_erase, "small")
        self.erasing.closed.connect(ask.setFocus)
        export = button("Export all of it", self._ask_export, "small", "Export all that is known of this customer")
        inside.addLayout(_row(export, ask, None))
        inside.addWidget(self.erasing)

    # --- what is shown ------------------------------------------------------------------------------------------

    @property
    def working(self) -> bool:
        """Whether something is under way beside the window."""
        return self._work.running

    @property
    def customer(self) -> Customer | None:
        """The one that is shown."""
        return next((one.customer for one in self._desk.people.all() if one.uid == self._uid), None)

    def refresh(self) -> None:
        """Show the customers as they are kept; the one of this bike first."""
        every = self._desk.people.all()
        owner = self._desk.people.of_bike() or ""
        if self._uid not in {one.uid for one in every}:
            self._uid = owner or (every[0].uid if every else "")
        names = [(one.customer.name, one.uid) for one in every]
        for chooser, offered, chosen in ((self.owner, [(NOBODY, ""), *names], owner), (self.who, names, self._uid)):
            chooser.clear()
            for words, uid in offered:
                chooser.addItem(words, uid)
            chooser.setCurrentIndex(chooser.findData(chosen))
        self.owner.setEnabled(self._desk.bike is not None)
        self.who.setEnabled(bool(every))
        self._show()

    def _changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def _show(self) -> None:
        customer = self.customer
        self._one.setVisible(customer is not None)
        if customer is None:
            return
        self.name.setText(customer.name)
        self.contact.setText(customer.contact)
        bikes = [name for _, name in self._desk.people.bikes(self._uid)]
        elsewhere = len(customer.bikes) - len(bikes)
        away = f"; {counted(elsewhere, 'bike')} in another garage" if elsewhere else ""
        self._bikes.setText(f"Their bikes: {', '.join(bikes) or 'none here'}{away}")
        for what, box in self.consents.items():
            consent = customer.consents.get(what)
            box.setChecked(customer.allows(what))
            self._said[what].setText(
                "never asked"
                if consent is None
                else f"{'yes' if consent.given else 'no'}, {consent.on.day} {consent.on:%B %Y}"
            )
        for widget in (self._where, self._forget):
            widget.setVisible(not customer.allows(POSITIONS))

    # --- what is done -------------------------------------------------------------------------------------------

    def add(self) -> None:
        """A new customer, to be named."""
        taken = {one.customer.name for one in self._desk.people.all()}
        name = next(one for one in (NEW, *(f"{NEW} {at}" for at in range(2, 9999))) if one not in taken)
        self._uid = self._desk.people.keep(Customer(name=name)) or self._uid
        self.refresh()
        self.name.setFocus()
        self.name.selectAll()

    def _choose(self, uid: str) -> None:
        self._uid = uid
        self.erasing.hide()
        self._show()

    def _hand(self) -> None:
        to = self.owner.currentData()
        self._uid = to or self._uid
        self._desk.people.hand(to or None)

    def _keep(self) -> None:
        customer = self.customer
        name, contact = self.name.text().strip(), self.contact.text().strip()
        if customer is None or (name, contact) == (customer.name, customer.contact):
            return
        if not name:
            self._desk.said.emit("note", "A customer needs a name.")
            self.name.setText(customer.name)
            return
        self._desk.people.keep(customer.model_copy(update={"name": name, "contact": contact}), self._uid)

    def _consent(self, what: What) -> None:
        customer = self.customer
        if customer is not None:
            given = self.consents[what].isChecked()
            self._desk.people.keep(customer.with_consent(what, given, datetime.now().astimezone().date()), self._uid)

    def _forget_where(self) -> None:
        self._run(self._desk.people.forget_where(self._uid), self._told_where)

    def _told_where(self, count: int) -> None:
        self._desk.reload()
        self._desk.said.emit("settled", f"Where they rode is erased: {counted(count, 'ride')}. {COPIES}")

    def _ask_export(self) -> None:
        customer = self.customer
        if customer is not None:
            name, _ = QFileDialog.getSaveFileName(self, tr("Export all of it"), f"{customer.name}.zip", FILES)
            if name:
                self.export(Path(name))

    def export(self, path: Path) -> None:
        """Write all that is known of the customer, beside the window."""
        self._desk.draft.keep()
        self._run(self._desk.people.export(self._uid, path), partial(self._told_export, path))

    def _told_export(self, path: Path, count: int) -> None:
        self._desk.said.emit(
            "settled", f"Written, with nothing of anybody else: {path.name}, {counted(count, 'bike')}."
        )

    def _ask_erase(self) -> None:
        bikes = self._desk.people.bikes(self._uid)
        self.erasing.ask(len(bikes), sum(self._desk.undone(number)[2] for number, _ in bikes))

    def _erase(self, with_bikes: bool) -> None:
        if not self._desk.stays():
            self._desk.draft.keep()
            self._run(self._desk.people.erase(self._uid, with_bikes), self._told_erased)

    def _told_erased(self, bikes: set[int]) -> None:
        self.erasing.hide()
        self._uid = ""
        self._desk.reload()
        went = f", {counted(len(bikes), 'bike')} with all of it" if bikes else ""
        self._desk.said.emit("settled", f"Erased for good: the customer{went}.")

    # --- beside the window --------------------------------------------------------------------------------------

    def _run(self, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        if self._work.running:
            self._desk.said.emit("note", "One moment: the last one is still under way.")
            return
        self._then = then
        self._work.start(work)

    def _take(self, found: Any) -> None:
        self._then(found)
        self._desk.people.changed.emit()

    def _refuse(self, error: DocumentError) -> None:
        self._desk.said.emit("stop", str(error))
        self._desk.reload()
        self._desk.people.changed.emit()


def _row(*parts: QWidget | None) -> QHBoxLayout:
    """Widgets beside each other; None stretches."""
    row = row_of(spacing=12)
    for part in parts:
        if part is None:
            row.addStretch(1)
        else:
            row.addWidget(part)
    return row
