"""The marker on the disk: there before the first write, gone when all is known, and hostile files are refused."""

import json

import pytest

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.marker import FileJournal, MarkedRegister, Marker, resolve
from crisp_hornet.link.report import Outcome
from tests.link.sending import draft, send_all

PHASE, BATTERY = "drive.phase_current_a", "drive.battery_current_a"


def marker(contact, **registers):
    rows = []
    for name, (before, after) in registers.items():
        register = contact.map.register(name.replace("__", "."))
        rows.append(MarkedRegister(name=register.name, before=register.encode(before), after=register.encode(after)))
    return Marker(
        at="2026-10-12T10:00:00", product="Weir 60", serial=contact.identity.serial, keep=True, registers=rows
    )


class Watching(FileJournal):
    """Notes what lies on the disk at each call."""

    def __init__(self, folder):
        super().__init__(folder)
        self.folder, self.seen = folder, []

    def _look(self, what):
        self.seen.append((what, sorted(json.loads(one.read_text())["phase"] for one in self.folder.iterdir())))

    def begin(self, marker):
        super().begin(marker)
        self._look("begin")

    def keeping(self):
        super().keeping()
        self._look("keeping")

    def end(self):
        super().end()
        self._look("end")


def test_it_lies_there_before_the_first_write_and_goes_when_all_is_known(contact, tmp_path):
    journal = Watching(tmp_path)
    assert send_all(contact, draft(contact, drive__phase_current_a=100), journal=journal).outcome is Outcome.PROVED
    assert journal.seen == [("begin", ["writing"]), ("keeping", ["keeping"]), ("end", [])]


def test_a_refused_send_leaves_none(standin, contact, tmp_path):
    standin.do("set drive.motor_rpm 444")
    assert (
        send_all(contact, draft(contact, drive__phase_current_a=100), journal=FileJournal(tmp_path)).outcome
        is Outcome.REFUSED
    )
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    ("registers", "settled", "words"),
    [
        ({"drive__phase_current_a": (90, 120)}, True, "holds what it held before"),
        ({"drive__phase_current_a": (60, 90)}, True, "holds all its new values"),
        (
            {"drive__phase_current_a": (60, 90), "drive__battery_current_a": (30, 36)},
            False,
            "phase current new; battery current as before",
        ),
        ({"drive__phase_current_a": (60, 70)}, False, "reads 90 A, neither the old 60 A nor the new 70 A"),
    ],
)
def test_the_next_contact_tells_what_is_there(contact, registers, settled, words):
    found = resolve(marker(contact, **registers), contact)
    assert found.settled is settled and words in found.text


def test_a_register_that_is_gone_is_told(contact):
    rows = [MarkedRegister(name="drive.colour", before=1, after=2)]
    gone = Marker(at="2026-10-12T10:00:00", product="Weir 60", serial="x", keep=True, registers=rows)
    assert "drive.colour cannot be read" in resolve(gone, contact).text


@pytest.mark.parametrize(
    "text", ["", "{", "[]", '{"format": "other"}', '{"format": "crisp-hornet/send-marker", "version": 1}']
)
def test_a_marker_that_is_damaged_is_an_error_that_names_the_file(tmp_path, text):
    (tmp_path / "TW60.json").write_text(text)
    with pytest.raises(DocumentError, match="TW60"):
        FileJournal(tmp_path).found("TW60")


def test_serial_numbers_cannot_lead_out_of_the_folder(contact, tmp_path):
    journal = FileJournal(tmp_path / "in")
    evil = marker(contact, drive__phase_current_a=(90, 100)).model_copy(update={"serial": "../../out/of/here"})
    journal.begin(evil)
    assert [one.parent for one in tmp_path.rglob("*.json")] == [tmp_path / "in"]
    assert journal.found("../../out/of/here") == evil
    journal.end()
    assert journal.found("../../out/of/here") is None
