from importlib.metadata import version
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.cases.content import CollectedFact, Expectation
from epistem.core.cases.pair import Move, Pair
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import check_uses, measures_of
from epistem.core.checks.registry import CHECKS, build, check_class, usual_checks
from epistem.core.checks.structure.find_json import find_json
from epistem.core.checks.tone.stock_phrases import PHRASES
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput, InvalidSchema
from epistem.core.prompts.content import ReplyShape
from epistem.core.schemas import compile_schema
from tests.core.builders import judge, spanned

SCHEMA = {
    "type": "object",
    "properties": {
        "label": {"enum": ["refund", "delay"]},
        "urgency": {"type": "integer", "maximum": 5},
    },
    "required": ["label"],
    "additionalProperties": False,
}
JSON_REPLY = ReplyShape(kind="json", labels=["refund", "delay"], json_schema=SCHEMA)
JSON_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=10),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=3)
    ),
    max_leaves=8,
)


class TestFindJson:
    @pytest.mark.parametrize(
        ("text", "value", "bare"),
        [
            ('{"a": 1}', {"a": 1}, True),
            (' \n{"a": 1}\n', {"a": 1}, True),
            ('```json\n{"a": 1}\n```', {"a": 1}, False),
            ('Here you are: {"a": [1, 2]} and good luck', {"a": [1, 2]}, False),
            ('first {"a": 1}, then {"longer": "object"}', {"longer": "object"}, False),
            ('{"a": {"b": 1}} tail', {"a": {"b": 1}}, False),
            ("12", 12, True),
        ],
    )
    def test_wherever_the_model_put_it(self, text, value, bare):
        found = find_json(text)
        assert found is not None
        assert (found.value, found.bare) == (value, bare)

    @pytest.mark.parametrize(
        "text", ["", "no json", "{'a': 1}", '{"a": 1', "[" * 5000, "}{", "[x]"]
    )
    def test_none_where_there_is_none(self, text):
        assert find_json(text) is None

    @given(
        st.dictionaries(st.text(max_size=5), JSON_VALUES, min_size=1),
        st.text(st.characters(exclude_characters='{}[]"0123456789'), max_size=20),
    )
    def test_an_object_with_prose_round_it_is_found_with_its_place(self, value, prose):
        import json

        text = f"{prose}x {json.dumps(value)} y{prose}"
        found = find_json(text)
        assert found is not None
        assert found.value == value
        assert json.loads(text[found.start : found.end]) == value


class TestReplySchema:
    def test_a_reply_that_fits(self):
        found = judge(
            "structure.reply_schema", '{"label": "delay", "urgency": 2}', reply=JSON_REPLY
        )
        assert {aspect: f.passed for aspect, f in found.items()} == {"": True, "bare": True}

    @pytest.mark.parametrize(
        ("text", "says"),
        [
            ('{"label": "boat"}', "at /label"),
            ('{"label": "delay", "urgency": "high"}', "at /urgency"),
            ('{"urgency": 2}', "required"),
            ('{"label": "delay", "mood": 1}', "Additional properties"),
        ],
    )
    def test_a_reply_that_does_not_says_where(self, text, says):
        finding = judge("structure.reply_schema", text, reply=JSON_REPLY)[""]
        assert not finding.passed
        assert says in finding.message

    def test_a_code_fence_is_a_finding_of_its_own(self):
        text = '```json\n{"label": "delay"}\n```'
        found = judge("structure.reply_schema", text, reply=JSON_REPLY)
        assert found[""].passed
        assert not found["bare"].passed
        assert "code fence" in found["bare"].message
        assert spanned(text, found["bare"]) == ["```json", "```"]

    def test_prose_round_the_json_is_marked_by_code_points(self):
        text = 'Sure 🚢 — {"label": "delay"} 🙂'
        found = judge("structure.reply_schema", text, reply=JSON_REPLY)
        assert "prose" in found["bare"].message
        assert spanned(text, found["bare"]) == ["Sure 🚢 —", "🙂"]

    def test_no_json_at_all_says_so_and_tells_of_a_cut(self):
        assert judge("structure.reply_schema", "Delay.", reply=JSON_REPLY)[""].message == (
            "There is no JSON in the answer."
        )
        cut = judge(
            "structure.reply_schema", '{"label": "de', reply=JSON_REPLY, finish_reason="length"
        )
        assert "cut off at the token limit" in cut[""].message
        assert set(cut) == {""}

    def test_a_schema_of_its_own_stands_in_for_the_versions(self):
        found = judge(
            "structure.reply_schema", "[1]", reply=JSON_REPLY, json_schema={"type": "array"}
        )
        assert found[""].passed

    def test_without_any_schema_it_cannot_be_used(self):
        with pytest.raises(InvalidInput, match="needs a schema"):
            judge("structure.reply_schema", "{}")

    def test_nothing_is_fetched_for_a_reference(self):
        with pytest.raises(InvalidSchema, match="nothing is fetched"):
            compile_schema({"$ref": "http://127.0.0.1:9/schema.json"})


class TestLabel:
    def test_in_a_json_reply(self):
        text = '{"label": "refund"}'
        assert judge("outcome.label", text, reply=JSON_REPLY, label="refund")[""].passed
        wrong = judge("outcome.label", text, reply=JSON_REPLY, label="delay")[""]
        assert not wrong.passed
        assert wrong.message == "The label is “refund”; “delay” is expected."
        assert spanned(text, wrong) == ["refund"]

    def test_the_span_counts_code_points(self):
        text = '🚢🚢 ```\n{"label": "refund"}```'
        assert spanned(text, judge("outcome.label", text, reply=JSON_REPLY, label="delay")[""]) == [
            "refund"
        ]

    def test_a_plain_reply_is_the_label_itself(self):
        assert judge("outcome.label", " delay\n", label="delay")[""].passed
        assert not judge("outcome.label", "It is a delay", label="delay")[""].passed

    def test_another_spelling_is_told_apart_but_not_passed(self):
        finding = judge("outcome.label", "Lost_Item", label="lost item")[""]
        assert not finding.passed
        assert "spelt differently" in finding.message

    def test_a_missing_label_says_what_is_expected(self):
        for text in ('{"urgency": 1}', "no json", "[]"):
            finding = judge("outcome.label", text, reply=JSON_REPLY, label="delay")[""]
            assert finding.message == "No label found; “delay” is expected."

    def test_a_case_that_expects_nothing_is_passed_over(self):
        assert judge("outcome.label", "anything") == {}

    def test_the_field_can_be_named(self):
        assert judge(
            "outcome.label", '{"kind": "delay"}', reply=JSON_REPLY, label="delay", at="kind"
        )[""].passed


class TestStockPhrases:
    def test_the_words_found_are_marked(self):
        text = "Hello 🙂 Thank you for  reaching out. Rest assured, we’ll look."
        finding = judge("tone.stock_phrases", text)[""]
        assert spanned(text, finding) == ["Thank you for  reaching out", "Rest assured"]
        assert finding.message == "Stock phrase “thank you for reaching out”, “rest assured”."

    @pytest.mark.parametrize("phrase", PHRASES)
    def test_each_of_the_list_is_found_in_any_case(self, phrase):
        text = f"Well, {phrase.upper()}, then."
        assert [s.casefold() for s in spanned(text, judge("tone.stock_phrases", text)[""])] == [
            phrase.casefold()
        ]

    def test_curly_and_straight_apostrophes_are_one(self):
        for text in ("I'm here to help", "I’m here to help"):
            assert not judge("tone.stock_phrases", text)[""].passed

    def test_only_whole_words_count(self):
        assert judge("tone.stock_phrases", "Rest assuredly, forest assured")[""].passed

    def test_the_list_can_be_added_to_and_cut(self):
        text = "Rest assured, happy sailing"
        assert spanned(text, judge("tone.stock_phrases", text, also=["Happy  sailing"])[""]) == [
            "Rest assured",
            "happy sailing",
        ]
        assert judge("tone.stock_phrases", text, allow=["rest assured"])[""].passed
        assert judge("tone.stock_phrases", text, allow=list(PHRASES))[""].passed


def another(field: Any) -> Any:
    """A value of the option that is not its default, by its type: what a new check has to offer."""
    kinds = str(field.annotation)
    if "Literal" in kinds:
        choices = get_args(get_args(field.annotation)[0] if "list" in kinds else field.annotation)
        told = field.get_default(call_default_factory=True)
        offered = [[choice] for choice in choices] if "list" in kinds else choices
        return next(choice for choice in offered if choice != told)
    if field.default in ("GB", "English"):
        return {"GB": "US", "English": "German"}[field.default]
    if "KnownAnswer" in kinds:
        return [{"answer": "quite another"}]
    if "dict" in kinds:
        return {"type": "array"}
    if "list" in kinds:
        return ["quite another"]
    if "bool" in kinds:
        return not field.default
    if "int" in kinds or "float" in kinds:
        return (field.default or 0) + 1
    return "another"


def usable(key: str) -> dict[str, Any]:
    """Options that every check can be had with: a judge has no usual model."""
    cls = check_class(key)
    return {**cls.shown_with, "model": "plover-judge"} if cls.asks else {}


class TestRegistry:
    @pytest.mark.parametrize("key", CHECKS)
    def test_every_check_is_what_its_key_says(self, key):
        cls = check_class(key)
        assert cls.key == key
        assert cls.kind == key.split(".")[0]
        assert cls.summary.endswith(".")
        assert all(aspect.title for aspect in cls.aspects)

    @pytest.mark.parametrize(
        ("key", "option"),
        [(key, name) for key in CHECKS for name in check_class(key).Options.model_fields],
    )
    def test_the_signature_changes_with_every_option(self, key, option):
        def signatures(options: dict) -> list[str]:
            return [
                m.signature for m in measures_of([CheckUse(check=key, options=options)], JSON_REPLY)
            ]

        other = another(check_class(key).Options.model_fields[option])
        assert signatures({option: other}) != signatures({})
        assert signatures({option: other}) == signatures({option: other})

    @pytest.mark.parametrize("key", CHECKS)
    def test_the_signature_names_check_version_and_libraries(self, key):
        cls = check_class(key)
        for measure in measures_of([CheckUse(check=key)], JSON_REPLY):
            assert f"check={key}|" in measure.signature
            assert f"v={cls.version}|" in f"{measure.signature}|"
            for library in cls.libraries:
                assert f"{library}-{version(library)}" in measure.signature.split("|lib=")[1]

    def test_what_an_option_leaves_to_the_reply_shape_is_in_the_signature(self):
        def signature(key: str, *shapes: ReplyShape) -> str:
            return measures_of([CheckUse(check=key)], *shapes)[0].signature

        other = JSON_REPLY.model_copy(update={"json_schema": {"type": "object"}})
        text = ReplyShape(kind="label", labels=["a"])
        one, two = (signature("structure.reply_schema", s) for s in (JSON_REPLY, other))
        assert one != two
        both = signature("structure.reply_schema", JSON_REPLY, other)
        assert all(part.split("json_schema=")[1].split("|")[0] in both for part in (one, two))
        assert signature("outcome.label", JSON_REPLY) != signature("outcome.label", text)

    def test_the_same_check_twice_makes_two_rows_that_are_told_apart(self):
        uses = [
            CheckUse(check="outcome.label"),
            CheckUse(check="outcome.label", options={"at": "kind"}),
        ]
        rows = measures_of(uses, JSON_REPLY)
        assert [row.key for row in rows] == ["outcome.label", "outcome.label#2"]
        assert [row.title for row in rows] == [
            "label is right (at: label)",
            "label is right (at: kind)",
        ]
        ground = Ground(JSON_REPLY, Expectation(label="b"))
        judged = Bench(uses, JSON_REPLY).judge(Answer('{"label": "b", "kind": "c"}'), ground)
        assert [(j.measure, j.finding.passed) for j in judged] == [(0, True), (1, False)]
        check_uses(uses)
        with pytest.raises(InvalidInput, match="twice with the same options") as caught:
            check_uses([*uses, CheckUse(check="outcome.label", options={"at": "label"}, margin=9)])
        assert caught.value.field == "checks.2.check"

    @pytest.mark.parametrize("key", CHECKS)
    def test_a_case_is_asked_about_the_aspects_that_answers_can_have(self, key):
        use = CheckUse(check=key, options=usable(key))
        build(use, JSON_REPLY).asked(Ground(JSON_REPLY))
        told = Expectation(
            label="b",
            answer='{"late": true}',
            must_say=["late"],
            must_not_say=["never"],
            known=False,
            refuse=True,
            collect=[CollectedFact(what="colour", value="red")],
            result="noted",
            never_asks=["age"],
            goodbye=True,
            query="SELECT 1",
        )
        pairs = {
            "outcome.moves": Pair(of=1, moves=[Move()]),
            "outcome.steady": Pair(of=1, kind="misspelt"),
        }
        ground = Ground(JSON_REPLY, told, pair=pairs.get(key))
        bench = Bench([use], JSON_REPLY)
        lost = {judged.measure for judged in bench.unanswered(ground)}
        assert lost == set(range(bench.size))
        assert not any(judged.finding.passed for judged in bench.unanswered(ground))

    def test_a_case_that_expects_nothing_is_not_failed_by_a_missing_answer(self):
        for key in ("outcome.label", "outcome.must_not_say"):
            assert Bench([CheckUse(check=key)], JSON_REPLY).unanswered(Ground(JSON_REPLY)) == []

    def test_the_margin_is_no_part_of_the_signature(self):
        [one] = measures_of([CheckUse(check="outcome.label", margin=1)])
        [other] = measures_of([CheckUse(check="outcome.label", margin=9)])
        assert one.signature == other.signature

    def test_an_unknown_check_or_option_is_refused_by_name(self):
        with pytest.raises(InvalidInput, match=r"There is no check “tone\.jolly”"):
            measures_of([CheckUse(check="tone.jolly")])
        with pytest.raises(InvalidInput) as caught:
            build(CheckUse(check="outcome.label", options={"where": "x"}), ReplyShape())
        assert caught.value.field == "checks.options.where"

    def test_the_usual_checks_follow_the_reply_shape(self):
        assert [use.check for use in usual_checks(ReplyShape())] == ["tone.stock_phrases"]
        assert [use.check for use in usual_checks(JSON_REPLY)] == [
            "outcome.label",
            "structure.reply_schema",
            "tone.stock_phrases",
        ]

    def test_a_bench_numbers_measures_across_checks(self):
        bench = Bench(usual_checks(JSON_REPLY), JSON_REPLY)
        rows = measures_of(usual_checks(JSON_REPLY), JSON_REPLY)
        assert bench.size == len(rows)
        assert [m.title for m in rows] == [
            "label is right",
            "fits the reply shape",
            "nothing round the JSON",
            "no stock phrases",
        ]
        judged = bench.judge(Answer("rest assured"), Ground(JSON_REPLY))
        assert [(j.measure, j.finding.passed) for j in judged] == [(1, False), (3, False)]
