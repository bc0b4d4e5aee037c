"""Cutting, references, look-ups and their measures: known values, and what holds for any text."""

from math import log, log2

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.engine.looking import filled
from epistem.core.engine.needs import Found
from epistem.core.engine.run import from_list
from epistem.core.errors import InvalidInput
from epistem.core.knowledge import measures
from epistem.core.knowledge.cutting import Cut, cut
from epistem.core.knowledge.formats.reading import read_document
from epistem.core.knowledge.fusing import fused
from epistem.core.knowledge.index import K1, B, Index, best
from epistem.core.knowledge.meaning import cosines, unit
from epistem.core.knowledge.references import Before, numbered, parted, stem_of
from epistem.core.knowledge.segments import segment_from_bytes, segment_of, segment_to_bytes
from epistem.core.knowledge.terms import asked, matched, terms
from epistem.core.knowledge.text import Heading, Text
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.rename import rename_input
from epistem.core.prompts.render import render

MARKDOWN = b"""Before all.

# Luggage

## Bags
Two pieces. None over 20 kg.

## Bicycles
### Folding
Free in a bag.

### Others
They cost 4 euros.
```
# no heading
```
Setext
======
The end.
"""
words = st.sampled_from(
    ["boat", "Boats.", "\n\n", "\n", "# ", " ", "Mr. Smith went. ", "ä", "18:45", "x" * 50]
)
texts = st.lists(words, max_size=60).map("".join)
cuts = st.builds(
    Cut, by=st.sampled_from(["headings", "length", "hand"]), most=st.integers(100, 300),
    overlap=st.integers(0, 80), level=st.integers(1, 6), at=st.lists(st.integers(0, 400), max_size=5),
)  # fmt: skip


def pieces(text, how):
    return [text.text[piece.lead : piece.end].strip() for piece in cut(text, how)]


@settings(max_examples=300, deadline=None)
@given(texts, cuts)
def test_cutting_loses_no_character_whatever_the_way(text, how):
    starts = [at for at, sign in enumerate(text) if sign == "#"]
    document = Text(text, "", tuple(Heading(at, 1 + at % 3, "h") for at in starts))
    slices = cut(document, how)
    if not text.strip():
        assert slices == []
        return
    assert "".join(text[each.start : each.end] for each in slices) == text
    assert all(text[each.start : each.end].strip() for each in slices)
    if how.by != "hand":
        assert all(len(text[e.start : e.end].strip()) <= how.most + 60 for e in slices)
    assert all(each.start - each.lead <= how.overlap for each in slices)


class TestCutting:
    def test_headings_stand_in_the_path_and_not_in_the_text(self):
        text = read_document("luggage.md", MARKDOWN)
        found = [
            (piece.path, told)
            for piece, told in zip(cut(text, Cut()), pieces(text, Cut()), strict=True)
        ]
        assert found == [
            ((), "Before all."),
            (("Luggage", "Bags"), "Two pieces. None over 20 kg."),
            (("Luggage", "Bicycles", "Folding"), "Free in a bag."),
            (("Luggage", "Bicycles", "Others"), "They cost 4 euros.\n```\n# no heading\n```"),
            (("Setext",), "The end."),
        ]

    def test_a_sentence_of_fifty_thousand_letters_is_cut_all_the_same(self):
        text = Text("word " * 10_000 + "end.")
        told = cut(text, Cut(by="length", most=1_000))
        assert (len(told), max(e.end - e.start for e in told)) == (51, 1_000)

    def test_an_overlap_begins_with_a_sentence(self):
        text = Text("One is one. Two is two. Three is three. " * 10)
        first, second, *_ = cut(text, Cut(by="length", most=100, overlap=30))
        assert (
            text.text[second.lead : second.start] == text.text[first.end - 28 : first.end].lstrip()
        )
        assert text.text[second.lead :].startswith(("One", "Two", "Three"))


class TestReferences:
    BEFORE = (
        Before(1, "The fare is nine euros for all."),
        Before(2, "Dogs are free."),
        Before(5, "No cats."),
    )

    @pytest.mark.parametrize(
        ("now", "numbers"),
        [
            (["The fare is nine euros for all.", "Dogs are free.", "No cats."], [1, 2, 5]),
            (
                ["New.", "The fare is nine euros for all.", "No cats.", "Dogs are free."],
                [10, 1, 5, 2],
            ),
            (["The fare is ten euros for all.", "No cats."], [1, 5]),
            (["Something that is quite different, at length.", "No cats."], [10, 5]),
            ([], []),
        ],
    )
    def test_what_stays_the_same_keeps_its_number_and_what_is_new_never_gets_an_old_one(
        self, now, numbers
    ):
        assert numbered(self.BEFORE, now, 9) == numbers

    def test_what_stands_alone_under_its_heading_keeps_its_number_however_it_is_reworded(self):
        before = [Before(3, "The sum of nine euros is payable.", ["Fares", "Adults"])]
        assert numbered(before, ["You pay 9."], 3, [["Fares", "Adults"]]) == [3]
        assert numbered(before, ["You pay 9.", "Or less."], 3, [["Fares", "Adults"]] * 2) == [4, 5]

    @settings(max_examples=100, deadline=None)
    @given(st.lists(texts, max_size=8), st.lists(texts, max_size=8))
    def test_no_number_is_given_twice(self, was, now):
        before = [Before(at + 1, text) for at, text in enumerate(was)]
        found = numbered(before, now, len(was))
        assert len(found) == len(now) == len(set(found))

    def test_stems_are_plain_and_told_apart(self):
        assert stem_of("rules/Über Gepäck (2).md") == "uber-gepack-2"
        assert stem_of("luggage.md", {"luggage", "luggage-2"}) == "luggage-3"
        assert stem_of("???.pdf") == "document"
        assert (parted("luggage#3"), parted("luggage#"), parted("a b#1")) == (
            ("luggage", 3),
            None,
            None,
        )


class TestLookUp:
    TEXTS = ("cat sat mat", "cat cat dog", "bird")

    def test_bm25_is_what_one_reckons_by_hand(self):
        index = Index([segment_of(self.TEXTS)])
        average = 7 / 3
        weight = log(1 + (3 - 2 + 0.5) / (2 + 0.5))
        by_hand = [
            weight * tf * (K1 + 1) / (tf + K1 * (1 - B + B * length / average))
            for tf, length in ((1, 3), (2, 3))
        ]
        assert index.scores("cat") == pytest.approx([*by_hand, 0.0])
        rare = log(1 + (3 - 1 + 0.5) / (1 + 0.5))
        dog = rare * (K1 + 1) / (1 + K1 * (1 - B + B * 3 / average))
        assert index.scores("the cats and dogs")[1] == pytest.approx(by_hand[1] + dog)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.lists(texts, min_size=1, max_size=4), min_size=1, max_size=5),
        texts,
        st.randoms(),
    )
    def test_it_is_the_same_whatever_was_added_first_and_after_it_was_kept(
        self, documents, question, order
    ):
        kept = [segment_from_bytes(segment_to_bytes(segment_of(each))) for each in documents]
        whole = Index([segment_of([text for each in documents for text in each])])
        split = Index(kept)
        assert np.array_equal(whole.scores(question), split.scores(question))
        places = list(range(len(kept)))
        order.shuffle(places)
        mixed = Index([kept[at] for at in places]).scores(question)
        starts = np.cumsum([0, *(len(documents[at]) for at in places)])
        back = {at: mixed[starts[n] : starts[n + 1]] for n, at in enumerate(places)}
        assert np.allclose(
            np.concatenate([back[at] for at in sorted(back)]), split.scores(question)
        )

    def test_equal_scores_go_by_place_and_what_has_no_word_is_not_found(self):
        scores = np.array([1.0, 0.0, 2.0, 1.0, 1.0])
        assert [hit.at for hit in best(scores, 3)] == [2, 0, 3]
        assert [hit.at for hit in best(scores, 9, np.array([True, True, False, True, False]))] == [
            0,
            3,
        ]
        assert [hit.at for hit in best(scores, 9, least=1.5)] == [2]
        assert best(scores, 9, least=9) == []

    def test_word_forms_numbers_and_times_are_known_and_little_words_ask_nothing(self):
        assert terms("The boats’ 18:45 sailings, 4.50!") == terms("the boat's 18:45 sailing 4.50")
        assert asked("When is the boat?") == ["boat"]
        assert asked("What is it?") == sorted(set(terms("What is it?")))
        text = "Two boats, one boat."
        assert [text[start:end] for start, end in matched(text, asked("boat"))] == ["boats", "boat"]

    def test_ranks_are_fused_by_their_reciprocals(self):
        found = fused([[7, 3, 5], [3, 9]], 3)
        assert [hit.at for hit in found] == [3, 7, 9]
        assert found[0].score == pytest.approx(1 / 62 + 1 / 61)

    def test_cosines_are_of_unit_vectors_and_odd_ones_are_refused(self):
        rows = np.stack([unit([3, 4]), unit([0, 0])])
        assert cosines(rows, unit([3, 4])) == pytest.approx([1.0, 0.0])
        with pytest.raises(ValueError, match="finite"):
            unit([float("nan"), 1])


class TestLookedUpInputs:
    def prompt(self, **looking):
        looking = {"collection": "rules", "question": "said", **looking}
        inputs = [{"name": "rules", "kind": "passages", "look_up": looking}, {"name": "said"}]
        parts = [{"name": "All", "text": "{{ rules }} {{ said }}"}]
        return Prompt.from_json({"messages": [{"role": "user", "parts": parts}], "inputs": inputs})

    def test_a_question_of_no_input_and_a_kind_that_holds_no_passages_are_problems(self):
        assert problems_of(self.prompt()) == problems_of(self.prompt(question="")) == []
        for odd in (self.prompt(question="gone"), self.prompt(question="rules")):
            assert [each.field for each in problems_of(odd)] == ["inputs.0.look_up"]
        text = self.prompt()
        text.inputs[0].kind = "text"
        assert "kind has to be passages" in problems_of(text)[0].message

    def test_a_renamed_input_is_still_the_question(self):
        renamed = rename_input(self.prompt(), "said", "message").content
        assert renamed.inputs[0].look_up.question == "message"

    @pytest.mark.parametrize(
        ("inputs", "asked"), [({"said": "dogs?"}, 1), ({"said": " "}, 0), ({}, 0)]
    )
    def test_where_nothing_is_found_the_model_is_told(self, inputs, asked):
        needs, (told, found) = from_list(filled(self.prompt(), inputs), [Found(4, ())] * asked)
        assert (len(needs), found[0].looking.version) == (asked, 4 if asked else None)
        [message] = render(self.prompt(), {"said": "", **told})
        assert message.text.startswith("(Nothing was found.)")

    def test_what_a_case_gives_itself_is_not_looked_up(self):
        given = {"said": "x", "rules": [{"text": "Own."}]}
        assert from_list(filled(self.prompt(), given), []) == ([], (given, ()))


class TestMeasures:
    def test_known_values(self):
        """The worked example of K. Järvelin and J. Kekäläinen's measure with gains of 0 and 1."""
        found = ["a", "x", "b", "y", "c"]
        assert measures.recall(found, ["a", "b", "z"], 3) == pytest.approx(2 / 3)
        assert measures.reciprocal_rank(found, ["b", "c"]) == pytest.approx(1 / 3)
        assert measures.reciprocal_rank(found, ["z"]) == 0.0
        gained = 1 + 1 / log2(4)
        assert measures.ndcg(found, ["a", "b", "z"], 4) == pytest.approx(
            gained / (1 + 1 / log2(3) + 0.5)
        )
        assert measures.ndcg(["a", "a"], ["a"], 2) == 1.0

    @given(
        st.lists(st.sampled_from("abcdef"), max_size=8),
        st.sets(st.sampled_from("abcdef"), min_size=1),
    )
    def test_they_lie_between_none_and_all(self, found, wanted):
        told = (
            measures.recall(found, wanted, 5),
            measures.reciprocal_rank(found, wanted),
            measures.ndcg(found, wanted, 5),
        )
        assert all(0 <= value <= 1 for value in told)


class TestFormats:
    def test_html_is_read_as_one_reads_it(self):
        page = (
            b"<html><head><title>Rules</title><style>p{}</style><script>alert(1)</script></head><body><h1>Fares</h1>"
            b"<p>An <b>adult</b> pays 4&nbsp;euros.</p><p hidden>secret</p><ul><li>one</li><li>two</li></ul>"
            b"<table><tr><td>a</td><td>b</td></tr></table><h2>Kids</h2>Free.</body></html>"
        )
        text = read_document("rules.html", page)
        assert (
            text.text
            == "Fares\n\nAn adult pays 4 euros.\n\n- one\n- two\n\na | b\n\nKids\n\nFree.\n"
        )
        assert [(text.text[h.start :].split("\n")[0], h.level) for h in text.headings] == [
            ("Fares", 1),
            ("Kids", 2),
        ]
        assert (text.title, text.told) == ("Fares", ("Scripts and styles were left out.",))
        assert [piece.path for piece in cut(text, Cut())] == [("Fares",), ("Fares", "Kids")]

    def test_a_row_of_a_table_is_a_passage(self):
        text = read_document("boats.csv", "\ufeffpier;time\nHollin;08:10\n\nNess;\n".encode())
        slices = cut(text, Cut(by="rows"))
        assert [(each.title, told) for each, told in zip(slices, pieces(text, Cut(by="rows")), strict=True)] == [
            ("Hollin", "pier: Hollin\ntime: 08:10"), ("Ness", "pier: Ness"),
        ]  # fmt: skip

    @pytest.mark.parametrize(
        ("name", "content", "says"),
        [
            ("empty.txt", b" \n", "no text in it"),
            ("scan.pdf", None, "pages are pictures"),
            ("torn.pdf", b"%PDF-1.4 and no more", "damaged"),
            ("blob.txt", bytes(range(256)) * 20, "not a text file"),
            ("bare.html", b"<script>only()</script>", "no text in it"),
        ],
    )
    def test_what_has_no_text_says_so(self, name, content, says):
        with pytest.raises(InvalidInput, match=says):
            read_document(name, PICTURE_PDF if content is None else content)

    def test_a_pdf_gives_its_pages(self):
        text = read_document("named otherwise.txt", TEXT_PDF)
        assert text.text.split() == ["Dogs", "travel", "free."]


def pdf(content: bytes) -> bytes:
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>", b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 300 100] /Contents 4 0 R "
        b"/Resources << /Font << /F 5 0 R >> >> >>",
        b"<< /Length %d >>\nstream\n%b\nendstream" % (len(content), content),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]  # fmt: skip
    out, places = b"%PDF-1.4\n", []
    for number, told in enumerate(objects, 1):
        places.append(len(out))
        out += b"%d 0 obj\n%b\nendobj\n" % (number, told)
    table = b"".join(b"%010d 00000 n \n" % place for place in places)
    end = b"xref\n0 6\n0000000000 65535 f \n%btrailer << /Size 6 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF"
    return out + end % (table, len(out))


TEXT_PDF = pdf(b"BT /F 12 Tf 20 50 Td (Dogs travel free.) Tj ET")
PICTURE_PDF = pdf(b"0 0 100 100 re f")
