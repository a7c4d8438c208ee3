"""What the application tells, held word for word in files; a figure may differ by the last digit it shows.

``WRITE_SAID=1 pytest -p no:xdist ...`` writes what is told now: read the difference before it is kept.
"""

import json
import os
import re

import pytest

NUMBER = re.compile(r"(?<![A-Za-z])[-−+]?\d+(?:\.\d+)?")


def figures(text):
    """(value, what its last digit is worth) of every figure."""
    return [(float(one.replace("−", "-")), 10.0 ** -len(one.partition(".")[2])) for one in NUMBER.findall(text)]


def holds(file, key, told):
    """``told`` (a text, or a list of them) stands in a file under a key."""
    all_told = json.loads(file.read_text()) if file.exists() else {}
    if os.environ.get("WRITE_SAID"):
        file.write_text(json.dumps(dict(sorted({**all_told, key: told}.items())), indent=1, ensure_ascii=False) + "\n")
        return
    held = "\n".join(all_told[key]) if isinstance(told, list) else all_told[key]
    text = "\n".join(told) if isinstance(told, list) else told
    assert NUMBER.sub("#", text) == NUMBER.sub("#", held)
    for (value, digit), (other, _) in zip(figures(text), figures(held), strict=True):
        assert value == pytest.approx(other, rel=0.004, abs=1.01 * digit), (text, held)
