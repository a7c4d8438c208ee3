"""The command line: opens the application, or runs one headless command.

Wrong input ends with one line on standard error that names file and place, and exit code 2.
"""

from __future__ import annotations

import argparse
import csv
import io
import math
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn

from crisp_hornet import __version__
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.output import say, tell

PULL_COLUMNS = [
    *("speed_kmh", "wheel_force_n", "shaft_torque_nm", "phase_current_a", "id_a", "iq_a"),
    *("battery_current_a", "pack_v", "battery_w", "wheel_w"),
    *("copper_loss_w", "iron_loss_w", "inverter_loss_w", "friction_loss_w", "drivetrain_loss_w", "pack_loss_w"),
    *("efficiency", "limit"),
]
MOST_SPEEDS = 1_000_000


class BadInput(Exception):
    """Input that cannot be used, said in one line."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise BadInput(f"{self.prog}: {message}. See {self.prog} --help.")


def main(arguments: list[str] | None = None) -> int:
    """Run the command line; returns the exit code."""
    try:
        options = _parser().parse_args(arguments)
        code: int = options.run(options)
        return code
    except (BadInput, DocumentError) as error:
        say(str(error))
        return 2
    except KeyboardInterrupt:
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="crisp-hornet", description="Tune high-power e-bikes: predict, send with proof, verify.")
    parser.add_argument("--version", action="version", version=f"crisp-hornet {__version__}")
    parser.add_argument(
        "--demo", action="store_true", help="open on demo data with a simulated bike; touches nothing of yours"
    )
    parser.set_defaults(run=_open_window)
    commands = parser.add_subparsers(title="headless commands", metavar="COMMAND", parser_class=_Parser)

    pull = commands.add_parser("pull", help="compute a pull curve into a CSV file")
    pull.add_argument("--bike", type=Path, required=True)
    pull.add_argument("--tune", type=Path, required=True)
    pull.add_argument("--rested-v", type=_number, required=True, help="rested pack voltage, V")
    pull.add_argument("--winding-c", type=_number, default=25.0, help="winding temperature, °C (25)")
    pull.add_argument("--mode", help="with the limits of this mode of the tune")
    pull.add_argument("--speeds", type=_speeds, required=True, metavar="FROM:TO:STEP", help="km/h, TO included")
    pull.add_argument("--out", type=Path, required=True)
    pull.set_defaults(run=_pull)

    standin = commands.add_parser("standin", help="run the simulated bike and controller")
    standin.add_argument("--link", type=Path, help="make this path point at the pseudo-terminal")
    standin.add_argument("--bike", type=Path, help="bike document to start from (the demo's)")
    standin.add_argument("--controller", default="Weir 60", help="which shipped controller it plays (Weir 60)")
    standin.add_argument("--map", type=Path, help="play the controller of this description instead")
    standin.add_argument("--tcp", type=int, metavar="PORT", help="Modbus TCP on this port too (0: any free one)")
    standin.add_argument("--bridge", type=int, metavar="PORT", help="serial frames over TCP, like a wireless bridge")
    standin.add_argument("--bluetooth", metavar="BUS", help="a Bluetooth service on the D-Bus at this address")
    standin.add_argument("--baud", type=int, help="take the time a serial line of that speed takes")
    standin.add_argument(
        "--fault", action="append", default=[], metavar="ACT", help="an act at the start, e.g. 'fault 12'"
    )
    standin.add_argument("--owned", action="store_true", help="end when standard input closes")
    standin.set_defaults(run=_standin)

    check_map = commands.add_parser("check-map", help="check a controller's description; errors name line and key")
    check_map.add_argument("map", type=Path)
    check_map.set_defaults(run=_check_map)
    _add_controller_commands(commands)

    rescue = commands.add_parser("rescue", help="save what is sound of a damaged garage into a new one")
    rescue.add_argument("--garage", type=Path, required=True, help="the damaged one; it is only read")
    rescue.add_argument("--out", type=Path, required=True, help="a folder for the new one")
    rescue.set_defaults(run=_rescue)

    shots = commands.add_parser("shots", help="write a picture of each main view from the demo data")
    shots.add_argument("--out", type=Path, required=True)
    shots.set_defaults(run=_shots)
    return parser


def _add_controller_commands(commands: argparse._SubParsersAction[_Parser]) -> None:
    port = "a device, tcp://host:port, rtu+tcp://host:port or ble://address"
    check = commands.add_parser("check", help="the watch list of a tune; exit 1 when something stops sending")
    check.add_argument("--bike", type=Path, required=True)
    check.add_argument("--tune", type=Path, required=True)
    check.add_argument("--json", action="store_true", help="as a JSON list")
    check.set_defaults(run=_headless("check_tune"))
    verdict = commands.add_parser("verdict", help="what a ride proves: estimates with 95 %% intervals, and findings")
    verdict.add_argument("--bike", type=Path, required=True)
    verdict.add_argument("--tune", type=Path, required=True, help="the tune it was ridden on")
    verdict.add_argument("--ride", type=Path, required=True, help="a log in any form that Rides reads")
    verdict.add_argument("--json", type=Path, metavar="FILE", help="write it all into this file too")
    verdict.add_argument("--against", type=Path, metavar="LOG", help="another ride of the same bike to compare with")
    stopwatch = "what a stopwatch said: '100 m in 9.8 s and 10.4 s; 0 to 25 km/h in 6.2 s'"
    verdict.add_argument("--timed", default="", metavar="WORDS", help=stopwatch)
    rested = "the pack's voltages at rest: energy for a log that has none"
    verdict.add_argument("--rested", type=_number, nargs=2, metavar=("BEFORE", "AFTER"), help=rested)
    verdict.set_defaults(run=_verdict)
    backup = commands.add_parser("backup", help="read every register of a controller into a file")
    backup.add_argument("--port", required=True, help=port)
    backup.add_argument("--out", type=Path, required=True)
    backup.set_defaults(run=_headless("back_up"))
    send = commands.add_parser("send", help="send a tune with guards and proof")
    send.add_argument("--port", required=True, help=port)
    send.add_argument("--bike", type=Path, required=True)
    send.add_argument("--tune", type=Path, required=True)
    send.add_argument("--trial", action="store_true", help="until power-off only")
    send.set_defaults(run=_headless("send_tune"))
    restore = commands.add_parser("restore", help="put a backup back with guards and proof")
    restore.add_argument("--port", required=True, help=port)
    restore.add_argument("--backup", type=Path, required=True)
    restore.add_argument(
        "--bike", type=Path, help="its document: whose controller is expected, and a safe order of writing"
    )
    restore.add_argument("--calibration", action="store_true", help="what belongs to motor and sensors too")
    restore.set_defaults(run=_headless("restore_backup"))
    for one in (send, restore):
        one.add_argument("--confirm", nargs="+", default=[], metavar="ID", action="extend", help="what you have read")
        one.add_argument("--squeeze", type=_number, metavar="SECONDS", help="wait for the brake lever, worked twice")
    faults = commands.add_parser("faults", help="the fault that stands, explained; exit 1 while one does")
    faults.add_argument("--port", required=True, help=port)
    faults.add_argument("--clear", action="store_true")
    faults.add_argument("--release", action="store_true", help="enable a motor that an earlier send left disabled")
    faults.set_defaults(run=_headless("tell_faults"))


def _verdict(options: argparse.Namespace) -> int:
    from crisp_hornet.verdict_file import judge_ride

    return judge_ride(options)


def _rescue(options: argparse.Namespace) -> int:
    from crisp_hornet.garage.rescue import rescue

    tell(rescue(options.garage, options.out).text)
    return 0


def _headless(name: str) -> Callable[[argparse.Namespace], int]:
    """A command of ``headless``, whose modules take a while to load."""

    def run(options: argparse.Namespace) -> int:
        from crisp_hornet import headless

        return headless.run(getattr(headless, name), options)

    return run


def _check_map(options: argparse.Namespace) -> int:
    from crisp_hornet.documents.map_file import read_map

    found = read_map(options.map)
    tell(
        f"{found.name}: {len(found.register_list)} registers, {len(found.lacks)} settings it lacks, {len(found.fault)} faults"
    )
    return 0


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number") from None
    if not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"{text!r} is not a usable number")
    return value


def _speeds(text: str) -> list[float]:
    parts = text.split(":")
    if len(parts) != 3:
        raise argparse.ArgumentTypeError(f"{text!r} is not FROM:TO:STEP")
    start, end, step = (_number(part) for part in parts)
    if start < 0 or end < start or step <= 0:
        raise argparse.ArgumentTypeError(f"{text!r}: FROM must be 0 or more, TO not below it, STEP above 0")
    count = math.floor((end - start) / step + 1e-9) + 1
    if count > MOST_SPEEDS:
        raise argparse.ArgumentTypeError(f"{text!r}: more than {MOST_SPEEDS} speeds")
    speeds = [start + index * step for index in range(count)]
    if end - speeds[-1] > 1e-9 * step:  # TO is included even when STEP does not divide the range
        speeds.append(end)
    return [float(f"{speed:.12g}") for speed in speeds]


def _pull(options: argparse.Namespace) -> int:
    from crisp_hornet.core.drive.modes import in_mode, mode_of
    from crisp_hornet.core.drive.pull import Conditions, pull_curve
    from crisp_hornet.documents import store, wire

    if options.rested_v <= 0:
        raise BadInput("--rested-v: must be above 0 V.")
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    if options.mode is not None:
        try:
            tune = in_mode(tune, mode_of(tune, options.mode))
        except LookupError as error:
            raise BadInput(f"--mode: {error.args[0]}.") from None
    curve = pull_curve(bike, tune, options.speeds, Conditions(options.rested_v, options.winding_c))
    columns = [getattr(curve, name) for name in PULL_COLUMNS]
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(PULL_COLUMNS)
    for row in zip(*columns, strict=True):
        writer.writerow([str(cell) if isinstance(cell, str) else f"{float(cell):.10g}" for cell in row])
    wire.write_text(options.out, text.getvalue())
    return 0


def _standin(options: argparse.Namespace) -> int:
    import asyncio

    from crisp_hornet.demo import HERON
    from crisp_hornet.documents.map_file import read_map
    from crisp_hornet.documents.maps import shipped_map
    from crisp_hornet.documents.store import read_bike
    from crisp_hornet.standin.process import Reached, serve

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
    reached = Reached(link, options.tcp, options.bridge, options.bluetooth, options.baud)
    try:
        asyncio.run(serve(bike, controller_map, reached, options.owned, options.fault))
    except (OSError, ValueError) as error:
        raise BadInput(f"standin: {error}.") from None
    return 0


def _shots(options: argparse.Namespace) -> int:
    from crisp_hornet.bench.shots import take_shots

    if options.out.exists() and not options.out.is_dir():
        raise BadInput(f"{options.out}: --out must name a folder.")
    for path in take_shots(options.out):
        tell(str(path))
    return 0


def _open_window(options: argparse.Namespace) -> int:
    from crisp_hornet.bench.app import run_application

    return run_application(demo=options.demo)
