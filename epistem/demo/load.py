"""Put the demo into the database, once, and have its trial really run."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from importlib import resources
from typing import Any

import yaml

from epistem.core.cases.content import Case
from epistem.core.chains.yaml_file import chain_from_yaml
from epistem.core.checks.registry import check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import NotFound
from epistem.core.knowledge.cutting import Cut
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.tool import Tool
from epistem.core.subjects.content import Content
from epistem.core.trials.plan import TrialPlan
from epistem.store import cases, drafts, subjects, versions
from epistem.store.database import Database, Transaction
from epistem.store.knowledge import collections, questions
from epistem.store.tools import kept, sources
from epistem.work import trials as work
from epistem.work.drafts import keep
from epistem.work.knowledge import bringing, embedding, keeping
from epistem.work.pinned import filled_in
from epistem.work.probation import put_to_the_test
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


def load_demo(database: Database, bookings: str) -> list[int]:
    """Add what is not there yet; the ids of trials that were started and now run. `bookings` is the address of the
    simulated service of bookings."""
    started = []
    _load_handbook(database)
    _load_tools(database, bookings)
    for name in SUBJECTS:
        with database.transaction() as tx:
            try:
                subjects.get(tx, name)
            except NotFound:
                started.append(_load_subject(tx, name))
    return started


def test_judges(database: Database) -> None:
    """Put the models that judge the demo's answers to the test, so that its verdict says whether they
    can be trusted."""
    for name in SUBJECTS:
        for use in map(CheckUse.from_json, yaml.safe_load(_read(f"{name}.yaml"))["checks"]):
            if check_class(use.check).asks:
                put_to_the_test(database, use)


def _load_handbook(database: Database) -> None:
    """The desk's rules: stiffly worded in its first version, fares and luggage plainly in its second."""
    with database.transaction() as tx:
        if any(each.name == HANDBOOK for each in collections.all_of(tx)):
            return
        note = "What passengers ask about. Version 2 has fares and luggage in plain words."
        keeping.create(tx, HANDBOOK, note)
    for wording in ("first", "plain"):
        folder = resources.files("epistem.demo") / "handbook" / wording
        files = sorted((each.name, each.read_bytes()) for each in folder.iterdir())
        bringing.bring(database, HANDBOOK, [each for each in files if each[0].endswith(".md")])
        with database.transaction() as tx:
            bringing.keep(tx, HANDBOOK, Cut(level=2))
    with database.transaction() as tx:
        collection = collections.get(tx, HANDBOOK)
        collections.describe(tx, collection, collection.note, EMBEDS_WITH)
        for line in _read("handbook/look-ups.jsonl").splitlines():
            told = json.loads(line)
            questions.keep(tx, collection, told["question"], told["wanted"])


def _load_tools(database: Database, bookings: str) -> None:
    """The desk's tools, what they read, and where they may go. A tool whose address is another one today gets a
    new version."""
    told = yaml.safe_load(_read("tools.yaml").replace("BOOKINGS", bookings))
    with database.transaction() as tx:
        tools.allow(tx, bookings, inside=True)
        if all(each.name != TIMETABLE for each in sources.all_of(tx)):
            about = "Sailings and piers of Skerry Line"
            tools.attach(tx, TIMETABLE, about, "timetable.sqlite", timetable())
        there = {each.name for each in kept.lines(tx)}
        for name, content in told.items():
            tool = Tool.from_json(content, at=name)
            if name in there:
                tools.save(tx, name, tool, "The service has another address")
            else:
                tools.create(tx, name, tool)


def timetable() -> bytes:
    """The timetable as an SQLite file."""
    with closing(sqlite3.connect(":memory:")) as made:
        made.executescript(_read("timetable.sql"))
        made.execute("VACUUM")
        return made.serialize()


def make_vectors(database: Database) -> None:
    """Of the handbook's passages, by a model of the stand-in."""
    told = embedding.progress(database, HANDBOOK)
    while told.done < told.total:
        told = embedding.go_on(database, HANDBOOK)


def _load_subject(tx: Transaction, name: str) -> int:
    told = yaml.safe_load(_read(f"{name}.yaml"))
    contents = [filled_in(tx, _content(v)) for v in told["versions"]]
    subject = subjects.create(tx, told["name"], told["about"], contents[0])
    checks = [CheckUse.from_json(use) for use in told["checks"]]
    subjects.set_checks(tx, subject, checks, subject.checks_revision)
    for content, version in zip(contents, told["versions"], strict=True):
        draft = drafts.get(tx, subject)
        keep(tx, subject, content, draft.revision)
        versions.save(tx, subject, content, version["note"])
    for line in _read(f"{told.get('cases', name)}-cases.jsonl").splitlines():
        cases.keep(tx, subject, Case.from_json(json.loads(line)))
    plan = TrialPlan.from_json(told["trial"])
    return work.start(tx, subjects.get(tx, name), plan).id


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
