"""What can go wrong between us and a controller: what failed, why, and what to do."""

from __future__ import annotations


class LinkError(Exception):
    """Base of all link failures; its text is one line for a person."""

    def __init__(self, what: str, why: str, mend: str) -> None:
        self.what, self.why, self.mend = what, why, mend
        super().__init__(f"{what}: {why}. {mend}".rstrip())


class PortFailed(LinkError):
    """The port cannot be opened."""


class LineDead(LinkError):
    """The port is gone, or nobody answers in time."""


class Nobody(LineDead):
    """Nobody answered to any of the questions of a kind of line; ``tried`` tells which."""

    def __init__(self, what: str, why: str, tried: str) -> None:
        super().__init__(what, why, f"Tried {tried}.")
        self.tried = tried


class LineGarbled(LinkError):
    """An answer came that does not fit its question."""


class AnsweredNo(LinkError):
    """The controller refused a question; ``code`` is its Modbus exception code."""

    def __init__(self, what: str, why: str, mend: str, code: int) -> None:
        super().__init__(what, why, mend)
        self.code = code


class WrongDevice(LinkError):
    """Whoever answers is not what was expected."""


class SeveralAnswer(LinkError):
    """More than one controller answers; ``addresses`` are those to choose from."""

    def __init__(self, what: str, why: str, mend: str, addresses: list[str]) -> None:
        super().__init__(what, why, mend)
        self.addresses = addresses


class Cancelled(LinkError):
    """The user stopped it."""
