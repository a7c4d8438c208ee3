"""The real client code against the stand-in process over its pseudo-terminal."""

import pytest

from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.link.contact import make_contact, read_live, runs
from crisp_hornet.link.difference import difference
from crisp_hornet.link.errors import AnsweredNo, LineDead, PortFailed, WrongDevice
from crisp_hornet.link.line import SerialLine
from crisp_hornet.link.send import Held, Outcome, send
from tests.bikes import a_tune
from tests.standins import is_gone

MAPS = shipped_maps()


@pytest.fixture
def contact(standin):
    with SerialLine(standin.port, MAPS[0].line, answer_s=0.25) as line:
        yield make_contact(line, MAPS, lambda text: None)[0]


def send_all(contact, changes, keep=True, cancelled=lambda: False, steps=None):
    return send(contact, changes, keep, (steps if steps is not None else []).append, cancelled)


def draft(contact, **settings):
    tune = contact.tune("draft")
    for path, value in settings.items():
        tune = tune.with_setting(path.replace("__", "."), value)
    return difference(contact.map, contact.words, tune)


def test_first_contact_identifies_and_backs_up_every_register(standin):
    with SerialLine(standin.port, MAPS[0].line) as line:
        contact, backup = make_contact(line, MAPS, lambda text: None)
        assert (contact.identity.product, contact.identity.serial) == ("Weir 60", "TW60-00417")
        assert len(backup.registers) == len(MAPS[0].register_list)
        assert contact.tune("found").drive.battery_current_a == 30
        live = read_live(contact).values
        assert 55 < live["pack_v"] < 67 and live["wheel_speed_kmh"] == 0


def test_a_kept_send_is_proved_and_really_there(standin, contact):
    steps = []
    report = send_all(contact, draft(contact, drive__battery_current_a=36.3, drive__power_w=2000), steps=steps)
    assert report.outcome is Outcome.PROVED and report.kept and report.compared == 17
    assert standin.shows("drive.battery_current_a") == ("36.0", "36.0")  # rounded to the register's safe side
    assert standin.shows("drive.power_w") == ("2000.0", "2000.0")
    assert steps[-1].done < steps[-1].total
    assert difference(contact.map, contact.words, contact.tune("now")) == []


def test_a_trial_is_gone_after_power_off(standin, contact):
    report = send_all(contact, draft(contact, drive__phase_current_a=70), keep=False)
    assert report.outcome is Outcome.PROVED and not report.kept
    assert standin.shows("drive.phase_current_a") == ("70.0", "90.0")
    standin.do("key-off")
    assert standin.shows("drive.phase_current_a") == ("90.0", "90.0")


def test_reductions_are_written_first(contact):
    changes = draft(contact, drive__phase_current_a=120, drive__battery_current_a=20, battery_guard__fade_start_v=52)
    assert [change.eases for change in changes] == [True, True, False]


@pytest.mark.parametrize("survived", [0, 1, 2])
def test_a_pulled_plug_is_said_plainly_and_nothing_is_called_known_that_is_not(standin, contact, survived):
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34, drive__speed_taper_kmh=3)
    standin.do(f"cut-after-writes {survived}")
    report = send_all(contact, changes)
    assert report.outcome is Outcome.NOT_PROVED
    held = [report.held[change.register.name] for change in changes]
    assert held == [Held.UNKNOWN] * (survived + 1) + [Held.OLD] * (2 - survived)
    assert "is not known" in report.message and "Do not ride" in report.message
    assert is_gone(standin.port)


def test_nothing_is_written_while_the_wheel_turns(standin, contact):
    standin.do("throttle 0.4")
    report = send_all(contact, draft(contact, drive__battery_current_a=20))
    assert (report.outcome is Outcome.STOPPED and "wheel turns" in report.message) or "throttle" in report.message
    assert standin.shows("drive.battery_current_a") == ("30.0", "30.0")


def test_stopping_midway_takes_back_what_was_written(standin, contact):
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34)
    asked = iter([False, True])
    report = send_all(contact, changes, cancelled=lambda: next(asked))
    assert report.outcome is Outcome.STOPPED and "holds what it held before" in report.message
    assert standin.shows("drive.phase_current_a") == ("90.0", "90.0")


def test_what_the_controller_cannot_hold_is_named(contact):
    with pytest.raises(ValueError, match="battery current 81 A lies outside"):
        draft(contact, drive__battery_current_a=81)


def test_a_question_the_controller_refuses(contact):
    with pytest.raises(AnsweredNo, match="no such register"):
        contact.line.read_settings(0x0900, 2)


def test_nobody_and_no_port(standin, tmp_path):
    with pytest.raises(PortFailed, match="no such port"):
        SerialLine(str(tmp_path / "nothing"), MAPS[0].line).open()
    with SerialLine(standin.port, MAPS[0].line) as line, pytest.raises(PortFailed, match="another program"):
        line.identify()
        SerialLine(standin.port, MAPS[0].line).open()
    elsewhere = MAPS[0].line.model_copy(update={"device": 9})
    with (
        SerialLine(standin.port, elsewhere, answer_s=0.05) as line,
        pytest.raises(LineDead, match="no answer came in time"),
    ):
        line.identify()


def test_an_unknown_device_is_refused_before_anything_is_written(standin):
    stranger = MAPS[0].model_copy(update={"identity": MAPS[0].identity.model_copy(update={"product": "Another"})})
    with SerialLine(standin.port, MAPS[0].line) as line, pytest.raises(WrongDevice, match="Weir 60"):
        make_contact(line, [stranger], lambda text: None)


def test_runs_cover_every_address_once():
    assert runs([1, 2, 3, 7, 8, 20], longest=2) == [(1, 2), (3, 1), (7, 2), (20, 1)]


def test_a_tune_of_another_shape_is_a_long_difference(contact):
    changes = difference(contact.map, contact.words, a_tune(drive__battery_current_a=30))
    assert {change.register.name for change in changes} >= {"drive.phase_current_a", "regen.phase_current_a"}
    assert all(" to " in change.in_words() for change in changes)


class StubbornLine:
    """A line to a controller of which one register will not hold what it is given."""

    def __init__(self, contact, stubborn, holds):
        self._words, self._stubborn, self._holds = dict(contact.words), stubborn, holds
        self._block = contact.map.telemetry.length

    def read_settings(self, address, count):
        return [self._words[at] for at in range(address, address + count)]

    def read_live(self, address, count):
        return [0] * self._block

    def write(self, address, word):
        self._words[address] = self._holds if address == self._stubborn else word


def test_a_register_that_holds_something_else_is_named_with_what_it_reads(contact):
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34)
    battery = contact.map.register("drive.battery_current_a")
    contact.line = StubbornLine(contact, battery.address, battery.encode(11))
    report = send_all(contact, changes)
    assert report.outcome is Outcome.NOT_PROVED
    assert report.held == {"drive.phase_current_a": Held.OLD, "drive.battery_current_a": Held.UNKNOWN}
    assert "Battery current reads 11 A, neither the old 30 A nor the new 34 A" in report.message
    assert contact.tune("now").drive.battery_current_a == 11  # and so the next difference starts from what is there
