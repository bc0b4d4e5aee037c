"""Templates of an answer as people write them, in domains that are not the demo's."""

import json

import pytest

from epistem.standin.template import hinted_by, template_at, truth_of
from epistem.standin.work.labels import labels_in
from tests.standin.asking import ask


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ('{"relevance": n, "reason": "…"}', {"relevance": "n", "reason": "…"}),
        ('{"a": <1-5>, "b": [tag, tag]}', {"a": "<1-5>", "b": ["tag", "tag"]}),
        ("{“a”: true | false, “b”: {“c”: ...}}", {"a": "true | false", "b": {"c": "…"}}),
        ('{"a": 1, "b": null, "c": "x"}', {"a": 1, "b": None, "c": "x"}),
        ("{no template at all}", None),
        ("{{ message }}", None),
        ("{" * 5_000, None),
    ],
)
def test_a_template_is_read_though_it_is_no_json(text, value):
    assert template_at(text, 0) == value


@pytest.mark.parametrize(
    ("value", "schema"),
    [
        ("n", {"type": "integer"}),
        ("<1-5>", {"type": "integer", "minimum": 1, "maximum": 5}),
        ("number from 0 to 10", {"type": "integer", "minimum": 0, "maximum": 10}),
        ("true or false", {"type": "boolean"}),
        ("low | middle | high", {"enum": ["low", "middle", "high"]}),
        ("…", {"type": "string"}),
        ("name of the grower", {"type": "string"}),
        ("yes", {"type": "string"}),
        ("10 cm", {"type": "string"}),
        ("5", {"type": "string"}),
        ("km/h", {"type": "string"}),
    ],
)
def test_its_values_say_what_they_want(value, schema):
    assert hinted_by(value) == schema


@pytest.mark.parametrize(
    ("name", "text", "sign"),
    [
        ("signed", "I want a signed copy of the atlas", 1),
        ("is_signed", "It is not signed", -1),
        ("isSigned", "an unsigned first edition", -1),
        ("vegetarian", "We don't eat vegetarian food", -1),
        ("has_garden", "a flat with a garden", 1),
        ("has_garden", "a flat by the sea", 0),
    ],
)
def test_a_yes_or_no_is_read_from_the_text(name, text, sign):
    found = truth_of(name, text) or 0
    assert (found > 0) - (found < 0) == sign


def test_a_shape_in_prose_is_followed_also_by_a_judge():
    told = 'Rate the answer from 1 to 5. Reply with JSON only: {"relevance": n, "reason": "…"}'
    said = "Question: When do the apples ripen?\n\nAnswer: They ripen in September."
    found = json.loads(ask(told, said, "plover-judge", temperature=0).text)
    assert set(found) == {"relevance", "reason"}
    assert 1 <= found["relevance"] <= 5
    assert found["reason"]


def test_a_worked_example_shows_values_and_no_hints():
    shown = [
        {"role": "system", "content": "Describe the box as JSON."},
        {"role": "user", "content": "A crate of apples"},
        {"role": "assistant", "content": '{"size": "1-5", "fragile": "true or false"}'},
        {"role": "user", "content": "A crate of pears"},
    ]
    found = json.loads(ask("", shown, "gannet-l", temperature=0).text)
    assert {type(value) for value in found.values()} == {str}


def test_what_must_never_be_said_is_no_label():
    text = (
        "Sort the letter as praise or complaint.\nNever use the words “sorry”, “great” and “asap”."
    )
    assert [name for name, _ in labels_in(text)] == ["praise", "complaint"]
    assert (
        labels_in("Answer kindly. Never say one of: “calm down”, “as I said”, “obviously”.") == ()
    )
