"""Who answers at a port: each kind of line that reaches it is tried, as the descriptions of that kind say."""

from __future__ import annotations

from collections.abc import Sequence

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.link.errors import LineDead, LinkError, Nobody, PortFailed
from crisp_hornet.link.line import Line
from crisp_hornet.link.lines import Kind, kinds
from crisp_hornet.link.ports import split_device
from crisp_hornet.link.transports import ANSWER_S

WHAT = "Identifying the controller"


def open_line(
    address: str, maps: Sequence[ControllerMap], answer_s: float = ANSWER_S, first: ControllerMap | None = None
) -> Line:
    """An open line to whoever answers at ``address``, asked as each description says it is to be asked.

    ``#17`` behind the port names one of several; ``first``: whose kind is tried before the others. Raises
    :class:`~crisp_hornet.link.errors.PortFailed` when the way cannot be opened, :class:`~crisp_hornet.link.errors.LineDead` when
    nobody answers, :class:`~crisp_hornet.link.errors.SeveralAnswer` where several do, and
    :class:`~crisp_hornet.link.errors.WrongDevice` when only others do.
    """
    port, device = split_device(address)
    tries = _tries(port, maps)
    if first is not None:
        tries.sort(key=lambda one: first.line.kind != one[0].name)
    if not tries:
        raise LineDead(WHAT, "no description says how to ask", "Add a controller's description.")
    for _ in range(2):  # a second round, before it is said that nobody is there
        silent: list[Nobody] = []
        closed: list[PortFailed] = []
        for kind, described in tries:
            try:
                return kind.open(port, described, device, answer_s)
            except Nobody as nobody:
                silent.append(nobody)
            except PortFailed as failed:  # a radio that has the service of another kind
                closed.append(failed)
        if not silent:
            raise closed[0]
    raise _nobody(silent)


def _tries(port: str, maps: Sequence[ControllerMap]) -> list[tuple[Kind, list[ControllerMap]]]:
    """The kinds of line that reach the port, each with its descriptions."""
    tries = [(kind, [one for one in maps if one.line.kind == kind.name]) for kind in kinds() if kind.reaches(port)]
    return [(kind, described) for kind, described in tries if described]


def _nobody(silent: Sequence[Nobody]) -> LinkError:
    tried = "; ".join(one.tried for one in silent)
    last = silent[-1]
    return LineDead(
        last.what, last.why, f"Check plug and power. Tried {tried}. Other controllers need their own description."
    )
