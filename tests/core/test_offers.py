"""Rules found in a prompt's own words, in domains of all kinds, and the checks that they ask for."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.checks.offers.rules import rules_of
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Message, Part, Prompt, ReplyShape


def prompt_of(text, role="system", reply=None):
    return Prompt(
        messages=[Message(role=role, parts=[Part(name="Rules", text=text)])],
        reply=reply or ReplyShape(),
    )


def offered(text, **more):
    return [
        (offer.use.check, offer.use.options)
        for rule in rules_of(prompt_of(text, **more), [])
        for offer in rule.offers
        if offer.use.check != "judge.yes_no"
    ]


@pytest.mark.parametrize(
    ("text", "check", "options"),
    [
        ("Answer in at most 40 words.", "structure.length", {"of": "word", "most": 40}),
        ("Use no more than three sentences.", "structure.length", {"of": "sentence", "most": 3}),
        ("Keep it under 200 characters.", "structure.length", {"of": "character", "most": 199}),
        ("Write between two and four paragraphs.", "structure.length", {"of": "paragraph", "least": 2, "most": 4}),
        ("Give 3-5 bullet points.", "structure.length", {"of": "item", "least": 3, "most": 5}),
        ("The recipe has at least ten lines.", "structure.length", {"of": "line", "least": 10, "most": None}),
        ("Describe the vase in exactly two sentences.", "structure.length", {"of": "sentence", "least": 2, "most": 2}),
        ("Ask one question at a time.", "tone.questions", {"most": 1}),
        ("Don't use emoji.", "tone.emoji", {}),
        ("Never promise a cure.", "safety.promises", {}),
        ("Do not share any links.", "safety.links", {}),
        ("Never give out phone numbers.", "safety.personal_data", {}),
        ("No markdown, please.", "structure.plain_text", {}),
        ("Write in plain language.", "tone.reading_grade", {}),
        ("Reply in German.", "structure.language", {"language": "German"}),
        ("Answer only from the court record.", "grounding.supported", {}),
        ("Don’t make anything up.", "grounding.supported", {}),
        ('If it does not say, write "Ask your doctor."', "grounding.not_known", {"phrases": ["Ask your doctor."]}),
        ('For anything else say "Not my garden."', "safety.refuses", {"phrases": ["Not my garden."]}),
        ('Never say "cheap" or “bargain”.', "safety.forbidden", {"phrases": ["cheap", "bargain"]}),
        ("Never mention competitors.", "safety.forbidden", {"phrases": ["competitors"]}),
        ('Always mention “the warranty”.', "outcome.must_say", {"phrases": ["the warranty"]}),
        ("Write in a formal tone.", "tone.formality", {"least": 60, "most": None}),
        ("Keep it casual.", "tone.formality", {"most": 50}),
        ("Don't use the passive voice.", "tone.passive", {}),
        ("Avoid jargon.", "tone.concrete", {}),
        ("Always be polite.", "tone.polite", {}),
        ("Never sound condescending.", "tone.cold", {}),
        ("Adapt to the reader's style.", "tone.mirrors", {}),
        ("Never give medical or legal advice.", "safety.advice", {"kinds": ["medical", "legal"]}),
        ("Do not diagnose anybody.", "safety.advice", {"kinds": ["medical"]}),
        ("Don't repeat the patient's name.", "safety.given", {}),
        ("Always cite the number of the passage.", "grounding.citations", {}),
        ("Answer in Markdown.", "structure.markdown", {}),
        ("The reply must be valid HTML.", "structure.markup", {"kind": "HTML"}),
        ("Write times in 24-hour format.", "structure.formats", {"times": "18:45", "dates": "any"}),
        ('Begin with "Dear member".', "structure.matches", {"pattern": r"\A\s*Dear\ member"}),
    ],
)  # fmt: skip
def test_a_rule_asks_for_its_check_with_the_options_filled_in(text, check, options):
    assert (check, options) in offered(text)


@pytest.mark.parametrize(
    "text",
    [
        "You help people who grow tomatoes.",
        "The ferry has 40 places and three decks.",
        "A passenger wrote 12 words.",
        "The notices follow.",
        "{{ message }}",
        "",
    ],
)
def test_what_is_no_rule_is_passed_over(text):
    assert rules_of(prompt_of(text), []) == []


def test_the_words_that_caused_it_are_quoted_at_their_place():
    text = "Good day.\n\nNever promise money. {{ name }} wrote."
    [rule] = rules_of(prompt_of(text), [])
    assert (rule.words, rule.path, rule.part) == (
        "Never promise money.",
        "messages.0.parts.0.text",
        "Rules",
    )
    assert text[rule.start : rule.end] == rule.words


def test_a_rule_without_a_check_of_the_library_is_left_to_a_judge():
    [rule] = rules_of(prompt_of("You must sound like an old friend."), [])
    [offer] = rule.offers
    assert offer.use.check == "judge.yes_no"
    assert "You must sound like an old friend." in offer.use.options["question"]
    [again] = rules_of(prompt_of("You must sound like an old friend."), [offer.use])
    assert (again.guards, again.offers) == ((0,), ())


def test_a_rule_that_is_watched_over_names_its_guards():
    uses = [CheckUse(check="tone.emoji"), CheckUse(check="structure.length")]
    [rule] = rules_of(prompt_of("At most 40 words and no emoji."), uses)
    assert (rule.guards, rule.offers) == ((0, 1), ())


def test_examples_and_parts_that_are_off_have_no_rules():
    assert rules_of(prompt_of("Never promise money.", role="assistant"), []) == []
    off = Prompt(
        messages=[Message(role="system", parts=[Part(name="A", text="Never promise.", off=True)])]
    )
    assert rules_of(off, []) == []


def test_a_check_that_the_reply_cannot_have_is_not_offered():
    assert offered("Answer in JSON.") == []
    shape = ReplyShape(kind="json", json_schema={"type": "object"})
    assert ("structure.reply_schema", {}) in offered("Answer in JSON.", reply=shape)


@given(
    st.text(st.sampled_from("never use only 40 words \"“”.!?{}%'’\n"), max_size=300)
    | st.text(max_size=300)
)
def test_no_text_makes_it_fall(text):
    for rule in rules_of(prompt_of(text), []):
        assert 0 <= rule.start < rule.end <= len(text)
        assert rule.offers
