"""``crisp-hornet customers``: whose bikes these are; ``--export`` writes all that is known of one, ``--erase`` erases it for good."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput, garage_of
from crisp_hornet.commands.garages import garage_at
from crisp_hornet.commands.output import tell
from crisp_hornet.documents.customer import CONSENTS
from crisp_hornet.documents.saying import counted
from crisp_hornet.garage.customers import KeptCustomer
from crisp_hornet.garage.garage import Garage

COPIES = "Copies of the garage that were made before still hold it; it does not come back with them."


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    garage_of(parser)
    parser.add_argument("--of", help="a customer's name; all are listed without")
    act = parser.add_mutually_exclusive_group()
    act.add_argument("--export", type=Path, help="write all that is known of them into this file (*.zip)")
    act.add_argument(
        "--erase", choices=("person", "all"), help="erase them for good: alone, or with all of their bikes and rides"
    )
    parser.add_argument("--yes", action="store_true", help="it cannot be undone, and is meant")


def run(options: argparse.Namespace) -> int:
    """List, export or erase."""
    if (options.export or options.erase) and not options.of:
        raise BadInput("Name the customer: --of NAME.")
    if options.erase and not options.yes:
        raise BadInput(
            "What is erased cannot be brought back: say --yes as well. Export it before, if it may be needed: --export FILE."
        )
    with garage_at(options.garage) as garage:
        chosen = [one for one in garage.customers.all() if options.of in (None, one.customer.name)]
        if options.of and len(chosen) != 1:
            known = ", ".join(one.customer.name for one in garage.customers.all()) or "none"
            raise BadInput(f"{len(chosen)} customers are called {options.of!r}. Known: {known}.")
        if options.export:
            from crisp_hornet.garage.customer_export import export_customer

            count = export_customer(garage, chosen[0].uid, options.export)
            tell(f"{options.export}: {chosen[0].customer.name}, {counted(count, 'bike')}")
        elif options.erase:
            from crisp_hornet.garage.erasing import erase_customer

            bikes = erase_customer(garage, chosen[0].uid, options.erase == "all")
            tell(f"erased: the customer, {counted(len(bikes), 'bike')}. {COPIES}")
        else:
            for one in chosen:
                _show(garage, one)
    return 0


def _show(garage: Garage, kept: KeptCustomer) -> None:
    customer = kept.customer
    tell(f"{customer.name}: {', '.join(name for _, name in garage.customers.bikes(kept.uid)) or 'no bike'}")
    if customer.contact:
        tell(f"  {customer.contact}")
    for key, words in CONSENTS.items():
        consent = customer.consents.get(key)
        said = f"{'yes' if consent.given else 'no'}, {consent.on}" if consent is not None else "never asked"
        tell(f"  {words}: {said}")
