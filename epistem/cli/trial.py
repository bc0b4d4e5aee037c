"""`epistem trial …`"""

from __future__ import annotations

import getpass
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click
from rich.console import Console

from epistem.cli.options import DATABASE, HOME

if TYPE_CHECKING:
    from epistem.store.database import Address, Database

# What does the work is imported when it is needed, so that `--help` comes at once.


@click.group()
def trial() -> None:
    """Run trials and read their verdicts."""


@trial.command()
@click.argument("what", metavar="FILE|ID")
@click.option(
    "--require",
    "required",
    multiple=True,
    metavar="CHECK[=RATE]",
    help="Exit with 1 if this check falls short: any arm worse than the baseline, or, with RATE "
    "(0.9 or 90%), any arm passing less often than that.",
)
@click.option(
    "--patience",
    type=click.FloatRange(1),
    default=600,
    show_default=True,
    metavar="SECONDS",
    help="How long to wait while all that is left to ask is paused, its models being out of reach.",
)
@DATABASE
@HOME
def run(
    what: str, required: tuple[str, ...], patience: float, database: str | None, home: Path
) -> None:
    """Run a trial and print its verdict.

    FILE is a YAML file; ID (12 or T12) takes up one that was stopped, or follows one that runs.

    \b
      subject: triage-message
      arms:                       # the first is the baseline
        - {version: 1, model: tern-s}
        - {version: 2, model: tern-s, settings: {temperature: 0.3}}
      repeats: 5                  # default 5
      cases: [1, 2, 3]            # default: all
      seed: 7                     # default 1
      question: {arm: 1, measure: outcome.label}   # the main question, if there is one

    Exit codes: 0 fine, 1 a required check fell short, 2 it could not be done.
    """
    from epistem.cli.progress import follow
    from epistem.cli.requirements import Requirement, shortfalls
    from epistem.cli.table import print_verdict
    from epistem.cli.trial_files import start
    from epistem.store import trials
    from epistem.work.evidence import evidence_of

    requirements = [Requirement.from_text(text) for text in required]
    console = Console(highlight=False)
    store = open_store(database, home)
    trial_id = start(store, what)
    done = follow(store, trial_id, console, what=f"T{trial_id}", patience_s=patience)
    if done.status in ("stopped", "failed"):
        why = f" ({done.failure})" if done.failure else ""
        console.print(
            f"  T{done.id} {'was stopped' if done.status == 'stopped' else 'failed'}{why}; "
            "this is the verdict so far."
        )
    with store.transaction() as tx:
        found = evidence_of(tx, trials.get(tx, trial_id))
    print_verdict(found, console)
    short = shortfalls(requirements, found)
    for line in short:
        console.print(f"  [red]Fell short:[/] {line}")
    sys.exit(1 if short else 0)


@trial.command()
@click.argument("what", metavar="ID")
@DATABASE
@HOME
def show(what: str, database: str | None, home: Path) -> None:
    """Print the verdict of a trial, finished or not."""
    from epistem.cli.table import print_verdict
    from epistem.cli.trial_files import id_from
    from epistem.store import trials
    from epistem.work.evidence import evidence_of

    store = open_store(database, home)
    with store.transaction() as tx:
        found = evidence_of(tx, trials.get(tx, id_from(what)))
    print_verdict(found, Console(highlight=False))


def open_store(database: str | None, home: Path) -> Database:
    from epistem.store.database import Database

    return Database(address_of(database, home), connections=2, by=_name())


def address_of(database: str | None, home: Path) -> Address:
    """Of the database that is named, else of the Epistem that runs in `home`. Raises StartError if none does."""
    from epistem.store.database import Address
    from epistem.up.supervisor import running_database

    return Address.from_url(database) if database else running_database(home)


def _name() -> str:
    """Who does this: EPISTEM_NAME, or the name that one is logged in by."""
    try:
        return os.environ.get("EPISTEM_NAME") or getpass.getuser()
    except (KeyError, OSError):  # a user id without a name
        return ""
