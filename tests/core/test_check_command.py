"""`epistem check` and `epistem checks`, as they are called."""

import json

import pytest
from click.testing import CliRunner

from epistem.cli import main

ANSWERS = [
    {"answer": "The boat is late."},
    {"answer": "You will get your money back today 🙂", "inputs": {"message": "x"}},
    {"answer": "delay", "expect": {"label": "delay"}},
]


@pytest.fixture
def run(tmp_path):
    file = tmp_path / "answers.jsonl"

    def call(*arguments, lines=None):
        rows = [json.dumps(line) for line in ANSWERS] if lines is None else lines
        file.write_text("\n".join(rows), "utf-8")
        return CliRunner().invoke(main, ["check", str(file), *arguments])

    return call


def test_failures_are_told_by_line_and_exit_with_1(run):
    done = run("-c", "safety.promises", "-c", "outcome.label")
    assert done.exit_code == 1
    assert "line 2: promises nothing: “You will get your money”" in done.output
    assert [line.split()[-3:] for line in done.output.splitlines() if "label is right" in line] == [
        ["1", "0", "2"]
    ]
    assert run("-c", "outcome.label").exit_code == 0


def test_checks_of_a_file_with_their_options_told_as_json(run, tmp_path):
    told = tmp_path / "checks.yaml"
    told.write_text("checks:\n- {check: structure.length, options: {most: 3}}\n", "utf-8")
    done = run("--checks", str(told), "--json")
    lines = [json.loads(line) for line in done.output.splitlines()]
    assert done.exit_code == 1
    assert [line["findings"][0]["score"] for line in lines] == [4, 7, 1]


@pytest.mark.parametrize(
    ("arguments", "lines", "says"),
    [
        ((), None, "No check is named"),
        (("-c", "tone.jolly"), None, "There is no check"),
        (("-c", "tone.emoji"), ["{", "x"], "Line 1 of"),
        (("-c", "tone.emoji"), ['{"answer": 3}'], "line 1.answer"),
        (("-c", "tone.emoji"), ["[1]"], 'no object with an "answer"'),
        (("-c", "tone.emoji"), ["[" * 100_000], "Line 1 of"),
    ],
)
def test_what_cannot_be_read_is_told_and_exits_with_2(run, arguments, lines, says):
    done = run(*arguments, lines=lines)
    assert done.exit_code == 2
    assert says in done.output


def test_the_library_is_listed_with_examples():
    done = CliRunner().invoke(main, ["checks", "--examples"])
    assert done.exit_code == 0
    assert "structure.length" in done.output
    assert "[your name]" in done.output
