"""JSON text in and out: bounded, strict about what JSON leaves open, written atomically."""

from __future__ import annotations

import json
import os
import tempfile
from pathlib import Path
from typing import Any

from crisp_hornet.documents.errors import DocumentError

MAX_BYTES = 4 * 1024 * 1024


def read_bytes(path: Path, max_bytes: int = MAX_BYTES) -> bytes:
    """The bytes of a small file. Raises :class:`DocumentError` if it is not one."""
    if path.is_dir():
        raise DocumentError(str(path), "", "this is a directory, not a file", "Name the file inside it.")
    try:
        with path.open("rb") as file:
            data = file.read(max_bytes + 1)
    except FileNotFoundError:
        raise DocumentError(str(path), "", "there is no such file", "Check the name.") from None
    except OSError as error:
        reason = error.strerror or "it cannot be read"
        raise DocumentError(str(path), "", reason.lower(), "Check that you may read it.") from error
    if len(data) > max_bytes:
        raise DocumentError(str(path), "", f"larger than {max_bytes // 1024} KiB", "This is not a document of ours.")
    return data


def read_object(path: Path) -> dict[str, Any]:
    """A JSON object from a file; NaN, Infinity and duplicate keys are refused."""
    return parse_object(read_bytes(path), str(path))


def parse_object(data: bytes, path: str) -> dict[str, Any]:
    """A JSON object from bytes; ``path`` names them in errors. NaN, Infinity and duplicate keys are refused."""
    if not data.strip():
        raise DocumentError(path, "", "the file is empty", "Choose another file, or restore it from a copy.")
    try:
        value = json.loads(data.decode("utf-8-sig"), object_pairs_hook=_no_duplicates, parse_constant=_no_constant)
    except UnicodeDecodeError as error:
        raise DocumentError(path, f"byte {error.start}", "not UTF-8 text", "Save it as UTF-8.") from None
    except json.JSONDecodeError as error:
        place = f"line {error.lineno}, column {error.colno}"
        raise DocumentError(path, place, f"not JSON ({error.msg.lower()})", "Mend the text there.") from None
    except RecursionError:
        raise DocumentError(path, "", "nested too deeply", "This is not a document of ours.") from None
    except ValueError as error:  # from the hooks, or an integer of absurd length
        raise DocumentError(path, "", str(error), "Mend that key.") from None
    if not isinstance(value, dict):
        raise DocumentError(path, "", "does not hold a JSON object", "A document starts with { and names its format.")
    return value


def write_object(path: Path, value: dict[str, Any]) -> None:
    """Write a JSON object atomically: the old file stays until the new one is whole on the disk."""
    write_text(path, json.dumps(value, indent=2, ensure_ascii=False, allow_nan=False) + "\n")


def write_text(path: Path, text: str) -> None:
    """Write text atomically, as :func:`write_bytes` does."""
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, data: bytes) -> None:
    """Write bytes atomically and onto the disk. Raises :class:`DocumentError` when the place cannot be written."""
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    except OSError as error:
        raise DocumentError(
            str(path), "", f"cannot be written: {(error.strerror or '').lower()}", "Choose a folder you may write to."
        ) from error
    temporary = Path(name)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        temporary.chmod(0o644)
        temporary.replace(path)
    except OSError as error:
        temporary.unlink(missing_ok=True)
        raise DocumentError(
            str(path),
            "",
            f"cannot be written: {(error.strerror or '').lower()}",
            "Free some space or choose another place.",
        ) from error


def _no_duplicates(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    seen: dict[str, Any] = {}
    for key, value in pairs:
        if key in seen:
            raise ValueError(f"the key {key!r} stands twice")
        seen[key] = value
    return seen


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number a document may hold")
