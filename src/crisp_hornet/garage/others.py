"""What one customer is given names no other: neither their bikes nor them."""

from __future__ import annotations

import re
from collections.abc import Iterable

from crisp_hornet.garage.garage import Garage

ANOTHER_BIKE, ANOTHER = "another bike", "another customer"
LEAST = 3  # letters of a name that is looked for
PICTURE = re.compile(r'(src="data:[^"]*")')


def names_of_others(garage: Garage, own: Iterable[str]) -> dict[str, str]:
    """The names of all other bikes and customers, and what stands for each where somebody else reads."""
    mine = list(own)
    owners = [one for one in garage.customers.all() if not any(name in _names(garage, one.uid) for name in mine)]
    found = {one.customer.name: ANOTHER for one in owners}
    found |= {bike.name: ANOTHER_BIKE for bike in garage.glance.bikes() if bike.name not in mine}
    return {
        name: instead for name, instead in found.items() if len(name) >= LEAST and not any(name in one for one in mine)
    }


def _names(garage: Garage, uid: str) -> set[str]:
    return {name for _, name in garage.customers.bikes(uid)}


def without_others(text: str, others: dict[str, str]) -> str:
    """A text in which nobody else is named."""
    if not others:
        return text
    names = sorted(others, key=len, reverse=True)
    return re.sub(rf"(?<!\w)(?:{'|'.join(map(re.escape, names))})(?!\w)", lambda found: others[found[0]], text)


def page_without_others(html: str, others: dict[str, str]) -> str:
    """A page in which nobody else is named; its pictures stay."""
    parts = PICTURE.split(html)
    return "".join(part if at % 2 else without_others(part, others) for at, part in enumerate(parts))
