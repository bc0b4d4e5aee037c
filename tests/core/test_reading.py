"""How answers are cut up, and the measures that rest on it, against published numbers."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.checks.grounding.reference import chrf, rouge_l, token_f1
from epistem.core.checks.tone.readable import grade, syllables
from epistem.core.language.reading import items, lines, paragraphs, sentences, words


@pytest.mark.parametrize(
    ("text", "many"),
    [
        ("Dr. Calder met Mr. Fenn. They spoke.", 2),
        ("It costs 3.50 or 4.20 a day.", 1),
        ("We meet at 3 p.m. Please come.", 2),
        ("We meet at 3 p.m. in the hall.", 1),
        ("She works in the U.S. Office.", 1),
        ("J. R. Fenn wrote it.", 1),
        ("Bring fruit, e.g. Apples from home.", 1),
        ("“Stop!” he said.", 1),
        ("Really? Yes! Good.", 3),
        ("One...two", 1),
        ("Wait… what?", 1),
        ("1. First of all\n2. Second", 2),
        ("A title\n\nA line. Another.", 3),
        ("See version 2.0. It is new.", 2),
        ("今日は。明日は！", 2),
        ("No stop at the end", 1),
        ("", 0),
        ("...", 1),
        ("The shop (open till 5 p.m.) is near. Go there.", 2),
    ],
)
def test_sentences(text, many):
    assert len(sentences(text)) == many, [text[s.start : s.end] for s in sentences(text)]


@pytest.mark.parametrize(
    ("text", "many"),
    [
        ("one two\u00a0three", 3),
        ("well-known, e.g. at 9:40", 4),
        ("- a coat\n2. boots", 3),
        ("3 p.m. – sharp", 3),
        ("今日は", 3),
        ("https://pier.example/a_b?x=1", 1),
        ("... — ***", 0),
        ("don't O'Hara's", 2),
    ],
)
def test_words(text, many):
    assert len(words(text)) == many, [text[w.start : w.end] for w in words(text)]


@given(st.text(max_size=300))
def test_pieces_lie_in_order_within_the_text(text):
    for cut in (words, sentences, paragraphs, lines, items):
        pieces = cut(text)
        assert all(0 <= piece.start < piece.end <= len(text) for piece in pieces)
        assert all(one.end <= other.start for one, other in pairwise(pieces))


def test_rouge_l_of_the_examples_in_its_paper():
    """Lin 2004, section 3.1."""
    reference = "police killed the gunman"
    assert rouge_l("police kill the gunman", reference) == pytest.approx(0.75)
    assert rouge_l("the gunman kill police", reference) == pytest.approx(0.5)


def test_reading_grade_of_a_published_sentence():
    """24 syllables in 13 words: 0.39 · 13 + 11.8 · 24 / 13 − 15.59 = 11.27."""
    text = "The Australian platypus is seemingly a hybrid of a mammal and reptilian creature."
    assert sum(map(syllables, text.split())) == 24
    assert grade(text) == pytest.approx(11.3, abs=0.1)
    assert grade("Too few words.") is None
    assert grade("今日は船が遅れています。" * 5) is None


@given(st.text(max_size=60), st.text(max_size=60))
def test_likeness_is_whole_with_itself_and_never_beyond(one, other):
    for measure, most in ((chrf, 100.0), (rouge_l, 1.0), (token_f1, 1.0)):
        assert 0 <= measure(one, other) <= most + 1e-9
        assert measure(one, other) == pytest.approx(measure(one, other))
    if one.split():
        assert chrf(one, one) == pytest.approx(100)


def test_token_f1_leaves_articles_and_points_out():
    assert token_f1("The boat!", "a boat") == 1
    assert token_f1("red boat", "blue boat") == pytest.approx(0.5)
