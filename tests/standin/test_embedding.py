"""Embeddings: deterministic, of length 1, and close for texts that are alike."""

import json
import struct
from base64 import b64decode
from math import sqrt
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.wire.tokens import count
from epistem.standin.embedding import PLACES, embed
from tests.kit.waiting import PATIENCE_S


def closeness(one, other):
    return sum(a * b for a, b in zip(embed(one), embed(other), strict=True))


def post(url, body):
    try:
        with urlopen(
            Request(f"{url}/v1/embeddings", json.dumps(body).encode()), timeout=PATIENCE_S
        ) as answer:
            return answer.status, json.loads(answer.read())
    except HTTPError as error:
        return error.code, json.loads(error.read())


@given(st.text(max_size=60), st.sampled_from([8, 64, 256, 1_000]))
def test_every_text_gives_a_vector_of_length_one(text, places):
    vector = embed(text, places)
    assert len(vector) == places
    assert sqrt(sum(value * value for value in vector)) == pytest.approx(1)
    assert vector == embed(text, places)


@pytest.mark.parametrize(
    ("text", "near", "far"),
    [
        ("The kettle is leaking", "A leaky kettle", "Opening hours on Sunday"),
        ("return the library books", "returning a book to libraries", "a storm at sea"),
        ("two loaves of bread", "bread, two loaves", "three litres of milk"),
    ],
)
def test_texts_that_are_alike_come_out_close(text, near, far):
    assert closeness(text, near) > 0.4
    assert closeness(text, near) > closeness(text, far) + 0.3


def test_numbers_never_change():
    vector = embed("kettle")
    assert [(at, round(value, 4)) for at, value in enumerate(vector) if abs(value) > 0.4] == [
        (41, -0.5422)
    ]


def test_over_http_as_numbers_and_packed(stand_in):
    body = {"model": "tern-s", "input": ["The kettle", "The fern"]}
    status, plain = post(stand_in, body)
    assert status == 200
    assert [entry["index"] for entry in plain["data"]] == [0, 1]
    assert plain["data"][0]["embedding"] == pytest.approx(embed("The kettle"))
    assert plain["usage"]["prompt_tokens"] == count("The kettle") + count("The fern")
    _, packed = post(stand_in, {**body, "encoding_format": "base64", "dimensions": 64})
    numbers = struct.unpack("<64f", b64decode(packed["data"][1]["embedding"]))
    assert numbers == pytest.approx(embed("The fern", 64), abs=1e-6)
    assert len(plain["data"][0]["embedding"]) == PLACES


@pytest.mark.parametrize(
    ("more", "param"),
    [
        ({"input": []}, "input"),
        ({"input": 5}, "input"),
        ({"input": ["x", 1]}, "input"),
        ({"model": "tern-xl"}, "model"),
        ({"dimensions": 3}, "dimensions"),
        ({"encoding_format": "xml"}, "encoding_format"),
    ],
)
def test_a_wrong_value_is_refused_by_name(stand_in, more, param):
    status, body = post(stand_in, {"model": "tern-s", "input": "x", **more})
    assert status in (400, 404)
    assert body["error"]["param"] == param
