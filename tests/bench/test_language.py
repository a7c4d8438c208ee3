"""The window in its second language: every text of every page, longer words in their places, figures and days as written there."""

import re
import runpy
import xml.etree.ElementTree as xml
from collections import Counter
from pathlib import Path

import pytest
from PyQt6.QtCore import QLocale
from PyQt6.QtWidgets import QComboBox, QLabel, QListWidget, QPushButton

from crisp_hornet.bench.language import BEGUN_IN, TEXTS, language_of, messages_of, speak
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.paper import rendered
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.documents.translation import places_of
from crisp_hornet.documents.units import METRIC
from tests.amount import of
from tests.bench.seen import visible
from tests.bench.test_grammar import cut, overlaps, pages

SCRIPT = Path(__file__).parents[2] / "scripts" / "make_messages.py"
ENGLISH = re.compile(
    r"\b(the|of|and|is|are|to|with|not|from|for|on|by|no|it|its|this|what|after|before|than|one|has|be|or|but|only|as)\b"
)
NOT_WORDS = re.compile(r"“[^”]*”|„[^“]*“|\S+\.(?:json|toml|csv|md)\S*|[\w.+-]+://\S+")


@pytest.fixture
def german(qapp, monkeypatch):
    monkeypatch.setenv(BEGUN_IN, "")
    before, translators = QLocale(), speak(qapp, "de")
    yield
    for translator in translators:
        qapp.removeTranslator(translator)
    QLocale.setDefault(before)


def shown_by(widget):
    """What is seen of a widget and told of it: not what was written."""
    yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription())
    if isinstance(widget, QLabel | QPushButton):
        yield (QLabel if isinstance(widget, QLabel) else QPushButton).text(widget)
    if isinstance(widget, QComboBox):
        yield from (QComboBox.itemText(widget, at) for at in range(widget.count()))
    if isinstance(widget, QListWidget):
        yield from (widget.item(at).text() for at in range(widget.count()))


def own_words(desk):
    """Names and notes that somebody wrote: they stay as they are."""
    tunes = [desk.draft.tune, *desk.draft.named().values(), *(tune for _, tune in desk.held.sent())]
    found = [kept.name for kept in desk.bikes()] + [tune.notes for tune in tunes if tune is not None]
    found += [kept.name for kept in desk.garage.rides.of(desk.bike_id)]
    for entry in desk.story.lines():
        found += [entry.title, entry.detail]
    return sorted({one for one in found if one}, key=len, reverse=True)


@pytest.mark.long
@pytest.mark.parametrize("name", of(["Heron"], ["Thistle"]))
def test_every_text_of_every_page_is_in_the_language_and_none_is_cut(qtbot, german, demo_window, monkeypatch, name):
    desk = demo_window.desk
    desk.open_kept_bike(next(one.id for one in desk.bikes() if one.name == name))
    qtbot.waitUntil(lambda: desk.bike.name == name and demo_window.settled)
    demo_window.resize(1280, 800)
    seen, strays, faults = set(), set(), []
    for page in pages(demo_window):
        shown = {text for widget in visible(demo_window) for text in shown_by(widget) if text}
        seen |= shown
        if name == "Heron":
            faults += [(page, fault) for fault in [*cut(demo_window), *overlaps(demo_window, monkeypatch)]]
        strays |= {(page, text) for text in shown if ENGLISH.search(NOT_WORDS.sub("", text))}
    own = own_words(desk)
    strays = {(page, text) for page, text in strays if not any(words in text or text in words for words in own)}
    assert len(seen) > 400 and not strays, "\n".join(map(str, sorted(strays)))
    assert not faults, "\n".join(map(str, faults))


def test_every_message_is_translated_with_the_same_places():
    """``scripts/make_messages.py`` adds what is new to the table; here it must be translated too."""
    script = runpy.run_path(str(SCRIPT))
    before, kept = script["read"](TEXTS / "de.ts")
    messages = script["gathered"](kept)
    assert [message for message in messages if not before.get(message)] == []
    uneven = [message for message in messages if "{" in message and fields(message) != fields(before[message])]
    assert uneven == [] and len(messages) > 4000


def fields(message):
    try:
        return places_of(message)
    except ValueError:
        return []


def test_what_is_chosen_asked_and_written_stays_english(qtbot, german):
    chooser, field = Chooser("unit"), NumberField("speed", "km/h")
    qtbot.addWidget(chooser)
    qtbot.addWidget(field)
    chooser.addItems(["battery current", "phase current"])
    chooser.setCurrentText("phase current")
    assert (QComboBox.currentText(chooser), chooser.currentText()) == ("Phasenstrom", "phase current")
    assert chooser.findText("battery current") == 0 and chooser.accessibleName() == "unit"
    field.setText("46.5")
    assert field.text() == "46,5" and field.read() == 46.5


def test_the_language_is_the_chosen_one_else_the_desktop_s(monkeypatch):
    monkeypatch.delenv(BEGUN_IN, raising=False)
    monkeypatch.setattr(QLocale, "system", lambda: QLocale("de_CH"))
    assert (language_of(None), language_of("en"), language_of("xx"), language_of(7)) == ("de", "en", "de", "de")
    monkeypatch.setattr(QLocale, "system", lambda: QLocale("fi_FI"))
    assert language_of(None) == "en"
    monkeypatch.setenv(BEGUN_IN, "de")  # a window of practice speaks as the one it was begun from
    assert language_of(None) == "de"


def test_it_is_chosen_by_the_search_and_holds_from_the_next_start(qtbot, demo_window, german):
    demo_window.helping.show_search()
    search = demo_window.helping.search
    search.line.setText("sprache deut")  # words of either language find
    search.go()
    assert demo_window.desk.remembered("language") == "de" and "Deutsch" in demo_window.notice.text
    search.open_anew()
    search.line.setText("language engl")
    search.go()
    assert demo_window.desk.remembered("language") == "en"


def test_what_is_printed_speaks_the_language_too(german):
    card = {"name": "Display <b>", "day": "28 November 2026", "lines": [], "headlines": "held 25.5 km/h"}
    page = rendered("tune/key_in_card.html", METRIC, **card)
    assert "Display &lt;b&gt;: von Hand einzugebende Einstellungen" in page
    assert "28.\u00a0November 2026" in page and "gehalten 25,5 km/h" in page


def test_a_table_that_qt_reads():
    """The file is Qt's: what Qt Linguist and lrelease ask of it."""
    root = xml.parse(TEXTS / "de.ts").getroot()
    assert (root.tag, root.get("version"), root.get("sourcelanguage")) == ("TS", "2.1", "en")
    sources = Counter(one.findtext("source") for one in root.iter("message"))
    assert sources.most_common(1)[0][1] == 1 and len(messages_of("de")) == len(sources)
