"""What nothing can keep is refused by field, wherever it stands."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import InvalidInput, InvalidSchema
from epistem.core.plain import DEEPEST, LARGEST, check_plain
from epistem.core.prompts.content import Message, Part, Prompt, ReplyShape
from epistem.core.prompts.identity import content_hash
from epistem.core.schemas import compile_schema
from tests.kit.servers import served_wsgi

PLAIN = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-LARGEST, LARGEST)
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(st.characters(exclude_categories=["Cs"]), max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3)
    ),
    max_leaves=12,
)
ODD = ["\ud800", "a\udfff", math.nan, math.inf, LARGEST + 1, -(10**40)]


def nested(levels: int, inside: object) -> object:
    for _ in range(levels):
        inside = [inside]
    return inside


@given(PLAIN)
def test_plain_values_pass(value):
    check_plain(value)


@pytest.mark.parametrize("odd", ODD, ids=range(len(ODD)))
def test_odd_ones_are_told_with_their_place(odd):
    with pytest.raises(InvalidInput) as caught:
        check_plain({"a": [1, {"b": odd}]})
    assert caught.value.field == "a.1.b"
    caught.value.message.encode()


def test_what_is_nested_too_deeply_is_told_whatever_the_depth():
    check_plain(nested(DEEPEST, 1))
    for levels in (DEEPEST + 2, 100_000):
        with pytest.raises(InvalidInput, match="nested too deeply"):
            check_plain(nested(levels, 1))


def test_the_largest_number_that_passes_has_a_canonical_form():
    content = Prompt(
        messages=[Message(role="user", parts=[Part(name="P", text="x")])],
        reply=ReplyShape(kind="json", json_schema={"maximum": LARGEST, "minimum": -LARGEST}),
    )
    assert len(content_hash(content)) == 64


class TestSchemas:
    """Nothing is ever fetched: a server that would be asked hears of nothing."""

    @pytest.fixture
    def asked(self):
        seen = []

        def app(environ, start):
            seen.append(environ["PATH_INFO"])
            start("200 OK", [("Content-Type", "application/json")])
            return [b"{}"]

        with served_wsgi(app) as url:
            yield url, seen

    @pytest.mark.parametrize(
        "schema",
        [
            {"$schema": "URL/s"},
            {"$ref": "URL/s"},
            {"properties": {"a": {"$dynamicRef": "URL/s#x"}}},
            {"$defs": {"a": {"items": {"$recursiveRef": "URL/s"}}}},
            {"allOf": [{"$schema": "URL/s", "type": "object"}]},
            {"$id": "URL/base", "$ref": "other.json"},
            {"dependentSchemas": {"a": {"if": {"$ref": "URL/s"}}}},
            {"definitions": {"$ref": {"$ref": "URL/s"}}},
            {"$ref": "file:///dev/zero"},
            {"$schema": "file:///dev/zero"},
            {"$ref": "//URL/s"},
        ],
    )
    def test_what_points_outside_is_refused_by_name(self, asked, schema):
        url, seen = asked
        told = {"$ref": url} if schema is None else _with_url(schema, url)
        with pytest.raises(InvalidSchema, match=r"nothing is fetched|not known here"):
            compile_schema(told)
        assert seen == []

    @pytest.mark.parametrize(
        "schema",
        [
            {"$schema": "https://json-schema.org/draft/2020-12/schema", "type": "object"},
            {"$schema": "http://json-schema.org/draft-07/schema#", "type": "object"},
            {"$ref": "#/$defs/a", "$defs": {"a": {"type": "string"}}},
            {"$defs": {"a": {"$id": "URL/a", "type": "string"}}, "$ref": "URL/a"},
            {"properties": {"$ref": {"type": "string"}, "$schema": {"const": 1}}},
            {"enum": [{"$ref": "URL/data"}], "default": {"$schema": "URL/data"}},
        ],
    )
    def test_what_stays_inside_is_used_and_nothing_is_fetched(self, asked, schema):
        url, seen = asked
        compile_schema(_with_url(schema, url)).faults({"a": 1})
        assert seen == []


def _with_url(value, url):
    if isinstance(value, dict):
        return {key: _with_url(each, url) for key, each in value.items()}
    if isinstance(value, list):
        return [_with_url(each, url) for each in value]
    return value.replace("URL", url) if isinstance(value, str) else value
