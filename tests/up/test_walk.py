"""`epistem walk`: a chain out of a file, with real models over HTTP, tools and a source."""

import json
from importlib import resources

import pytest
from click.testing import CliRunner

from epistem.cli import main
from epistem.core.prompts.tool import Tool
from epistem.demo.load import timetable
from epistem.store import models, subjects, versions
from epistem.store.tools import kept, sources
from tests.kit.subjects import sorting_prompt

TIMETABLE = (resources.files("epistem.demo") / "chains" / "timetable-answer.yaml").read_text(
    "utf-8"
)
SMALL = """epistem: chain/1
name: shout
inputs:
  - {name: word, kind: text}
  - {name: times, kind: number, default: 2}
state:
  - {name: said}
steps:
  - kind: ask
    name: first
    model: own
    prompt:
      messages:
        - role: user
          parts:
            - {name: Word, text: "{{ word }} {{ times }}"}
    writes: said
  - kind: each
    name: all
    over: "[1, 2, 3]"
    steps:
      - {kind: set, name: one, writes: {said: "said + string(item)"}}
    gives: said
    writes: said
outputs: {said: said}
"""


@pytest.fixture
def run(database, address, model_server, tmp_path):
    with database.transaction() as tx:
        models.put(tx, models.Model("own", model_server.url, None, 8_192, 20, 80))
    model_server.answer = lambda body: body["messages"][-1]["content"].upper()

    def run(text, *options):
        file = tmp_path / "chain.yaml"
        file.write_text(text, "utf-8")
        told = CliRunner().invoke(
            main,
            ["walk", str(file), *options, "--database", address.to_url()],
            env={"COLUMNS": "200"},
        )
        return told.exit_code, told.output

    return run


def test_it_is_walked_step_by_step(run, model_server):
    code, told = run(SMALL, "--input", "word=hey", "--json")
    lines = [json.loads(line) for line in told.splitlines()]
    assert code == 0, told
    assert [line["step"]["at"] for line in lines[:-1]] == ["1", "2.i1.1", "2.i2.1", "2.i3.1", "2"]
    assert lines[-1]["outputs"] == {"said": ["HEY 21", "HEY 22", "HEY 23"]}
    assert (lines[-1]["ended"], lines[-1]["calls"], len(model_server.requests)) == ("done", 1, 1)
    code, told = run(SMALL, "--input", "word=hey", "--input", "times=3")
    assert "HEY 3" in told
    assert "All steps are done." in told


def test_its_ladder_is_shown_and_nothing_is_asked(run, model_server):
    code, told = run(SMALL, "--look")
    assert code == 0
    assert "1 first" in told
    assert "■" in told
    assert model_server.requests == []


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("chain/1", "chain/9", "so it is no chain"),
        ("kind: each", "kind: dance", "Line 18"),
        ("name: first", "name: first\n    notee: x", "Is it misspelt?"),
        ("{name: said}", "{name: other}", "step 1, writes: It writes “said”"),
        ('over: "[1, 2, 3]"', 'over: "[1, 2"', "step 2, over: The expression can't be read"),
        ("    prompt:\n      messages:\n        - role: user\n          parts:\n"
         '            - {name: Word, text: "{{ word }} {{ times }}"}\n', "    prompt: nobody@3\n", "no nobody@3 here"),
        ("steps:\n  - kind: ask", "steps: &all\n  - *all\n  - kind: ask", "Line"),
    ],
    ids=range(7),
)  # fmt: skip
def test_a_file_that_can_not_be_used_says_where(run, model_server, old, new, told):
    assert old in SMALL
    code, said = run(SMALL.replace(old, new), "--input", "word=hey")
    assert (code, model_server.requests) == (2, []), said
    assert told in said


@pytest.mark.parametrize(
    ("given", "told"),
    [("word", "names no input"), ("x=1", "names no input"), ("times=many", "as JSON")],
)
def test_an_input_that_can_not_be_used_says_why(run, given, told):
    code, said = run(SMALL, "--input", "word=a", "--input", given)
    assert code == 2
    assert told in said


def test_a_model_in_trouble_ends_it_in_words(run, model_server):
    model_server.answer = lambda body: (400, b"no such thing", {})
    code, told = run(SMALL, "--input", "word=hey", "--json")
    assert code == 1
    last = json.loads(told.splitlines()[-1])
    assert (last["ended"], last["outputs"]) == ("failed", {})
    assert "Step 1, first" in last["why"]


def test_a_prompt_is_named_by_its_version(run, database, model_server):
    with database.transaction() as tx:
        subject = subjects.create(tx, "shelf-note", "", sorting_prompt())
        versions.save(tx, subject, sorting_prompt(), "")
    first = SMALL.index("    prompt:\n")
    rest = SMALL[SMALL.index("    writes: said\n  - kind: each") :]
    named = f"{SMALL[:first]}    prompt: shelf-note@1\n    given: {{note: word}}\n{rest}"
    code, told = run(named, "--input", "word=overdue", "--json")
    assert code == 0, told
    assert "overdue" in json.dumps(model_server.requests[0])


def test_a_question_becomes_a_query_that_is_mended_and_answered(run, database, model_server):
    """The demo's chain: the database's error goes back to the model, which does better."""
    with database.transaction() as tx:
        sources.put_file(tx, "timetable", "", "x", timetable())

    def answer(body):
        text = json.dumps(body["messages"], ensure_ascii=False)
        if "Write one SQL query" not in text:
            return "At 17:40."
        if "no such column" in text:
            return (
                "SELECT max(leaves) FROM sailings WHERE leaves_from = 'Hollin' AND day = 'Friday'"
            )
        if "only reads" in text:
            return "SELECT max(leave) FROM sailings"
        return (
            "DELETE FROM sailings"
            if "The last query" not in text
            else "SELECT max(leave) FROM sailings"
        )

    model_server.answer = answer
    code, told = run(TIMETABLE.replace("tern-s", "own"), "--input", "question=When?", "--json")
    lines = [json.loads(line) for line in told.splitlines()]
    assert code == 0, told
    assert lines[-1]["outputs"]["answer"] == "At 17:40."
    assert lines[-1]["calls"] == 4
    said = [line["step"] for line in lines[:-1]]
    assert [step["at"] for step in said if step["name"] == "run it" and not step["passed_over"]] == [
        "2.r2.3", "2.r3.3",
    ]  # fmt: skip
    assert said[-2]["told"] == "after round 3"
    assert "17:40" in json.dumps(model_server.requests[-1])


def test_a_tool_is_named_by_its_version(run, database):
    with database.transaction() as tx:
        kept.insert(tx, "tide", Tool(name="tide", answer='{"high": 6}'))
    step = "  - {kind: tool, name: tide, tool: tide@1, writes: said}\n"
    head = SMALL[: SMALL.index("  - kind: ask")]
    code, told = run(f"{head}{step}outputs: {{high: said.high}}\n", "--input", "word=x", "--json")
    assert code == 0, told
    assert json.loads(told.splitlines()[-1])["outputs"] == {"high": 6}
    code, told = run(
        f"{head}{step}outputs: {{high: said}}\n".replace("tide@1", "tide@2"), "--input", "word=x"
    )
    assert (code, "There is no tide@2 here" in told) == (2, True)


def test_a_talk_goes_on_as_it_is_told_to(run):
    text = SMALL.replace("outputs:", "talk: {words: word, turns: 5}\noutputs:")
    text = text.replace("outputs: {said: said}", 'outputs: {said: "said[0]"}')
    code, told = run(text, "--input", "word=hey", "--say", "you", "--say", "there")
    assert code == 0, told
    assert [line for line in told.splitlines() if line.startswith(("> ", "HEY", "YOU", "THERE"))] == [
        "HEY 21", "> you", "YOU 21", "> there", "THERE 21",
    ]  # fmt: skip
    assert "Nothing more was said." in told
