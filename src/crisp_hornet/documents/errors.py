"""What can be wrong with a document, said in one line: file, place, reason, what to do."""

from __future__ import annotations

LONGEST_REASON = 400  # a library may quote the file at any length


class DocumentError(Exception):
    """A document cannot be read or written.

    ``file`` names the document, ``place`` the key or line ("" for the whole file), ``reason`` what is
    wrong and ``mend`` what to do about it.
    """

    def __init__(self, file: str, place: str, reason: str, mend: str) -> None:
        self.file, self.place, self.mend = file, place, mend
        self.reason = reason if len(reason) <= LONGEST_REASON else f"{reason[:LONGEST_REASON]} ..."
        where = f"{file}: {place}" if place else file
        # One line, whatever names and libraries bring along.
        super().__init__(" ".join(f"{where}: {self.reason}. {mend}".rstrip().splitlines()))
