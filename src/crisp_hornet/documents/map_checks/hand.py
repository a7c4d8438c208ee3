"""What a sheet must say: nothing but its settings. There is no line."""

from __future__ import annotations

from crisp_hornet.documents.described import Described
from crisp_hornet.documents.map_checks.faulty import faulty


def check_hand(found: Described) -> None:
    """Nothing that needs a line. Raises what :func:`faulty` makes."""
    for part in ("telemetry", "keep", "inhibit", "update", "logs", "bluetooth"):
        if getattr(found, part) is not None:
            raise faulty(f"a sheet has no line: no {part}", part)
    for index, register in enumerate(found.register_list):
        if register.bit is not None:
            raise faulty(f"register {register.name}: a display shows whole numbers", "register", index, "bit")
