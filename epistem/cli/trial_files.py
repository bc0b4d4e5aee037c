"""The trial that a command names: by a YAML file, or by its number."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import yaml

from epistem.core.errors import InvalidInput
from epistem.core.trials.plan import TrialPlan
from epistem.store import subjects, trials
from epistem.store.database import Database
from epistem.work import trials as work

_ID = re.compile(r"[Tt]?(\d+)\Z")


def id_from(text: str) -> int:
    match = _ID.match(text)
    if not match:
        raise InvalidInput(f"“{text}” is not the number of a trial, such as 12 or T12.", field="ID")
    return int(match.group(1))


def start(database: Database, what: str) -> int:
    """The id of the trial to follow: made from a file, or taken up."""
    if _ID.match(what) and not Path(what).exists():
        with database.transaction() as tx:
            found = trials.get(tx, id_from(what))
            if found.status in ("stopped", "failed") and found.recorded < found.total:
                work.go_on(tx, found.id)
        return found.id
    told = _read(Path(what))
    name = told.pop("subject", None)
    if not isinstance(name, str):
        raise InvalidInput(
            f"{what} does not say which prompt: add a line `subject: NAME`.", field="subject"
        )
    plan = TrialPlan.from_json(told)
    with database.transaction() as tx:
        return work.start(tx, subjects.get(tx, name), plan).id


def _read(path: Path) -> dict[str, Any]:
    try:
        told = yaml.safe_load(path.read_text("utf-8"))
    except OSError as error:
        raise InvalidInput(f"{path} can't be read: {error.strerror}.", field="FILE") from error
    except (yaml.YAMLError, UnicodeDecodeError) as error:
        raise InvalidInput(f"{path} is not YAML: {error}", field="FILE") from error
    if not isinstance(told, dict):
        raise InvalidInput(f"{path} must hold fields such as `subject:` and `arms:`.", field="FILE")
    return told
