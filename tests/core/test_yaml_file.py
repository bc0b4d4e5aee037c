import json
import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.cli.schema import text_of
from epistem.core.errors import InvalidFile
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.identity import content_hash
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.yaml_file import from_yaml, to_yaml
from epistem.core.schemas import compile_schema
from epistem.starters import all_of

ODD = [
    "yes",
    "no",
    "null",
    "~",
    "1e3",
    "0123",
    "1:30",
    "2026-11-25",
    "=",
    "<<",
    "- a",
    "a: b",
    "# x",
    "|",
    ">",
    "'",
    '"',
    "{{ note }}",
    "a\n",
    "\na",
    "a \n b",
    "  a\n b",
    "\t",
    "a\x85b",
    "\u2028",
    "\x07",
    "a\r\nb",
    "é😀",
    "",
]
TEXT = st.one_of(
    st.sampled_from(ODD), st.text(st.characters(exclude_categories=["Cs"]), max_size=30)
)
VALUES = st.recursive(
    st.one_of(
        TEXT,
        st.integers(-(10**6), 10**6),
        st.booleans(),
        st.floats(allow_nan=False, allow_infinity=False, width=32),
    ),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(TEXT, inner, max_size=3)),
    max_leaves=6,
)
PROMPTS = st.fixed_dictionaries(
    {
        "messages": st.lists(
            st.fixed_dictionaries(
                {
                    "role": st.sampled_from(["system", "user"]),
                    "parts": st.lists(
                        st.fixed_dictionaries(
                            {"name": TEXT, "text": TEXT}, optional={"off": st.booleans()}
                        ),
                        max_size=2,
                    ),
                }
            ),
            max_size=3,
        )
    },
    optional={
        "inputs": st.lists(
            st.fixed_dictionaries(
                {"name": TEXT}, optional={"default": VALUES, "choices": st.lists(TEXT, max_size=2)}
            ),
            max_size=2,
        ),
        "examples": st.lists(
            st.fixed_dictionaries(
                {"inputs": st.dictionaries(TEXT, VALUES, max_size=2), "answer": TEXT}
            ),
            max_size=2,
        ),
        "tools": st.lists(
            st.fixed_dictionaries(
                {"name": TEXT, "parameters": st.dictionaries(TEXT, VALUES, max_size=2)}
            ),
            max_size=2,
        ),
        "fragments": st.dictionaries(TEXT, TEXT, max_size=2),
        "settings": st.fixed_dictionaries(
            {}, optional={"temperature": st.floats(0, 2), "stop": st.lists(TEXT, max_size=2)}
        ),
        "reply": st.fixed_dictionaries(
            {"kind": st.just("json"), "json_schema": st.dictionaries(TEXT, VALUES, max_size=2)}
        ),
    },
)


@given(PROMPTS)
@settings(max_examples=200)
def test_what_is_written_and_read_again_has_the_same_hash(content):
    prompt = Prompt.from_json(content)
    again = from_yaml(to_yaml("shelf-note", "sorts: notes", ["a", "no"], prompt))
    assert content_hash(again.content) == content_hash(prompt)
    assert (again.name, again.about, again.tags) == ("shelf-note", "sorts: notes", ["a", "no"])


def test_a_text_of_several_lines_is_a_block_that_can_be_read():
    content = Prompt.from_json(
        {
            "messages": [
                {"role": "user", "parts": [{"name": "Note", "text": "One.\n\nTwo: {{ note }}"}]}
            ]
        }
    )
    assert to_yaml("a", "", [], content) == (
        "epistem: prompt/1\nname: a\nmessages:\n- role: user\n  parts:\n  - name: Note\n    text: |-\n"
        "      One.\n\n      Two: {{ note }}\nsettings: {}\nreply:\n  kind: text\n  labels: []\n"
        "  send_schema: false\n"
    )


def test_words_that_look_like_something_else_stay_words():
    read = from_yaml(
        "epistem: prompt/1\nname: a\nreply: {kind: label, labels: [yes, no, 12:30, 2026-11-25]}\n"
    )
    assert read.content.reply.labels == ["yes", "no", "12:30", "2026-11-25"]


HEAD = "epistem: prompt/1\nname: a\n"


@pytest.mark.parametrize(
    ("text", "line", "field", "told"),
    [
        (
            HEAD + "messages:\n- role: user\n  parts:\n  - name: A\n    txt: x\n",
            7,
            "messages.0.parts.0.txt",
            "no field “txt”",
        ),
        (HEAD + "settings:\n  temperature: hot\n", 4, "settings.temperature", "valid number"),
        (HEAD + "tags: words\n", 3, "tags", "valid list"),
        (HEAD + "messages:\n- role: narrator\n", 4, "messages.0.role", "'system'"),
        ("epistem: prompt/1\nabout: x\n", 1, "name", "Field required"),
        (HEAD + "name: b\n", 3, None, "“name” stands here twice"),
        (HEAD + "about: [a\nb: c\n", 4, None, "not YAML"),
        (HEAD + "about: &x a\ntags: [*x]\n", 4, None, "alias *x"),
        ("epistem: prompt/2\nname: a\n", 1, "epistem", "reads prompt/1"),
        ("name: a\n", 1, "epistem", "no prompt"),
        ("- a\n", 1, None, "no fields"),
        ("", 1, None, "no fields"),
        (HEAD + "about: a\x07b\n", 3, None, "does not allow"),
        (
            "epistem: prompt/1\nname: !!python/name:os.system x\n",
            2,
            None,
            "uses the tag tag:yaml.org",
        ),
    ],
)
def test_a_file_that_is_wrong_is_refused_by_line(text, line, field, told):
    with pytest.raises(InvalidFile, match=told.replace("*", r"\*")) as caught:
        from_yaml(text)
    assert (caught.value.line, caught.value.field) == (line, field)


def test_a_file_that_is_too_long_or_too_deep_is_refused():
    for text in (HEAD + "about: " + "x" * 5_000_001, "[" * 20_000):
        with pytest.raises(InvalidFile):
            from_yaml(text)


def test_the_published_schema_is_that_of_the_format_and_takes_what_is_written():
    for name in ("prompt.schema.json", "chain.schema.json"):
        published = Path(f"docs/formats/{name}").read_text("utf-8")
        assert published == text_of(name), "python -m epistem.cli.schema docs/formats"
    published = Path("docs/formats/prompt.schema.json").read_text("utf-8")
    for starter in all_of():
        read = from_yaml(to_yaml("a", "", [], starter.content))
        told = {"epistem": "prompt/1", "name": "a", **read.content.to_json()}
        assert compile_schema(json.loads(published)).first_fault(told) is None


def test_the_example_of_the_format_can_be_read():
    shown = re.search(r"```yaml\n(.*?)```", Path("docs/formats/README.md").read_text("utf-8"), re.S)
    assert shown is not None
    assert problems_of(from_yaml(shown[1]).content) == []
