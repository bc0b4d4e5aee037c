"""What the person of a case says, answer after answer, and how the talk ends."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.person import Ended, Person, met_by

_MARKS = (".", "!", "?", "…", ",", ";", ":", "。", "！", "？")


class Talked(NamedTuple):
    """`said[i]` was said after the i-th answer. `ended` is None while it goes on: then something was said
    after the last answer, too."""

    said: list[str]
    ended: Ended | None


def is_talk(case: Case) -> bool:
    return bool(case.turns) or case.person is not None


def talked(case: Case, answers: Sequence[str]) -> Talked:
    """Depends on the answers alone, so what was said can be told from a record of them. The turns that are
    recorded come first, then the rules of the person. Answers beyond the end are passed over."""
    said: list[str] = []
    met = [0] * len(case.person.rules) if case.person else []
    puzzled = 0
    for at, answer in enumerate(answers):
        if at < len(case.turns):
            said.append(case.turns[at])
            continue
        if case.person is None:
            return Talked(said, "done")
        if at - len(case.turns) >= case.person.most_turns:
            return Talked(said, "too long")
        words, ended = _says(case.person, answer, met, puzzled)
        if ended is not None:
            return Talked(said, ended)
        puzzled += not any(met_by(rule, answer) for rule in case.person.rules)
        said.append(words)
    return Talked(said, None)


def most_answers(case: Case) -> int:
    """So many answers the talk has at most."""
    return len(case.turns) + 1 + (case.person.most_turns if case.person else 0)


def likely_answers(case: Case) -> int:
    """So many it has if the person is asked for each thing once: what an estimate counts with."""
    if case.person is None:
        return len(case.turns) + 1
    sayings = sum(bool(rule.say) for rule in case.person.rules) + bool(case.person.otherwise)
    return len(case.turns) + 1 + min(sayings, case.person.most_turns)


def _says(person: Person, answer: str, met: list[int], puzzled: int) -> tuple[str, Ended | None]:
    """What is said to an answer, or how the talk ends; counts in `met` how often each rule was."""
    words = []
    found = [at for at, rule in enumerate(person.rules) if met_by(rule, answer)]
    for at in found:
        rule, before = person.rules[at], met[at]
        met[at] += 1
        if before >= len(rule.say) and (rule.leaves or not rule.say):
            return "", "gave up" if rule.leaves else "done"
        words.append(rule.say[min(before, len(rule.say) - 1)])
    if not found:
        if not person.otherwise:
            return "", "done"
        words.append(person.otherwise[min(puzzled, len(person.otherwise) - 1)])
    return _joined(words), None


def _joined(words: Sequence[str]) -> str:
    """Sayings one after the other, with a comma where one does not end in a mark."""
    told = words[0]
    for more in words[1:]:
        told += (" " if told.rstrip().endswith(_MARKS) else ", ") + more
    return told
