"""The sampler against closed forms, and what the settings do to answers."""

import json
import random
from math import exp

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from epistem.standin.sampler import Sampler, Settings, cut_to
from tests.standin.test_service import AS_JSON, NOTES, said

TEXTS = ("a quiet morning", "a loud evening", "noon", "midnight")
LOGITS = (1.0, 0.5, 0.0, -1.0)
SETTINGS = st.builds(
    Settings,
    temperature=st.floats(0, 2),
    top_p=st.floats(0, 1),
    frequency_penalty=st.floats(-2, 2),
    presence_penalty=st.floats(-2, 2),
)


def softmax(values, temperature):
    weights = [exp(value / temperature) for value in values]
    return [weight / sum(weights) for weight in weights]


@pytest.mark.parametrize("temperature", [0.3, 1.0, 2.0])
def test_draws_follow_the_softmax_at_every_temperature(temperature):
    sampler = Sampler(Settings(temperature), random.Random(5))
    drawn = [sampler.choose(TEXTS, LOGITS) for _ in range(20_000)]
    expected = [share * 20_000 for share in softmax(LOGITS, temperature)]
    observed = [drawn.count(text) for text in TEXTS]
    assert stats.chisquare(observed, expected).pvalue > 0.001


def test_top_p_keeps_the_most_probable_and_shares_out_the_rest():
    sampler = Sampler(Settings(1.0, top_p=0.7), random.Random(5))
    kept = softmax(LOGITS[:2], 1.0)  # 0.47 and 0.29 reach 0.7 together
    assert sampler.probabilities(TEXTS, LOGITS) == pytest.approx([*kept, 0, 0])
    drawn = [sampler.choose(TEXTS, LOGITS) for _ in range(10_000)]
    assert set(drawn) == set(TEXTS[:2])
    assert (
        stats.chisquare([drawn.count(t) for t in TEXTS[:2]], [p * 10_000 for p in kept]).pvalue
        > 0.001
    )


def test_penalties_number_by_number():
    sampler = Sampler(Settings(1.0, frequency_penalty=0.5, presence_penalty=0.25), random.Random(1))
    sampler.note("noon and noon and night")  # noon 2, and 2, night 1
    assert sampler.adjusted("noon", 1.0) == pytest.approx(1.0 - (0.5 * 2 + 0.25))
    # two tokens, one of them said once: the mean over both
    assert sampler.adjusted("night owl", 1.0) == pytest.approx(1.0 - (0.5 + 0.25) / 2)
    assert sampler.adjusted("dawn", 1.0) == 1.0
    assert sampler.adjusted("", 1.0) == 1.0


def test_a_negative_penalty_draws_a_word_back():
    sampler = Sampler(Settings(1.0, presence_penalty=-2.0), random.Random(1))
    before = sampler.probabilities(TEXTS, LOGITS)[2]
    sampler.note("noon")
    assert sampler.probabilities(TEXTS, LOGITS)[2] > 3 * before


def test_temperature_nothing_takes_the_largest_after_penalties():
    sampler = Sampler(Settings(0.0, frequency_penalty=2.0), random.Random(1))
    assert sampler.choose(TEXTS, LOGITS) == TEXTS[0]
    sampler.note("a quiet morning a quiet morning")
    assert sampler.choose(TEXTS, LOGITS) == "noon"


@given(SETTINGS, st.lists(st.floats(-8, 8), min_size=1, max_size=6), st.text(max_size=30))
def test_probabilities_are_probabilities(settings, logits, text):
    sampler = Sampler(settings, random.Random(1))
    sampler.note(text)
    texts = [f"way {number}" for number in range(len(logits))]
    found = sampler.probabilities(texts, logits)
    assert sum(found) == pytest.approx(1)
    assert all(0 <= p <= 1 + 1e-12 for p in found)
    assert sampler.choose(texts, logits) in [t for t, p in zip(texts, found, strict=True) if p > 0]


@given(st.lists(st.floats(0.01, 1), min_size=2, max_size=6), st.floats(0, 1))
def test_a_cut_keeps_the_order_and_the_top(weights, top_p):
    shares = [weight / sum(weights) for weight in weights]
    cut = cut_to(shares, top_p)
    best = max(range(len(shares)), key=shares.__getitem__)
    assert cut[best] > 0
    dropped = [p for p, kept in zip(shares, cut, strict=True) if kept == 0]
    assert all(p <= shares[at] for p in dropped for at, kept in enumerate(cut) if kept > 0)


def test_a_rare_thing_is_ruled_out_by_top_p_and_a_likely_one_is_not():
    sampler = Sampler(Settings(1.0, top_p=0.9), random.Random(1))
    assert not any(sampler.happens(0.05) for _ in range(2_000))
    assert 0.25 < sum(sampler.happens(0.3) for _ in range(2_000)) / 2_000 < 0.35


class TestOnAnswers:
    def reasons(self, url, **settings):
        texts = []
        task = AS_JSON.replace("urgency (1 to 5)", "reason (one short sentence)")
        for seed in range(10):
            for note, _ in NOTES:
                text = said(url, note, task=task, seed=seed, model="gannet-l", **settings)
                try:
                    texts.append(json.loads(text)["reason"])
                except (ValueError, KeyError):
                    continue
        assert len(texts) > 100
        return texts

    def share(self, url, **settings):
        """How many reasons say the label again, which stands in the answer already."""
        texts = self.reasons(url, **settings)
        return sum("fits" in text for text in texts) / len(texts)

    def test_penalties_make_it_say_a_word_again_less_or_more_often(self, stand_in):
        less, usual, more = (self.share(stand_in, presence_penalty=p) for p in (2, 0, -2))
        assert less < usual < more
        assert more - less > 0.2

    def test_a_low_top_p_makes_answers_alike(self, stand_in):
        assert len(set(self.reasons(stand_in, top_p=0.2))) < len(set(self.reasons(stand_in))) / 2
