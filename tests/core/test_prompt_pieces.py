"""Typed inputs, examples, fragments, images, and a shape in plain words."""

import base64
import io

import pytest
from PIL import Image as Pillow

from epistem.core.cases.content import Case, title_of
from epistem.core.errors import InvalidInput, TemplateError
from epistem.core.prompts.content import Example, Input, Message, Part, Prompt, ReplyShape
from epistem.core.prompts.fragments import pinned_in
from epistem.core.prompts.identity import content_hash
from epistem.core.prompts.inputs import filled, inputs_of, unused_inputs
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.render import render
from epistem.core.prompts.shape_words import shape_in_words
from epistem.core.prompts.tool import Tool
from epistem.core.templates.language import KEYWORDS
from tests.core.builders import prompt


def texts(content, **inputs):
    return [message.text for message in render(content, inputs)]


def picture(kind="PNG"):
    out = io.BytesIO()
    Pillow.new("RGB", (2, 2), "red").save(out, kind)
    return f"data:image/{kind.lower()};base64,{base64.b64encode(out.getvalue()).decode()}"


class TestInputs:
    @pytest.mark.parametrize(
        ("described", "value", "expected"),
        [
            ({"kind": "number"}, "3", "3"),
            ({"kind": "number"}, " 2.5 ", "2.5"),
            ({"kind": "list"}, ["Hollin", "Sandray"], "- Hollin\n- Sandray"),
            ({"kind": "record"}, {"pier": "Hollin", "fare": 4}, "pier: Hollin\nfare: 4"),
            ({"kind": "passages"}, [{"title": "Bags", "text": "Two each."}, "Dogs ride free."],
             "[1] Bags: Two each.\n\n[2] Dogs ride free."),
            ({"kind": "dialogue"}, [{"role": "user", "text": "Hello"}], "user: Hello"),
            ({"default": "none given"}, "", "none given"),
        ],
    )  # fmt: skip
    def test_a_described_input_is_filled_in_readably(self, described, value, expected):
        content = prompt("{{ x }}", inputs=[Input(name="x", **described)])
        assert texts(content, x=value) == [expected]

    def test_one_that_is_not_described_is_filled_in_as_before(self):
        assert texts(prompt("{{ x }}"), x=["a"]) == ["['a']"]

    @pytest.mark.parametrize(
        ("described", "value", "told"),
        [
            ({"kind": "number"}, "three", "has to be a number"),
            ({"kind": "choice", "choices": ["a", "b"]}, "c", "is c; it can be a or b"),
            ({"kind": "list"}, "a", "has to be a list, but it is a text"),
            ({"kind": "dialogue"}, ["a"], "each with role and text"),
            ({"kind": "image"}, "data:image/png;base64,AAAA", "not an image that can be read"),
            ({"kind": "image"}, "data:image/png;base64,%%", "not base64"),
            ({"kind": "image"}, "https://example.com/a.png", "choose a PNG"),
        ],
    )
    def test_a_value_that_does_not_fit_is_refused_by_name(self, described, value, told):
        with pytest.raises(InvalidInput, match=told) as caught:
            filled([Input(name="x", **described)], {"x": value})
        assert caught.value.field == "inputs.x"

    def test_a_field_of_a_record_is_named(self):
        fields = [{"name": "fare", "kind": "number"}]
        described = Input.from_json({"name": "booking", "kind": "record", "fields": fields})
        with pytest.raises(InvalidInput, match="“fare” of the input “booking”") as caught:
            filled([described], {"booking": {"fare": "dear"}})
        assert caught.value.field == "inputs.booking.fare"

    def test_what_no_part_asks_for_is_told(self):
        content = prompt("{{ a }}", inputs=[Input(name="a"), Input(name="b")])
        assert unused_inputs(content) == ["b"]

    @pytest.mark.parametrize("name", [*sorted(KEYWORDS)[:6], "examples", "1st", "a b"])
    def test_a_name_that_no_input_can_have(self, name):
        [problem] = problems_of(prompt("x", inputs=[Input(name=name)]))
        assert problem.field == "inputs.0.name"

    def test_a_keyword_in_the_text_is_called_one(self):
        [problem] = problems_of(prompt("a\n{{ for }}"))
        assert (problem.line, problem.part) == (2, "P1")
        assert "“for” is a word of the template language" in problem.message


class TestImages:
    def test_an_image_stands_where_the_part_has_it(self):
        content = prompt("Before {{ photo }} after", inputs=[Input(name="photo", kind="image")])
        [message] = render(content, {"photo": picture()})
        before, image, after = message.blocks
        assert (before, image.address, after) == ("Before", picture(), "after")
        assert "base64" not in message.text + message.parts[0][1]

    def test_its_kind_is_what_it_is_and_not_what_it_says(self):
        said = picture("JPEG").replace("image/jpeg", "image/png")
        value = filled([Input(name="x", kind="image")], {"x": said})["x"]
        assert value.address == picture("JPEG")


class TestExamples:
    def content(self, how="messages", text="{{ note }}", **fields):
        pairs = [
            Example(inputs={"note": "wet"}, answer="rain"),
            Example(inputs={"note": "x"}, off=True),
        ]
        system = Message(role="system", parts=[Part(name="Task", text=fields.pop("task", "Sort."))])
        asking = Message(role="user", parts=[Part(name="Note", text=text)])
        return Prompt(messages=[system, asking], examples=pairs, examples_as=how, **fields)

    def test_as_messages_they_stand_before_the_last_user_message(self):
        sent = [(m.role, m.text) for m in render(self.content(), {"note": "dry"})]
        assert sent == [
            ("system", "Sort."),
            ("user", "wet"),
            ("assistant", "rain"),
            ("user", "dry"),
        ]

    def test_what_an_example_leaves_out_is_taken_from_the_call(self):
        content = self.content(text="{{ note }} at {{ pier }}")
        assert texts(content, note="dry", pier="Hollin")[1] == "wet at Hollin"

    def test_in_the_text_they_stand_where_they_are_called(self):
        content = self.content("text", task="Sort.\n{{ examples() }}")
        assert texts(content, note="dry") == ["Sort.\nExample 1\nnote: wet\nAnswer: rain", "dry"]
        assert inputs_of(content) == ["note"]

    def test_in_the_text_but_nowhere_called_is_a_problem(self):
        assert [p.field for p in problems_of(self.content("text"))] == ["examples_as"]


class TestFragments:
    def test_a_fragment_of_a_fragment_is_filled_in_and_its_inputs_are_found(self):
        content = prompt(
            'Speak so: {% include "tone@2" %}',
            fragments={
                "tone@2": 'kindly to {{ who }}, {% include "short@1" %}',
                "short@1": "briefly",
            },
        )
        assert texts(content, who="her") == ["Speak so: kindly to her, briefly"]
        assert (inputs_of(content), pinned_in(content)) == (["who"], ["tone@2", "short@1"])
        assert problems_of(content) == []

    @pytest.mark.parametrize(
        ("text", "fragments", "told"),
        [
            ('{% include "a@1" %}', {"a@1": '{% include "b@1" %}', "b@1": '{% include "a@1" %}'},
             "in a circle: a@1 → b@1 → a@1"),
            ('{% include "gone@1" %}', {}, "There is no fragment “gone@1”"),
            ('{% include "tone" %}', {}, "names no version"),
            ("{% include x %}", {}, "by its name and version as they are"),
            ('{% import "a@1" as a %}', {"a@1": "x"}, "by its name and version as they are"),
            ('{% include "a@1" %}', {"a@1": "{{ open"}, "“a@1” does not parse, line 1"),
        ],
    )  # fmt: skip
    def test_what_can_not_be_included_is_a_problem_and_an_error(self, text, fragments, told):
        content = prompt(text, fragments=fragments)
        [problem] = problems_of(content)
        assert told in problem.message
        if "import" not in text:
            with pytest.raises(TemplateError):
                render(content, {"x": "a@1"})

    def test_nothing_but_fragments_of_the_prompt_can_be_included(self):
        with pytest.raises(TemplateError, match="names no version"):
            render(prompt('{% include "/etc/passwd" ignore missing %}{% include "b@1" %}'), {})


class TestIdentity:
    def test_a_prompt_that_uses_nothing_new_keeps_its_hash(self):
        plain = prompt("{{ a }}")
        assert set(plain.to_json()) == {"messages", "settings", "reply"}
        assert content_hash(plain) == content_hash(
            prompt("{{ a }}", examples=[], examples_as="messages")
        )

    def test_a_part_that_is_off_is_not_sent_and_changes_the_hash(self):
        content = prompt("one", "two")
        before = content_hash(content)
        content.messages[0].parts[0].off = True
        assert texts(content) == ["two"]
        assert content_hash(content) != before


class TestTools:
    @pytest.mark.parametrize(
        ("tool", "field"),
        [
            ({"name": "look up"}, "tools.0.name"),
            ({"name": "a", "parameters": "{"}, "tools.0.parameters"),
            ({"name": "a", "parameters": {"type": "strang"}}, "tools.0.parameters"),
            ({"name": "a", "parameters": {"type": "array"}}, "tools.0.parameters"),
        ],
    )
    def test_a_tool_that_can_not_be_sent(self, tool, field):
        [problem] = problems_of(prompt("x", tools=[Tool.from_json(tool)]))
        assert problem.field == field

    def test_two_of_one_name(self):
        tools = [Tool(name="a"), Tool(name="a")]
        assert [p.field for p in problems_of(prompt("x", tools=tools))] == [
            "tools.0.name",
            "tools.1.name",
        ]


class TestShapeInWords:
    def test_every_kind_of_field(self):
        schema = {
            "type": "object",
            "properties": {
                "label": {"enum": ["delay", "other"], "description": "What it is about."},
                "urgency": {"type": "integer", "minimum": 1, "maximum": 5},
                "reason": {"type": "string", "maxLength": 160},
                "sure": {"type": "boolean"},
                "people": {
                    "type": "array", "maxItems": 3,
                    "items": {"type": "object", "properties": {"name": {"type": "string"}}, "required": ["name"]},
                },
            },
            "required": ["label", "urgency", "people"],
        }  # fmt: skip
        assert shape_in_words(ReplyShape(kind="json", json_schema=schema)) == (
            "Answer with one JSON object and nothing else. Its fields:\n"
            '- label (one of "delay" or "other"): What it is about\n'
            "- urgency (whole number from 1 to 5)\n"
            "- reason (text of at most 160 characters, may be left out)\n"
            "- sure (true or false, may be left out)\n"
            "- people (list of at most 3 objects, each with the fields below)\n"
            "  - name (text)"
        )

    def test_labels_and_a_text(self):
        labels = ReplyShape(kind="label", labels=["a", "b"])
        assert shape_in_words(labels) == "Answer with one of these labels and nothing else: a, b."
        assert shape_in_words(ReplyShape()) == ""

    def test_a_part_puts_it_where_it_calls_it(self):
        content = prompt("{{ reply_shape() }}", reply={"kind": "label", "labels": ["a"]})
        assert texts(content) == ["Answer with one of these labels and nothing else: a."]
        assert inputs_of(content) == []


def test_a_case_that_begins_with_a_picture_is_titled_by_its_words():
    assert title_of(Case(inputs={"photo": picture(), "note": "A torn sail"})) == "A torn sail"
    assert title_of(Case(inputs={"photo": picture()})) == "(a picture)"
