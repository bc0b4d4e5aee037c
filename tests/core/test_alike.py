"""Cases that ask nearly the same are found, and others are not."""

from itertools import combinations

from hypothesis import given, settings
from hypothesis import strategies as st
from rapidfuzz import fuzz

from epistem.core.cases.alike import ALIKE, asked_text, near_duplicates
from epistem.core.cases.content import Case

texts = st.lists(
    st.text("abcd ", min_size=0, max_size=40)
    | st.sampled_from(["where is my coat", "where is my boat", ""]),
    max_size=12,
)


@settings(max_examples=150, deadline=None)
@given(texts)
def test_no_pair_is_found_that_is_not_alike_and_equal_ones_always_are(given_texts):
    found = near_duplicates(given_texts)
    assert all(pair.likeness >= ALIKE and pair.one < pair.other for pair in found)
    assert len({(pair.one, pair.other) for pair in found}) == len(found)
    for one, other in combinations(range(len(given_texts)), 2):
        same = given_texts[one] == given_texts[other]
        joined = any(pair.other == other for pair in found)
        assert not (same and given_texts[one]) or joined


def test_a_changed_letter_or_word_is_found_among_many_that_share_their_wording():
    many = [
        f"Please tell me when boat number {n} leaves for pier {n % 9}, thank you"
        for n in range(300)
    ]
    odd = "My black umbrella stayed on the upper deck of the noon sailing to Sandray"
    near = "my black umbrela stayed on the upper deck of the noon sailing to Sandray!"
    found = near_duplicates([*many, odd.casefold(), near.casefold()])
    assert (300, 301) in {(pair.one, pair.other) for pair in found}
    assert fuzz.ratio(odd.casefold(), near.casefold()) >= 100 * ALIKE


def test_what_is_compared_is_what_is_asked_not_what_is_expected():
    one = Case.from_json({"inputs": {"m": "Where  is\nit?"}, "turns": ["Now?"], "tags": ["a"]})
    assert asked_text(one) == "where is it? now?"
