"""JSON text in and out: bounded, strict about what JSON leaves open, written atomically."""

from __future__ import annotations

import errno
import json
import os
import secrets
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from crisp_hornet.documents.errors import DocumentError

MAX_BYTES = 4 * 1024 * 1024
FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


def read_bytes(path: Path, max_bytes: int = MAX_BYTES) -> bytes:
    """The bytes of a small file. Raises :class:`DocumentError` if it is not one."""
    try:
        must_be_a_file(path)
        with path.open("rb") as file:
            data = file.read(max_bytes + 1)
    except FileNotFoundError:
        raise DocumentError(str(path), "", "there is no such file", "Check the name.") from None
    except (OSError, ValueError) as error:  # the latter for a name with a zero byte in it
        reason = getattr(error, "strerror", None) or "it cannot be read"
        raise DocumentError(str(path), "", reason.lower(), "Check that you may read it.") from error
    if len(data) > max_bytes:
        raise DocumentError(str(path), "", f"larger than {max_bytes // 1024} KiB", "This is not a document of ours.")
    return data


def must_be_a_file(path: Path) -> None:
    """Raises :class:`DocumentError` for what is none: a directory, or a pipe or device that would be waited for.
    Raises :class:`OSError` where there is nothing."""
    mode = path.stat().st_mode
    if stat.S_ISDIR(mode):
        raise DocumentError(str(path), "", "this is a directory, not a file", "Name the file inside it.")
    if not stat.S_ISREG(mode):
        raise DocumentError(str(path), "", "this is a pipe or a device, not a file", "Save it as a file first.")


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
        raise DocumentError(path, place, f"not JSON ({error.msg.lower()})", "Correct the text there.") from None
    except RecursionError:
        raise DocumentError(path, "", "nested too deeply", "This is not a document of ours.") from None
    except ValueError as error:  # from the hooks, or an integer of absurd length
        raise DocumentError(path, "", str(error), "Correct that key.") from None
    if b"\\u" in data and not _whole_text(value):
        raise DocumentError(path, "", "it holds half of a character (a lone surrogate)", "Write that text anew.")
    if not isinstance(value, dict):
        raise DocumentError(path, "", "does not hold a JSON object", "A document starts with { and names its format.")
    return value


def write_object(path: Path, value: dict[str, Any], private: bool = False) -> None:
    """Write a JSON object atomically: the old file stays until the new one is whole on the disk."""
    write_text(path, json.dumps(value, indent=2, ensure_ascii=False, allow_nan=False) + "\n", private)


def write_text(path: Path, text: str, private: bool = False) -> None:
    """Write text atomically, as :func:`write_bytes` does."""
    try:
        data = text.encode("utf-8")
    except UnicodeEncodeError:
        reason = "it holds half of a character, which no file can hold"
        raise DocumentError(str(path), "", reason, "Write its names and notes anew.") from None
    write_bytes(path, data, private)


def write_bytes(path: Path, data: bytes, private: bool = False) -> None:
    """Write bytes atomically and onto the disk; a link is followed, a device or pipe is written into, never replaced.

    A file that is there keeps its mode, a new one has what the umask leaves, a ``private`` one is for its owner alone. Raises
    :class:`DocumentError` when the place cannot be written.
    """
    with written_whole(path, private) as place:
        place.write_bytes(data)


@contextmanager
def written_whole(path: Path, private: bool = False) -> Iterator[Path]:
    """Somewhere to write a file that takes the place of ``path`` once the block has ended well; see :func:`write_bytes`."""
    target = Path(os.path.realpath(path))
    temporary: Path | None = None
    try:
        mode = _mode_of(target)
        if mode is not None and stat.S_ISDIR(mode):
            raise DocumentError(str(path), "", "this is a directory, not a file", "Name the file inside it.")
        if mode is not None and not stat.S_ISREG(mode):
            _open_for_writing(target)
            yield target
            return
        temporary = target.parent / f".crisp-hornet-{secrets.token_hex(6)}"
        os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600 if private else 0o666))
        if mode is not None and not private:
            temporary.chmod(stat.S_IMODE(mode))
        yield temporary
        _onto_disk(temporary)
        temporary.replace(target)
        _onto_disk(target.parent)
    except OSError as error:
        reason = (error.strerror or "it cannot be written").lower()
        mend = "Free some space." if error.errno in FULL else "Choose a folder you may write to."
        raise DocumentError(str(path), "", f"cannot be written: {reason}", mend) from error
    finally:
        if temporary is not None:
            with suppress(OSError):
                temporary.unlink()


def _mode_of(path: Path) -> int | None:
    try:
        return path.stat().st_mode
    except FileNotFoundError:
        return None


def _open_for_writing(path: Path) -> None:
    """A pipe that nobody reads would be waited for for ever: then :class:`OSError` says so."""
    os.close(os.open(path, os.O_WRONLY | os.O_NONBLOCK))


def _onto_disk(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _whole_text(value: object) -> bool:
    try:
        json.dumps(value, ensure_ascii=False).encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def _no_duplicates(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    seen: dict[str, Any] = {}
    for key, value in pairs:
        if key in seen:
            raise ValueError(f"the key {key!r} stands twice")
        seen[key] = value
    return seen


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number a document may hold")
