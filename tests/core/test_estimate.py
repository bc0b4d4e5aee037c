"""What a trial will take, against numbers worked out by hand."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.cases.content import Case
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.settings import Settings
from epistem.core.trials.estimate import MOST_RENDERED, PlannedArm, estimate
from epistem.core.wire.tokens import PER_MESSAGE, count

SYSTEM = "Sort the note into one of: tea, coffee."
PROMPT = Prompt.from_json(
    {
        "messages": [
            {"role": "system", "parts": [{"name": "Task", "text": SYSTEM}]},
            {"role": "user", "parts": [{"name": "Note", "text": "{{ note }}"}]},
        ]
    }
)
CASES = [
    Case(inputs={"note": note}) for note in ("a warm cup", "black, no sugar, as strong as you can")
]


def arm(output=None, ms=None, window=1_000, **settings):
    return PlannedArm(PROMPT, Settings(**settings), window, 20.0, 80.0, output, ms)


def test_tokens_and_money_are_those_of_every_request():
    found = estimate([arm(output=30.0, ms=200.0)], CASES, repeats=5, in_flight=10)
    asked = 5 * sum(count(SYSTEM) + count(case.inputs["note"]) + 2 * PER_MESSAGE for case in CASES)
    assert (found.calls, found.input_tokens, found.output_tokens) == (10, asked, 300)
    assert found.cents == pytest.approx((asked * 20 + 300 * 80) / 1e6)
    assert found.seconds == pytest.approx(10 * 0.2 / 10)
    assert (found.from_past, found.too_long, found.unfit) == (True, 0, 0)


def test_without_past_answers_their_length_is_a_guess_and_the_time_unknown():
    found = estimate([arm(max_tokens=40), arm(output=10.0, ms=5.0)], CASES, 1, 64)
    assert found.output_tokens == 2 * 20 + 2 * 10
    assert (found.from_past, found.seconds) == (False, None)


def test_requests_that_do_not_fit_are_counted():
    found = estimate([arm(output=10.0, window=30)], CASES, 3, 64)
    assert found.too_long == 1
    found = estimate([arm(output=10.0)], [*CASES, Case(inputs={"letter": "x"})], 3, 64)
    assert (found.unfit, found.calls) == (1, 9)
    assert found.output_tokens == 2 * 3 * 10


@given(st.integers(1, 4), st.integers(1, 3 * MOST_RENDERED))
def test_many_cases_alike_cost_as_many_times_what_one_does(repeats, cases):
    one = estimate([arm(output=9.0)], CASES[:1], repeats, 64)
    many = estimate([arm(output=9.0)], CASES[:1] * cases, repeats, 64)
    assert many.input_tokens == pytest.approx(one.input_tokens * cases, abs=1)
    assert many.cents == pytest.approx(one.cents * cases)
    assert many.calls == one.calls * cases


def test_a_plan_without_arms_or_cases_takes_nothing():
    assert estimate([], CASES, 5, 64)[:4] == (0, 0, 0, 0.0)
    assert estimate([arm()], [], 5, 64)[:4] == (0, 0, 0, 0.0)


def test_a_talk_is_asked_once_a_turn_with_all_that_was_said_before():
    talk = Case(inputs=CASES[0].inputs, turns=["and now?", "thank you"])
    alone, talked = (estimate([arm(output=10.0)], [case], 2, 64) for case in (CASES[0], talk))
    first = alone.input_tokens / 2
    second = first + 10 + count("and now?") + 2 * PER_MESSAGE
    third = second + 10 + count("thank you") + 2 * PER_MESSAGE
    assert (talked.calls, talked.output_tokens) == (6, 60)
    assert talked.input_tokens == pytest.approx(2 * (first + second + third))
