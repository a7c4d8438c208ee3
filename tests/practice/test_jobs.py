"""Every job as a machine does it: the untouched bike shows the complaint, the cure solves it, the wrong cures do not."""

import json

import pytest

from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job, read_job
from crisp_hornet.practice.drawing import draw
from crisp_hornet.practice.jobs import find, own, shipped
from crisp_hornet.practice.judging import Outcome, judge
from crisp_hornet.practice.laying_out import make_garage, workshop_of
from crisp_hornet.practice.progress import Progress
from crisp_hornet.practice.readers import holds, value_of
from crisp_hornet.practice.riding import Cancelled, ride
from crisp_hornet.practice.showing import first_that_shows
from crisp_hornet.standin.snapshot import restore, snapshot
from crisp_hornet.standin.workshop import Workshop
from tests.amount import of
from tests.practice.trying import Try

JOBS = shipped()


@pytest.mark.parametrize("number", of([1, 9], [2, 3, 4, 5, 6, 7, 8, *range(10, 17)]))
def test_a_job_shows_its_complaint_and_is_solved_by_no_wrong_cure(number):
    job = JOBS[number - 1].job
    one = Try(job)
    untouched = one.untouched()
    assert all(holds(untouched, check) for check in job.shows), job.name
    if job.ending != "ride" or number in (
        1,
        9,
    ):  # the others' cures: tests/bench/test_practice_jobs.py, and all of them in the benchmark
        cured = judge(one.after(job.cure))
        assert cured.outcome is Outcome.SOLVED, cured.lines
    assert job.wrong
    for wrong in job.wrong[:1]:
        tried = one.after(wrong.steps)
        assert judge(tried).outcome in (Outcome.NOT_YET, Outcome.ENDED), wrong.says
        assert all(holds(tried, check) for check in wrong.then), wrong.says


def test_every_job_has_what_a_player_needs_and_survives_its_file(tmp_path):
    assert len(JOBS) == 16
    for file in JOBS:
        job = file.job
        assert job.complaint and job.hints and job.debrief and job.caution and job.path and job.solved
        text = " ".join([*job.complaint, *job.hints])
        assert not any(word in text.lower() for word in ("calibration.", "register", "sensor.")), (
            "a hint names a setting, not a file's key"
        )
        (tmp_path / f"{file.key}.json").write_text(json.dumps(store.dump(job)))
    found, faulty = own(tmp_path)
    assert not faulty and [one.job.name for one in found] == [one.job.name for one in JOBS]


def test_how_it_was_found_counts_as_flaws_and_never_as_solved():
    one = Try(JOBS[0].job)
    for without, said in (
        ({"backed_up": False}, "No backup"),
        ({"key": False}, "the key was not turned"),
        ({"ridden": False}, "No ride"),
    ):
        judged = judge(one.after(one.job.cure[:1], **without))
        assert judged.outcome is Outcome.FLAWED and said in " ".join(judged.lines)
    kind = type(one.job.cure[0])
    both = kind(set={"drive.phase_current_a": 110.0, "throttle.ramp_s": 0.9})
    assert value_of(one.after([both]), "journal.most_changes_a_send") == 2
    assert value_of(one.after([kind(restore="held")]), "journal.most_changes_a_send") == 1  # a backup is one thing


def test_what_must_never_be_ends_a_job():
    one = Try(JOBS[6].job)
    kind = type(one.job.cure[0])
    over = judge(one.after([kind(act="display drive.battery_current_a 45"), *one.job.cure[1:]]))
    assert over.outcome is Outcome.ENDED
    rated = judge(one.after([kind(set={"drive.battery_current_a": 50.0})]))
    assert rated.outcome is Outcome.ENDED and "above 40 A" in " ".join(rated.lines)


def test_the_same_seed_is_the_same_bike_and_another_one_another():
    for file in JOBS:
        one, same, other = (draw(file.job, seed) for seed in (3, 3, 4))
        assert one == same and one.acts != other.acts


def test_a_bike_is_left_and_taken_up_again_as_it_was():
    job = JOBS[3].job
    shop = workshop_of(job, draw(job, 5))
    shop.do("set drive.phase_current_a 100")
    ride(shop, job.roads["flat"].model_copy(update={"longest_s": 5.0}))
    left = json.loads(json.dumps(snapshot(shop)))
    again = Workshop(shop.bike.truth.document, shop.controller.map)
    restore(again, left)
    assert snapshot(again) == left
    with pytest.raises(ValueError, match="no state of such a bike"):
        restore(again, {"kept": []})
    with pytest.raises(Cancelled):
        ride(shop, job.roads["flat"], lambda share: False)


def test_progress_is_kept_and_a_broken_file_costs_only_itself(tmp_path):
    progress = Progress(tmp_path / "practice")
    assert progress.all() == {}
    progress.keep("01", "begun", 7, hints=2)
    progress.keep("02", "solved", 9)
    assert progress.of("01").hints == 2 and progress.of("02").state == "solved"
    (tmp_path / "practice" / "practice.json").write_text('{"01": {"state": 1}, "02": 5}')
    assert progress.all() == {}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"bike": "../heron"}, "there is no bike"),
        ({"controller": "nobody's"}, "there is no"),
        ({"hidden": {"acts": ["explode 1"]}}, "unknown: explode"),
        ({"hidden": {"figures": {"truth.wheel": {}}}}, "neither from and to nor of"),
        ({"solved": [{"of": "road.nowhere.top_kmh", "least": 1.0}]}, "nothing of this name"),
        ({"settings": {"drive.nothing": 1.0}}, "no such setting"),
    ],
)
def test_an_own_job_that_makes_no_sense_says_where(change, said):
    job = Job.model_validate({**store.dump(JOBS[0].job), **change})
    with pytest.raises(DocumentError, match=said):
        judge(Try(job).untouched())


def test_jobs_are_found_by_number_and_by_file_and_nothing_else(tmp_path):
    assert find("4").job.name == "Slow since the new wheel"
    path = tmp_path / "mine.json"
    path.write_text(json.dumps(store.dump(JOBS[1].job)))
    assert find(str(path)).job == JOBS[1].job and read_job(path).name == JOBS[1].job.name
    for wrong in ("0", "17", "nothing"):
        with pytest.raises(DocumentError, match="no such job"):
            find(wrong)


def test_the_garage_of_a_job_has_its_history_and_is_made_once(tmp_path):
    garage = make_garage(tmp_path / "g", JOBS[0].job)
    number, bike = garage.glance.last_bike()
    assert bike.name == "Heron" and len(garage.backups.of(number)) == 1
    lines = len(garage.book.of(number))
    garage.close()
    again = make_garage(tmp_path / "g", JOBS[0].job)
    assert len(again.book.of(number)) == lines == len(JOBS[0].job.history)
    again.close()


def test_a_draw_that_does_not_show_the_complaint_does_not_count():
    job = JOBS[4].job
    assert first_that_shows(job, [7, 8]) == 7
    never = Job.model_validate({**store.dump(job), "shows": [{"of": "shown.ripple", "least": 5.0}]})
    with pytest.raises(DocumentError, match="no draw of it shows"):
        first_that_shows(never, [1, 2])
