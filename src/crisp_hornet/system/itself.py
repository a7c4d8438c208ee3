"""How this application is started again, as another process."""

from __future__ import annotations

import sys

PROGRAM = "crisp_hornet"


def command(*arguments: str) -> list[str]:
    """A command line of this application: through Python, or the program itself where it is bundled."""
    if getattr(sys, "frozen", False):
        return [sys.executable, *arguments]
    return [sys.executable, "-m", PROGRAM, *arguments]
