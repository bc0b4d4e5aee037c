"""Making a subject, what the desk says of it, and the checks that go with it."""

from __future__ import annotations

from typing import NamedTuple

from epistem import starters
from epistem.core.checks.measures import Measure, check_uses, measures_of
from epistem.core.checks.uses import CheckUse
from epistem.core.subjects.content import KINDS, USUAL, Content
from epistem.starters import patterns
from epistem.starters.patterns import Pattern
from epistem.store import cases, drafts, models, subjects, trials, versions
from epistem.store.database import Transaction
from epistem.store.subjects import DeskRow, Subject
from epistem.store.tools import sources
from epistem.store.trials import Trial
from epistem.work import evidence
from epistem.work.evidence import Headline


class Line(NamedTuple):
    """One line of the desk, with the evidence of the latest trial."""

    row: DeskRow
    headline: Headline | None


class Overview(NamedTuple):
    """A subject, and where it stands on its course."""

    line: Line
    subject: Subject
    trial: Trial | None
    checks: list[CheckUse]
    measures: list[Measure]


def create(
    tx: Transaction,
    name: str,
    about: str,
    *,
    copy_of: str | None = None,
    version: int | None = None,
    starter: str | None = None,
    kind: str = USUAL,
    pattern: str | None = None,
) -> Subject:
    """Blank, of that kind, or beginning with a starter, or with the draft, or a version, of `copy_of`.

    Raises InvalidInput or Conflict for the name, NotFound for what it is to begin with.
    """
    if pattern is not None:
        return _from_pattern(tx, name, about, patterns.get(pattern))
    return subjects.create(tx, name, about, _first_draft(tx, copy_of, version, starter, kind))


def _from_pattern(tx: Transaction, name: str, about: str, pattern: Pattern) -> Subject:
    """With its cases, and with models and a source that there are here."""
    listed = sorted(models.all_of(tx), key=lambda model: model.output_cents)
    answering = [model for model in listed if "embeddings" not in model.abilities] or listed
    cheap, dear = (answering[0].name, answering[-1].name) if answering else ("", "")
    source = next((each.name for each in sources.all_of(tx)), "")
    subject = subjects.create(tx, name, about, pattern.with_names(cheap, dear, source))
    for case in pattern.cases:
        cases.keep(tx, subject, case)
    return subject


def _first_draft(
    tx: Transaction, copy_of: str | None, version: int | None, starter: str | None, kind: str
) -> Content:
    if starter is not None:
        return starters.get(starter).content
    if copy_of is not None:
        origin = subjects.get(tx, copy_of)
        if version is not None:
            return versions.get(tx, origin, version).content
        return drafts.get(tx, origin).content
    return KINDS[kind].blank()


def desk(tx: Transaction, find: str | None, after: str, most: int) -> list[Line]:
    """Subjects by name, or those with all words of `find`: `most` of those that follow `after`."""
    return [_line(tx, row) for row in subjects.desk(tx, find=find, after=after, most=most)]


def overview(tx: Transaction, name: str) -> Overview:
    subject = subjects.get(tx, name)
    row = next(iter(subjects.desk(tx, only=subject.name)))
    trial = trials.get(tx, row.latest_trial) if row.latest_trial else None
    shape = drafts.get(tx, subject).content.reply
    checks = subject.checks_for(shape)
    return Overview(
        _line(tx, row), subject, trial, checks, measures_of(checks, shape, strict=False)
    )


def describe(tx: Transaction, name: str, about: str, tags: list[str], revision: int) -> None:
    """Raises Stale unless that is its `about_revision`."""
    subjects.describe(tx, subjects.get(tx, name), about, tags, revision)


def set_checks(tx: Transaction, name: str, checks: list[CheckUse], revision: int) -> None:
    """Raises InvalidInput for a check that can't be used so, Stale unless that is its `checks_revision`."""
    check_uses(checks)
    subjects.set_checks(tx, subjects.get(tx, name), checks, revision)


def _line(tx: Transaction, row: DeskRow) -> Line:
    if row.latest_trial is None:
        return Line(row, None)
    trial = trials.get(tx, trials.latest_whole(tx, row.latest_trial))
    return Line(row, None if trial.recorded == 0 else evidence.headline_of(tx, trial))
