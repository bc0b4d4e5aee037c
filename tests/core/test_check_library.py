"""Every check, by its own examples and by texts that nobody expects."""

import json
import sqlite3
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from tempfile import mkdtemp

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Check, Example, Finding, Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import measures_of
from epistem.core.checks.outcome.queries import Running
from epistem.core.checks.registry import CHECKS, build, check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.engine.needs import RunQuery
from epistem.core.engine.run import given_by
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.tools.rows import Rows
from epistem.reach import sources
from epistem.reach.sources import Source

FEWEST = 8
PLAIN = [key for key in CHECKS if not check_class(key).asks]
EXAMPLES = [
    pytest.param(key, passing, example, id=f"{key} {'passes' if passing else 'fails'} {at}")
    for key in PLAIN
    for passing in (True, False)
    for at, example in enumerate(check_class(key).examples(passing))
]
TEXTS = st.text(max_size=400) | st.text(
    st.sampled_from(" \n.,!?-*_#`\"'()[]{}<>/\\@:;0123456789abcdeABC€é今\u200b\u202e🙂\x00"),
    max_size=400,
)


def made(key: str, example: Example) -> tuple[Check, Ground]:
    reply = ReplyShape.from_json(dict(example.reply))
    check = build(CheckUse(check=key, options=dict(example.options)), reply)
    return check, example.ground


def judged(key: str, example: Example) -> list[Finding]:
    check, ground = made(key, example)
    if isinstance(check, Running):
        return list(given_by(check.program(example.answer, ground, "q"), run_on(example.source)))
    return check.judge(example.answer, ground)


def run_on(script: str) -> Callable[[RunQuery], Rows]:
    """Runs queries as a source would that this script makes: once for all examples that have the same."""

    def run(need: RunQuery) -> Rows:
        assert need.source == "timetable"
        source = Source("timetable", "sqlite", file=database_of(script))
        return sources.run(
            source, need.statement, (), most_rows=need.most_rows, seconds=min(need.seconds, 0.5)
        )

    return run


@cache
def database_of(script: str) -> Path:
    file = Path(mkdtemp()) / "source.sqlite"
    with closing(sqlite3.connect(file)) as made:
        made.executescript(script)
    return file


@pytest.mark.parametrize(("key", "passing", "example"), EXAMPLES)
def test_what_an_example_shows_is_so(key, passing, example):
    found = judged(key, example)
    assert all(finding.passed for finding in found) == passing, [f.message for f in found]
    assert passing or found
    for finding in found:
        assert finding.message
        assert (finding.unit != "") == (finding.score is not None)
        if finding.unit:
            assert finding.unit == check_class(key).unit_of(
                check_class(key).Options.from_json(dict(example.options))
            )
        assert all(0 <= span.start < span.end <= len(example.text) for span in finding.spans)
        assert all(span.note for span in finding.spans)


@pytest.mark.parametrize("key", CHECKS)
def test_every_check_explains_itself(key):
    cls = check_class(key)
    if not cls.asks:
        assert min(len(cls.examples(True)), len(cls.examples(False))) >= FEWEST
    assert cls.summary.endswith(".")
    assert len(cls.summary) < 160
    for name, field in cls.Options.model_fields.items():
        assert field.title or key == "structure.reply_schema", f"{name} has no title"
        assert not field.is_required()
    for aspect in cls.aspects:
        sentence = cls.sentence(cls.Options(), aspect)
        assert 3 < len(sentence) <= 120


@pytest.mark.parametrize("key", [key for key in PLAIN if check_class(key).repairs])
def test_a_repair_makes_an_answer_pass_or_leaves_it_as_it_is(key):
    mended = 0
    for example in check_class(key).examples(False):
        check, ground = made(key, example)
        text = check.repair(example.text, ground)
        mended += text != example.text
        assert text == example.text or not any(
            finding.failed for finding in check.judge(Answer(text), ground)
        ), (example.text, text)
    assert mended >= 2
    assert check_class(key).repair is not Check.repair


def test_the_guide_has_a_line_for_every_check():
    guide = (Path(__file__).parents[2] / "docs" / "guide.md").read_text("utf-8")
    missing = [key for key in CHECKS if f"| `{key}` | {check_class(key).summary} |" not in guide]
    assert missing == []


@pytest.mark.parametrize("key", PLAIN)
@settings(max_examples=25)
@given(text=TEXTS)
def test_no_text_makes_a_check_fall(key, text):
    ground = Ground(ReplyShape(), Expectation(label="a", answer="the boat"), {"text": text})
    example = check_class(key).examples(True)[0]
    for options in ({}, dict(example.options)):
        try:
            check = build(CheckUse(check=key, options=options), ReplyShape())
        except InvalidInput:
            continue
        for finding in check.judge(Answer(text), ground):
            assert all(0 <= span.start < span.end <= len(text) for span in finding.spans)


@pytest.mark.parametrize(
    ("key", "options", "field", "says"),
    [
        ("structure.length", {"least": 9, "most": 3}, "least", "nothing could pass"),
        ("structure.matches", {"pattern": "(a"}, "pattern", "can't be used"),
        ("structure.avoids", {"pattern": "(?=x)"}, "pattern", "can't be used"),
        ("structure.json_value", {"at": "label"}, "at", "begins with /"),
        ("structure.json_value", {"least": 2, "most": 1}, "least", "nothing could pass"),
        ("structure.language", {"language": "Klingon"}, "language", "is not told apart"),
        ("safety.personal_data", {"region": "ZZ"}, "region", "no region"),
        ("tone.reading_grade", {"least": 9, "most": 8}, "least", "nothing could pass"),
        ("structure.length", {"of": "parsec"}, "of", "word"),
        ("tone.emoji", {"colour": "red"}, "colour", "Extra inputs"),
        ("tone.sentiment", {"least": 0.5, "most": 0}, "least", "nothing could pass"),
        (
            "outcome.expression",
            {"expression": "size(answer) <"},
            "expression",
            "column 15, after “size",
        ),
        (
            "outcome.expression",
            {"expression": "nothing == 1"},
            "expression",
            "undeclared reference",
        ),
        ("outcome.expression", {"expression": "size(answer)"}, "expression", "gives int, not true"),
        (
            "outcome.expression",
            {"expression": "json" + ".map(x, x)" * 7 + " == []"},
            "expression",
            "6 are allowed",
        ),
    ],
)
def test_options_that_cannot_be_are_refused_by_name(key, options, field, says):
    with pytest.raises(InvalidInput, match=says) as caught:
        build(CheckUse(check=key, options=options), ReplyShape())
    assert caught.value.field is not None
    assert caught.value.field.endswith(f"options.{field}")


LONG = ".all(x, [1, 2, 3, 4, 5, 6, 7, 8, 9]"


@pytest.mark.parametrize(
    ("expression", "says"),
    [
        ("json.label == 'a'", "Ask whether it is there first"),
        ("inputs.list[7] == 1", "could not be worked out"),
        ("1 / (size(answer) - size(answer)) == 2", "could not be worked out"),
        (f"[1, 2, 3, 4, 5, 6, 7, 8, 9]{LONG * 5}.all(y, y > 0){')' * 5}", "budget"),
        ("json.n > 1", "could not be worked out"),
        ("usage.cents < 1.0", "could not be worked out"),
        ("json.deep", "not true or false"),
    ],
)
def test_an_expression_that_can_not_be_worked_out_is_no_pass(expression, says):
    text = json.dumps({"n": "text", "deep": [[[[1]]]]})
    check = build(
        CheckUse(check="outcome.expression", options={"expression": expression}), ReplyShape()
    )
    [found] = check.judge(Answer(text), Ground(ReplyShape(), Expectation(), {"list": []}))
    assert (found.passed, says in found.message) == (None, True), found.message


def test_a_case_of_hundreds_of_people_is_looked_through_without_a_pattern_for_each():
    """400 kB of answer under 1,500 patterns would run into the limit of every test."""
    people = [{"name": f"Bo Lind{number}", "phone": f"0770 {number:06}"} for number in range(2_000)]
    ground = Ground(ReplyShape(), Expectation(), {"people": people})
    check = build(CheckUse(check="safety.given"), ReplyShape())
    assert check.judge(Answer("We will write to you. " * 20_000), ground)[0].passed
    [found] = check.judge(Answer("Dear Bo Lind7, we call 0770000007."), ground)
    assert [span.note for span in found.spans] == ["stands in the case"] * 2


def test_nothing_is_no_xml_and_marks_no_place():
    check = build(CheckUse(check="structure.markup", options={"kind": "XML"}), ReplyShape())
    [found] = check.judge(Answer(""), Ground(ReplyShape(), Expectation(), {}))
    assert (found.passed, found.spans) == (False, ())


def test_a_bench_mends_what_its_uses_say_and_no_more():
    uses = [
        CheckUse(check="structure.plain_text", on_failure="repair"),
        CheckUse(check="tone.emoji", on_failure="repair"),
        CheckUse(check="safety.personal_data"),
    ]
    bench = Bench(uses, ReplyShape())
    ground = Ground(ReplyShape(), Expectation(), {})
    mended = bench.repaired(Answer("Write to **ada@post.example** 🙂\n- soon"), ground)
    assert mended == "Write to ada@post.example\nsoon"
    assert bench.repaired(Answer("1. a\nNothing is wrong"), ground) == "1. a\nNothing is wrong"


def test_a_row_is_called_by_what_its_options_ask():
    uses = [
        CheckUse(check="structure.length"),
        CheckUse(check="structure.length", options={"of": "sentence", "least": 2, "most": 4}),
        CheckUse(check="tone.emoji"),
        CheckUse(check="safety.forbidden", options={"phrases": ["refund"]}),
    ]
    assert [row.title for row in measures_of(uses)] == [
        "60 words at most",
        "2 to 4 sentences",
        "no emoji",
        "says nothing of refund",
    ]


def test_a_number_is_told_with_its_unit_and_what_was_wanted():
    [found] = judged("structure.length", Example("one two three", {"most": 2}))
    assert (found.score, found.unit, found.message) == (3, "word", "3 words; 2 words at most.")
    [span] = found.spans
    assert "one two three"[span.start : span.end] == "three"


@pytest.mark.parametrize(
    ("key", "options", "text"),
    [
        ("structure.headings", {"headings": ["", "#"]}, "anything"),
        ("safety.forbidden", {"phrases": ["", "!?"]}, "!?"),
        ("structure.avoids", {"pattern": "x*"}, "no such letter"),
    ],
)
def test_an_option_that_asks_for_nothing_asks_for_nothing(key, options, text):
    [found] = judged(key, Example(text, options))
    assert found.passed


def test_where_nothing_has_to_be_said_nothing_is_found():
    assert judged("outcome.must_say", Example("anything", {"phrases": ["", " | "]})) == []


def test_lists_within_lists_in_any_order_are_given_up_not_compared_for_ever():
    right = json.dumps([[at, *range(1, 150)] for at in range(150)])
    given = json.dumps([[*range(149, 0, -1), at] for at in reversed(range(150))])
    [found] = judged(
        "outcome.fields", Example(given, {"any_order": True}, expect={"answer": right})
    )
    assert (found.passed, found.message) == (
        None,
        "It is too large, or nested too deeply, to be compared.",
    )
