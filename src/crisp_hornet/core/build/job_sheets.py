"""The order of work for fitting a part, each step with its caution (``job_sheets.toml``). Sheets can be changed once they are laid out."""

from __future__ import annotations

from typing import Any

from crisp_hornet.documents.packaged import packaged

Sheet = list[tuple[str, str]]


def _sheets() -> dict[str, Sheet]:
    told = packaged("crisp_hornet.core.build", "job_sheets.toml")

    def steps(listed: list[Any]) -> Sheet:
        found: Sheet = []
        for one in listed:  # "@name" stands for a block, or for a caution that many steps share
            if isinstance(one, str):
                found += steps(told["blocks"][one[1:]])
            else:
                text, caution = one
                found.append((text, told["cautions"][caution[1:]] if caution.startswith("@") else caution))
        return found

    return {title: steps(listed) for title, listed in told["sheets"].items()}


SHEETS: dict[str, Sheet] = _sheets()
