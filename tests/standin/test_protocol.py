"""What the formats promise beyond one answer: keys, caches, reasoning, log-probabilities, changes."""

import json
import math
from collections import Counter
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest

from epistem.core.wire.tokens import count
from epistem.standin import profiles as profile_files
from epistem.standin.faults import HEADER
from epistem.standin.profiles import profiles
from epistem.standin.server import make_app
from tests.kit.servers import served
from tests.kit.waiting import PATIENCE_S
from tests.standin.test_messages import post as post_messages
from tests.standin.test_service import NOTES, TASK, post, request, said
from tests.standin.test_streaming import events

NOTE = NOTES[0][0]


def ask(url, body, headers=None):
    """(status, headers, text) of the answer."""
    sent = Request(f"{url}/v1/chat/completions", json.dumps(body).encode(), headers or {})
    try:
        with urlopen(sent, timeout=PATIENCE_S) as answer:
            return answer.status, answer.headers, answer.read().decode()
    except HTTPError as error:
        return error.code, error.headers, error.read().decode()


def test_the_same_request_and_seed_give_the_same_bytes(stand_in):
    body = request(NOTE, seed=5, temperature=1.2, logprobs=True, top_logprobs=3, n=2)
    assert ask(stand_in, body)[2] == ask(stand_in, body)[2]
    streamed = {**body, "stream": True}
    assert ask(stand_in, streamed)[2] == ask(stand_in, streamed)[2]


@pytest.fixture(scope="module")
def locked():
    with served(make_app(pace=0, key="open sesame")) as url:
        yield url


class TestKeys:
    @pytest.mark.parametrize("headers", [{}, {"Authorization": "Bearer wrong"}, {"x-api-key": ""}])
    def test_a_missing_or_wrong_key_is_401(self, locked, headers):
        status, _, text = ask(locked, request(NOTE), headers)
        assert (status, json.loads(text)["error"]["code"]) == (401, "invalid_api_key")
        status, body = post_messages(locked, {}, headers)
        assert (status, body["error"]["type"]) == (401, "authentication_error")

    @pytest.mark.parametrize(
        "headers", [{"Authorization": "Bearer open sesame"}, {"x-api-key": "open sesame"}]
    )
    def test_either_way_of_sending_it_is_taken(self, locked, headers):
        assert ask(locked, request(NOTE), headers)[0] == 200


class TestUsage:
    def test_a_long_beginning_is_cached_the_second_time(self, stand_in):
        body = request("Are you open?", task=f"{TASK} {'A rule about shelves. ' * 100}")
        first, again, other = (
            post(
                stand_in,
                {**body, "messages": [body["messages"][0], {"role": "user", "content": text}]},
            )[1]["usage"]
            for text in ("Are you open?", "Are you open?", "And now?")
        )
        assert first["prompt_tokens_details"]["cached_tokens"] == 0
        assert again["prompt_tokens_details"]["cached_tokens"] == again["prompt_tokens"]
        assert 400 < other["prompt_tokens_details"]["cached_tokens"] < other["prompt_tokens"]

    def test_in_the_other_format_the_cached_part_is_told_apart(self, stand_in):
        body = {
            "model": "gannet-l",
            "max_tokens": 20,
            "system": "A rule about boats. " * 100,
            "messages": [{"role": "user", "content": "Hello"}],
        }
        first, again = (post_messages(stand_in, body)[1]["usage"] for _ in range(2))
        assert again["cache_read_input_tokens"] == first["input_tokens"]
        assert again["input_tokens"] == 0

    def test_reasoning_tokens_are_part_of_the_answers(self, stand_in):
        _, body = post(stand_in, request(NOTE, model="auk-think", seed=1))
        message, usage = body["choices"][0]["message"], body["usage"]
        thought = usage["completion_tokens_details"]["reasoning_tokens"]
        assert thought == pytest.approx(count(message["reasoning_content"]), abs=3)
        assert usage["completion_tokens"] == pytest.approx(
            thought + count(message["content"]), abs=4
        )

    def test_an_answer_ends_where_the_window_does(self, stand_in):
        long = f"{TASK} {'word ' * 980}"
        _, body = post(stand_in, request("x", task=long, model="dunlin-old", seed=1))
        assert body["usage"]["total_tokens"] <= 1_024


def test_streamed_reasoning_comes_before_the_content(stand_in):
    body = request(NOTE, model="auk-think", seed=1)
    deltas = [
        json.loads(data)["choices"][0]["delta"]
        for data in events(stand_in, {**body, "stream": True})[:-1]
    ]
    kinds = [next(iter(delta), "") for delta in deltas[1:]]
    assert [kind for kind, _ in Counter(kinds).most_common(1)] == ["reasoning_content"]
    assert kinds.index("content") > kinds.index("reasoning_content")
    assert "reasoning_content" not in kinds[kinds.index("content") :]
    whole = post(stand_in, body)[1]["choices"][0]["message"]["reasoning_content"]
    assert "".join(delta.get("reasoning_content", "") for delta in deltas) == whole


class TestLogProbabilities:
    def test_they_are_the_share_that_draws_have(self, stand_in):
        """Of a label whose first token is its own: e^logprob is how often it comes."""
        task = "Sort into one of: tea, coffee. Answer with the label alone."
        asked = {"task": task, "model": "plover-judge", "temperature": 1.0}
        _, body = post(
            stand_in, request("a warm cup", logprobs=True, top_logprobs=5, seed=1, **asked)
        )
        first = body["choices"][0]["logprobs"]["content"][0]["top_logprobs"]
        told = {top["token"]: math.exp(top["logprob"]) for top in first}
        texts = [said(stand_in, "a warm cup", seed=seed, **asked) for seed in range(300)]
        share = sum("coffee" in text for text in texts) / 300
        assert told["te"] + told["c"] > 0.99
        assert abs(share - told["c"]) < 0.1

    def test_streamed_they_stand_beside_their_tokens(self, stand_in):
        body = request(NOTE, seed=2, logprobs=True)
        whole = post(stand_in, body)[1]["choices"][0]["logprobs"]["content"]
        chunks = [
            json.loads(data)["choices"][0]
            for data in events(stand_in, {**body, "stream": True})[:-1]
        ]
        assert [one for c in chunks if c["logprobs"] for one in c["logprobs"]["content"]] == whole
        assert all(one["bytes"] == list(one["token"].encode()) for one in whole)


class TestChanges:
    def answers(self, url, headers=None, model="tern-s"):
        """Texts of sixty requests in a row, all alike but for their seeds."""
        found = []
        for seed in range(60):
            _, _, text = ask(url, request(NOTE, model=model, seed=seed), headers)
            found.append(json.loads(text)["choices"][0]["message"]["content"])
        return found

    def test_a_model_changes_under_the_same_name_from_a_given_call_on(self, tmp_path, monkeypatch):
        entry = (
            profile_files.resources.files("epistem.standin") / "models" / "gannet-l.toml"
        ).read_text()
        more = "[changes]\nafter_calls = 60\nslips = 0.9\nobedience = 0.1\n"
        (tmp_path / "gannet-x.toml").write_text(f"{entry.replace('gannet-l', 'gannet-x')}\n{more}")
        monkeypatch.setenv("EPISTEM_STAND_IN_MODELS", str(tmp_path))
        profiles.cache_clear()
        with served(make_app(pace=0)) as url:
            before, after = self.answers(url, model="gannet-x"), self.answers(url, model="gannet-x")
        monkeypatch.undo()
        profiles.cache_clear()
        bare = [
            sum(text in ("lost book", "overdue", "opening hours") for text in t)
            for t in (before, after)
        ]
        assert bare[0] > 50
        assert bare[1] < 40

    def test_a_change_by_time(self):
        model = profiles()["gannet-l"].__class__(
            **{**vars(profiles()["gannet-l"]), "changes": {"after_time": 1_000}}
        )
        assert model.after(1, 999.0) is model
        assert model.after(1, 1_000.0).obedience < model.obedience

    def test_a_change_on_demand_shows_in_nothing_but_the_answers(self):
        headers = {HEADER: "changed=1, after=60"}
        with served(make_app(pace=0)) as url:
            assert self.answers(url, headers) == self.answers(url)
            changed = self.answers(url, headers)
            assert changed != self.answers(url)
            body = json.loads(ask(url, request(NOTE, seed=1), headers)[2])
            assert body["model"] == "tern-s"


class TestFaults:
    def test_the_shape_is_ignored_on_demand(self, stand_in):
        schema = {
            "type": "object",
            "properties": {"label": {"enum": ["a", "b"]}},
            "required": ["label"],
        }
        wanted = {"type": "json_schema", "json_schema": {"name": "r", "schema": schema}}
        body = request(NOTE, seed=1, response_format=wanted)
        kept = json.loads(json.loads(ask(stand_in, body)[2])["choices"][0]["message"]["content"])
        assert kept["label"] in ("a", "b")
        spoilt = json.loads(ask(stand_in, body, {HEADER: "unshaped=1"})[2])["choices"][0][
            "message"
        ]["content"]
        assert not spoilt.startswith("{")

    def test_the_filter_on_demand(self, stand_in):
        _, _, text = ask(stand_in, request(NOTE), {HEADER: "filter=1"})
        assert json.loads(text)["choices"][0]["finish_reason"] == "content_filter"

    def test_a_models_own_entry_may_fail(self, tmp_path, monkeypatch):
        entry = (
            profile_files.resources.files("epistem.standin") / "models" / "tern-s.toml"
        ).read_text()
        (tmp_path / "tern-x.toml").write_text(
            f'faults = "status=503, rate=0.5, seed=1"\n{entry.replace("tern-s", "tern-x")}'
        )
        monkeypatch.setenv("EPISTEM_STAND_IN_MODELS", str(tmp_path))
        profiles.cache_clear()
        with served(make_app(pace=0)) as url:
            statuses = Counter(ask(url, request(NOTE, model="tern-x"))[0] for _ in range(60))
        monkeypatch.undo()
        profiles.cache_clear()
        assert set(statuses) == {200, 503}
        assert 15 < statuses[503] < 45

    @pytest.mark.parametrize("fault", ["first=1", "slow=1, spread=0.5", "stall=1"])
    def test_what_takes_time_answers_all_the_same(self, stand_in, fault):
        body = request(NOTE, seed=1, stream=True)
        assert ask(stand_in, body, {HEADER: fault})[2] == ask(stand_in, body)[2]

    @pytest.mark.parametrize("fault", ["slow=1, spread=9", "first=-1", "slow=nan", "after=3"])
    def test_a_header_that_makes_no_sense_is_refused_by_name(self, stand_in, fault):
        status, _, text = ask(stand_in, request(NOTE), {HEADER: fault})
        assert (status, json.loads(text)["error"]["param"]) == (400, HEADER)


def test_tokens_are_counted_without_an_answer(stand_in):
    body = {
        "model": "gannet-l",
        "system": "Sort it.",
        "messages": [{"role": "user", "content": NOTE}],
    }
    sent = Request(f"{stand_in}/v1/messages/count_tokens", json.dumps(body).encode())
    with urlopen(sent, timeout=PATIENCE_S) as got:
        counted = json.loads(got.read())["input_tokens"]
    _, answer = post_messages(stand_in, {**body, "max_tokens": 9, "seed": 1})
    assert counted == answer["usage"]["input_tokens"] > count(NOTE)


def test_a_model_tells_its_window_and_price(stand_in):
    with urlopen(f"{stand_in}/v1/models/dunlin-old", timeout=PATIENCE_S) as got:
        entry = json.loads(got.read())
    assert (entry["context_window"], entry["object"]) == (1_024, "model")
    assert entry["output_cents_per_million"] > entry["input_cents_per_million"]
    with pytest.raises(HTTPError, match="404"):
        urlopen(f"{stand_in}/v1/models/heron", timeout=PATIENCE_S)
