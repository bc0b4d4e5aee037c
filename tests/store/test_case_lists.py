"""Lists of cases: what SQL finds is what the plain words of `core.cases.filters` say."""

import random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import Case, Expectation, Labelled
from epistem.core.cases.filters import Fared, filter_from, matches
from epistem.core.cases.pair import Pair
from epistem.core.cases.person import Person
from epistem.core.cases.persona import Persona
from epistem.core.prompts.content import blank_prompt
from epistem.store import case_lists, cases, subjects
from epistem.store.case_lists import Asked, Order

WORDS = ["coat", "Boat", "50%", "a_b", "ÄRGER", "10:30", 'say "no"', "it's", "!", "\\", "5"]
LABELS = [None, "refund", "lost item", "Lost_Item", "ärger"]
TAGS = ["hard", "two wishes", 'odd"tag', "hard-ish", "50%", "ä"]
FARED = {
    6: {n: Fared(n % 4, 3) for n in range(1, 40) if n % 4 < 4},
    7: {n: Fared(n % 3, 3) for n in range(5, 70)},
}


def fared(version):
    return FARED.get(version, {})


SMALL = {3, 5, 7, 70}


def members(name):
    return SMALL if name.casefold() == "small" else ()


def a_case(rng):
    some = rng.sample(TAGS, rng.randint(0, 2))
    return Case(
        inputs={"message": " ".join(rng.sample(WORDS, rng.randint(1, 3)))},
        expect=Expectation(
            label=rng.choice(LABELS),
            answer=rng.choice([None, "Yes."]),
            must_say=rng.choice([[], ["yes"]]),
            known=rng.choice([None, True, False]),
        ),
        tags=some,
        turns=["and then?"] * rng.randint(0, 2),
        origin=rng.choice(["", "from log.csv", "Desk, typed"]),
        owner=rng.choice(["", "Ann", "Bo"]),
        note=rng.choice(["", "odd"]),
        person=rng.choice(
            [None, None, Person(otherwise=["hm"]), Person(persona=Persona(model="m"))]
        ),
        step=rng.choice(["", "", "", "look up"]),
        pair=rng.choice([None, Pair(of=1)]),
        labelled=rng.choice(
            [[], [Labelled(by="Ann", label="a"), Labelled(by="Bo", label=rng.choice("ab"))]]
        ),
        key=rng.choice(["", "k"]),
    )


@pytest.fixture
def kept(database):
    rng = random.Random(5)
    with database.transaction() as tx:
        subject = subjects.create(tx, "filtered", "", blank_prompt())
        added = cases.keep_all(tx, subject, [a_case(rng) for _ in range(80)])
        cases.set_deleted(tx, subject, 7, True, 1)
    return subject, added


values = {
    "label": ["refund", "lost_item", "ÄRGER", "none"],
    "tag": [*TAGS, "HARD", "har"],
    "kind": ["single", "dialogue", "step", "other"],
    "owner": ["ann", "BO", "cy"],
    "origin": ["log", "desk", "%"],
    "has": [
        "label",
        "answer",
        "must-say",
        "known",
        "note",
        "turns",
        "tags",
        "picture",
        "rules",
        "played",
        "pair",
        "dispute",
        "tool-answers",
        "nonsense",
    ],
    "fails": ["v6", "7", "v9", "x"],
    "passes": ["v6", "v7"],
    "never": ["v6", "all"],
    "wavers": ["v7"],
    "untried": ["v6", "v9"],
    "set": ["small", "SMALL", "none"],
    "is": ["away", "AWAY", "here"],
    "flips": ["v6..v7", "v6", "v6..v9"],
}
terms = st.sampled_from(sorted(values)).flatmap(
    lambda key: st.tuples(st.sampled_from(["", "-"]), st.just(key), st.sampled_from(values[key]))
).map(lambda told: '{}{}:"{}"'.format(*told) if " " in told[2] else "{}{}:{}".format(*told))  # fmt: skip
asked = st.lists(terms | st.sampled_from([*WORDS, "12", '"lost item"']), max_size=3).map(" ".join)


@settings(
    max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(text=asked)
def test_every_filter_agrees_with_a_plain_one(database, kept, text):
    subject, all_kept = kept
    told = filter_from(text)
    with database.transaction() as tx:
        found = case_lists.numbers(tx, subject, Asked(told, fared=fared, members=members))
        assert case_lists.how_many(tx, subject, Asked(told, fared=fared, members=members)) == len(
            found
        )
    plain = [
        each.number
        for each in all_kept
        if matches(told, each.content, each.number, fared, members, away=each.number == 7)
    ]
    assert found == plain


@pytest.mark.parametrize("by", [*sorted(case_lists.COLUMNS), "result"])
@pytest.mark.parametrize("down", [False, True])
def test_pages_in_any_order_are_the_whole_list_and_a_place_in_it_is_told(database, kept, by, down):
    subject, all_kept = kept
    ask = Asked(order=Order(by, down), results=FARED[7])
    with database.transaction() as tx:
        whole = case_lists.numbers(tx, subject, ask)
        pages = [case_lists.lines(tx, subject, ask, at=at, most=30) for at in (0, 30, 60)]
        place = case_lists.place_of(tx, subject, whole[41], ask)
    assert [line.number for page in pages for line in page] == whole
    assert sorted(whole) == [each.number for each in all_kept if each.number != 7]
    assert place == 41


def test_results_are_sorted_by_the_share_that_passed_those_without_one_last(database, kept):
    subject, _ = kept
    with database.transaction() as tx:
        ask = Asked(order=Order("result"), results=FARED[7])
        whole = case_lists.numbers(tx, subject, ask)
    shares = [FARED[7][n].passed / 3 for n in whole if n in FARED[7]]
    assert shares == sorted(shares)
    assert [n in FARED[7] for n in whole] == sorted((n in FARED[7] for n in whole), reverse=True)


def test_words_that_look_like_terms_and_unknown_keys_are_words():
    told = filter_from('10:30 http://x label: "two words" -tag:a label:"lost item')
    assert [(t.key, t.value, t.no) for t in told.terms] == [
        ("", "10:30", False), ("", "http://x", False), ("", "label:", False),
        ("", "two words", False), ("tag", "a", True), ("label", "lost item", False),
    ]  # fmt: skip
