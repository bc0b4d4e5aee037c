"""Answers of 5 MB, as a model that repeats itself writes them, are judged about as fast as read."""

import json
from collections import Counter

import pytest

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.registry import CHECKS
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.schemas import compile_schema

ITEMS = {"type": "array", "items": {"type": "object", "required": ["z"]}}
LABEL = {"type": "object", "properties": {"label": {"enum": ["delay"]}}, "required": ["label"]}
SHAPES = [
    {"kind": "json", "labels": ["delay"], "json_schema": LABEL},
    {"kind": "json", "json_schema": ITEMS},
    {"kind": "label", "labels": ["delay", "lost item"]},
    {"kind": "text"},
]
LARGE = {
    "words": "word soup and more " * 30_000,
    "open brackets": '{"a": [' * 90_000,
    "small objects": '{"a": 1} ' * 60_000,
    "many faults": json.dumps([{"label": 1}] * 42_000),
    "a long label": json.dumps({"label": "x" * 540_000}),
    "a label of many parts": json.dumps({"label": ["bad"] * 60_000}),
    "stock phrases": "please be advised, let me know if you need anything else " * 9_000,
    "white space": " \n" * 240_000,
    "links": "https://a.b " * 24_000,
    "mails": "a@b.co " * 24_000,
    "names that hold a swear word": "jerk chicken, " * 18_000,
}
OF_THE_SHAPE = ("structure.reply_schema", "structure.json_value", "outcome.label")
"""Checks whose work depends on the reply shape; the others are looked at under one."""


@pytest.mark.parametrize("large", LARGE)
@pytest.mark.parametrize("shape", SHAPES, ids=lambda shape: shape["kind"])
def test_every_check_ends_and_keeps_what_it_says_short(large, shape):
    """A check that went back and forth over such an answer would run into the limit of every test."""
    reply = ReplyShape.from_json(shape)
    ground = Ground(reply, Expectation(label="delay", must_not_say=["never ever"]), {})
    for key in CHECKS if reply.kind == "text" else OF_THE_SHAPE:
        try:
            bench = Bench([CheckUse(check=key)], reply)
        except InvalidInput:
            continue
        for judged in bench.judge(Answer(LARGE[large]), ground):
            assert len(judged.finding.message) < 20_000


def test_of_very_many_faults_only_the_first_is_told():
    schema = compile_schema(ITEMS)
    assert Counter(len(schema.faults([{}] * n)) for n in (3, 30_000)) == {3: 1, 1: 1}
    assert schema.first_fault([{}] * 300_000).path == "/0"
    assert schema.first_fault([{"z": 1}]) is None
