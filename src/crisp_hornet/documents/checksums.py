"""Checksums as descriptions name them, computed by crccheck."""

from __future__ import annotations

from typing import Any

from crisp_hornet.documents.kinds import Checksum


def checksum_of(described: Checksum, data: bytes) -> int:
    """The checksum over ``data``, as a whole number of the described width. Raises :class:`ValueError` for an unknown name."""
    from crccheck import crc
    from crccheck.checksum import ChecksumXor8

    if described.kind == "xor":
        return int(ChecksumXor8.calc(data))
    if described.kind == "sum":
        total = sum(data)
        return (-total if described.negated else total) & ((1 << described.width) - 1)
    if described.name is not None:
        return int(_named(described.name).calc(data))
    one = crc.Crc(
        described.width, described.poly, described.init, described.reflect_in, described.reflect_out, described.xor_out
    )
    one.process(data)
    return int(one.final())


def width_of(described: Checksum) -> int:
    """How many bits it has: a named one knows itself. Raises :class:`ValueError` for an unknown name."""
    return int(_named(described.name)().width()) if described.name is not None else described.width


def _named(name: str) -> Any:
    from crccheck import crc

    known = {one.__name__.lower(): one for one in crc.ALLCRCCLASSES}
    found = known.get(name.lower().replace("-", "").replace("/", ""))
    if found is None:
        raise ValueError(
            f"there is no checksum {name!r}; write its width, poly, init, reflect_in, reflect_out and xor_out"
        )
    return found
