"""Asking for one word finds out what a server takes, and what it refuses."""

import asyncio

import pytest

from epistem.core.wire.habits import Habits
from epistem.models.client import ModelClient
from epistem.models.retry import Retry
from epistem.models.trouble import CallFailed
from epistem.store.models import Model
from epistem.work.greeting import greet

PRICES = {"context_window": 8_000, "input_cents": 1, "output_cents": 1}


def greeted(url, **more):
    async def run():
        async with ModelClient(in_flight=1, retry=Retry(attempts=1)) as client:
            return await greet(
                client, Model("strict", url, **{"key_reference": None, **PRICES, **more})
            )

    return asyncio.run(run())


def refusing(*names, schema="json_schema"):
    """A server that refuses these parts of a request, and takes a schema in one form at most."""

    def answer(body):
        for name in names:
            if name in body:
                return 400, {"detail": [{"loc": ["body", name], "msg": "Extra inputs"}]}, {}
        form = (body.get("response_format") or {}).get("type")
        if form not in (None, schema):
            return 422, {"error": "response_format is not supported"}, {}
        return "ready"

    return answer


def test_a_server_without_surprises_is_asked_three_times(model_server):
    model_server.answer = refusing()
    found = greeted(model_server.url)
    assert (found.reply.text, found.calls, found.findings) == ("ready", 3, [])
    assert found.habits == Habits()
    assert len(model_server.requests) == 3


@pytest.mark.parametrize(
    ("names", "schema", "habits", "says"),
    [
        (("seed",), "json_schema", {"refuses": ("seed",)}, "refuses seed."),
        (
            ("temperature", "top_p", "presence_penalty"),
            "json_schema",
            {"refuses": ("temperature", "top_p", "presence_penalty")},
            "refuses temperature, top_p and presence_penalty.",
        ),
        (
            ("max_tokens",),
            "json_schema",
            {"limit_as": "max_completion_tokens"},
            "calls the limit of an answer max_completion_tokens.",
        ),
        (("stream_options",), "json_schema", {"refuses": ("stream_options",)}, "stream_options"),
        ((), "json_object", {"schema_as": "object"}, "only “some JSON object”"),
        ((), None, {"schema_as": "none"}, "takes no reply schema."),
        (
            ("seed", "max_tokens", "stream_options"),
            None,
            {
                "refuses": ("seed", "stream_options"),
                "limit_as": "max_completion_tokens",
                "schema_as": "none",
            },
            "refuses seed.",
        ),
    ],
)
def test_what_it_refuses_is_found_by_trying(model_server, names, schema, habits, says):
    model_server.answer = refusing(*names, schema=schema)
    found = greeted(model_server.url)
    assert found.habits == Habits(**habits)
    assert says in " ".join(found.findings)
    assert found.calls <= 16
    # Once it is set, nothing is refused any more.
    again = greeted(model_server.url, habits=found.habits)
    assert (again.findings, again.habits) == ([], found.habits)
    assert again.calls <= 3


def test_a_key_that_is_wanted_in_another_header_is_found(model_server, monkeypatch):
    monkeypatch.setenv("EPISTEM_KEY_SOME", "secret-1")
    monkeypatch.setenv("EPISTEM_KEY_SOME_FOR", model_server.url)

    def answer(body):
        if model_server.headers[-1].get("api-key") != "secret-1":
            return 401, {"error": {"message": "no key"}}, {}
        return "ready"

    model_server.answer = answer
    found = greeted(model_server.url, key_reference="env:EPISTEM_KEY_SOME")
    assert (found.habits.key_header, found.habits.key_prefix) == ("api-key", "")
    assert found.findings == ["It wants the key in the header api-key."]


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ((401, {"error": {"message": "who are you?"}}, {}), "answered 401: who are you?"),
        ((404, {"detail": "no such model"}, {}), "answered 404: no such model"),
        ((500, "<html><title>Oops</title></html>", {}), "answered 500: Oops"),
    ],
)
def test_a_server_that_answers_nothing_says_why_in_its_own_words(model_server, answer, says):
    model_server.answer = lambda body: answer
    with pytest.raises(CallFailed, match=says):
        greeted(model_server.url)


def test_what_could_not_be_found_out_is_said_and_the_rest_is_found(model_server):
    def answer(body):
        if body.get("stream"):
            return 503, "not now", {}
        return refusing("seed")(body)

    model_server.answer = answer
    found = greeted(model_server.url)
    assert found.habits == Habits(refuses=("seed",))
    [seed, stream] = found.findings
    assert seed == "Its server refuses seed."
    assert "Whether it takes streams could not be found out" in stream
