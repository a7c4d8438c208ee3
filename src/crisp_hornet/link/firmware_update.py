"""New firmware: into the second slot, checked there, activated, and after a power cycle identified and proved.

Until it is activated the controller goes on with what it has, so the transfer may stop at any moment. A new firmware starts with the
maker's settings: what was held before is put back by name with the ordinary send.
"""

from __future__ import annotations

from collections.abc import Callable

from crisp_hornet.documents.acts import Act, Update
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.firmware import FirmwareImage
from crisp_hornet.link.contact import Contact, read_live
from crisp_hornet.link.errors import Cancelled, LinkError
from crisp_hornet.link.gate import Gate, Stopped
from crisp_hornet.link.line import Files
from crisp_hornet.link.report import Progress
from crisp_hornet.link.send import same_controller

WRITE_TRIES = 3
TRANSFER = "transfer"


def image_refusal(controller_map: ControllerMap, image: FirmwareImage) -> str:
    """Why this image does not go onto this controller, or ""."""
    update = controller_map.update
    if update is None:
        return "This controller's description declares no second slot: an interrupted transfer could make it unusable"
    if image.hardware != update.hardware:
        return f"This image is for {image.hardware}, the controller is {update.hardware}"
    return ""


def transfer(
    contact: Contact,
    image: FirmwareImage,
    progress: Callable[[Progress], None],
    cancelled: Callable[[], bool],
) -> None:
    """Write the image to the second slot, read it back, and activate it; the power cycle is up to the user.

    Raises :class:`LinkError` (nothing was activated), :class:`Cancelled` when stopped.
    """
    if why := image_refusal(contact.map, image):
        raise LinkError("New firmware", why, "Nothing was written.")
    update = contact.map.update
    files = contact.line.files
    if update is None or files is None:
        raise LinkError("New firmware", "this line does not reach a second slot", "Nothing was written.")
    gate = Gate(contact, cancelled)
    size = 2 * update.record_words
    records = [image.data[at : at + size] for at in range(0, len(image.data), size)]
    total = len(records) + 1
    try:
        for number, record in enumerate(records):
            _check(gate, contact, update)
            _write_record(files, number, record)
            progress(Progress(number + 1, total, TRANSFER))
        _check(gate, contact, update)
    except Stopped as stopped:
        raise Cancelled("New firmware", str(stopped), "The controller goes on with the firmware it has.") from None
    same_controller(contact)
    contact.line.act(Act.ACTIVATE)
    progress(Progress(total, total, TRANSFER))


def _check(gate: Gate, contact: Contact, update: Update) -> None:
    gate.check()
    volts = read_live(contact).values.get("pack_v")
    if update.least_v is not None and volts is not None and volts < update.least_v:
        raise Stopped(f"The supply is {volts:.1f} V; new firmware needs {update.least_v:g} V")


def _write_record(files: Files, number: int, record: bytes) -> None:
    """Write one record and read it back; a record may be written again, nothing runs from the slot."""
    padded = record + bytes(-len(record) % 4)  # the question counts in pairs of words
    for tries_left in reversed(range(WRITE_TRIES)):
        try:
            files.write_record(number, padded)
            if files.read_record(number, len(padded)) == padded:
                return
        except LinkError:
            if tries_left == 0:
                raise
    raise LinkError(
        "New firmware", f"record {number} reads back differently", "The controller goes on with the firmware it has."
    )
