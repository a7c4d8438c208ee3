"""``crisp-hornet practise JOB``: the window on a job of practice, in a garage of its own."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.commands.output import say, tell
from crisp_hornet.garage.garage import default_folder
from crisp_hornet.system.libraries import why_not


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("job", nargs="?", help="its number, or the file of an own job; without one they are listed")
    parser.add_argument("--seed", type=int, help="draw the hidden figures by this number: another one, another bike")
    parser.add_argument("--guided", action="store_true", help="name the station to open next, and why")
    parser.add_argument("--anew", action="store_true", help="begin it again with the same hidden figures")
    parser.add_argument("--folder", type=Path, help="where practice is kept (beside your garage)")


def run(options: argparse.Namespace) -> int:
    """Open the window, or list the jobs."""
    from crisp_hornet.practice.jobs import find, own, shipped
    from crisp_hornet.practice.progress import FOLDER, Progress

    progress = Progress(options.folder or default_folder() / FOLDER)
    if options.job is None:
        standings = progress.all()
        for file in (*shipped(), *own(progress.own_jobs)[0]):
            standing = standings.get(file.key)
            tell(f"{file.title}{': ' + standing.state if standing else ''}")
        return 0
    if options.seed is not None and not 0 <= options.seed < 10**9:
        raise BadInput(f"--seed {options.seed}: give a whole number from 0 to 999999999.")
    file = find(options.job, progress.own_jobs)
    if why := why_not(os.environ):
        say(why)
        return 1
    from crisp_hornet.bench.app import run_practice

    return run_practice(file, progress.folder, options.seed, options.guided, options.anew, options.verbose)
