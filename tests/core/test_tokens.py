from hypothesis import given
from hypothesis import strategies as st

from epistem.core.prompts.render import plain_text
from epistem.core.templates.filling import Filling
from epistem.core.wire.tokens import count, tokens

TEXT = st.text(
    st.one_of(st.sampled_from("\n\r ab\t{1."), st.characters(exclude_categories=["Cs"])),
    max_size=60,
)


@given(TEXT)
def test_counting_by_line_gives_the_tokens_of_the_whole(text):
    assert count(text) == len(tokens(text))


@given(TEXT.map(lambda text: text.replace("{", "")))
def test_a_text_without_marks_is_what_the_template_language_makes_of_it(text):
    assert plain_text(text) == Filling().fill_in(text, {})
