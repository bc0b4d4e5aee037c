"""Examples that would teach the model a wrong shape."""

import pytest

from epistem.core.prompts.content import Example, Prompt, ReplyShape
from epistem.core.prompts.doubts import doubts_of

SHAPE = {"type": "object", "properties": {"label": {"enum": ["a", "b"]}}, "required": ["label"]}


def doubts(reply: ReplyShape, *answers: str, off: bool = False) -> list[tuple[str, str]]:
    examples = [Example(inputs={}, answer=answer, off=off) for answer in answers]
    found = doubts_of(Prompt(examples=examples, reply=reply))
    return [(each.field, each.message) for each in found]


@pytest.mark.parametrize(
    ("answer", "told"),
    [
        ('{"label": "a"}', None),
        ('{"label": "c"}', "does not fit"),
        ("a", "not JSON"),
        ("[" * 100_000 + "]" * 100_000, None),  # too long to be looked at
        ("[" * 9_000 + "]" * 9_000, "nested"),
        ("", None),
    ],
)
def test_an_answer_is_held_against_the_reply_shape(answer, told):
    found = doubts(ReplyShape(kind="json", json_schema=SHAPE), '{"label": "b"}', answer)
    assert [field for field, _ in found] == ([] if told is None else ["examples.1.answer"])
    assert all(told in message for _, message in found)


def test_labels_are_held_to_the_list_and_texts_to_nothing():
    assert doubts(ReplyShape(kind="label", labels=["yes", "no"]), "yes", " no ", "maybe") == [
        ("examples.2.answer", "The answer is none of the labels.")
    ]
    assert doubts(ReplyShape(), "anything") == []
    assert doubts(ReplyShape(kind="label"), "anything") == []


def test_what_is_switched_off_is_not_doubted_and_a_broken_schema_is_told_elsewhere():
    assert doubts(ReplyShape(kind="json", json_schema=SHAPE), "no", off=True) == []
    assert doubts(ReplyShape(kind="json", json_schema="{oops"), "{}") == []
    assert len(doubts(ReplyShape(kind="json"), *["no"] * 100)) == 20
