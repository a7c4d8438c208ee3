"""Typed figures: read as people write them, or told; never guessed."""

import math

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.bench.figures import Misread, figure
from tests.amount import some

READ = {"36": 36, "36,5": 36.5, "36.5 A": 36.5, "−5": -5, "+3": 3, "1 200": 1200, "1\u00a0200,5": 1200.5, "1'200": 1200, "1.200,5": 1200.5,
        "1,200.5": 1200.5, "1.200.300": 1_200_300, "0.125": 0.125,
        "0,050": 0.05, "1.25": 1.25, "1.2000": 1.2, "1e3": 1000, ".5": 0.5}  # fmt: skip
TOLD = {"": "No figure", "abc": "no figure", "1.200": "1.2 or 1200",
        "12,345": "12.345 or 12345", "1 20": "no figure", "3 A 4": "no figure",
        "1e999": "too large", "nan": "no figure", "inf": "no figure", "--3": "no figure",
        "9" * 60: "Too long", "1,2,3": "no figure"}  # fmt: skip


@pytest.mark.parametrize(("typed", "value"), READ.items())
def test_what_has_one_meaning_is_read(typed, value):
    assert figure(typed, "A") == pytest.approx(value)


@pytest.mark.parametrize(("typed", "why"), TOLD.items())
def test_what_has_none_or_two_is_told(typed, why):
    with pytest.raises(Misread, match=why):
        figure(typed, "A")


def test_bounds_are_told_never_applied_and_thousandths_are_usual_where_said():
    with pytest.raises(Misread, match="-5 A lies outside 0 to 70 A"):
        figure("-5", "A", 0, 70)
    assert figure("1.636", "m", thousandths=True) == 1.636


@seed(3)
@settings(max_examples=some(200), deadline=None, database=None)
@given(st.floats(-1e6, 1e6).map(lambda one: round(one, 2)), st.booleans(), st.booleans())
def test_what_is_written_out_is_read_back(value, comma, grouped):
    text = f"{value:,.2f}".replace(",", " ") if grouped else f"{value:.2f}"
    assert math.isclose(figure(text.replace(".", ",") if comma else text), value, abs_tol=1e-9)
