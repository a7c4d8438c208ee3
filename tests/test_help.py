"""Help covers every figure of the bike and every setting, briefly, in the words of the field."""

import importlib.util
from fnmatch import fnmatchcase
from pathlib import Path

from crisp_hornet import help as helping
from crisp_hornet.bench.stations.build.shown import SHOWN
from crisp_hornet.bench.stations.stations import BESIDE, PAGES
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.tune import KNOWN


def test_every_figure_and_setting_has_help():
    without = [path for path in (*SHOWN, *KNOWN) if helping.about(path) is None]
    assert not without
    assert helping.about("drive.phase_current_a").title == "Phase current"
    assert helping.about("modes.2.speed_kmh").key == "speed-limit" and helping.about("modes.1.starts").key == "modes"
    assert helping.about("no.such.figure") is None
    assert helping.about("finding.pack-tired").key == "pack-resistance"
    known = set(packaged("crisp_hornet.core.evidence.findings", "findings.toml"))
    named = {
        one.removeprefix("finding.")
        for topic in helping.figures()
        for one in topic.covers
        if one.startswith("finding.")
    }
    assert all(any(fnmatchcase(key, one) for key in known) for one in named)


def test_every_place_has_help_and_cautions_stand_there_once():
    assert {topic.key for topic in helping.places()} == {*PAGES, *BESIDE}
    cautions = [topic.caution for topic in helping.places() if topic.caution]
    assert len(cautions) == len(set(cautions)) >= 6


def test_no_help_is_long_and_all_of_it_says_five_things():
    for topic in helping.figures():
        assert topic.words <= helping.MOST_WORDS, (topic.key, topic.words)
        assert [heading for heading, _ in topic.parts] == [heading for _, heading in helping.PARTS], topic.key
        assert all(text.endswith(".") for _, text in topic.parts), topic.key
    assert all(topic.words <= helping.MOST_WORDS for topic in helping.places())
    assert len(helping.glossary()) >= 30 and all(text.endswith(".") for text in helping.glossary().values())


def test_the_handbook_is_made_of_what_there_is_now():
    path = Path(__file__).parents[1] / "scripts" / "make_handbook.py"
    spec = importlib.util.spec_from_file_location("make_handbook", path)
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    written = (path.parents[1] / "docs" / "handbook" / "index.html").read_text(encoding="utf-8")
    assert made.page() == written, "run scripts/make_handbook.py"
    assert helping.HANDBOOK.read_bytes().startswith(b"%PDF") and "The first hour" in written
