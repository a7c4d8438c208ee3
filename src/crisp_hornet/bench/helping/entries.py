"""What the search knows: stations and their pages, figures and settings, rides, findings, acts and help."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QAbstractButton

from crisp_hornet.bench.helping.needs import Window
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.stations.build.build_page import BuildPage
from crisp_hornet.bench.stations.build.shown import SHOWN
from crisp_hornet.bench.stations.stations import title
from crisp_hornet.bench.stations.verdict.verdict_page import VerdictPage
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import shortened
from crisp_hornet.documents.setting_words import label_of
from crisp_hornet.documents.translation import LANGUAGES
from crisp_hornet.documents.tune import KNOWN
from crisp_hornet.help import figures, glossary, places

if TYPE_CHECKING:
    from crisp_hornet.garage.rides import KeptRide

# pages of the stations as they are called there; a test holds them against the stations
STATION_PAGES = {
    "build": ("Bike", "Pack", "Motor", "Several packs"),
    "hookup": ("Live", "Faults", "Backups", "Firmware", "Stored rides", "Job sheets", "By hand", "Describe"),
    "calibrate": ("Instruments", "Live scope"),
    "tune": ("Pull", "Feel", "Assist", "Guards", "Modes", "The ride", "Who is in charge", "Drafts"),
    "rides": ("Look", "Record"),
    "verdict": ("Pull", "Along the route", "Dyno", "Peaks", "Estimates", "Over time", "Compared", "Ridden again"),
}
# acts on stations: the words on the button
STATION_ACTS = {
    "rides": ("Import a log",),
    "logbook": ("Export the bike", "Import a bike"),
    "verdict": ("Save a report",),
}
MOST_RIDES, MOST_FOUND, MOST_TEXT = 200, 40, 90


@dataclass(frozen=True)
class Entry:
    """One thing that can be found. ``kind`` is the word before it; ``more`` is searched too, and shown small."""

    kind: str
    name: str
    more: str
    go: Callable[[], object]


def entries(window: Window) -> list[Entry]:
    """All that there is now."""
    return [*_places(window), *_acts(window), *_figures(window), *_rides(window), *_findings(window), *_help(window)]


def found(every: list[Entry], wanted: str) -> list[Entry]:
    """Those in which each word that is typed begins a word: by their names before what stands besides, shorter names first."""
    words = wanted.lower().split()
    if not words:
        return [one for one in every if one.kind == "station"]
    fitting = [
        (rank, len(one.name), at, one) for at, one in enumerate(every) if (rank := _rank(one, words)) is not None
    ]
    return [one for *_, one in sorted(fitting, key=lambda row: row[:3])][:MOST_FOUND]


def _rank(one: Entry, words: list[str]) -> int | None:
    """By what it is called in English or in the language of the window."""
    ranks = [_rank_of(name.lower(), one, words) for name in {one.name, tr(one.name)}]
    return min((rank for rank in ranks if rank is not None), default=None)


def _rank_of(name: str, one: Entry, words: list[str]) -> int | None:
    if name.startswith(" ".join(words)):
        return 0
    if all(_begins(name, word) for word in words):
        return 1
    whole = f"{name} {one.kind} {one.more.lower()}"
    return 2 if all(_begins(whole, word) for word in words) else None


def _begins(text: str, word: str) -> bool:
    return text.startswith(word) or any(f"{before}{word}" in text for before in " -(“:")


def _places(window: Window) -> Iterator[Entry]:
    yield Entry("station", "Start", "start page, doors, practice", partial(window.show_station, "start"))
    for key in window.stations:
        yield Entry("station", title(key), "", partial(window.show_station, key))
    for key, pages in STATION_PAGES.items():
        for at, page in enumerate(pages):
            yield Entry("page", page, title(key), partial(_show_page, window, key, at, pages))


def _show_page(window: Window, key: str, at: int, pages: tuple[str, ...]) -> None:
    window.show_station(key)
    for choice in window.stations[key].findChildren(PageChoice):
        if choice.known_as == pages:
            choice.choose(at)
            return


def _acts(window: Window) -> Iterator[Entry]:
    languages: list[tuple[str, Callable[[], object]]] = [
        (f"Language: {name}", partial(window.helping.choose_language, code)) for code, name in LANGUAGES.items()
    ]
    for name, act in (
        ("Switch between light and dark", window.switch_theme),
        ("Switch between metric and imperial units", window.desk.switch_units),
        ("Figures of the chart as a table", window.helping.show_figures),
        ("High contrast theme", window.high_contrast),
        *languages,
        ("Larger text", lambda: window.set_scale(window.scale_now + 0.1)),
        ("Smaller text", lambda: window.set_scale(window.scale_now - 0.1)),
        ("Show the keys", window.helping.show_keys),
        ("Open the glossary", window.helping.show_glossary),
        ("Show all cautions", window.helping.show_cautions),
        ("About, licences", window.helping.show_about),
    ):
        yield Entry("act", name, "", act)
    if window.simulated.ports:
        yield Entry("act", "Controls of the simulated bike", "test stand, instruments", window.show_test_stand)
    for key, names in STATION_ACTS.items():
        for name in names:
            yield Entry("act", name, title(key), partial(_press, window, key, name))


def _press(window: Window, key: str, name: str) -> None:
    window.show_station(key)
    for one in window.stations[key].findChildren(QAbstractButton):
        if one.text() == name and one.isVisible() and one.isEnabled():
            one.click()
            return


def _figures(window: Window) -> Iterator[Entry]:
    if window.desk.bike is not None:
        for path, shown in SHOWN.items():
            yield Entry("figure", shown.label, f"Build, {path.partition('.')[0]}", partial(_choose, window, path))
    draft = window.desk.draft.tune
    if draft is not None:
        for path in KNOWN:
            if draft.holds(path):
                yield Entry("setting", label_of(path), "Tune", partial(_setting, window, path))


def _choose(window: Window, path: str) -> None:
    window.show_station("build")
    page = window.stations["build"]
    assert isinstance(page, BuildPage)
    page.choose(path)


def _setting(window: Window, path: str) -> None:
    window.show_station("tune")
    window.stations["tune"].take(path)


def _rides(window: Window) -> Iterator[Entry]:
    for kept in window.desk.ride.kept()[:MOST_RIDES]:
        yield Entry("ride", kept.name, f"{kept.at:%-d %B %Y}", partial(_ride, window, kept))


def _ride(window: Window, kept: KeptRide) -> None:
    window.desk.kept(lambda: window.desk.ride.open(kept))
    window.show_station("rides")


def _findings(window: Window) -> Iterator[Entry]:
    page = next((one for one in window.stations.there if isinstance(one, VerdictPage)), None)
    for one in page.found if page is not None else ():
        text = window.desk.units.text(one.text)
        yield Entry("finding", text, "Verdict", partial(window.show_station, "verdict"))


def _help(window: Window) -> Iterator[Entry]:
    for topic in (*figures(), *places()):
        yield Entry(
            "help", topic.title, shortened(topic.parts[0][1], MOST_TEXT), partial(window.helping.show_topic, topic)
        )
    for word, text in glossary().items():
        yield Entry("word", word, shortened(text, MOST_TEXT), partial(window.helping.show_glossary, word))
