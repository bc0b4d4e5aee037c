"""The stand-in over HTTP, in domains that are not the demo's."""

import json
from collections import Counter
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.kit.subjects import NOTES as SHORT_NOTES
from tests.kit.waiting import PATIENCE_S

NOTES = [
    *SHORT_NOTES,
    ("Is the branch shut on Sunday morning?", "opening hours"),
    ("I dropped my library book in the harbour", "lost book"),
    ("This loan was due a while ago and I will pay the fine", "overdue"),
    ("Somebody left a library novel on my desk and then it went missing", "lost book"),
    ("Do you open before noon during the holidays?", "opening hours"),
    ("I am late with two returns, three weeks behind", "overdue"),
]
LABELS = "overdue, lost book, opening hours"
EXAMPLES = [
    ("My copy of the sea stories is gone, I had it on the train", "lost book"),
    ("The letter says I owe money since Monday", "overdue"),
    ("How late may one come on Fridays?", "opening hours"),
]
TASK = f"Sort the note to the library into one of: {LABELS}. Answer with the label alone."
AS_JSON = (
    f"Sort the note to the library into one of: {LABELS}. "
    "Answer in JSON with the keys label and urgency (1 to 5)."
)


def post(url, body):
    """(status, body) of the answer."""
    data = body if isinstance(body, bytes) else json.dumps(body).encode()
    try:
        with urlopen(Request(f"{url}/v1/chat/completions", data), timeout=PATIENCE_S) as answer:
            return answer.status, json.loads(answer.read())
    except HTTPError as error:
        return error.code, json.loads(error.read())


def request(note, *, model="tern-s", task=TASK, examples=(), **more):
    messages = [{"role": "system", "content": task}]
    for text, label in examples:
        messages += [{"role": "user", "content": text}, {"role": "assistant", "content": label}]
    return {"model": model, "messages": [*messages, {"role": "user", "content": note}], **more}


def said(url, note, **more):
    status, body = post(url, request(note, **more))
    assert status == 200, body
    return body["choices"][0]["message"]["content"]


def right(url, seeds=12, **more):
    """How often the label is right, over all notes and seeds."""
    hits = [
        said(url, note, seed=seed, **more).strip().strip('".').lower() == label
        for note, label in NOTES
        for seed in range(seeds)
    ]
    return sum(hits) / len(hits)


class TestProtocol:
    def test_a_completion_has_the_usual_shape(self, stand_in):
        status, body = post(stand_in, request("When do you open?", seed=1))
        assert status == 200
        assert body["object"] == "chat.completion"
        assert body["model"] == "tern-s"
        [choice] = body["choices"]
        assert choice["message"]["role"] == "assistant"
        assert choice["finish_reason"] == "stop"
        usage = body["usage"]
        assert usage["total_tokens"] == usage["prompt_tokens"] + usage["completion_tokens"]
        assert usage["prompt_tokens"] > 20

    def test_the_models_are_listed(self, stand_in):
        with urlopen(f"{stand_in}/v1/models") as answer:
            body = json.loads(answer.read())
        assert body["object"] == "list"
        assert {m["id"] for m in body["data"]} == {
            "tern-s",
            "gannet-l",
            "auk-think",
            "plover-judge",
            "dunlin-old",
        }

    def test_an_answer_is_cut_at_the_limit(self, stand_in):
        status, body = post(
            stand_in, request("x", task="Tell a long story of a library.", max_tokens=3)
        )
        assert status == 200
        assert body["choices"][0]["finish_reason"] == "length"
        assert body["usage"]["completion_tokens"] == 3

    @pytest.mark.parametrize(
        ("body", "status", "param"),
        [
            (b"{", 400, None),
            ([], 400, None),
            ({"messages": []}, 400, "model"),
            ({"model": "tern-xl", "messages": [{"role": "user", "content": "x"}]}, 404, "model"),
            ({"model": "tern-s"}, 400, "messages"),
            ({"model": "tern-s", "messages": [{"role": "captain"}]}, 400, "messages[0].role"),
            (request("x", temperature=3), 400, "temperature"),
            (request("x", temperature=True), 400, "temperature"),
            (request("x", max_tokens=0), 400, "max_tokens"),
            (request("x", seed="one"), 400, "seed"),
            (request("x", n=0), 400, "n"),
            (request("x", n=99), 400, "n"),
            (request("x", stop=["a", "b", "c", "d", "e"]), 400, "stop"),
            (request("x", stop=5), 400, "stop"),
            (request("x", stream="yes"), 400, "stream"),
            (request("x", stream_options={"include_usage": True}), 400, "stream_options"),
            (request("x", response_format={"type": "xml"}), 400, "response_format"),
        ],
    )
    def test_a_wrong_value_is_refused_by_name(self, stand_in, body, status, param):
        code, answer = post(stand_in, body)
        assert code == status
        assert answer["error"]["param"] == param
        assert answer["error"]["message"]

    def test_unknown_fields_are_ignored(self, stand_in):
        assert post(stand_in, request("x", favourite_colour="blue"))[0] == 200

    @settings(max_examples=150)
    @given(
        st.recursive(
            st.none()
            | st.booleans()
            | st.integers()
            | st.floats(allow_nan=False)
            | st.text(max_size=20),
            lambda inner: (
                st.lists(inner, max_size=3)
                | st.dictionaries(
                    st.sampled_from(["model", "messages", "role", "content", "seed", "x"]),
                    inner,
                    max_size=4,
                )
            ),
            max_leaves=12,
        ),
        st.booleans(),
    )
    def test_anything_sent_gets_a_well_formed_answer(self, stand_in, junk, wrap):
        body = (
            {"model": "tern-s", "messages": [{"role": "user", "content": junk}]} if wrap else junk
        )
        status, answer = post(stand_in, body)
        assert status in (200, 400, 404)
        assert ("choices" in answer) == (status == 200)
        assert ("error" in answer) == (status != 200)


class TestSampling:
    def test_the_same_seed_gives_the_same_answer_and_others_differ(self, stand_in):
        def bodies(seed):
            return [
                post(stand_in, request(note, task=AS_JSON, seed=seed, temperature=1))
                for note, _ in NOTES
            ]

        assert bodies(1) == bodies(1)
        assert bodies(1) != bodies(2)

    def test_without_a_seed_answers_differ(self, stand_in):
        answers = {said(stand_in, NOTES[0][0], task=AS_JSON, temperature=1.4) for _ in range(30)}
        assert len(answers) > 1

    def test_temperature_zero_repeats_itself(self, stand_in):
        for note, _ in NOTES:
            assert len({said(stand_in, note, temperature=0, seed=seed) for seed in range(8)}) == 1

    def test_a_higher_temperature_makes_repeats_differ_more(self, stand_in):
        def agreement(temperature):
            """The mean share of the commonest answer."""
            shares = []
            for note, _ in NOTES:
                answers = Counter(
                    said(stand_in, note, temperature=temperature, seed=seed) for seed in range(20)
                )
                shares.append(answers.most_common(1)[0][1] / 20)
            return sum(shares) / len(shares)

        cold, warm, hot = agreement(0.2), agreement(0.9), agreement(1.8)
        assert cold > warm > hot
        assert cold - hot > 0.15


class TestSorting:
    def test_both_models_beat_chance_by_far_in_a_domain_of_their_own(self, stand_in):
        assert right(stand_in, model="tern-s") > 0.5
        assert right(stand_in, model="gannet-l") > 0.6

    def test_worked_examples_help(self, stand_in):
        bare = right(stand_in, model="tern-s")
        shown = right(stand_in, model="tern-s", examples=EXAMPLES)
        assert shown > bare

    def test_the_careful_model_errs_less(self, stand_in):
        def both(model):
            settings = {"model": model, "temperature": 1.0, "seeds": 24}
            return right(stand_in, **settings) + right(stand_in, examples=EXAMPLES, **settings)

        assert both("gannet-l") > both("tern-s") > both("dunlin-old")

    def test_the_nearest_example_decides_where_the_labels_say_nothing(self, stand_in):
        task = "Sort the note into one of: A1, B2. Answer with the label alone."
        shown = [("The kettle is leaking again", "A1"), ("Please water the fern in the hall", "B2")]
        answers = [
            said(stand_in, note, task=task, examples=shown, model="gannet-l", temperature=0).strip()
            for note in ("The kettle leaks on the table", "Who will water the fern?")
        ]
        assert answers == ["A1", "B2"]

    def test_swapping_the_examples_labels_swaps_the_answers(self, stand_in):
        task = "Sort the note into one of: A1, B2. Answer with the label alone."
        swapped = [
            ("The kettle is leaking again", "B2"),
            ("Please water the fern in the hall", "A1"),
        ]
        assert (
            said(
                stand_in,
                "The kettle leaks on the table",
                task=task,
                examples=swapped,
                model="gannet-l",
                temperature=0,
            ).strip()
            == "B2"
        )

    def test_labels_come_from_the_request_only(self, stand_in):
        for seed in range(20):
            answer = said(
                stand_in,
                "A horse on the quay",
                task="Choose one of: tea, coffee. Answer with the label alone.",
                seed=seed,
                model="gannet-l",
            )
            assert answer.strip().strip('".').lower() in ("tea", "coffee")


class TestJson:
    def fits(self, stand_in, **more):
        """How often the answer is bare JSON with the keys asked for."""
        good = 0
        for seed in range(40):
            text = said(stand_in, NOTES[seed % len(NOTES)][0], task=AS_JSON, seed=seed, **more)
            try:
                value = json.loads(text)
            except ValueError:
                continue
            good += set(value) == {"label", "urgency"} and value["urgency"] in range(1, 6)
        return good / 40

    def test_it_is_json_mostly_and_the_careful_model_more_often(self, stand_in):
        careless, careful = (
            self.fits(stand_in, model="tern-s"),
            self.fits(stand_in, model="gannet-l"),
        )
        assert 0.5 < careless < 1
        assert careful >= careless

    def test_a_schema_that_is_sent_along_is_kept_to(self, stand_in):
        schema = {
            "type": "object",
            "properties": {
                "label": {"enum": ["overdue", "lost book"]},
                "pages": {"type": "integer", "minimum": 3, "maximum": 7},
            },
            "required": ["label", "pages"],
        }
        wanted = {
            "type": "json_schema",
            "json_schema": {"name": "reply", "strict": True, "schema": schema},
        }
        for seed in range(15):
            value = json.loads(
                said(
                    stand_in,
                    NOTES[0][0],
                    task="Sort the note.",
                    seed=seed,
                    model="gannet-l",
                    response_format=wanted,
                )
            )
            assert value["label"] in ("overdue", "lost book")
            assert 3 <= value["pages"] <= 7
