"""What the prediction cannot compute yet. It is refused by name, never ignored."""

from __future__ import annotations

from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


class NotComputed(Exception):
    """A bike or tune asks for physics this version does not have. ``keys`` names what asks for it."""

    def __init__(self, keys: list[str], reason: str) -> None:
        self.keys, self.reason = keys, reason
        super().__init__(f"{', '.join(keys)}: {reason}")


def refuse_uncomputed(bike: Bike, tune: Tune) -> None:
    """Raise :class:`NotComputed` for the first thing that the pull curve would have to leave out."""
    for keys, present, reason in (
        (
            ["controller.ratings_by_voltage"],
            bike.controller.ratings_by_voltage is not None,
            "ratings that change with voltage are not computed yet; take them out",
        ),
    ):
        if present:
            raise NotComputed(keys, reason)
