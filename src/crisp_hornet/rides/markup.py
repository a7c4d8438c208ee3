"""XML from outside: bounded in size, and without the definitions that make small files explode."""

from __future__ import annotations

from pathlib import Path

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import too_much
from crisp_hornet.rides.separated import unpacked

MOST_MARKS = 2_400_000  # opening and closing
MOST_MARKUP = 48 << 20


def safe_markup(path: Path) -> str:
    """The text of an XML file. Raises :class:`RideError` where it is too large or defines entities."""
    raw = unpacked(path, MOST_MARKUP)
    wide = raw[:2] in (b"\xff\xfe", b"\xfe\xff")
    text = raw.decode("utf-16" if wide else "utf-8-sig", errors="replace")
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise RideError(str(path), "", "defines entities of its own, which no track needs", "Export it again.")
    if text.count("<") > MOST_MARKS:
        raise too_much(path, "points")
    return text
