"""The kinds of line, one file or folder each; packages of others add theirs by an entry point of the group ``crisp_hornet.lines``.

What a kind is: :class:`Kind`. What it gives when somebody answers: :class:`~crisp_hornet.link.line.Line`.
"""

from __future__ import annotations

import logging
from collections.abc import Iterator, Sequence
from functools import cache
from importlib.metadata import entry_points
from typing import Protocol

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.link.line import Line

GROUP = "crisp_hornet.lines"


class Kind(Protocol):
    """One kind of line. ``name`` is what ``[line] kind`` of a description says."""

    name: str

    def reaches(self, port: str) -> bool:
        """Whether a port may lead to such a controller."""

    def open(self, port: str, maps: Sequence[ControllerMap], device: int | None, answer_s: float) -> Line:
        """Ask who is there, as each of these descriptions says. Raises :class:`~crisp_hornet.link.errors.Nobody` when nobody answers,
        and other :class:`~crisp_hornet.link.errors.LinkError`."""


@cache
def kinds() -> tuple[Kind, ...]:
    """All kinds: the application's own first."""
    from crisp_hornet.link.lines.canopen import CanopenKind
    from crisp_hornet.link.lines.frames import FramesKind
    from crisp_hornet.link.lines.modbus_finding import ModbusKind

    own: list[Kind] = [ModbusKind(), FramesKind(), CanopenKind()]
    return (*own, *_of_packages())


def _of_packages() -> Iterator[Kind]:
    """What other packages add; one that is broken is written into the log and costs no other."""
    for point in entry_points(group=GROUP):
        try:
            yield point.load()()
        except Exception:
            logging.getLogger(__name__).warning("The line of %s cannot be used", point.name, exc_info=True)
