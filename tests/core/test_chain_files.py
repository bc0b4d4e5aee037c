"""Chains as files, pictures and spans; a walk in time; an arm with something else at one step; what a walk takes."""

from importlib import resources
from xml.etree import ElementTree

import pytest
from hypothesis import given, settings

from epistem.core.chains.content import Chain, placed
from epistem.core.chains.drawn import bars_of, comes_before, cut, failed_at, own_ms, step_of_place
from epistem.core.chains.estimate import outlook_of
from epistem.core.chains.faults import faults_of
from epistem.core.chains.otlp import spans_of
from epistem.core.chains.picture import mermaid, svg
from epistem.core.chains.varied import VariedStep, look_ups_in, varied, with_look_ups_in
from epistem.core.chains.walked import Stepped
from epistem.core.chains.yaml_file import chain_from_yaml, chain_to_yaml
from epistem.core.chains.yaml_kept import with_content
from epistem.core.errors import InvalidFile, InvalidInput
from epistem.core.prompts.identity import content_hash
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.subjects.files import file_of, read_file
from epistem.starters import patterns
from tests.core.test_any_chain import CHAINS
from tests.kit.chains import SPEAKERS, ask, chain, put

DEMO = resources.files("epistem.demo") / "chains"
FILES = ["timetable-answer", "notice-writer"]


def demo(name):
    return (DEMO / f"{name}.yaml").read_text("utf-8")


class TestFiles:
    @settings(max_examples=60, deadline=None)
    @given(CHAINS)
    def test_a_chain_comes_back_from_its_file_with_the_same_hash(self, told):
        text = chain_to_yaml("any", "about", ["x"], told)
        read = chain_from_yaml(text)
        assert (read.name, read.about, read.tags) == ("any", "about", ["x"])
        assert content_hash(read.content) == content_hash(told)

    @pytest.mark.parametrize("name", FILES)
    def test_a_file_is_read_by_its_kind_and_written_as_it_is_read(self, name):
        read = read_file(demo(name))
        assert isinstance(read.content, Chain)
        assert read_file(file_of(name, read.about, [], read.content)).content == read.content

    def test_a_change_leaves_comments_and_all_else_as_they_were(self):
        text = demo("timetable-answer").replace("    most: 3", "    most: 3  # enough")
        read = chain_from_yaml(text)
        told = read.content.model_copy(deep=True)
        told.steps[1].most = 5
        told.steps[2].note = "for passengers"
        changed = with_content(text, read.name, read.about, read.tags, told)
        assert "# Skerry Line is invented" in changed or "# answered in words" in changed
        assert "    most: 5  # enough" in changed
        assert chain_from_yaml(changed).content == told
        differing = [line for line in changed.splitlines() if line not in text.splitlines()]
        assert len(differing) <= 4, differing

    @settings(max_examples=40, deadline=None)
    @given(CHAINS, CHAINS)
    def test_any_content_can_be_put_into_any_text(self, old, new):
        text = chain_to_yaml("any", "", [], old)
        assert chain_from_yaml(with_content(text, "any", "", [], new)).content == new

    def test_a_text_that_is_no_yaml_is_written_anew(self):
        told = chain(put("a", said="1"))
        assert chain_from_yaml(with_content("steps: [", "any", "", [], told)).content == told

    def test_what_is_kept_elsewhere_is_named_by_its_version(self):
        told = chain({**ask("a"), "kept": "desk-reply@3"})
        text = chain_to_yaml("any", "", [], told)
        assert "prompt: desk-reply@3" in text
        [step] = chain_from_yaml(text).content.steps
        assert (step.kept, step.prompt.messages) == ("desk-reply@3", [])

    @pytest.mark.parametrize(
        ("text", "line", "says"),
        [
            ("epistem: chain/1\nname: x\nsteps:\n  - {kind: leap, name: a}\n", 4, "leap"),
            (
                "epistem: chain/1\nname: x\nsteps:\n  - {kind: set, name: a, writes: {b: 1}}\n",
                4,
                "string",
            ),
            ("epistem: chain/1\nname: x\nsteps: &a\n  - *a\n", 4, "alias"),
            ("epistem: chain/1\nname: x\nname: y\nsteps: []\n", 3, "twice"),
            ("epistem: chain/2\nname: x\n", 1, "chain/1"),
        ],
        ids=range(5),
    )
    def test_what_is_wrong_is_said_with_its_line(self, text, line, says):
        with pytest.raises(InvalidFile, match=says) as caught:
            chain_from_yaml(text)
        assert caught.value.line == line


class TestPatterns:
    @pytest.mark.parametrize("key", patterns.ORDER)
    def test_each_can_be_walked_as_it_is_and_has_cases_for_its_inputs(self, key):
        told = patterns.get(key)
        whole = told.with_names("small", "large", "timetable")
        assert faults_of(whole) == []
        assert len(told.cases) >= 2
        needs = {each.name for each in whole.inputs if each.default is None}
        assert all(needs <= set(case.inputs) for case in told.cases)


class TestPictures:
    @settings(max_examples=60, deadline=None)
    @given(CHAINS)
    def test_any_chain_has_a_picture_with_every_step(self, told):
        drawn = ElementTree.fromstring(svg(told))
        names = {each.text for each in drawn.iter("{http://www.w3.org/2000/svg}text")}
        steps = [each.step.name for each in placed(told.steps)]
        assert set(steps) <= names
        text = mermaid(told)
        assert text.startswith("flowchart TD\n")
        assert all(f'"{name} · ' in text for name in steps)

    def test_words_of_markup_are_only_words(self):
        told = chain(put('a "b" <c>', said="1"))
        assert ElementTree.fromstring(svg(told)) is not None
        assert "#quot;b#quot;" in mermaid(told)


def step(at, kind="ask", **more):
    return Stepped(at, at, kind, {}, {}, **more)


class TestTime:
    steps = (
        step("1"), step("2", "repeat"), step("2.r1.1"), step("2.r1.2", "set"), step("2.r2.1"),
        step("3", "both"), step("3.a.1"), step("3.b.1"), step("3.b.2"), step("4", "vote"),
    )  # fmt: skip
    took = {  # noqa: RUF012
        "1.1": 10.0, "1~1.1": 5.0, "2.r1.1.1": 20.0, "2.r2.1.1": 30.0, "2.r2.1.1.1": 2.0, "3.a.1.1": 40.0,
        "3.b.1": 7.0, "3.b.2.1": 8.0, "4.v0.1": 3.0, "4.v1.1": 9.0, "9.1": 1.0,
    }  # fmt: skip

    def test_each_step_has_what_it_took_and_begins_when_it_could(self):
        own = own_ms(self.steps, self.took)
        assert own == {
            "1": 15.0, "2": 0.0, "2.r1.1": 20.0, "2.r1.2": 0.0, "2.r2.1": 32.0, "3": 0.0, "3.a.1": 40.0,
            "3.b.1": 7.0, "3.b.2": 8.0, "4": 9.0,
        }  # fmt: skip
        bars = {bar.at: (bar.start_ms, bar.ms) for bar in bars_of(self.steps, own)}
        assert bars["2"] == (15.0, 52.0)
        assert bars["2.r2.1"] == (35.0, 32.0)
        assert bars["3"] == (67.0, 40.0)
        assert (bars["3.a.1"][0], bars["3.b.1"][0], bars["3.b.2"][0]) == (67.0, 67.0, 74.0)
        assert bars["4"] == (107.0, 9.0)

    @pytest.mark.parametrize(
        ("at", "other", "before"),
        [("1", "2.r1.1", True), ("2", "2.r1.1", True), ("2.r2.1", "2.r1.1", False), ("3.a.1", "3.b.1", True),
         ("3.b.2", "3.b.1", False), ("4", "3.b.1", False), ("1", "1", False)],
    )  # fmt: skip
    def test_what_comes_before_does_not_wait(self, at, other, before):
        kinds = {each.at: each.kind for each in self.steps}
        assert comes_before(at, other, list(kinds), kinds) is before

    def test_the_innermost_fault_is_where_it_failed(self):
        steps = [step("1"), step("2.r1.3", fault="no"), step("2.r2.3", fault="no")]
        assert failed_at(steps).at == "2.r2.3"
        assert step_of_place("2.r2.3") == "2.3"
        assert failed_at([step("1")]) is None

    def test_a_long_value_is_cut_and_says_so(self):
        assert cut({"a": 1}) == {"a": 1}
        assert cut("x" * 30, 10) == "xxxxxxxxxx… (30 characters)"

    def test_a_walk_as_spans(self):
        told = [
            {**each._asdict(), "tools": [], "start_ms": 1.0, "total_ms": 2.0} for each in self.steps
        ]
        told[0] |= {"model": "small", "calls": 1, "input_tokens": 3, "cents": 0.5, "fault": "late"}
        found = spans_of("any", "7", 1_000, told, ended="done", why="")
        spans = found["resourceSpans"][0]["scopeSpans"][0]["spans"]
        ids = [each["spanId"] for each in spans]
        assert len(set(ids)) == len(ids) == 11
        assert all(len(each) == 16 for each in ids)
        by_name = {each["name"]: each for each in spans}
        assert "parentSpanId" not in by_name["walk any"]
        asked = by_name["chat small"]
        attributes = {each["key"]: each["value"] for each in asked["attributes"]}
        assert attributes["gen_ai.operation.name"] == {"stringValue": "chat"}
        assert attributes["gen_ai.usage.input_tokens"] == {"intValue": "3"}
        assert asked["status"] == {"code": 2, "message": "late"}
        assert int(asked["endTimeUnixNano"]) - int(asked["startTimeUnixNano"]) == 2_000_000
        assert by_name["2.r1.1"]["parentSpanId"] == by_name["2"]["spanId"]


class TestArms:
    told = chain(ask("a"), ask("b", "{{ said }}"))

    def test_one_step_has_something_else_and_the_version_stays(self):
        change = VariedStep(step="b", model="large", settings=Settings(temperature=1))
        other = varied(self.told, change)
        assert [each.model for each in other.steps] == ["small", "large"]
        assert other.steps[1].settings.temperature == 1
        assert [each.model for each in self.told.steps] == ["small", "small"]
        with pytest.raises(InvalidInput, match="There are: a and b"):
            varied(self.told, VariedStep(step="nope"))

    def test_look_ups_are_found_and_changed_by_their_places(self):
        look = {"kind": "look_up", "name": "l", "looking": {"collection": "rules"}, "question": "question",
                "writes": "said"}  # fmt: skip
        asked = ask("b", "{{ notes }}")
        asked["prompt"]["inputs"] = [
            {"name": "notes", "kind": "passages", "look_up": {"collection": "notes"}}
        ]
        told = chain(look, asked)
        assert {key: each.collection for key, each in look_ups_in(told).items()} == {
            "1": "rules", "2/notes": "notes",
        }  # fmt: skip
        pinned = with_look_ups_in(told, {"2/notes": LookingUp(collection="notes", version=4)})
        assert look_ups_in(pinned)["2/notes"].version == 4
        assert look_ups_in(told)["2/notes"].version is None


class TestOutlook:
    def test_loops_lists_and_ways_have_a_range(self):
        loop = {"kind": "repeat", "name": "r", "most": 3, "until": "false", "steps": [ask("x")]}
        route = {"kind": "route", "name": "w", "ways": [{"name": "a", "when": "true", "steps": [ask("y")]}],
                 "otherwise": []}  # fmt: skip
        least, likely, most = outlook_of(chain(ask("one"), loop, route), SPEAKERS)
        assert (least.calls, likely.calls, most.calls) == (2, 3.5, 5)
        assert 0 < least.cents < likely.cents < most.cents

    def test_no_walk_takes_more_calls_than_its_cap(self):
        told = chain(*(ask(f"s{n}") for n in range(9)), caps={"calls": 4})
        assert outlook_of(told, SPEAKERS).most.calls == pytest.approx(4)
