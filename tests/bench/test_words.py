"""The words of the field: what was retired stands in no text, template, table of words or picture script."""

import ast
import re
import tomllib
from pathlib import Path

import pytest

from crisp_hornet.bench.stations.build.figures import name_of
from crisp_hornet.documents.base import title_of
from crisp_hornet.documents.saying import counted, rounded
from tests.bikes import a_bike

SRC = Path(__file__).parents[2] / "src" / "crisp_hornet"
RETIRED = re.compile(
    r"\b(protection board|its board|the board|pack's board|trips? at|pack's trip|fades?|faded|twists?|newtons|winding bears|magnets bear|"
    r"(?:motor|controller) bears|believes|held off|holds? the motor off|puts? (?:it )?back|put back|taken? back|takes? (?:it )?over|"
    r"taken over|"
    r"for ever|rested|lets? go|human watts|unaided|roll-outs tell|bike document says|by way|to judge|being judged|heat guard|hand-over|"
    r"test stand of|dark bench|light bench|stops sending|nobody is connected|asking who is there|came back|what it says|time at|held by|"
    r"found wrong|mend the|begin here|put away|key-in|in hand|as meant|over power-off)\b", re.IGNORECASE)  # fmt: skip
OTHER_SENSES = ("is in hand", "(pedal|", "throttle|twist|", "--rested", "Key-in card")


def literals(path):
    """Every text of a Python file but its docstrings."""
    nodes = list(ast.walk(ast.parse(path.read_text())))
    docs = {id(node.value) for node in nodes if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)}
    for node in nodes:
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs:
            yield node.lineno, node.value


def words_of(table):
    if isinstance(table, dict):
        for value in table.values():
            yield from words_of(value)
    elif isinstance(table, list):
        for value in table:
            yield from words_of(value)
    elif isinstance(table, str):
        yield table


def texts():
    for path in sorted(SRC.rglob("*.py")):
        if not {"standin", "migrations"} & set(path.parts):
            yield from ((f"{path.name}:{line}", text) for line, text in literals(path))
    for path in sorted(SRC.rglob("*.toml")):
        yield from ((path.name, text) for text in words_of(tomllib.loads(path.read_text())))
    for path in [*SRC.rglob("*.html"), SRC.parents[1] / "docs" / "handbook.md", SRC.parents[1] / "README.md"]:
        yield from ((path.name, line) for line in path.read_text().splitlines())


def test_no_retired_word_is_left():
    found, seen = [], 0
    for where, text in texts():
        plain = re.sub(r"\{[^}]*\}", "{}", text)
        if re.fullmatch(r"[\w.\-/:+]*", plain) or any(one in text for one in OTHER_SENSES):
            continue  # an id, or the word in another sense
        seen += 1
        if hit := RETIRED.search(plain):
            found.append(f"{where}: [{hit[0]}] {text[:100]}")
    assert seen > 2500 and found == [], "\n".join(found)


@pytest.mark.parametrize(
    "key, words",
    [
        ("bms_trip_v", "BMS cutoff, V"),
        ("phase_current_a", "phase current, A"),
        ("pole_pairs", "pole pairs"),
        ("crr", "crr"),
    ],
)
def test_keys_of_documents_have_titles_of_the_field(key, words):
    assert title_of(key) == words


def test_no_figure_of_a_bike_is_named_by_its_key():
    bike = a_bike()
    for path in (
        "controller.idle_w",
        "motor.hysteresis_loss_w_per_hz",
        "battery.cycles",
        "motor.thermal.housing_to_air_w_per_k",
    ):
        assert "." not in name_of(bike, path) and "_" not in name_of(bike, path)


def test_plurals_and_digits():
    assert (counted(1, "note"), counted(0, "note"), counted(2, "box", "boxes")) == ("1 note", "0 notes", "2 boxes")
    assert (rounded(213), rounded(628.0), rounded(1384, 3), rounded(0.0)) == (210, 630, 1380, 0)
