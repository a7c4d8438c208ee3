"""A window on a garage that several benches share: opened from its address, and put together with the window."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from crisp_hornet.bench.window import Window
    from crisp_hornet.garage.merging import Conflict


def share(window: Window, address: str) -> None:
    """Bring a window's garage in step with the shared one at an address, from now on. Raises
    :class:`~crisp_hornet.garage.workshop.WorkshopError` for an address that is none."""
    from crisp_hornet.bench.shared import Shared
    from crisp_hornet.garage.workshop import Workshop, checked, password_of

    checked(address)
    desk = window.desk
    desk.shared = shared = Shared(desk, lambda: Workshop(address, password_of(address)), lambda: bool(window.link.busy))
    window.at_end.append(shared.finish)
    shared.asked.connect(partial(_ask, window))
    shared.news.connect(desk.bike_changed)
    shared.step()


def _ask(window: Window, conflicts: list[Conflict]) -> None:
    from crisp_hornet.bench.stations.logbook.logbook_page import LogbookPage
    from crisp_hornet.garage.meeting import Taken

    page = window.stations["logbook"]
    assert isinstance(page, LogbookPage)
    before = page.together.isVisibleTo(page)
    page.together.show_taken(Taken(window.desk.bike_id, known=True, conflicts=tuple(conflicts)), Path())
    if conflicts and not before:
        window.desk.said.emit(
            "warn", "Another bench changed the same as you: choose on Logbook which counts. Nothing is lost."
        )
