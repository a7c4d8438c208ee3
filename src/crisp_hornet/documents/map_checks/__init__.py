"""Whether a description is consistent in itself: what holds for all, then what its kind of line asks for. One file a kind."""

from __future__ import annotations

from collections.abc import Callable

from crisp_hornet.documents.described import Described
from crisp_hornet.documents.kinds import CANOPEN, FRAMES, HAND, MODBUS
from crisp_hornet.documents.map_checks.canopen import check_canopen
from crisp_hornet.documents.map_checks.common import check_common
from crisp_hornet.documents.map_checks.faulty import faulty
from crisp_hornet.documents.map_checks.frames import check_frames
from crisp_hornet.documents.map_checks.hand import check_hand
from crisp_hornet.documents.map_checks.modbus import check_modbus

KINDS: dict[str, Callable[[Described], None]] = {
    MODBUS: check_modbus,
    CANOPEN: check_canopen,
    FRAMES: check_frames,
    HAND: check_hand,
}


def check_map(found: Described) -> None:
    """All checks. What only a plug-in knows, the plug-in checks. Raises what :func:`faulty` makes."""
    check_common(found)
    if found.line.kind in KINDS:
        KINDS[found.line.kind](found)
    if found.line.kind != HAND and (found.keep is None or found.telemetry is None):
        raise faulty(f"{'keep' if found.keep is None else 'telemetry'} is missing")


__all__ = ["check_map"]
