import hashlib
import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.identity import canonical_json, content_hash

TEXT = st.text(st.characters(exclude_categories=["Cs"]), max_size=40)
PARTS = st.fixed_dictionaries({"name": TEXT, "text": TEXT})
MESSAGES = st.fixed_dictionaries(
    {"role": st.sampled_from(["system", "user", "assistant"]), "parts": st.lists(PARTS, max_size=3)}
)
SETTINGS = st.fixed_dictionaries(
    {},
    optional={
        "temperature": st.floats(0, 2, allow_nan=False),
        "max_tokens": st.integers(1, 32_768),
        "stop": st.lists(TEXT, max_size=4),
    },
)
PROMPTS = st.fixed_dictionaries({"messages": st.lists(MESSAGES, max_size=4), "settings": SETTINGS})


def shuffled(value, rng):
    """The same JSON with the keys of every object in another order."""
    if isinstance(value, dict):
        keys = list(value)
        rng.shuffle(keys)
        return {key: shuffled(value[key], rng) for key in keys}
    return [shuffled(each, rng) for each in value] if isinstance(value, list) else value


@given(PROMPTS, st.randoms(use_true_random=False))
def test_the_hash_does_not_depend_on_the_order_of_keys_or_on_white_space(content, rng):
    again = json.loads(json.dumps(shuffled(content, rng), indent=3))
    assert content_hash(Prompt.from_json(content)) == content_hash(Prompt.from_json(again))


@given(PROMPTS)
def test_reading_what_was_written_gives_the_same_prompt_and_hash(content):
    prompt = Prompt.from_json(content)
    again = Prompt.from_json(json.loads(canonical_json(prompt)))
    assert again == prompt
    assert content_hash(again) == content_hash(prompt)


@given(PROMPTS, PROMPTS)
def test_different_prompts_have_different_hashes(one, other):
    a, b = Prompt.from_json(one), Prompt.from_json(other)
    assert (content_hash(a) == content_hash(b)) == (a.to_json() == b.to_json())


@given(PROMPTS)
def test_a_setting_left_out_is_the_same_as_one_set_to_nothing(content):
    empty = {**content, "settings": {**content["settings"], "top_p": None}}
    assert content_hash(Prompt.from_json(content)) == content_hash(Prompt.from_json(empty))


def test_the_canonical_form_is_that_of_rfc_8785():
    prompt = Prompt.from_json(
        {
            "reply": {"send_schema": False, "kind": "text"},
            "settings": {"temperature": 1.0, "top_p": 0.1},
            "messages": [{"role": "user", "parts": [{"text": "“é”\n", "name": "M"}]}],
        }
    )
    expected = (
        '{"messages":[{"parts":[{"name":"M","text":"“é”\\n"}],"role":"user"}],'
        '"reply":{"kind":"text","labels":[],"send_schema":false},'
        '"settings":{"temperature":1,"top_p":0.1}}'
    ).encode()
    assert canonical_json(prompt) == expected
    assert content_hash(prompt) == hashlib.sha256(expected).hexdigest()


@pytest.mark.parametrize(
    ("content", "field"),
    [
        ({"mesages": []}, "mesages"),
        ({"messages": [{"role": "narrator"}]}, "messages.0.role"),
        ({"messages": [{"role": "user", "parts": [{"text": "x"}]}]}, "messages.0.parts.0.name"),
        ({"settings": {"temperature": 2.5}}, "settings.temperature"),
        ({"settings": {"temperature": float("nan")}}, "settings.temperature"),
        ({"settings": {"max_tokens": 0}}, "settings.max_tokens"),
        ({"settings": {"warmth": 1}}, "settings.warmth"),
        ({"reply": {"kind": "xml"}}, "reply.kind"),
    ],
)
def test_a_wrong_document_is_refused_by_field(content, field):
    with pytest.raises(InvalidInput) as caught:
        Prompt.from_json(content)
    assert caught.value.field == field


def test_settings_of_an_arm_stand_over_those_of_the_version():
    version = Prompt.from_json({"settings": {"temperature": 0.7, "max_tokens": 120}}).settings
    arm = Prompt.from_json({"settings": {"temperature": 0}}).settings
    assert arm.over(version).to_json() == {"temperature": 0.0, "max_tokens": 120}
