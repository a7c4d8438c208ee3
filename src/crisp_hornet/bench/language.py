"""The language of the window: what is written in English is shown in the one that was chosen, by Qt's translation.

``tr`` stands wherever a text goes to a widget, a painter or a dialog, and nowhere else: the program goes on thinking in English, so that
files, logs and what is compared stay as they are. The messages lie in ``texts/<language>.ts`` (Qt's format, for Qt Linguist), made by
``scripts/make_messages.py``.
"""

from __future__ import annotations

import os
import xml.etree.ElementTree as xml
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator

from crisp_hornet.documents.translation import ENGLISH, LANGUAGES, Catalogue

CONTEXT = "Crisp Hornet"
BEGUN_IN = "CRISP_HORNET_LANGUAGE"  # handed on to the windows of practice
TEXTS = Path(__file__).parent / "texts"


def tr(text: str) -> str:
    """A text as it is shown."""
    return QCoreApplication.translate(CONTEXT, text)


class Messages(QTranslator):
    """Translates what comes from ``tr`` by a catalogue."""

    def __init__(self, catalogue: Catalogue) -> None:
        super().__init__()
        self._catalogue = catalogue

    def translate(
        self, context: str | None, sourceText: str | None, disambiguation: str | None = None, n: int = -1
    ) -> str:
        """The text in the other language, or ``""`` for what is somebody else's."""
        return self._catalogue.text(sourceText) if context == CONTEXT and sourceText else ""

    def isEmpty(self) -> bool:
        """Never: Qt leaves out those that are."""
        return False


def messages_of(code: str) -> dict[str, str]:
    """English to a language; not finished ones are left out. The file ships with the application."""
    found = {}
    for message in xml.parse(TEXTS / f"{code}.ts").getroot().iter("message"):
        translation = message.find("translation")
        if translation is not None and translation.get("type") is None:
            found[message.findtext("source", "")] = translation.text or ""
    return found


def language_of(chosen: object) -> str:
    """The language that was chosen, else that of the window this one was begun from, else the desktop's; English where none is known."""
    for code in (chosen, os.environ.get(BEGUN_IN), QLocale.system().name().partition("_")[0]):
        if isinstance(code, str) and code in LANGUAGES:
            return code
    return ENGLISH


def spoken() -> str:
    """The language of the window."""
    code = QLocale().name().partition("_")[0]
    return code if code in LANGUAGES else ENGLISH


def speak(app: QCoreApplication, code: str) -> list[QTranslator]:
    """Show what comes from now on in a language; the translators that were installed, Qt's own texts among them."""
    os.environ[BEGUN_IN] = code
    if code == ENGLISH:
        return []
    locale = QLocale(code)
    QLocale.setDefault(locale)
    of_qt = QTranslator(app)
    of_qt.load(locale, "qtbase", "_", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath))
    ours = Messages(Catalogue(messages_of(code), locale.decimalPoint(), locale.groupSeparator()))
    ours.setParent(app)
    for translator in (of_qt, ours):
        app.installTranslator(translator)
    return [of_qt, ours]
