"""``crisp-hornet doctor``: whether all is there that the application needs on this machine, and what to do about what is not."""

from __future__ import annotations

import argparse

from crisp_hornet.commands.output import tell
from crisp_hornet.garage.garage import default_folder
from crisp_hornet.system.health import look


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes: nothing."""


def run(_options: argparse.Namespace) -> int:
    """A line for each thing; 1 where something needed is missing."""
    found = list(look(default_folder()))
    for one in found:
        tell(f"{'fine' if one.fine else 'LACKS' if one.needed else 'note':5s}  {one.what}: {one.told}")
    return 1 if any(one.needed and not one.fine for one in found) else 0
