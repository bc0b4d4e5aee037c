"""Look-up cases asked with several settings, and what comes of it: how much of what is wanted is found, how
high up; what no question reaches, and what no passage answers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from epistem.core.errors import InvalidInput
from epistem.core.evidence.intervals import Interval
from epistem.core.evidence.scores import Mean, Scored, ScoreDifference, scores_as_evidence
from epistem.core.knowledge import measures
from epistem.core.prompts.looking_up import LookingUp
from epistem.store import cases, models, subjects
from epistem.store.database import Database, Transaction
from epistem.store.knowledge import collections, documents, questions
from epistem.work.knowledge.embedding import able, ready
from epistem.work.knowledge.indexes import searchable
from epistem.work.knowledge.looking_up import ranked

MEASURES = ("recall", "reciprocal rank", "nDCG")
MARGIN = 0.02
MOST_SETTINGS = 6
MOST_QUESTIONS = 2_000
MOST_TOLD = 200


class Told(NamedTuple):
    """Of one setting: the mean of a measure, 0 to 1, and its difference from the first setting."""

    mean: Mean | None
    difference: ScoreDifference | None


class OfQuestion(NamedTuple):
    """`ranks` has, for each setting, the place of the first passage that is wanted; None where none is found.
    `lost` are wanted references that the collection does not have."""

    id: int
    question: str
    wanted: list[str]
    lost: list[str]
    ranks: list[int | None]
    recalls: list[float]


class Measured(NamedTuple):
    """`told[measure][setting]`. `unreached` are references that no question reaches with the first setting, of
    `passages` in all; `unanswered` questions that it finds nothing for."""

    told: list[list[Told]]
    questions: list[OfQuestion]
    asked: int
    passages: int
    unreached: list[str]
    unreached_count: int
    unanswered: list[str]


def measure(
    database: Database, name: str, settings: Sequence[LookingUp], besides: Sequence[str] = ()
) -> Measured:
    """The collection's look-up cases, with each setting; for what is reached also the first words of the cases
    of these subjects. Raises InvalidInput for too many settings, and as look-ups do."""
    if not 0 < len(settings) <= MOST_SETTINGS:
        raise InvalidInput(f"Compare one to {MOST_SETTINGS} settings at once.", field="settings")
    with database.transaction() as tx:
        collection = collections.get(tx, name)
        kept = questions.all_of(tx, collection)[:MOST_QUESTIONS]
        more = _first_words(tx, besides)[: MOST_QUESTIONS - len(kept)]
        wanted_all = {ref for each in kept for ref in each.wanted}
        versions = [collections.check_version(collection, each.version) for each in settings]
        there = [searchable(database, tx, collection, version) for version in versions]
        references = _references(tx, there[0].documents, there[0].stems)
        by_setting = [
            references if found is there[0] else _references(tx, found.documents, found.stems)
            for found in there
        ]
        asking = any(each.method != "words" for each in settings)
        model = able(models.all_of(tx), collection.embeds_with) if asking else None
    if model is not None:
        # Of `more` only where the first setting asks for it.
        more_asked = more if settings[0].method != "words" else []
        ready(database, model, [*(each.question for each in kept), *more_asked])
    known = set(references)
    lost = wanted_all - known
    reached: set[int] = set()
    unanswered: list[str] = []
    scores: list[list[list[float]]] = [[[] for _ in settings] for _ in MEASURES]
    lines = []
    for each in kept:
        ranks: list[int | None] = []
        recalls = []
        for at, looking in enumerate(settings):
            hits, _, _ = ranked(database, collection, there[at], looking, each.question)
            found = [by_setting[at][hit.at] for hit in hits]
            if at == 0:
                reached |= {hit.at for hit in hits}
                if not hits:
                    unanswered.append(each.question)
            first = next((n for n, ref in enumerate(found, 1) if ref in each.wanted), None)
            ranks.append(first)
            if each.wanted:
                told = (
                    measures.recall(found, each.wanted, looking.most),
                    measures.reciprocal_rank(found, each.wanted),
                    measures.ndcg(found, each.wanted, looking.most),
                )
                recalls.append(told[0])
                for measured, value in enumerate(told):
                    scores[measured][at].append(value)
        gone = [ref for ref in each.wanted if ref in lost]
        lines.append(OfQuestion(each.id, each.question, each.wanted, gone, ranks, recalls))
    for question in more:
        hits, _, _ = ranked(database, collection, there[0], settings[0], question)
        reached |= {hit.at for hit in hits}
        if not hits:
            unanswered.append(question)
    unreached = [ref for at, ref in enumerate(references) if at not in reached]
    return Measured(
        [_evidence(each) for each in scores],
        lines,
        len(kept) + len(more),
        len(references),
        unreached[:MOST_TOLD],
        len(unreached),
        unanswered[:MOST_TOLD],
    )


def _evidence(scores: Sequence[Sequence[float]]) -> list[Told]:
    """Of one measure, by setting: paired by question."""
    settings, asked = len(scores), len(scores[0])
    if not asked:
        return [Told(None, None)] * settings
    arm = np.repeat(np.arange(settings), asked)
    case = np.tile(np.arange(asked), settings)
    scored = Scored(None, arm, case, np.array(scores, float).ravel())
    [found] = scores_as_evidence([scored], [MARGIN], arms=settings, cases=asked)
    differences = {each.arm: each for each in found.differences}
    return [Told(_within(mean), differences.get(at)) for at, mean in enumerate(found.means)]


def _within(mean: Mean | None) -> Mean | None:
    """Of a measure that lies between 0 and 1."""
    if mean is None:
        return None
    at = mean.interval
    return mean._replace(interval=Interval(max(at.low, 0.0), min(at.high, 1.0)))


def _references(
    tx: Transaction, found: Sequence[documents.DocumentVersion], stems: dict[int, str]
) -> list[str]:
    """Of all passages, in the order of the index."""
    numbers = documents.numbers_of(tx, [each.id for each in found])
    return [f"{stems[each.id]}#{number}" for each in found for number in numbers[each.id]]


def _first_words(tx: Transaction, names: Sequence[str]) -> list[str]:
    """The first text of each case of these subjects."""
    told = []
    for name in names:
        for kept in cases.all_of(tx, subjects.get(tx, name)):
            texts = [value for value in kept.content.inputs.values() if isinstance(value, str)]
            if texts and texts[0].strip():
                told.append(texts[0])
    return list(dict.fromkeys(told))
