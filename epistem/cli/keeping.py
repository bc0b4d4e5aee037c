"""The commands that keep what is there: a backup into a file, and out of it again."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from epistem.cli.options import HOME

if TYPE_CHECKING:
    from epistem.up.archive import Progress

_UNITS = {"m": 60.0, "h": 3_600.0, "d": 86_400.0}


class Span(click.ParamType[float]):
    name = "span"

    def convert(
        self, value: object, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*([mhd])", str(value).strip())
        if found is None or float(found[1]) <= 0:
            self.fail(f"{value} is no span of time. Write it as 30m, 24h or 7d.", param, ctx)
        return float(found[1]) * _UNITS[found[2]]


BACKUP_EVERY = click.option(
    "--backup-every", type=Span(), metavar="SPAN",
    help="Make a backup in the home's folder `backups` so often, as in 24h. Default: none by itself.",
)  # fmt: skip
KEEP = click.option(
    "--keep", type=click.IntRange(1, 1_000), default=7, show_default=True,
    help="So many of these backups are kept, the newest.",
)  # fmt: skip


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@HOME
def backup(file: Path, home: Path) -> None:
    """Keep everything of --home in FILE: one consistent state, also while trials and walks go on.

    Keys are never in it. FILE is a zip; `epistem restore` verifies it and makes a home of it.
    """
    from epistem.up.backup import back_up, size_of

    with _told("Backing up", size_of(home)) as progress:
        made = back_up(home, file, progress)
    click.echo(f"{made.file}: {_mb(made.size)} of {_mb(made.of_bytes)}.")


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False, exists=True))
@HOME
def restore(file: Path, home: Path) -> None:
    """Make a home of the backup FILE: --home has to be empty. Everything is verified before anything is touched.

    Keys are not in a backup: put them into the new home again. Then start it: epistem up.
    """
    from epistem.up.archive import opened
    from epistem.up.restore import restore as make

    with opened(file) as (_, manifest):
        size = sum(each.size for each in manifest.members)
    with _told("Restoring", 2 * size) as progress:
        manifest = make(file, home, progress)
    click.echo(f"{home} is as it was on {manifest.made_at}. Start it: epistem up --home {home}")


@contextmanager
def _told(what: str, size: int) -> Iterator[Progress]:
    """In a terminal a bar, elsewhere nothing."""
    with click.progressbar(length=max(size, 1), label=what) as bar:
        yield bar.update


def _mb(size: int) -> str:
    return f"{size / 1e6:,.1f} MB"
