"""``crisp-hornet pull``: the pull curve as CSV."""

from __future__ import annotations

import argparse
import csv
import io
import math
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput, number
from crisp_hornet.core.drive.modes import in_mode, mode_of
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.documents import store, wire

COLUMNS = [
    *("speed_kmh", "wheel_force_n", "shaft_torque_nm", "phase_current_a", "id_a", "iq_a"),
    *("battery_current_a", "pack_v", "battery_w", "wheel_w"),
    *("copper_loss_w", "iron_loss_w", "inverter_loss_w", "friction_loss_w", "drivetrain_loss_w", "pack_loss_w"),
    *("efficiency", "limit"),
]
MOST_SPEEDS = 1_000_000


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True)
    parser.add_argument("--rested-v", type=number, required=True, help="pack voltage at rest, V")
    parser.add_argument("--winding-c", type=number, default=25.0, help="winding temperature, °C (25)")
    parser.add_argument("--mode", help="with the limits of this mode of the tune")
    parser.add_argument("--speeds", type=_speeds, required=True, metavar="FROM:TO:STEP", help="km/h, TO included")
    parser.add_argument("--out", type=Path, required=True)


def run(options: argparse.Namespace) -> int:
    """Write the curve."""
    if options.rested_v <= 0:
        raise BadInput("--rested-v: must be above 0 V.")
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    if options.mode is not None:
        try:
            tune = in_mode(tune, mode_of(tune, options.mode))
        except LookupError as error:
            raise BadInput(f"--mode: {error.args[0]}.") from None
    curve = pull_curve(bike, tune, options.speeds, Conditions(options.rested_v, options.winding_c))
    columns = [getattr(curve, name) for name in COLUMNS]
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for row in zip(*columns, strict=True):
        writer.writerow([str(cell) if isinstance(cell, str) else f"{float(cell):.10g}" for cell in row])
    wire.write_text(options.out, text.getvalue())
    return 0


def _speeds(text: str) -> list[float]:
    parts = text.split(":")
    if len(parts) != 3:
        raise argparse.ArgumentTypeError(f"{text!r} is not FROM:TO:STEP")
    start, end, step = (number(part) for part in parts)
    if start < 0 or end < start or step <= 0:
        raise argparse.ArgumentTypeError(f"{text!r}: FROM must be 0 or more, TO not below it, STEP above 0")
    count = math.floor((end - start) / step + 1e-9) + 1
    if count > MOST_SPEEDS:
        raise argparse.ArgumentTypeError(f"{text!r}: more than {MOST_SPEEDS} speeds")
    speeds = [start + index * step for index in range(count)]
    if end - speeds[-1] > 1e-9 * step:  # TO is included even when STEP does not divide the range
        speeds.append(end)
    return [float(f"{speed:.12g}") for speed in speeds]
