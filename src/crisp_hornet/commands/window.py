"""The window, once it is known that it can open here: Qt itself would end the program in its own words."""

from __future__ import annotations

import os
from pathlib import Path

from crisp_hornet.commands.garages import check_address
from crisp_hornet.commands.output import say
from crisp_hornet.garage.garage import is_shared
from crisp_hornet.system.libraries import why_not


def open_window(demo: bool, verbose: bool, file: Path | None = None, garage: str | None = None) -> int:
    """Run it until it closes; 1 where it cannot open, and why."""
    if garage is not None and is_shared(garage):
        check_address(garage)
    if why := why_not(os.environ):
        say(why)
        return 1
    from crisp_hornet.bench.app import run_application

    return run_application(demo=demo, verbose=verbose, file=file, garage=garage)
