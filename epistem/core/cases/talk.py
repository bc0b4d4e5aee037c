"""What the person of a case says, answer after answer, and how the talk ends."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.person import Ended, Person, met_by
from epistem.core.cases.persona import heard
from epistem.core.cases.silence import is_silence, spoken

_MARKS = (".", "!", "?", "…", ",", ";", ":", "。", "！", "？")
NOBODY: Mapping[int, str] = MappingProxyType({})


class Talked(NamedTuple):
    """`said[i]` was said after the i-th answer. `ended` is None while it goes on: then something was said
    after the last answer, too, unless a model is to be asked what (`asks`)."""

    said: list[str]
    ended: Ended | None
    asks: bool = False


def is_talk(case: Case) -> bool:
    return bool(case.turns) or case.person is not None


def talked(case: Case, answers: Sequence[str], replies: Mapping[int, str] = NOBODY) -> Talked:
    """Depends on the answers alone, and on what a model replied that plays the person (`replies`, by the
    place of the answer), so what was said can be told from a record of them. The turns that are recorded
    come first, then the rules of the person, then the model. Answers beyond the end are passed over."""
    said: list[str] = []
    met = [0] * len(case.person.rules) if case.person else []
    puzzled = 0
    for at, answer in enumerate(answers):
        if at < len(case.turns):
            said.append(spoken(case.turns[at]))
            continue
        if case.person is None:
            return Talked(said, _over(said))
        if at - len(case.turns) >= case.person.most_turns:
            return Talked(said, "too long")
        by_rule = any(met_by(rule, answer) for rule in case.person.rules)
        if not by_rule and case.person.persona is not None:
            if at not in replies:
                return Talked(said, None, asks=True)
            words, left = heard(replies[at])
            if left:
                return Talked(said, left)
            said.append(words)
            continue
        words, ended = _says(case.person, answer, met, puzzled)
        if ended is not None:
            return Talked(said, _over(said) if ended == "done" else ended)
        puzzled += not by_rule
        said.append(spoken(words))
    return Talked(said, None)


def most_answers(case: Case) -> int:
    """So many answers the talk has at most."""
    return len(case.turns) + 1 + (case.person.most_turns if case.person else 0)


def likely_answers(case: Case) -> int:
    """So many it has if the person is asked for each thing once: what an estimate counts with."""
    return len(case.turns) + 1 + likely_said(case)


def likely_said(case: Case) -> int:
    """So often a person who is no record says something, if they are asked for each thing once."""
    if case.person is None:
        return 0
    sayings = sum(bool(rule.say) for rule in case.person.rules) + bool(case.person.otherwise)
    if case.person.persona is not None:
        sayings += max(len(case.person.persona.facts), case.person.persona.patience) + 1
    return min(sayings, case.person.most_turns)


def _over(said: Sequence[str]) -> Ended:
    return "silent" if said and is_silence(said[-1]) else "done"


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
