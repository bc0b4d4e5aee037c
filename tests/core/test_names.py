from dataclasses import dataclass, field

import pytest

from epistem.core.chains.varied import VariedStep
from epistem.core.prompts.settings import Settings
from epistem.core.trials.names import arm_names, compared


@dataclass
class Arm:
    version: int
    model: str
    settings: Settings
    look_ups: dict = field(default_factory=dict)
    of: str = ""
    step: VariedStep | None = None
    is_chain: bool = False


def names(*arms):
    return arm_names([Arm(v, m, Settings(**s)) for v, m, s in arms])


def test_names_are_as_short_as_tells_the_arms_apart():
    assert names((1, "a", {}), (2, "a", {})) == ["v1", "v2"]
    assert names((1, "a", {}), (1, "b", {})) == ["v1 a", "v1 b"]
    warm, cold = {"temperature": 0.7, "top_p": 1}, {"temperature": 0.2, "top_p": 1}
    assert names((1, "a", warm), (1, "a", cold)) == ["v1 temperature 0.7", "v1 temperature 0.2"]


def test_settings_are_told_only_where_a_name_stands_twice():
    cold = {"temperature": 0.2}
    assert names((1, "a", {}), (2, "a", {}), (2, "a", cold)) == [
        "v1",
        "v2 no temperature",
        "v2 temperature 0.2",
    ]
    assert names((1, "a", {}), (2, "b", {}), (2, "b", cold))[0] == "v1 a"


def test_a_setting_that_the_first_arm_lacks_is_told_for_both():
    found = names((1, "a", {}), (1, "a", {"temperature": 0.2}))
    assert found == ["v1 no temperature", "v1 temperature 0.2"]


def test_arms_that_differ_in_stop_have_names_that_differ():
    found = names((1, "a", {"stop": ["END"]}), (1, "a", {"stop": ["END", "\n"]}), (1, "a", {}))
    assert found == ["v1 stop 'END'", "v1 stop 'END' '\\n'", "v1 no stop"]


def test_arms_alike_in_all_that_is_told_are_numbered():
    long = ["x" * 30]
    found = names(
        (1, "a", {"stop": [*long, "y"]}), (1, "a", {"stop": long}), (2, "a", {"stop": long})
    )
    assert len(set(found)) == 3
    twin = {"stop": ["x" * 30 + "a"]}, {"stop": ["x" * 30 + "b"]}
    assert names((1, "a", twin[0]), (1, "a", twin[1]))[0].endswith(" (1)")


@pytest.mark.parametrize(
    ("asked", "told"),
    [
        ([], ""),
        ([(1, "a")], "v1, on a"),
        ([(1, "a"), (2, "a")], "v2 against v1, on a"),
        ([(1, "a"), (2, "a"), (1, "b"), (2, "b")], "v2 against v1, on a and b"),
        ([(3, "a"), (3, "b"), (3, "c")], "v3: b and c against a"),
        ([(3, "a"), (3, "a")], "v3, on a at several settings"),
        ([(1, "")], "v1"),
        ([(1, ""), ("v1 “sort” b", "")], "v1 “sort” b against v1"),
        ([("one v1", "a"), (1, ""), (2, "")], "v1 and v2 against one v1, on a"),
    ],
)
def test_what_a_trial_compares_is_told_in_a_few_words(asked, told):
    assert compared(asked) == told
