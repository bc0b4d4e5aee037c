import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.inputs import inputs_of
from epistem.core.prompts.rename import in_text, rename_input, todays_names, with_old_names
from epistem.core.prompts.render import render
from epistem.core.templates.language import tokens_of
from tests.core.builders import prompt

PIECES = st.lists(
    st.sampled_from(
        ["{{ note }}", "{{- note|upper -}}", "{% if note %}", "{% endif %}", " note ", "\n\n", "{{ a.note }}",
         "{# note #}", "{{ f(note=note) }}", "{% raw %}{{ note }}{% endraw %}", "—é\t"]
    ),
    max_size=12,
)  # fmt: skip


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("{{ note }} a note", "{{ memo }} a note"),
        ("{{ trip.note }} {{ note.trip }}", "{{ trip.note }} {{ memo.trip }}"),
        ("{{ 'note' ~ note }}", "{{ 'note' ~ memo }}"),
        ("{{ dict(note=note) }}", "{{ dict(note=memo) }}"),
        ("{% for x in note if x == note %}{{ x }}{% endfor %}", "{% for x in memo if x == memo %}{{ x }}{% endfor %}"),
        ("a \n{%- if note -%}\n b{% endif %}\n", "a \n{%- if memo -%}\n b{% endif %}\n"),
        ("{# note #}{% raw %}{{ note }}{% endraw %}{{ note }}", "{# note #}{% raw %}{{ note }}{% endraw %}{{ memo }}"),
    ],
)  # fmt: skip
def test_only_what_means_the_input_is_renamed(before, after):
    assert in_text(before, "note", "memo", "P1") == after


@given(PIECES)
def test_the_tokens_of_a_text_are_the_whole_text(pieces):
    text = "".join(pieces)
    try:
        tokens = tokens_of(text)
    except Exception:
        return
    assert "".join(value for _, _, value in tokens) == text


@given(
    st.text(min_size=1).filter(str.strip),
    st.sampled_from(["", "{{ b }} ", "\n{%- if b %}x{% endif %}"]),
)
def test_a_renamed_prompt_says_the_same(value, more):
    content = prompt(f"{more}{{{{ note }}}} and {{{{ note|length }}}}")
    renamed = rename_input(content, "note", "memo").content
    assert inputs_of(renamed) == [name.replace("note", "memo") for name in inputs_of(content)]
    assert render(renamed, {"memo": value, "b": 1}) == render(content, {"note": value, "b": 1})


def test_what_describes_the_input_and_the_examples_go_along():
    content = Prompt.from_json(
        {
            **prompt("one\n{{ note }}").to_json(),
            "inputs": [{"name": "note", "description": "what they wrote"}],
            "examples": [{"inputs": {"a": 1, "note": "x"}, "answer": "y"}],
        }
    )
    done = rename_input(content, "note", "memo")
    assert [each.name for each in done.content.inputs] == ["memo"]
    assert done.content.examples[0].inputs == {"a": 1, "memo": "x"}
    [change] = done.changes
    assert (change.part, change.line, change.before, change.after) == (
        "P1",
        2,
        "{{ note }}",
        "{{ memo }}",
    )
    assert content.inputs[0].name == "note"


@pytest.mark.parametrize(
    ("texts", "new", "field", "told"),
    [
        (["{{ note }}"], "for", "new", "word of the template language"),
        (["{{ note }}"], "two words", "new", "letters, digits and _"),
        (["{{ note }}{{ memo }}"], "memo", "new", "already"),
        (["{{ other }}"], "memo", "old", "no input “note”"),
        (["{{ note }}{% for note in xs %}{{ note }}{% endfor %}"], "memo", "old", "sets “note” itself"),
        (["{{ note }}{% set memo = 1 %}"], "memo", "old", "sets “memo” itself"),
    ],
)  # fmt: skip
def test_a_renaming_that_can_not_be_is_refused_by_field(texts, new, field, told):
    with pytest.raises(InvalidInput, match=told) as caught:
        rename_input(prompt(*texts), "note", new)
    assert caught.value.field == field


def test_a_fragment_that_asks_for_the_input_keeps_its_name():
    content = prompt('{% include "tone@1" %}{{ note }}', fragments={"tone@1": "On {{ note }}"})
    with pytest.raises(InvalidInput, match="“tone@1” asks for “note” too"):
        rename_input(content, "note", "memo")


def test_what_an_older_version_asks_for_is_found_under_its_name_of_today():
    renames = [("note", "text"), ("pier", "place"), ("text", "message")]
    assert todays_names(["note", "text", "pier", "other"], renames) == {
        "note": "message",
        "text": "message",
        "pier": "place",
    }
    # Renamed there and back: it is called as it was.
    assert todays_names(["a"], [("a", "b"), ("b", "a")]) == {}
    aliases = {"note": "message", "pier": "place"}
    assert with_old_names({"message": "x", "pier": "own"}, aliases) == {
        "message": "x",
        "pier": "own",
        "note": "x",
    }
