"""Jobs, calibrations and sent tunes come back as they went in, bike by bike."""

from dataclasses import replace
from datetime import datetime

import pytest

from crisp_hornet.core.build.job_sheets import SHEETS
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.jobs import JobStep
from tests.bikes import a_bike, a_tune


@pytest.fixture
def garage(tmp_path):
    made = Garage(tmp_path / "g")
    yield made
    made.close()


def again(garage):
    """The same garage after a restart."""
    garage.close()
    return Garage(garage.folder)


def calibration(kind="throttle", verdict="passed", **figures):
    return Calibration(kind=kind, taken="2026-10-12T09:00:00", verdict=verdict, reason="seen", figures=figures)


def test_calibrations_come_back_newest_first_and_bike_by_bike(garage):
    first, second = garage.bikes.save(a_bike()), garage.bikes.save(a_bike().model_copy(update={"name": "Other"}))
    garage.calibrations.keep(first, calibration(rest_v=0.85))
    garage.calibrations.keep(first, calibration("torque", "failed"))
    garage.calibrations.keep(first, calibration(rest_v=0.87))
    garage.calibrations.keep(second, calibration(rest_v=9.0))
    garage = again(garage)
    assert [one.figures.get("rest_v") for one in garage.calibrations.of(first, "throttle")] == [0.87, 0.85]
    assert [one.kind for one in garage.calibrations.of(first)] == ["throttle", "torque", "throttle"]
    assert [one.figures["rest_v"] for one in garage.calibrations.of(second)] == [9.0]
    garage.close()


def test_a_job_is_kept_with_its_ticks_until_it_is_closed(garage):
    bike = garage.bikes.save(a_bike())
    job = garage.jobs.start(bike, "Fit a pack", [JobStep("off", "careful"), JobStep("on")])
    when = datetime(2026, 10, 12, 9, 30).astimezone()
    garage.jobs.keep(replace(job, steps=(replace(job.steps[0], done_at=when), job.steps[1])))
    garage = again(garage)
    (kept,) = garage.jobs.of(bike)
    assert kept.steps == (JobStep("off", "careful", when), JobStep("on")) and not kept.closed
    garage.jobs.keep(replace(kept, closed=True))
    assert garage.jobs.of(bike) == [] and garage.jobs.of(bike + 1) == []
    garage.close()


def test_sent_tunes_are_listed_newest_first(garage):
    bike = garage.bikes.save(a_bike())
    for amps in (30.0, 34.0):
        garage.tunes.keep_sent(bike, a_tune(drive__battery_current_a=amps))
    garage.tunes.save_draft(bike, a_tune(drive__battery_current_a=99.0))
    assert [tune.drive.battery_current_a for _, tune in garage.tunes.sent(bike)] == [34.0, 30.0]


@pytest.mark.parametrize("title", SHEETS)
def test_every_sheet_begins_with_the_pack_off_and_ends_on_the_road(title):
    steps = [text for text, _ in SHEETS[title]]
    assert any(text.startswith("Pack off") for text in steps[:2]) and steps[-1].startswith("Road")
    assert any("Capacitors" in text for text in steps) and any("backup kept, faults read" in text for text in steps)
    assert len(steps) == len(set(steps))
    assert all(not caution or caution.endswith(".") for _, caution in SHEETS[title])


def test_named_drafts_are_kept_replaced_and_let_go(tmp_path):
    garage = Garage(tmp_path / "g")
    one, other = garage.bikes.save(a_bike()), garage.bikes.save(a_bike(name="Other"))
    first = a_tune(name="Hill", notes="for the quarry", throttle={"ramp_s": 0.9}, modes=[{"name": "Guest"}])
    garage.tunes.keep_named(one, first)
    garage.tunes.keep_named(one, a_tune(name="Flat"))
    garage.tunes.keep_named(one, a_tune(name="Hill", drive__phase_current_a=77))
    garage.tunes.keep_named(other, a_tune(name="Hill"))
    assert (
        list(garage.tunes.named(one)) == ["Flat", "Hill"]
        and garage.tunes.named(one)["Hill"].drive.phase_current_a == 77
    )
    garage.tunes.keep_named(one, first)
    garage.close()
    garage = Garage(tmp_path / "g")
    assert garage.tunes.named(one)["Hill"] == first
    garage.tunes.drop_named(one, "Hill")
    garage.tunes.drop_named(one, "never there")
    assert list(garage.tunes.named(one)) == ["Flat"] and list(garage.tunes.named(other)) == ["Hill"]
    assert garage.glance.tune(one, "draft") is None
    garage.close()
