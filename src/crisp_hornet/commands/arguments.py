"""What commands take: a parser that ends in one line, and numbers that are usable."""

from __future__ import annotations

import argparse
import math
from typing import NoReturn

PORT = "a device, tcp://host:port, rtu+tcp://host:port, ble://address or can://interface/channel"


class BadInput(Exception):
    """Input that cannot be used, said in one line."""


class Parser(argparse.ArgumentParser):
    """Raises :class:`BadInput` instead of ending the process with a page of usage."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong and where help is."""
        raise BadInput(f"{self.prog}: {message}. See {self.prog} --help.")


def number(text: str) -> float:
    """A finite number."""
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number") from None
    if not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"{text!r} is not a usable number")
    return value


def garage_of(parser: argparse.ArgumentParser) -> None:
    """``--garage``, before the command or behind it: an omission there does not undo what was said here."""
    parser.add_argument(
        "--garage",
        default=argparse.SUPPRESS,
        help="another garage than your own: its folder, made where there is none, or postgresql://user@host/database",
    )
