"""Put the demo into the database, once, and have its trial really run."""

from __future__ import annotations

import json
from importlib import resources
from typing import Any

import yaml

from epistem.core.cases.content import Case
from epistem.core.checks.registry import check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import NotFound
from epistem.core.prompts.content import Prompt
from epistem.core.trials.plan import TrialPlan
from epistem.store import cases, drafts, subjects, versions
from epistem.store.database import Database, Transaction
from epistem.work import trials as work
from epistem.work.drafts import keep
from epistem.work.probation import put_to_the_test

PROMPTS = ("triage-message", "desk-reply", "lost-item", "fare-record")


def load_demo(database: Database) -> list[int]:
    """Add what is not there yet; the ids of trials that were started and now run."""
    started = []
    for name in PROMPTS:
        with database.transaction() as tx:
            try:
                subjects.get(tx, name)
            except NotFound:
                started.append(_load_prompt(tx, name))
    return started


def test_judges(database: Database) -> None:
    """Put the models that judge the demo's answers to the test, so that its verdict says whether they
    can be trusted."""
    for name in PROMPTS:
        for use in map(CheckUse.from_json, yaml.safe_load(_read(f"{name}.yaml"))["checks"]):
            if check_class(use.check).asks:
                put_to_the_test(database, use)


def _load_prompt(tx: Transaction, name: str) -> int:
    told = yaml.safe_load(_read(f"{name}.yaml"))
    contents = [
        Prompt.from_json(v["content"], at=f"versions.{i}") for i, v in enumerate(told["versions"])
    ]
    subject = subjects.create(tx, told["name"], told["about"], contents[0])
    checks = [CheckUse.from_json(use) for use in told["checks"]]
    subjects.set_checks(tx, subject, checks, subject.checks_revision)
    for content, version in zip(contents, told["versions"], strict=True):
        draft = drafts.get(tx, subject)
        keep(tx, subject, content, draft.revision)
        versions.save(tx, subject, content, version["note"])
    for line in _read(f"{name}-cases.jsonl").splitlines():
        cases.keep(tx, subject, Case.from_json(json.loads(line)))
    plan = TrialPlan.from_json(told["trial"])
    return work.start(tx, subjects.get(tx, name), plan).id


def _read(file: str) -> Any:
    return (resources.files("epistem.demo") / file).read_text("utf-8")
