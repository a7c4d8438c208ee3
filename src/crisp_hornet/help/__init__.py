"""Help: one source for F1, the search, the glossary and the handbook. Texts lie as TOML beside this file.

A figure's help covers paths of figures and settings; a place's help belongs to a station.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fnmatch import fnmatchcase
from functools import lru_cache
from pathlib import Path

from crisp_hornet.documents.packaged import packaged

MOST_WORDS = 120
HANDBOOK = Path(__file__).parent / "handbook.pdf"
DRAWINGS = Path(__file__).parent / "drawings"
TOKENS = {
    "#000001": "text",
    "#000002": "quiet",
    "#000003": "drafted",
    "#000004": "measured",
}  # colours of the drawings: of the theme
PARTS = (
    ("what", "What it is"),
    ("why", "Why it matters"),
    ("how", "How to find it"),
    ("typical", "What is usual"),
    ("moves", "What it moves"),
)


@dataclass(frozen=True)
class Topic:
    """One text of help. ``parts``: heading and sentences; ``covers``: the figures and settings it is about, * for any
    part of a path; ``drawing``: one that helps, see :func:`drawing`."""

    key: str
    title: str
    parts: tuple[tuple[str, str], ...]
    covers: tuple[str, ...] = ()
    caution: str = ""
    drawing: str = ""

    @property
    def words(self) -> int:
        """How long it is."""
        return sum(len(text.split()) for _, text in self.parts)

    @property
    def text(self) -> str:
        """All of it as one line, to be searched."""
        return " ".join([self.title, *(text for _, text in self.parts), self.caution])


@lru_cache(maxsize=1)
def figures() -> tuple[Topic, ...]:
    """Help on figures."""
    told = packaged("crisp_hornet.help", "figures.toml")
    return tuple(
        Topic(
            key,
            row["title"],
            tuple((heading, row[part]) for part, heading in PARTS if row.get(part)),
            tuple(row["covers"]),
            drawing=row.get("drawing", ""),
        )
        for key, row in told.items()
    )


@lru_cache(maxsize=1)
def places() -> tuple[Topic, ...]:
    """Help on stations, in the order of the work."""
    told = packaged("crisp_hornet.help", "places.toml")
    return tuple(
        Topic(key, row["title"], (("", row["text"]),), caution=row.get("caution", "")) for key, row in told.items()
    )


@lru_cache(maxsize=1)
def glossary() -> dict[str, str]:
    """Words of the field, each in a sentence."""
    told = packaged("crisp_hornet.help", "glossary.toml")
    return {word: str(told[word]) for word in sorted(told, key=str.lower)}


def drawing(name: str, colours: Mapping[str, str]) -> str:
    """A drawing as SVG, with a colour for each of :data:`TOKENS`."""
    text = (DRAWINGS / f"{name}.svg").read_text(encoding="utf-8")
    for token, colour in colours.items():
        text = text.replace(token, colour)
    return text


def drawing_words(name: str) -> str:
    """What a drawing shows, in words."""
    found = re.search("<title>(.*?)</title>", drawing(name, {}))
    return found[1] if found else ""


def about(path: str) -> Topic | None:
    """Help on a figure of the bike or a setting by its path; the most exact one where several cover it."""
    fitting = [(len(pattern), topic) for topic in figures() for pattern in topic.covers if fnmatchcase(path, pattern)]
    return max(fitting, key=lambda one: one[0])[1] if fitting else None


def of_place(key: str) -> Topic | None:
    """Help on a station by its key."""
    return next((topic for topic in places() if topic.key == key), None)
