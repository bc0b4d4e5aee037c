"""The sampler against closed forms, and what the settings do to answers."""

import json
import random
from math import exp, log

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from epistem.core.wire.tokens import count, tokens
from epistem.standin.sampler import Sampler, Settings, cut_to
from tests.standin.test_service import AS_JSON, NOTES, said

TEXTS = ("quiet morning", "loud evening", "at night", "the day")
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


def sampler(seed=1, **settings):
    return Sampler(Settings(**settings), random.Random(seed), top=20)


def drawn(count, seed=5, **settings):
    """How often each way is taken."""
    rng = random.Random(seed)
    ways = dict(zip(TEXTS, LOGITS, strict=True))
    found = [Sampler(Settings(**settings), rng).choose(ways) for _ in range(count)]
    return [found.count(text) for text in TEXTS]


@pytest.mark.parametrize("temperature", [0.3, 0.7, 1.0])
def test_draws_follow_the_softmax_at_every_temperature(temperature):
    """The first tokens of all ways differ, so the closed form is the softmax of their logits."""
    observed = drawn(20_000, temperature=temperature)
    expected = [share * 20_000 for share in softmax(LOGITS, temperature)]
    assert stats.chisquare(observed, expected).pvalue > 0.001


def test_ways_that_begin_alike_part_where_they_differ():
    ways = {"lost item": 2.0, "lost ring": 1.5, "delay": 1.0}
    rng = random.Random(3)
    found = [Sampler(Settings(0.5), rng).choose(ways) for _ in range(10_000)]
    # at temperature T a branch has the logit ln(sum of e^z of its ways): first, then within it
    branch = log(exp(2.0) + exp(1.5))
    lost, delay = softmax((branch, 1.0), 0.5)
    item, ring = softmax((2.0, 1.5), 0.5)
    expected = [10_000 * p for p in (lost * item, lost * ring, delay)]
    assert stats.chisquare([found.count(text) for text in ways], expected).pvalue > 0.001


def test_top_p_keeps_the_most_probable_and_shares_out_the_rest():
    kept = softmax(LOGITS[:2], 1.0)  # 0.47 and 0.29 reach 0.7 together
    observed = drawn(10_000, temperature=1.0, top_p=0.7)
    assert observed[2:] == [0, 0]
    assert stats.chisquare(observed[:2], [p * 10_000 for p in kept]).pvalue > 0.001


def test_penalties_number_by_number():
    found = sampler(temperature=1.0, frequency_penalty=0.5, presence_penalty=0.25)
    found.say(" day day night")
    assert found.adjusted(" day", 1.0) == pytest.approx(1.0 - (0.5 * 2 + 0.25))
    assert found.adjusted(" night", 1.0) == pytest.approx(1.0 - (0.5 + 0.25))
    assert found.adjusted(" sun", 1.0) == 1.0
    p = found.candidates({" day": 18.0, " night": 18.0, " sun": 18.0}).p
    assert [p[t] for t in (" day", " night", " sun")] == pytest.approx(
        softmax((18 - 1.25, 18 - 0.75, 18.0), 1.0), rel=0.01
    )


def test_a_negative_penalty_draws_a_word_back():
    found = sampler(temperature=1.0, presence_penalty=-2.0)
    before = found.candidates({" day": 17.0, " night": 18.0}).p[" day"]
    found.say(" day")
    assert found.candidates({" day": 17.0, " night": 18.0}).p[" day"] > 2 * before


def test_temperature_nothing_takes_the_largest_after_penalties():
    ways = dict(zip(TEXTS, LOGITS, strict=True))
    found = sampler(temperature=0.0, frequency_penalty=2.0)
    assert [found.choose(ways) for _ in range(3)] == list(TEXTS[:3])


def test_log_probabilities_are_the_very_numbers():
    ways = dict(zip(TEXTS, LOGITS, strict=True))
    found = sampler(temperature=0.5)
    said = found.choose(ways)
    first = found.written[0]
    assert "".join(token.text for token in found.written) == said
    told = {text: exp(logprob) for text, logprob in first.top[:4]}
    starts = {text: tokens(text)[0] for text in TEXTS}
    for text, p in zip(TEXTS, softmax(LOGITS, 0.5), strict=True):
        assert told[starts[text]] == pytest.approx(p, rel=1e-6)
    assert first.logprob == pytest.approx(log(told[first.text]))


def strays(temperature, top_p=1.0):
    """The share of tokens that are not the text's own."""
    text = "We open at ten on Saturdays, and the reading room stays open until two. " * 3
    wanted = set(tokens(text))
    written = []
    for seed in range(40):
        found = sampler(seed, temperature=temperature, top_p=top_p)
        found.say(text)
        written += [token.text for token in found.written]
    return sum(token not in wanted for token in written) / len(written)


def test_heat_reaches_single_tokens_from_about_1_3_and_ends_in_gibberish():
    calm, warm, hot = strays(1.0), strays(1.4), strays(2.0)
    assert calm < 0.01
    assert 0.01 < warm < 0.4
    assert hot > 0.5
    assert strays(1.3, top_p=0.9) == 0


@given(SETTINGS, st.lists(st.floats(-8, 8), min_size=1, max_size=6), st.text(max_size=30))
def test_probabilities_are_probabilities(settings, logits, text):
    found = Sampler(settings, random.Random(1), top=5)
    found.say(text)
    wanted = {f" way{number}": 18 + z for number, z in enumerate(logits)}
    candidates = found.candidates(wanted)
    assert sum(candidates.p.values()) + candidates.stray == pytest.approx(1)
    assert all(0 <= p <= 1 + 1e-12 for p in candidates.p.values())
    for token in (candidates.at(0.0), candidates.at(1 - 1e-9)):
        assert candidates.logprob(token) > log(1e-12) or candidates.p[token] > 0


@given(st.text(st.characters(exclude_categories=["Cs"]), max_size=80))
def test_tokens_put_together_are_the_text(text):
    assert "".join(tokens(text)) == text
    assert count(text) == len(tokens(text))


def test_everyday_words_are_few_tokens():
    text = "Could you tell me when the ferry leaves in the morning, please?"
    assert len(text.split()) <= count(text) <= 1.6 * len(text.split())


@given(st.lists(st.floats(0.01, 1), min_size=2, max_size=6), st.floats(0, 1))
def test_a_cut_keeps_the_order_and_the_top(weights, top_p):
    shares = [weight / sum(weights) for weight in weights]
    cut = cut_to(shares, top_p)
    best = max(range(len(shares)), key=shares.__getitem__)
    assert cut[best] > 0
    dropped = [p for p, kept in zip(shares, cut, strict=True) if kept == 0]
    assert all(p <= shares[at] for p in dropped for at, kept in enumerate(cut) if kept > 0)


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
