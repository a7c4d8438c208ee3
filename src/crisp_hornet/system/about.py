"""What this is: version, licence, and the libraries it stands on with theirs."""

from __future__ import annotations

import re
from importlib import metadata

import crisp_hornet

NAME = "crisp-hornet"
MOST_LICENCE = 60


def version() -> str:
    """The application's version."""
    return crisp_hornet.__version__


def licence_text() -> str:
    """The text of its licence, as it was installed; "" where it was not."""
    try:
        files = metadata.files(NAME) or []
    except metadata.PackageNotFoundError:
        return ""
    for file in files:
        if file.name == "LICENSE":
            try:
                return file.read_text(encoding="utf-8")
            except OSError:
                return ""
    return ""


def libraries() -> list[tuple[str, str, str]]:
    """(name, version, licence) of each library that it needs, by name; those of extras are left out."""
    try:
        needed = metadata.requires(NAME) or []
    except metadata.PackageNotFoundError:
        return []
    found = []
    for line in needed:
        match = re.match(r"[A-Za-z0-9_.-]+", line)
        if match is None or "extra ==" in line:
            continue
        try:
            about = metadata.metadata(match.group())
        except metadata.PackageNotFoundError:
            continue
        found.append((about["Name"], about["Version"], _licence(about)))
    return sorted(found, key=lambda one: one[0].lower())


def _licence(about: metadata.PackageMetadata) -> str:
    """What a library says of its licence, in a few words."""
    said = str(about["License-Expression"] or "") if "License-Expression" in about else ""
    if not said:
        classified = [
            one.rpartition(" :: ")[2] for one in about.get_all("Classifier") or [] if one.startswith("License ::")
        ]
        own = str(about["License"]) if "License" in about else ""
        said = ", ".join(classified) or own.strip().split("\n")[0]
    return said[:MOST_LICENCE] or "see its package"
