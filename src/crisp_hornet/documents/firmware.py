"""The container of a firmware image: what it is for, which version, and whether it arrived whole.

``CHFW``, then big-endian: container version (u16), header length (u16), payload length (u32), hardware id (32 bytes ASCII, zero
padded), firmware version (16 bytes ASCII, zero padded), SHA-256 of the payload (32 bytes); then the payload, padded with zeros to
whole pairs of words. The checksum tells whether it is whole, not where it comes from.
"""

from __future__ import annotations

import hashlib
import struct
from dataclasses import dataclass
from pathlib import Path

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError

MAGIC = b"CHFW"
PAIR = 4  # file records are written in pairs of words
_HEADER = struct.Struct(">4sHHI32s16s32s")
MOST_BYTES = 1 << 20


@dataclass(frozen=True)
class FirmwareImage:
    """One image. ``data`` is the whole container, as it is transferred."""

    hardware: str
    version: str
    data: bytes


def read_firmware(path: Path) -> FirmwareImage:
    """Read an image file. Raises :class:`DocumentError`."""
    return parse_firmware(wire.read_bytes(path, MOST_BYTES), str(path))


def parse_firmware(data: bytes, file: str) -> FirmwareImage:
    """Check a container and take out what it says of itself. Raises :class:`DocumentError`."""
    if len(data) < _HEADER.size or data[:4] != MAGIC:
        raise DocumentError(file, "", "not a firmware container (CHFW)", "docs/formats.md says how one is made.")
    _, container, length, payload, hardware, version, digest = _HEADER.unpack_from(data)
    if container != 1 or length != _HEADER.size:
        raise DocumentError(file, "header", f"container version {container} is not known", "Update the application.")
    body = data[length : length + payload]
    padding = data[length + payload :]
    if len(body) != payload or len(padding) >= PAIR or any(padding) or len(data) % PAIR:
        raise DocumentError(file, "", f"holds {len(data) - length} bytes, its header says {payload}", "Fetch it again.")
    if hashlib.sha256(body).digest() != digest:
        raise DocumentError(file, "", "its checksum does not fit: it is damaged", "Fetch it again.")
    return FirmwareImage(_text(hardware, file), _text(version, file), data)


def make_firmware(hardware: str, version: str, payload: bytes) -> bytes:
    """A container around a payload; raises :class:`ValueError` where a text does not fit."""
    texts = hardware.encode("ascii"), version.encode("ascii")
    if len(texts[0]) > 32 or len(texts[1]) > 16:
        raise ValueError("hardware id at most 32 letters, version at most 16")
    header = _HEADER.pack(MAGIC, 1, _HEADER.size, len(payload), *texts, hashlib.sha256(payload).digest())
    return header + payload + bytes(-(len(header) + len(payload)) % PAIR)


def _text(raw: bytes, file: str) -> str:
    try:
        return raw.rstrip(b"\0").decode("ascii")
    except UnicodeDecodeError:
        raise DocumentError(file, "header", "its texts are not ASCII", "This is not an image of ours.") from None
