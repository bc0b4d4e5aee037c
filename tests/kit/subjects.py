"""A subject with versions and cases, made through the store."""

from __future__ import annotations

from typing import Any

from epistem.core.cases.content import Case
from epistem.core.prompts.content import Prompt
from epistem.core.trials.plan import TrialPlan
from epistem.store import cases, drafts, subjects, trials, versions
from epistem.store.database import Database, Transaction
from epistem.work import trials as work

LABELS = ["overdue", "lost book", "opening hours"]
SCHEMA = {
    "type": "object",
    "properties": {"label": {"enum": LABELS}},
    "required": ["label"],
    "additionalProperties": False,
}
NOTES = [
    ("I can't find the atlas that I borrowed, I think I left it on the bus", "lost book"),
    ("When do you close on Saturdays?", "opening hours"),
    ("The novel was due last week, what do I owe?", "overdue"),
    ("Are you open over the holidays?", "opening hours"),
    ("My son lost the picture book about whales", "lost book"),
    ("I got a letter that my loan is two weeks late", "overdue"),
    ("What time does the reading room open?", "opening hours"),
]


def sorting_prompt(
    task: str = "Sort the note into one of: overdue, lost book, opening hours.",
) -> Prompt:
    return Prompt.from_json(
        {
            "messages": [
                {
                    "role": "system",
                    "parts": [
                        {"name": "Task", "text": task},
                        {"name": "Reply", "text": "Answer in JSON with the key label."},
                    ],
                },
                {"role": "user", "parts": [{"name": "Note", "text": "{{ note }}"}]},
            ],
            "settings": {"temperature": 0.7, "max_tokens": 60},
            "reply": {"kind": "json", "labels": LABELS, "json_schema": SCHEMA},
        }
    )


def library(
    tx: Transaction, *, name: str = "shelf-note", versions_wanted: int = 2, notes: int = len(NOTES)
) -> subjects.Subject:
    """A subject that sorts notes to a library, with saved versions and kept cases."""
    subject = subjects.create(tx, name, "sorts notes to a library", sorting_prompt())
    for number in range(versions_wanted):
        content = (
            sorting_prompt()
            if number == 0
            else sorting_prompt(
                f"Sort the note, way {number}. Labels: overdue, lost book, opening hours."
            )
        )
        drafts.save(tx, subject, content, drafts.get(tx, subject).revision)
        versions.save(tx, subject, content, f"way {number}")
    for text, label in (NOTES * 20)[:notes]:
        cases.keep(
            tx, subject, Case.from_json({"inputs": {"note": text}, "expect": {"label": label}})
        )
    return subjects.get(tx, name)


def start_trial(database: Database, subject: subjects.Subject, **plan: Any) -> trials.Trial:
    """By default two versions on tern-s, two repeats."""
    told = {"arms": [{"version": v, "model": "tern-s"} for v in (1, 2)], "repeats": 2, **plan}
    with database.transaction() as tx:
        return work.start(tx, subject, TrialPlan.from_json(told))
