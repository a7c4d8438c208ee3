"""``crisp-hornet standin``: the simulated bike and controller, a process of its own."""

from __future__ import annotations

import argparse
import asyncio
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.demo import HERON
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.process import Reached, serve


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--link", type=Path, help="make this path point at the pseudo-terminal")
    parser.add_argument("--bike", type=Path, help="bike file to start from (the demo's)")
    parser.add_argument("--controller", default="Weir 60", help="which shipped controller it plays (Weir 60)")
    parser.add_argument("--map", type=Path, help="play the controller of this description instead")
    parser.add_argument("--tcp", type=int, metavar="PORT", help="Modbus TCP on this port too (0: any free one)")
    parser.add_argument("--bridge", type=int, metavar="PORT", help="serial frames over TCP, like a wireless bridge")
    parser.add_argument("--bluetooth", metavar="BUS", help="a Bluetooth service on the D-Bus at this address")
    parser.add_argument("--baud", type=int, help="take the time a serial line of that speed takes")
    parser.add_argument(
        "--fault", action="append", default=[], metavar="ACT", help="an action at start, e.g. 'fault 12'"
    )
    parser.add_argument("--state", type=Path, help="begin as a bike was left: what the act 'snapshot' told, as a file")
    parser.add_argument("--owned", action="store_true", help="end when standard input closes")


def run(options: argparse.Namespace) -> int:
    """Serve until it is ended."""
    bike = read_bike(options.bike or HERON)
    link: Path | None = options.link
    if link is not None and (not link.absolute().parent.is_dir() or (link.exists() and not link.is_symlink())):
        raise BadInput(f"{link}: --link needs a free name in an existing folder.")
    try:
        controller_map = read_map(options.map) if options.map else shipped_map(options.controller)
    except KeyError as error:
        raise BadInput(f"--controller: {error.args[0]}.") from None
    for number, name in ((options.tcp, "--tcp"), (options.bridge, "--bridge")):
        if number is not None and not 0 <= number <= 65535:
            raise BadInput(f"{name}: {number} is no port.")
    reached = Reached(link, options.tcp, options.bridge, options.bluetooth, options.baud, state=options.state)
    try:
        asyncio.run(serve(bike, controller_map, reached, options.owned, options.fault))
    except (OSError, ValueError) as error:
        raise BadInput(f"standin: {error}.") from None
    return 0
