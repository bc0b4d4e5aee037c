import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import InvalidInput, MissingInput, TemplateError
from epistem.core.prompts.content import Message, Part, Prompt, blank_prompt
from epistem.core.prompts.inputs import MAX_INPUT_CHARACTERS, inputs_of
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.render import render
from epistem.core.templates.filling import MOST_REPEATED
from epistem.core.templates.language import inputs_in
from tests.core.builders import prompt

NAMES = st.from_regex(r"[a-z][a-z_]{0,8}[a-z]", fullmatch=True).map("in_".__add__)
PLAIN = st.text(
    st.characters(exclude_characters="{}%#\r\x85\u2028\u2029", exclude_categories=["Cs"]),
    max_size=60,
)


class TestRendering:
    def test_parts_of_a_message_are_joined_by_an_empty_line(self):
        content = Prompt(
            messages=[
                Message(
                    role="system",
                    parts=[Part(name="A", text="One."), Part(name="B", text="Two {{ n }}.")],
                ),
                Message(role="user", parts=[Part(name="C", text="{{ message }}")]),
            ]
        )
        system, user = render(content, {"n": 2, "message": "Hello"})
        assert (system.role, system.text) == ("system", "One.\n\nTwo 2.")
        assert system.parts == (("A", "One."), ("B", "Two 2."))
        assert user.text == "Hello"

    def test_a_part_that_comes_out_empty_is_left_out_and_so_is_its_message(self):
        content = prompt("{% if extra %}{{ extra }}{% endif %}", "{{ message }}")
        assert [m.text for m in render(content, {"extra": "", "message": "x"})] == ["x"]

    def test_nothing_to_send_is_an_error(self):
        with pytest.raises(InvalidInput, match="nothing to send") as caught:
            render(prompt("  "), {})
        assert caught.value.field == "messages"

    def test_records_and_lists_can_be_walked(self):
        text = "{% for stop in trip.stops %}{{ loop.index }}. {{ stop }} {% endfor %}"
        [message] = render(prompt(text), {"trip": {"stops": ["Hollin", "Sandray"]}})
        assert message.text == "1. Hollin 2. Sandray "

    @given(PLAIN)
    def test_text_without_template_marks_comes_out_as_it_went_in(self, text):
        content = prompt(text, "kept")
        expected = text[:-1] if text.endswith("\n") else text  # Jinja drops one trailing newline
        texts = [m.text for m in render(content, {})]
        assert texts == ([expected, "kept"] if expected.strip() else ["kept"])

    @given(st.dictionaries(NAMES, st.text(min_size=1).filter(str.strip), min_size=1, max_size=5))
    def test_inputs_are_put_in_untouched_and_never_read_as_templates(self, inputs):
        content = prompt(*(f"{{{{ {name} }}}}" for name in inputs))
        assert [m.text for m in render(content, inputs)] == list(inputs.values())
        assert inputs_of(content) == list(inputs)

    @given(NAMES, PLAIN)
    def test_rendering_is_the_same_every_time(self, name, text):
        content = prompt(f"{text}{{{{ {name} }}}}!")
        assert render(content, {name: text}) == render(content, {name: text})

    @given(st.lists(NAMES, min_size=1, max_size=6, unique=True), st.data())
    def test_any_missing_input_is_named_with_its_part(self, names, data):
        missing = data.draw(st.sampled_from(names))
        content = prompt(*(f"{{{{ {name} }}}}" for name in names))
        with pytest.raises(MissingInput) as caught:
            render(content, {name: "x" for name in names if name != missing})
        assert caught.value.name == missing
        assert caught.value.part == f"P{names.index(missing) + 1}"
        assert caught.value.field == f"inputs.{missing}"


class TestMistakes:
    def test_an_input_that_was_not_given_is_named_with_the_part(self):
        with pytest.raises(MissingInput) as caught:
            render(prompt("Dear {{ passenger }}"), {"message": "x"})
        assert (
            caught.value.message
            == "The part “P1” needs the input “passenger”, which was not given."
        )

    @pytest.mark.parametrize(
        "use",
        ["{% if who %}x{% endif %}", "{{ who|length }}", "{{ who == 'a' }}", "{{ 'a' in who }}"],
    )
    def test_no_use_of_a_missing_input_passes_silently(self, use):
        with pytest.raises(MissingInput) as caught:
            render(prompt(use), {})
        assert caught.value.name == "who"

    def test_a_missing_field_of_a_record_is_told_apart(self):
        with pytest.raises(MissingInput, match="“pier”, which an input does not have"):
            render(prompt("{{ trip.pier }}"), {"trip": {}})

    def test_a_template_that_does_not_parse_shows_its_line(self):
        with pytest.raises(TemplateError) as caught:
            render(prompt("fine\n\n{% if x %} open"), {"x": 1})
        error = caught.value
        assert (error.part, error.line, error.field) == ("P1", 3, "messages.0.parts.0.text")
        assert "The line reads: {% if x %} open" in error.message

    @pytest.mark.parametrize(
        "text",
        ["{{ 1 // 0 }}", "{{ 'a' + 1 }}", "{{ message|round }}", "{{ message|join(1, 2, 3) }}"],
    )
    def test_what_goes_wrong_while_filling_in_names_the_part(self, text):
        with pytest.raises(TemplateError, match="The part “P1” can't be filled in") as caught:
            render(prompt(text), {"message": "x"})
        assert caught.value.field == "messages.0.parts.0.text"

    def test_a_two_megabyte_input_is_refused_by_name(self):
        with pytest.raises(InvalidInput, match="2,000,000 characters") as caught:
            render(prompt("{{ message }}"), {"message": "x" * 2_000_000})
        assert caught.value.field == "inputs.message"

    def test_the_longest_allowed_input_passes(self):
        [message] = render(prompt("{{ m }}"), {"m": "x" * MAX_INPUT_CHARACTERS})
        assert len(message.text) == MAX_INPUT_CHARACTERS

    def test_a_part_may_not_grow_past_the_limit_either(self):
        with pytest.raises(InvalidInput, match="fills in to"):
            render(prompt("{{ m }}{{ m }}"), {"m": "x" * 600_000})


class TestSandbox:
    @pytest.mark.parametrize(
        "text",
        [
            "{{ ''.__class__.__mro__ }}",
            "{{ message.__init__.__globals__ }}",
            "{{ self.__init__ }}",
            "{{ cycler.__init__ }}",
            "{{ 'x'.join.__self__.__class__.__subclasses__() }}",
        ],
    )
    def test_there_is_no_way_out(self, text):
        with pytest.raises((TemplateError, MissingInput)):
            render(prompt(text), {"message": "x"})

    @pytest.mark.parametrize(
        "text",
        [
            "{{ 'x' * 999999999 }}",
            "{{ 999999999 * [0] }}",
            "{{ 9 ** 9 ** 9 }}",
            "{{ '%099999999d' % 1 }}",
            "{{ '{:99999999}'.format(1) }}",
            "{{ 'x'.ljust(999999999) }}",
            "{{ 'x'|center(999999999) }}",
        ],
    )
    def test_a_short_template_cannot_fill_the_memory(self, text):
        with pytest.raises(TemplateError):
            render(prompt(text), {})

    def test_small_repeats_are_fine(self):
        [message] = render(prompt("{{ '-' * 20 }}"), {})
        assert message.text == "-" * 20
        assert MOST_REPEATED >= 20

    def test_inputs_cannot_be_changed_by_a_template(self):
        given_inputs = {"names": ["a"]}
        for change in ("names.append('b')", "names.clear()"):
            with pytest.raises(TemplateError):
                render(prompt(f"{{{{ {change} }}}}"), given_inputs)
        assert given_inputs == {"names": ["a"]}


class TestFindingInputs:
    @pytest.mark.parametrize(
        ("text", "expected"),
        [
            ("{{ b }} {{ a }} {{ b }}", ("b", "a")),
            ("{% for x in xs %}{{ x }}{% endfor %}", ("xs",)),
            ("{% set y = 1 %}{{ y }}{{ z }}", ("z",)),
            ("{% if a and not b %}{% endif %}", ("a", "b")),
            ("{{ range(3) }}{{ dict(a=1) }}", ()),
            ("{{ trip.stops[0] }}", ("trip",)),
            ("{# {{ ghost }} #}", ()),
            ("{% raw %}{{ ghost }}{% endraw %}", ()),
            ("{{ broken", ()),
        ],
    )
    def test_names_in_order_of_appearance(self, text, expected):
        assert inputs_in(text) == expected


class TestProblems:
    def test_a_blank_prompt_can_be_sent_at_once(self):
        assert problems_of(blank_prompt()) == []
        assert inputs_of(blank_prompt()) == ["message"]

    def test_every_broken_part_is_reported(self):
        found = problems_of(prompt("{{ a", "fine", "{% endif %}"))
        assert [(p.part, p.line) for p in found] == [("P1", 1), ("P3", 1)]

    def test_an_empty_prompt_and_a_label_reply_without_labels(self):
        found = problems_of(prompt("", reply={"kind": "label"}))
        assert [p.field for p in found] == ["messages", "reply.labels"]

    @pytest.mark.parametrize(
        "schema", ['{"type": ', '"text"', {"type": "strang"}, {"$ref": "#/no"}]
    )
    def test_a_schema_that_is_none(self, schema):
        [problem] = problems_of(prompt("x", reply={"kind": "json", "json_schema": schema}))
        assert problem.field == "reply.json_schema"
        assert problem.message.startswith("The reply schema ")
