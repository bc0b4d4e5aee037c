"""Variations of a case by rule, and two answers held against each other."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import Case
from epistem.core.cases.pair import VARIATIONS, Move, Pair, doubts_of, move_told
from epistem.core.cases.varied.names import OTHER_GENDER
from epistem.core.cases.varied.rules import TEXT_RULES
from epistem.core.cases.varied.vary import all_varied, varied
from epistem.core.checks.base import Answer, Ground, Original
from epistem.core.checks.outcome.pairs.checks import MovesAsItMust, Steady
from epistem.core.checks.outcome.pairs.comparing import Two, equal, rises
from epistem.core.prompts.content import Input, ReplyShape

SAID = "Hi, I'm Anna and my husband left his hat. He can't find it; can you ask him? a@b.example"


@pytest.mark.parametrize(
    ("kind", "becomes"),
    [
        ("upper case", "HI, I'M ANNA AND MY HUSBAND LEFT HIS HAT. HE CAN'T FIND IT; CAN YOU ASK HIM? a@b.example"),
        ("rephrased",
         "Hello, I am Anna and my husband left his hat. He cannot find it; could you ask him? a@b.example"),
        ("other gender",
         f"Hi, I'm {OTHER_GENDER['Anna']} and my wife left her hat. She can't find it; can you ask her? a@b.example"),
    ],
)  # fmt: skip
def test_a_text_becomes_what_the_rule_says(kind, becomes):
    assert TEXT_RULES[kind](SAID, b"x") == becomes


@pytest.mark.parametrize(
    ("text", "becomes"),
    [
        ("her bag", "his bag"),
        ("I saw her yesterday", "I saw him yesterday"),
        ("ask her", "ask him"),
        ("HER BAG", "HIS BAG"),
        ("hers or his", "his or her"),
    ],
)
def test_her_is_whose_or_whom_by_what_follows(text, becomes):
    assert TEXT_RULES["other gender"](text, b"x") == becomes


def test_a_misspelling_keeps_the_letters_and_leaves_what_may_be_a_name():
    told = TEXT_RULES["misspelt"](
        "Sandray pier: yesterday morning https://pier.example/morning", b"s"
    )
    assert sorted(told) == sorted("Sandray pier: yesterday morning https://pier.example/morning")
    assert told.startswith("Sandray pier: ")
    assert told.endswith("https://pier.example/morning")
    assert told != "Sandray pier: yesterday morning https://pier.example/morning"


CASE = Case.from_json(
    {
        "inputs": {
            "message": "Can you tell Anna when it leaves?",
            "pier": "hollin",
            "booking": {"name": "Anna", "seats": 2},
            "notices": [{"text": "one"}, {"text": "two"}],
        },
        "expect": {"label": "delay"},
        "tags": ["hard"],
    }
)
INPUTS = [
    Input(name="message"),
    Input(name="pier", kind="choice"),
    Input(name="booking", kind="record"),
    Input(name="notices", kind="passages"),
]


def test_choices_and_numbers_stay_and_a_name_is_another_one_everywhere():
    other = varied(CASE, 7, "other name", INPUTS)
    name = other.inputs["booking"]["name"]
    assert (name != "Anna", name in other.inputs["message"]) == (True, True)
    assert (other.inputs["pier"], other.inputs["booking"]["seats"]) == ("hollin", 2)
    assert (other.pair, other.tags, other.expect.label) == (
        Pair(of=7, kind="other name"),
        ["other name"],
        None,
    )
    turned = varied(CASE, 7, "other order", INPUTS)
    assert turned.inputs["notices"] == [{"text": "two"}, {"text": "one"}]
    assert turned.inputs["message"] == CASE.inputs["message"]
    assert varied(CASE, 7, "upper case", INPUTS).inputs["pier"] == "hollin"


def test_where_a_rule_finds_nothing_there_is_no_variation():
    plain = Case.from_json({"inputs": {"m": "123", "n": 5}})
    assert [kind for kind in VARIATIONS if varied(plain, 1, kind)] == ["irrelevant"]
    assert varied(CASE.model_copy(update={"turns": ["and?"]}), 1, "upper case") is None
    assert varied(varied(CASE, 1, "upper case"), 2, "misspelt") is None
    told = list(all_varied([(3, CASE), (4, plain)], ["misspelt", "irrelevant"], INPUTS))
    assert [(number, case.pair.kind) for number, case in told] == [
        (3, "misspelt"), (3, "irrelevant"), (4, "irrelevant"),
    ]  # fmt: skip


values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=30) | st.just(SAID),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=3)
    ),
    max_leaves=8,
)


@settings(max_examples=150, deadline=None)
@given(st.dictionaries(st.sampled_from("abc"), values, max_size=3), st.sampled_from(VARIATIONS))
def test_a_variation_differs_keeps_its_shape_and_is_always_the_same(inputs, kind):
    case = Case(inputs=inputs)
    found = varied(case, 1, kind)
    if found is None:
        return
    assert found.inputs != inputs
    assert found.inputs.keys() == inputs.keys()
    assert varied(case, 1, kind) == found
    assert Case.from_json(json.loads(json.dumps(found.to_json()))) == found


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=200), st.sampled_from(sorted(TEXT_RULES)))
def test_no_rule_breaks_on_any_text(text, kind):
    assert isinstance(TEXT_RULES[kind](text, b"seed"), str)


LEVELS = ("low", "normal", "high")


@pytest.mark.parametrize(
    ("was", "now", "ladder", "rising"),
    [
        (1, 2.5, None, 1), (2, 2.0, None, 0), (3, -1, None, -1), (False, True, None, 1),
        ("low", "High", LEVELS, 1), ("high", "low", LEVELS, -1), ([1], [1, 2], None, 1),
        ("a", "b", None, None), ("1", 2, None, None), (True, 2, None, None), (None, 1, None, None),
    ],
)  # fmt: skip
def test_what_became_more_is_told_for_what_has_an_order(was, now, ladder, rising):
    assert rises(Two(was, now), ladder) == rising


@given(values, values)
def test_equality_is_symmetric_and_of_a_value_with_itself(one, other):
    assert equal(one, one)
    assert equal(one, other) == equal(other, one)


def test_moves_that_contradict_or_say_nothing_are_pointed_out():
    told = doubts_of(
        Pair(of=1, moves=[Move(what="fare", must="up"), Move(what="/fare", must="down")])
    )
    assert told == ["What must become of fare contradicts itself."]
    assert doubts_of(Pair(of=1, moves=[Move(must="is")])) == [
        "It is not said what the answer becomes."
    ]
    assert (
        doubts_of(Pair(of=1, moves=[Move(what="a", must="up"), Move(what="b", must="same")])) == []
    )
    assert move_told(Move(what="/refund/a~1b", must="is", value="0")) == "refund a/b becomes 0"


DEEP = "[" * 50_000 + "]" * 50_000


@pytest.mark.parametrize("check", [MovesAsItMust, Steady])
@pytest.mark.parametrize("was", ["", DEEP, '{"a": ' * 900 + "1" + "}" * 900, "x" * 5_000_000, None])
def test_no_answer_breaks_the_comparing(check, was):
    reply = ReplyShape(kind="json")
    pair = Pair(of=1, moves=[Move(what="a", must="up")])
    pair = pair if check is MovesAsItMust else Pair(of=1, kind="misspelt")
    answer = Answer('{"a": 1}', original=Original(was))
    [found] = check(check.Options(), reply).judge(answer, Ground(reply, pair=pair))
    assert found.passed in (None, False)
