"""The command line: opens the application, or runs one headless command of :mod:`crisp_hornet.commands`.

Wrong input ends with one line on standard error that names file and place, and exit code 2.
"""

from __future__ import annotations

import argparse
import sys
from importlib import import_module

from crisp_hornet import __version__
from crisp_hornet.commands import COMMANDS
from crisp_hornet.commands.arguments import BadInput, Parser, garage_of
from crisp_hornet.commands.output import say
from crisp_hornet.documents.errors import DocumentError


def main(arguments: list[str] | None = None) -> int:
    """Run the command line; returns the exit code."""
    given = sys.argv[1:] if arguments is None else arguments
    try:
        options = _parser(given).parse_args(given)
        code: int = options.run(options)
        return code
    except (BadInput, DocumentError) as error:
        say(str(error))
        return 2
    except KeyboardInterrupt:
        return 130


def _parser(given: list[str]) -> argparse.ArgumentParser:
    parser = Parser(prog="crisp-hornet", description="Tune high-power e-bikes: predict, send with proof, verify.")
    parser.add_argument("--version", action="version", version=f"crisp-hornet {__version__}")
    parser.add_argument(
        "--demo", action="store_true", help="open on demo data with a simulated bike; touches nothing of yours"
    )
    parser.add_argument("--verbose", action="store_true", help="write more into the log, and onto standard error")
    garage_of(parser)
    parser.set_defaults(run=_open_window, garage=None)
    commands = parser.add_subparsers(title="headless commands", metavar="COMMAND", parser_class=Parser)
    for name, about in COMMANDS.items():
        command = commands.add_parser(name, help=about)
        if name in given:  # the others need not be loaded
            module = import_module(f"crisp_hornet.commands.{name.replace('-', '_')}")
            module.arguments(command)
            command.set_defaults(run=module.run)
    return parser


def _open_window(options: argparse.Namespace) -> int:
    from crisp_hornet.commands.window import open_window

    return open_window(demo=options.demo, verbose=options.verbose, garage=options.garage)
