"""New firmware: from a file into the controller's second slot."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QProgressBar, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.questions import Questions
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.firmware import FirmwareImage, read_firmware
from crisp_hornet.link.firmware_update import TRANSFER, image_refusal
from crisp_hornet.link.operations import InstallFirmware
from crisp_hornet.link.report import Outcome, Progress, Report
from crisp_hornet.link.session import SHOW_FIRST

BUSY = "transferring firmware"
CAUTION = (
    "Wheel in the air, pack well charged, and leave every plug in. The checksum shows that the file is whole, not where it comes "
    "from: take it from the maker. After the power cycle factory settings are active: restore the backup before riding."
)


class FirmwarePanel(QWidget):
    """Which firmware runs, whether a file fits, and its transfer."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self.image: FirmwareImage | None = None
        self._now = label("", wrap=True)
        self._words = label("", wrap=True)
        self._choose = button("Choose an image", self._ask_file, "large")
        self.confirm = Confirm(theme, "Wheel in the air, pack well charged, image from the maker")
        self.confirm.toggled.connect(self._show)
        self._sure = QWidget()
        row = QHBoxLayout(self._sure)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.confirm)
        row.addWidget(label("Wheel in the air, pack well charged, image from the maker", wrap=True), 1)
        self.questions = Questions(theme)
        self.questions.changed.connect(self._enable)
        self._go = button("Install firmware", self.start, "large", "Install firmware")
        self._stop = button("Stop", link.stop, "large", "Stop the transfer")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        column = column_of(self, margins=0, spacing=8)
        for one in (
            self._now,
            label(CAUTION, "quiet", wrap=True),
            self._choose,
            self._words,
            self._sure,
            self.questions,
            self._bar,
            self._go,
            self._stop,
        ):
            column.addWidget(one)
        column.addStretch(1)
        link.changed.connect(self._show)
        link.shown_changed.connect(self._show)
        link.progress.connect(self._take_progress)
        self._show()

    def read(self, path: Path) -> None:
        """Look at an image file."""
        try:
            self.image = read_firmware(path)
        except DocumentError as error:
            self.image = None
            self._desk.said.emit("stop", str(error))
        self.confirm.setChecked(False)
        self._show()

    def start(self) -> None:
        """Transfer the image that was chosen and confirmed."""
        image, link = self.image, self._link
        if image is None:
            return

        link.perform(BUSY, InstallFirmware(image), self.questions.confirmed, lambda report: self._done(report, image))

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Choose a firmware image"), "", "Firmware images (*)")
        if name:
            self.read(Path(name))

    def _done(self, report: Report, image: FirmwareImage) -> None:
        if report.outcome is Outcome.PROVED:
            self._desk.log(
                "firmware", f"Firmware {image.version} transferred and activated", "starts at the next power-on"
            )
            self._words.setText(report.message)
        else:
            self._desk.log("firmware", "Firmware not transferred", report.message)
            self._desk.said.emit("stop", report.message)
        self.image = None
        self._show()

    def _show(self) -> None:
        contact, image = self._link.contact, self.image
        busy = self._link.busy == BUSY
        if contact is None:
            self._now.setText("Connect to see which firmware runs.")
        else:
            known = contact.map.firmware
            fits = f"; {known.least} to {known.newest} are known to work" if known else ""
            self._now.setText(f"Firmware {contact.identity.firmware} runs{fits}.")
        why = self._why_not(image)
        if image is not None:
            self._words.setText(
                why or f"{image.version} for {image.hardware}, {len(image.data)} bytes: whole, and it fits."
            )
        self._choose.setEnabled(contact is not None and not busy)
        asked = (
            contact.questions(InstallFirmware(image)) if contact is not None and image is not None and not why else []
        )
        self.questions.ask([] if busy else asked, image and image.version)
        self._sure.setVisible(image is not None and not why and not busy)
        self._go.setVisible(image is not None and not why and not busy)
        self._enable()
        self._stop.setVisible(busy)
        self._bar.setVisible(busy)

    def _why_not(self, image: FirmwareImage | None) -> str:
        contact = self._link.contact
        if image is None or contact is None:
            return ""
        why = contact.blocked or image_refusal(contact.map, image) or (SHOW_FIRST if not contact.shown else "")
        return f"{why}." if why else ""

    def _enable(self) -> None:
        self._go.setEnabled(self.confirm.isChecked() and not self.questions.left)

    def _take_progress(self, progress: Progress) -> None:
        if progress.text == TRANSFER:
            self._bar.setRange(0, progress.total)
            self._bar.setValue(progress.done)
