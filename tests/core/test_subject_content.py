import pytest

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import blank_prompt
from epistem.core.subjects.content import KINDS, content_from_json, of_kind


def test_a_content_without_a_kind_is_a_prompt_and_keeps_its_json():
    told = blank_prompt().to_json()
    assert "kind" not in told
    assert content_from_json(told) == content_from_json({**told, "kind": "prompt"})
    assert of_kind(content_from_json(told)).inputs(blank_prompt()) == ["message"]


@pytest.mark.parametrize("kind", ["barge", None, ["prompt"]])
def test_an_unknown_kind_is_named(kind):
    with pytest.raises(InvalidInput, match="There is no kind of subject") as caught:
        content_from_json({"kind": kind})
    assert caught.value.field == "kind"


def test_every_kind_reads_its_blank_one():
    for name, kind in KINDS.items():
        assert kind.read(kind.blank().to_json()).kind == name
