"""What narrows a list of cases: plain words, and terms such as `label:refund -tag:hard fails:v7`.

A word that only looks like a term, as in `10:30`, is a word. `matches` says what each term means; the
store finds the same by SQL.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from enum import IntFlag
from typing import NamedTuple

from epistem.core.cases.content import Case, disagree, is_picture, words_of
from epistem.core.words import folded

PLAIN_TERMS = ("label", "tag", "kind", "owner", "origin", "has", "is", "set")
FARED_TERMS = ("fails", "passes", "never", "wavers", "untried", "flips")
"""Of how a case has fared with a version (`v7`) or with all of them (`all`), or between two
(`flips:v6..v7`)."""
KINDS = ("single", "dialogue", "step")
_TOKEN = re.compile(
    rf'(-?)({"|".join(PLAIN_TERMS + FARED_TERMS)}):(?:"([^"]*)"?|(\S+))|"([^"]*)"|(\S+)', re.I
)
_VERSIONS = re.compile(r"v?(\d{1,6})(?:\.\.v?(\d{1,6}))?\Z", re.I)


class Has(IntFlag):
    """What a case may have, by the words of `has:`."""

    LABEL = 1
    ANSWER = 2
    MUST_SAY = 4
    MUST_NOT_SAY = 8
    KNOWN = 16
    REFUSE = 32
    NOTE = 64
    TURNS = 128
    TAGS = 256
    PICTURE = 512
    OWNER = 1024
    KEY = 2048
    RULES = 4096
    PAIR = 8192
    PLAYED = 16384
    DISPUTE = 32768
    STEP = 65536
    TOOL_ANSWERS = 131072


class Term(NamedTuple):
    """`key` is "" for a plain word. `no` asks for the cases that it does not find."""

    key: str
    value: str
    no: bool = False


class Fared(NamedTuple):
    """Of one case with one version: how many of its answers passed, and how many were judged."""

    passed: int
    judged: int


ALL = 0
"""Stands for every version that met a case, taken together."""
FaredWith = Callable[[int], Mapping[int, Fared]]
"""How the cases fared with a version, by their numbers, in the latest trial that asked it."""


Members = Callable[[str], Collection[int]]
"""The numbers of the cases of a named set."""


def no_sets(name: str) -> Collection[int]:
    return ()


@dataclass(frozen=True)
class Filter:
    terms: tuple[Term, ...] = ()

    @property
    def away(self) -> bool:
        """Whether it asks for cases that were put away, by `is:away`; it finds no others then."""
        return any(_asks_for_away(term) and not term.no for term in self.terms)


def filter_from(text: str) -> Filter:
    terms = []
    for no, key, quoted, value, phrase, word in _TOKEN.findall(text):
        if key and (given := (quoted or value).strip()):
            terms.append(Term(key.lower(), given, bool(no)))
        elif not key and (said := phrase or word):
            terms.append(Term("", said))
    return Filter(tuple(terms))


def versions_in(term: Term) -> tuple[int, ...]:
    """`v7` is one, `v6..v7` are two, `all` is ALL; none where it names no version."""
    if term.value.casefold() == "all" and term.key != "flips":
        return (ALL,)
    found = _VERSIONS.match(term.value)
    if found is None or (term.key == "flips") != (found[2] is not None):
        return ()
    return tuple(int(each) for each in found.groups() if each)


def has(case: Case) -> Has:
    expect = case.expect
    told = {
        Has.LABEL: expect.label,
        Has.ANSWER: expect.answer,
        Has.MUST_SAY: expect.must_say,
        Has.MUST_NOT_SAY: expect.must_not_say,
        Has.KNOWN: expect.known is not None,
        Has.REFUSE: expect.refuse is not None,
        Has.NOTE: case.note,
        Has.TURNS: case.turns,
        Has.TAGS: case.tags,
        Has.PICTURE: any(map(is_picture, case.inputs.values())),
        Has.OWNER: case.owner,
        Has.KEY: case.key,
        Has.RULES: case.person,
        Has.PAIR: case.pair,
        Has.DISPUTE: disagree(case),
        Has.STEP: case.step,
        Has.PLAYED: case.person and case.person.persona,
        Has.TOOL_ANSWERS: case.tool_answers,
    }
    found = Has(0)
    for flag, value in told.items():
        if value:
            found |= flag
    return found


def kind_of(case: Case) -> str:
    """One of KINDS."""
    if case.step:
        return "step"
    return "dialogue" if case.turns or case.person else "single"


def has_named(value: str) -> Has | None:
    """`must-say` is MUST_SAY; None for a word that is none of them."""
    return Has.__members__.get(value.upper().replace("-", "_").replace(" ", "_"))


def fares(term: Term, number: int, fared: FaredWith) -> bool:
    """Whether a case fared with its version as the term says. `fails`: some answer failed; `passes`: all
    passed; `never`: none did; `wavers`: some did and some did not; `untried`: none was judged; `flips`:
    the share differs."""
    versions = versions_in(term)
    if not versions:
        return False
    told = [fared(version).get(number, Fared(0, 0)) for version in versions]
    passed, judged = told[0]
    match term.key:
        case "fails":
            return passed < judged
        case "passes":
            return 0 < passed == judged
        case "never":
            return passed == 0 < judged
        case "wavers":
            return 0 < passed < judged
        case "untried":
            return judged == 0
    one, other = told
    both = one.judged > 0 and other.judged > 0
    return both and one.passed * other.judged != other.passed * one.judged


def matches(
    asked: Filter,
    case: Case,
    number: int,
    fared: FaredWith = lambda version: {},
    members: Members = no_sets,
    *,
    away: bool = False,
) -> bool:
    """Whether every term finds the case, which may have been put `away`."""
    if away != asked.away:
        return False
    return all(
        (away if _asks_for_away(term) else _finds(term, case, number, fared, members)) != term.no
        for term in asked.terms
    )


def _asks_for_away(term: Term) -> bool:
    return term.key == "is" and term.value.casefold() == "away"


def _finds(term: Term, case: Case, number: int, fared: FaredWith, members: Members) -> bool:
    value = term.value.casefold()
    match term.key:
        case "":
            return value in words_of(case) or (is_number(term.value) and int(value) == number)
        case "label":
            return same_label(case.expect.label, term.value)
        case "tag":
            return term.value.lower() in case.tags
        case "kind":
            return value == kind_of(case)
        case "owner":
            return case.owner.casefold() == value
        case "origin":
            return value in case.origin.casefold()
        case "has":
            wanted = has_named(term.value)
            return wanted is not None and bool(has(case) & wanted)
        case "is":
            return False
        case "set":
            return number in members(term.value)
    return fares(term, number, fared)


def same_label(label: str | None, asked: str) -> bool:
    """Capitals and underscores do not count: `lost_item` finds “lost item”."""
    return label is not None and folded(label) == folded(asked)


def is_number(word: str) -> bool:
    return word.isascii() and word.isdecimal() and len(word) < 10
