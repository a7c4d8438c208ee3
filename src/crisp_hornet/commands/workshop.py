"""``crisp-hornet workshop ADDRESS``: whether a shared garage can be used from here; keeps its password in the secret store."""

from __future__ import annotations

import argparse
import getpass

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.commands.garages import check_address
from crisp_hornet.commands.output import tell


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("address", help="postgresql://user@host/database; without a password")
    parser.add_argument("--password", action="store_true", help="ask for the password, and keep it in the secret store")


def run(options: argparse.Namespace) -> int:
    """Connect, make the tables where there are none, and say what is there."""
    check_address(options.address)
    from crisp_hornet.garage.in_step import WorkshopError
    from crisp_hornet.garage.workshop import Workshop, keep_password, password_of

    try:
        if options.password:
            keep_password(options.address, getpass.getpass(f"Password for {options.address}: "))
        workshop = Workshop(options.address, password_of(options.address))
        try:
            bikes, benches = workshop.counted()
        finally:
            workshop.close()
    except WorkshopError as error:
        raise BadInput(str(error)) from None
    tell(f"{workshop.address}: {bikes} bikes, {benches} benches seen in the last minute")
    tell("you may only read it" if workshop.reads_only else f"open it with: crisp-hornet --garage {options.address}")
    return 0
