"""The bench of checks: what checks, with options that may not be kept yet, say of answers that are there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from time import perf_counter
from typing import NamedTuple

from epistem.core.cases.content import Case, Expectation, title_of
from epistem.core.cases.person import Ended
from epistem.core.checks.base import Answer, Spent, ToolUse
from epistem.core.checks.bench import Bench, Judged
from epistem.core.checks.measures import Measure, measures_of
from epistem.core.checks.offers.rules import FoundRule, rules_of
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import Turn
from epistem.core.subjects.content import Content
from epistem.core.trials.grounds import ground_of
from epistem.store import drafts, tries
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.store.tries import KeptTry
from epistem.work import pinned
from epistem.work.tools.querying import Queries
from epistem.work.tries import FoundBy, named


class OnBench(NamedTuple):
    """An answer with where it is from, and what was found in how many milliseconds. `mended` is its text as
    the checks that mend would leave it, None where that is the same."""

    source: str
    asked: str
    try_id: int | None
    text: str
    findings: list[Judged]
    ms: float
    mended: str | None


class Benched(NamedTuple):
    """`faults[use]` is why a use can't be had, "" for one that can; its measures have no findings then."""

    measures: list[Measure]
    faults: list[str]
    answers: list[OnBench]


def on_the_bench(
    tx: Transaction,
    subject: Subject,
    uses: Sequence[CheckUse],
    text: str | None,
    latest: int,
    queries: Queries,
) -> Benched:
    """A text of one's own, if there is one, and the answers of the latest tries, judged by these checks.

    Raises InvalidInput for a check that there is not, or for options that it does not have.
    """
    prompt = drafts.get(tx, subject).content
    bench = Bench(uses, prompt.reply, strict=False)
    answers = (
        [] if text is None else [_judged(bench, queries, "your text", prompt, Answer(text), Case())]
    )
    for line in tries.listed(tx, subject, most=latest)[:latest]:
        kept = tries.get(tx, subject, line.id)
        answer, case = of_try(kept)
        answers.append(_judged(bench, queries, line.model, prompt, answer, case, line.id))
    return Benched(measures_of(uses, prompt.reply), bench.faults, answers)


def rules_in_draft(tx: Transaction, subject: Subject) -> list[FoundRule]:
    """The rules that stand in the draft's own words, fragments filled in, beside the subject's checks."""
    content = drafts.get(tx, subject).content
    if not isinstance(content, Prompt):
        return []
    prompt = pinned.filled_in(tx, content)
    return rules_of(prompt, subject.checks_for(prompt.reply))


def at_its_end(tx: Transaction, subject: Subject, try_id: int, ended: Ended) -> list[FoundBy]:
    """What the plain checks find of a try that was the last answer of a talk, which ended so. Raises NotFound
    for one that is not there."""
    kept = tries.get(tx, subject, try_id)
    answer, case = of_try(kept)
    uses, reply = subject.checks_for(kept.content.reply), kept.content.reply
    rows = measures_of(uses, reply, strict=False)
    ground = ground_of(kept.content, case)
    found = Bench(uses, reply, strict=False).judge(replace(answer, ended=ended), ground)
    return sorted(named(rows, found), key=lambda each: each.measure.index)


def of_try(kept: KeptTry) -> tuple[Answer, Case]:
    """The answer of a try with what it took, and what it was an answer to, as a case."""
    told = kept.answered
    expect = Expectation.from_json(kept.asked.get("expect") or {})
    looked = (told.get("request") or {}).get("found") or []
    found = {
        each["input"]: [
            {"id": p["reference"], "title": p["title"], "text": p["text"]} for p in each["passages"]
        ]
        for each in looked
    }
    case = Case(inputs={**(kept.asked.get("inputs") or {}), **found}, expect=expect)
    before = tuple(Turn.model_validate(each) for each in kept.asked.get("turns") or [])
    tools = [ToolUse(each["name"], each["arguments"]) for each in told.get("tool_uses") or []]
    numbers = (int(told.get("input_tokens") or 0), int(told.get("output_tokens") or 0))
    spent = Spent(*numbers, float(told.get("total_ms") or 0), float(told.get("cents") or 0))
    end = str(told.get("finish_reason") or "stop")
    return Answer(str(told.get("answer") or ""), end, before, tuple(tools), spent), case


def _judged(
    bench: Bench,
    queries: Queries,
    source: str,
    content: Content,
    answer: Answer,
    case: Case,
    try_id: int | None = None,
) -> OnBench:
    ground = ground_of(content, case)
    began = perf_counter()
    found = bench.judge(answer, ground) + queries.found_by(bench, answer, ground)
    ms = 1_000 * (perf_counter() - began)
    asked = "" if try_id is None else title_of(case)
    mended = bench.repaired(answer, ground)
    changed = mended if mended != answer.text else None
    return OnBench(source, asked, try_id, answer.text, found, ms, changed)
