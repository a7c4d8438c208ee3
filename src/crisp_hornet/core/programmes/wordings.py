"""What the programmes say, by id: ``programmes.toml`` holds the words, the callers the figures."""

from __future__ import annotations

import numpy as np

from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.saying import Place, Saying, worded

TOLD = packaged("crisp_hornet.core.programmes", "programmes.toml")


def _said(group: str, id_: str, places: dict[str, Place]) -> Saying:
    return worded((TOLD[group][id_],), places)[0]


def does(id_: str, **places: Place) -> Saying:
    """What to do in a run. Raises :class:`KeyError` for an id or a place that is not there; so do the others."""
    return _said("does", id_, places)


def shows(id_: str, **places: Place) -> Saying:
    """What a run shows."""
    return _said("shows", id_, places)


def spoils(id_: str, **places: Place) -> Saying:
    """What makes a run useless, and what to do about it."""
    return _said("spoils", id_, places)


def spoilt(it_is: bool | np.bool_, id_: str, **places: Place) -> list[str]:
    """The same as a list: empty where it is not so."""
    return [spoils(id_, **places)] if it_is else []
