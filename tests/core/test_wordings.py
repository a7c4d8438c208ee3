"""What rules and findings say: every id that is told is used, every place is filled, and no figure loses its unit on the way."""

import ast
import tomllib
from pathlib import Path
from string import Formatter

import pytest

from crisp_hornet import core
from crisp_hornet.core.evidence.findings.sensors import IDS
from crisp_hornet.documents.saying import Quantity, capital, joined, quantity, say, worded
from crisp_hornet.documents.units import Units

ROOT = Path(core.__file__).parent
OTHER = Units(metric=False)


def _calls(folder, names):
    """(name, id, places) of every call that tells something by its id."""
    for source in sorted((ROOT / folder).glob("*.py")):
        for node in ast.walk(ast.parse(source.read_text())):
            if (
                isinstance(node, ast.Call)
                and (name := getattr(node.func, "id", getattr(node.func, "attr", ""))) in names
            ):
                ids = [one.value for one in node.args if isinstance(one, ast.Constant) and isinstance(one.value, str)]
                if ids:
                    given = {one.arg for one in node.keywords}
                    yield (
                        name,
                        ids[0],
                        given if None not in given else given - {None} | {"value", "low", "high", "told"},
                    )


def _places(*templates):
    return {place for one in templates for _, place, _, _ in Formatter().parse(one) if place}


@pytest.mark.parametrize(("folder", "file", "call", "own"), [
    ("rules", "rules.toml", "says", {"setting", "value", "amount", "strength"}),
    ("evidence/findings", "findings.toml", "tells", {"span", "suggest", "severity", "as_id"}),
])  # fmt: skip
def test_every_wording_is_used_and_every_place_is_filled(folder, file, call, own):
    told, used = tomllib.loads((ROOT / folder / file).read_text()), set()
    for _, id_, given in _calls(folder, {call}):
        words = told[id_]
        assert _places(*(words.get(part, "") for part in ("text", "reason", "mend"))) == given - own, id_
        used.add(id_)
    assert used | (set(IDS) if folder == "evidence/findings" else set()) == set(
        told
    )  # doubts fill theirs: the campaign tells each


def test_every_word_of_the_programmes_is_used_and_every_place_is_filled():
    told, used = tomllib.loads((ROOT / "programmes/programmes.toml").read_text()), set()
    for name, id_, given in _calls("programmes", {"does", "shows", "spoils", "spoilt"}):
        group = "spoils" if name == "spoilt" else name
        assert _places(told[group][id_]) == given, id_
        used.add((group, id_))
    assert used == {(group, id_) for group in ("does", "shows", "spoils") for id_ in told[group]}


@pytest.mark.parametrize(("said", "metric", "other"), [
    (say("It reaches {top}", top=quantity(63.4, "km/h", ".0f")), "It reaches 63 km/h", "It reaches 39 mph"),
    (say("{low} to {high}", low=quantity(105, "°C", bare=True), high=quantity(125, "°C")), "105 to 125 °C", "221 to 257 °F"),
    (say("{at} ± {by}", at=quantity(100, "°C", bare=True), by=quantity(5, "°C", difference=True)), "100 ± 5 °C", "212 ± 9 °F"),
    ("so " + say("{a}", a=quantity(7.5, "km", ".1f")) + "!", "so 7.5 km!", "so 4.7 mi!"),
    (joined("; ", ["a", say("{a}", a=quantity(10, "kg"))]), "a; 10 kg", "a; 22 lb"),
    (capital(say("{a} {b}", a=say("takes {x}", x=quantity(1, "N·m")), b="{b}")), "Takes 1 N·m {b}", "Takes 0.738 lbf·ft {b}"),
    (say("{rest} V", rest=quantity(None, "", ".1f")), "nan V", "nan V"),
])  # fmt: skip
def test_a_saying_reads_in_both_systems(said, metric, other):
    assert (said, Units().text(said), OTHER.text(said)) == (metric, metric, other)


def test_a_place_that_no_wording_has_is_refused():
    with pytest.raises(KeyError, match="lost"):
        worded(("{kept}",), {"kept": "a", "lost": Quantity(1.0)})
    with pytest.raises(KeyError):
        say("{missing}")
