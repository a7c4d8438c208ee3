"""A second language for texts that come finished: by message, by template, by their parts; figures and days as written there."""

import string

from hypothesis import given, settings
from hypothesis import strategies as st

from crisp_hornet.bench.language import messages_of
from crisp_hornet.documents.translation import Catalogue, is_template, places_of
from tests.amount import some

GERMAN = Catalogue(messages_of("de"))
FEW = Catalogue(
    {
        "It reaches {top} on {hill}.": "Es erreicht {top} an {hill}.", "{count} settings differ": "{count} Einstellungen sind anders",
        "phase current": "Phasenstrom", "held": "gehalten", "notes": "Hinweise", "The road: {error}.": "Die Straße: {error}.",
        "it has no heights": "sie hat keine Höhen", "{day} {month}": "{day}. {month}", "October": "Oktober", "no limit": "keine Grenze",
        "{year}-{month}-{day}": "{day}.{month}.{year}", "Two parts. The second has {n}.": "Zwei Teile. Der zweite hat {n}.",
    }
)  # fmt: skip
SAID = {
    "It reaches 46.5 km/h on 12 %.": "Es erreicht 46,5 km/h an 12 %.", "3 settings differ": "3 Einstellungen sind anders",
    "Phase current": "Phasenstrom", "PHASE CURRENT": "PHASENSTROM", "phase current 120.5 A": "Phasenstrom 120,5 A", "3 notes": "3 Hinweise",
    "phase current 90 A to 115 A": "Phasenstrom 90 A → 115 A", "phase current no limit to 60 A": "Phasenstrom keine Grenze → 60 A",
    "The road: it has no heights.": "Die Straße: sie hat keine Höhen.", "phase current: held": "Phasenstrom: gehalten",
    "12 October 2026": "12. Oktober 2026", "on 2026-11-28": "on 28.11.2026", "1,234,567 rows": "1.234.567 rows",
    "firmware 3.2.1": "firmware 3.2.1", "firmware 2.41": "firmware 2.41", "log-1.5.csv": "log-1.5.csv", "Heron 2": "Heron 2",
    "The second has 5.": "Der zweite hat 5.", "“held by the pack”": "“held by the pack”",
    "<b>held</b> · notes": "<b>gehalten</b> · Hinweise",
    "held (phase current)": "gehalten (Phasenstrom)", "": "", "3 settings differ. It reaches 4 N on 5 %.":
    "3 Einstellungen sind anders. Es erreicht 4 N an 5 %.",
}  # fmt: skip


def test_what_is_said_in_english_is_said_in_the_other_language():
    assert {text: FEW.text(text) for text in SAID} == SAID


def test_somebody_s_own_sentence_stays_as_it_is():
    own = "For the baker's daughter: level 1 is not to startle anybody on the market."
    assert GERMAN.text(own) == own


@settings(max_examples=some(150), deadline=None)
@given(st.sampled_from(sorted(messages_of("de").items())), st.lists(st.integers(2, 9999), min_size=12, max_size=12))
def test_every_template_is_known_again_with_figures_in_its_places(pair, figures):
    """With a figure in each place a text is what its message says; where two messages read the same, one of them."""
    message, text = pair
    if not is_template(message):
        assert GERMAN.text(message) == GERMAN._figures(text) or message.lower() != message
        return
    names = dict(zip(places_of(message), map(str, figures), strict=False))
    said = GERMAN.text(message.format(**names))
    letters = sum(one.isalpha() for one in message)
    missing = [figure for figure in names.values() if figure not in said]
    assert not missing and (
        letters < 12 or said != message.format(**names) or text.format(**names) == message.format(**names)
    )


@settings(max_examples=some(300), deadline=None)
@given(st.text(alphabet=string.printable + "äöü“”·→{}<>", max_size=120))
def test_no_text_makes_it_fail_and_none_loses_its_figures(text):
    said = GERMAN.text(text)
    assert sum(one.isdigit() for one in said) == sum(one.isdigit() for one in text)
