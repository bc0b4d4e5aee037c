"""`epistem check FILE` judges answers out of a file; `epistem checks` lists the library."""

from __future__ import annotations

import sys
from pathlib import Path

import click

# What does the work is imported when it is needed, so that `--help` comes at once.


@click.command()
@click.option("--examples", is_flag=True, help="With answers that pass and that don't.")
def checks(examples: bool) -> None:
    """List the checks there are, and what each promises."""
    from epistem.cli.answers_file import list_checks

    list_checks(examples)


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("-c", "--check", "keys", multiple=True, help="A check with its usual options.")
@click.option(
    "--checks", "uses_file", type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="YAML with `checks:`, a list of {check, options}, and if need be `reply:`.",
)  # fmt: skip
@click.option("--json", "as_json", is_flag=True, help="A line of JSON for each answer.")
def check(file: Path, keys: tuple[str, ...], uses_file: Path | None, as_json: bool) -> None:
    """Judge answers from JSONL, without asking a model.

    A line is {"answer": "…"}, and may have inputs, expect and finish_reason. Exit code 1 when an answer
    fails a required check, 2 when something can't be read.
    """
    from epistem.cli.answers_file import judge_file

    if not judge_file(file, keys, uses_file, as_json):
        sys.exit(1)
