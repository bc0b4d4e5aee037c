"""Measures of tone against values worked out by hand, or published with the formula."""

import pytest

from epistem.core.checks.tone.classes import class_of
from epistem.core.checks.tone.manner import formality
from epistem.core.checks.tone.mirror import likeness, style
from epistem.core.checks.tone.sentiment import mood, mood_of


def test_formality_is_that_of_the_shares_of_its_word_classes():
    # 3 nouns, 1 adjective, 2 prepositions and 3 articles of 11 words; a verb and an adverb against them.
    text = "The boat of the harbour is near the old pier now."
    assert formality(text) == pytest.approx((100 * 9 / 11 - 100 * 2 / 11 + 100) / 2)
    assert formality("I go now. You do it too, ok?") == pytest.approx(0.0, abs=1)
    assert formality("Only a few words.") is None
    assert formality("これは日本語の文章です。とても長いです。") is None


def test_sentiment_is_as_its_authors_published_it():
    # The examples in the description of the lexicon's package.
    for sentence, compound in (
        ("VADER is smart, handsome, and funny.", 0.8316),
        ("VADER is not smart, handsome, nor funny.", -0.7424),
        ("Today only kinda sux! But I'll get by, lol", 0.5249),
    ):
        assert mood_of(sentence) == compound
    assert mood("VADER is smart, handsome, and funny. The pier is long.") == pytest.approx(0.4158)
    assert mood("") is None


def test_a_style_is_like_itself_and_less_like_others():
    easy, stiff = (
        style("hey! it's here, come get it!!"),
        style("The bag is held at the office of the harbour master."),
    )
    assert easy is not None
    assert stiff is not None
    assert likeness(easy, easy) == 100
    assert likeness(easy, stiff) == likeness(stiff, easy) < 45


@pytest.mark.parametrize(
    ("word", "told"),
    [
        ("quickly", "adverb"), ("station", "noun"), ("useful", "adjective"), ("walked", "verb"), ("We", "pronoun"),
        ("between", "preposition"), ("12", "number"), ("Don’t", "verb"), ("oh", "interjection"), ("pier", "noun"),
    ],
)  # fmt: skip
def test_word_classes_are_told_by_lists_and_endings(word, told):
    assert class_of(word) == told
