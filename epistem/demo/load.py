"""The demo, brought in by jobs: each of its things by one of its own, once, and none waits for another that fails."""

from __future__ import annotations

import json
import re
import sqlite3
from collections.abc import Mapping
from contextlib import closing
from importlib import resources
from typing import Any

import yaml

from epistem.core.cases.content import Case
from epistem.core.chains.yaml_file import chain_from_yaml
from epistem.core.checks.registry import check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import EpistemError, NotFound
from epistem.core.knowledge.cutting import Cut
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.tool import Tool
from epistem.core.subjects.content import Content
from epistem.core.trials.plan import TrialPlan
from epistem.store import cases, drafts, jobs, subjects, versions
from epistem.store.database import Database, Transaction
from epistem.store.jobs import Job
from epistem.store.knowledge import collections, questions
from epistem.store.tools import kept, sources
from epistem.work import trials as work
from epistem.work.drafts import keep
from epistem.work.jobs import Report, begin_vectors
from epistem.work.knowledge import bringing, keeping
from epistem.work.knowledge.reading import read_all
from epistem.work.pinned import filled_in
from epistem.work.probation import begin_test
from epistem.work.tools import keeping as tools

SUBJECTS = (
    "triage-message",
    "desk-reply",
    "lost-item",
    "fare-record",
    "handbook-answer",
    "crossing-help",
    "timetable-in-one",
    "timetable-answer",
    "notice-writer",
    "desk-lead",
)
TIMETABLE = "timetable"
HANDBOOK = "desk-handbook"
EMBEDS_WITH = "gannet-l"
BRINGS = "demo"
"""The kind of the jobs that bring it."""
_OLD_BOOKINGS = re.compile(r"http://127\.0\.0\.1:\d+(?=/(?:bookings|holds)\b)")


def ask_for_demo(tx: Transaction, bookings: str) -> None:
    """Have all of it brought that was not asked for before. `bookings` is the address of the simulated service of
    bookings as it is today."""
    first, *others = SUBJECTS
    told = [(first, f"Bring {first}, its cases and its trial")]
    told += [("tools", "Bring the tools of Skerry Line's desk"), (HANDBOOK, f"Bring {HANDBOOK}")]
    told += [(name, f"Bring {name}, its cases and its trial") for name in others]
    for what, title in told:
        jobs.begin(tx, BRINGS, what, {"what": what}, title, once=True)
    jobs.begin(tx, BRINGS, f"addresses {bookings}", {"what": "addresses"},
               "Bring the tools' addresses up to date", once=True)  # fmt: skip


def first_of(tx: Transaction) -> Job | None:
    """The job that brings what is looked at first."""
    return jobs.find(tx, BRINGS, SUBJECTS[0])


def bring(database: Database, about: Mapping[str, Any], report: Report, *, bookings: str) -> None:
    """One thing of the demo, in one transaction, unless one of that name is there."""
    what = about["what"]
    if what == HANDBOOK:
        _bring_handbook(database)
        return
    with database.transaction() as tx:
        if what == "tools":
            _bring_tools(tx, bookings)
        elif what == "addresses":
            _bring_addresses_up_to_date(tx, bookings)
        else:
            _bring_subject(tx, what)


def _bring_handbook(database: Database) -> None:
    """The desk's rules: stiffly worded in its first version, fares and luggage plainly in its second. Raises
    EpistemError for a file that could not be read in time: half a handbook is none."""
    folder = resources.files("epistem.demo") / "handbook"
    wordings = []
    for wording in ("first", "plain"):
        files = sorted((each.name, each.read_bytes()) for each in (folder / wording).iterdir())
        read = list(read_all(each for each in files if each[0].endswith(".md")))
        for each in read:
            if each.problem:
                raise EpistemError(f"{each.file}: {each.problem}")
        wordings.append(read)
    with database.transaction() as tx:
        try:
            collections.get(tx, HANDBOOK, away=True)
        except NotFound:
            note = "What passengers ask about. Version 2 has fares and luggage in plain words."
            keeping.create(tx, HANDBOOK, note)
            for read in wordings:
                bringing.add(tx, HANDBOOK, read)
                bringing.keep(tx, HANDBOOK, Cut(level=2))
            collection = collections.get(tx, HANDBOOK)
            collections.describe(tx, collection, collection.note, EMBEDS_WITH)
            for line in _read("handbook/look-ups.jsonl").splitlines():
                told = json.loads(line)
                questions.keep(tx, collection, told["question"], told["wanted"])
        begin_vectors(tx, HANDBOOK, once=True)


def _bring_tools(tx: Transaction, bookings: str) -> None:
    """The desk's tools, what they read, and where they may go."""
    tools.allow(tx, bookings, inside=True)
    if all(each.name != TIMETABLE for each in sources.all_of(tx)):
        about = "Sailings and piers of Skerry Line"
        tools.attach(tx, TIMETABLE, about, "timetable.sqlite", timetable())
    there = {each.name for each in kept.lines(tx)}
    for name, content in yaml.safe_load(_read("tools.yaml").replace("BOOKINGS", bookings)).items():
        if name not in there:
            tools.create(tx, name, Tool.from_json(content, at=name))


def _bring_addresses_up_to_date(tx: Transaction, bookings: str) -> None:
    """Tools that ask for bookings where they were at an earlier start ask where they are today, in a new version.
    What somebody changed of them stays."""
    tools.allow(tx, bookings, inside=True)
    names = yaml.safe_load(_read("tools.yaml"))
    for line in kept.lines(tx):
        before = json.dumps(line.content.to_json())
        today = _OLD_BOOKINGS.sub(bookings, before)
        if line.name in names and today != before:
            tool = Tool.from_json(json.loads(today), at=line.name)
            tools.save(tx, line.name, tool, "The service has another address")


def timetable() -> bytes:
    """The timetable as an SQLite file."""
    with closing(sqlite3.connect(":memory:")) as made:
        made.executescript(_read("timetable.sql"))
        made.execute("VACUUM")
        return made.serialize()


def _bring_subject(tx: Transaction, name: str) -> None:
    """With its versions, checks and cases; its trial is started, and its judges are put to the test."""
    told = yaml.safe_load(_read(f"{name}.yaml"))
    checks = [CheckUse.from_json(use) for use in told["checks"]]
    try:
        subjects.get(tx, name)
    except NotFound:
        contents = [filled_in(tx, _content(v)) for v in told["versions"]]
        subject = subjects.create(tx, told["name"], told["about"], contents[0])
        subjects.set_checks(tx, subject, checks, subject.checks_revision)
        for content, version in zip(contents, told["versions"], strict=True):
            draft = drafts.get(tx, subject)
            keep(tx, subject, content, draft.revision)
            versions.save(tx, subject, content, version["note"])
        for line in _read(f"{told.get('cases', name)}-cases.jsonl").splitlines():
            cases.keep(tx, subject, Case.from_json(json.loads(line)))
        work.start(tx, subjects.get(tx, name), TrialPlan.from_json(told["trial"]))
    for use in checks:
        if check_class(use.check).asks:
            begin_test(tx, use, once=True)


def _content(version: dict[str, Any]) -> Content:
    """A prompt as it stands, or a chain out of its file, with some words changed."""
    if "chain" not in version:
        return Prompt.from_json(version["content"])
    text = _read(f"chains/{version['chain']}")
    for before, after in version.get("but", {}).items():
        text = text.replace(before, after)
    return chain_from_yaml(text).content


def _read(file: str) -> Any:
    return (resources.files("epistem.demo") / file).read_text("utf-8")
