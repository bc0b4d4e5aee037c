"""A folder of files in step with the prompts: `epistem pull` and `epistem push`."""

import json

import pytest
from click.testing import CliRunner

from epistem.cli import main
from epistem.store import drafts, subjects
from tests.kit.subjects import sorting_prompt


@pytest.fixture
def run(database, address, tmp_path):
    """Run a command on the folder; its exit code and what it printed, without the wrapping."""
    with database.transaction() as tx:
        subjects.create(tx, "shelf-note", "sorts notes", sorting_prompt())

    def run(command, *options):
        told = CliRunner().invoke(
            main,
            [command, str(tmp_path), *options, "--database", address.to_url()],
            env={"COLUMNS": "200"},
        )
        return told.exit_code, told.output

    return run


@pytest.fixture
def file(tmp_path):
    return tmp_path / "shelf-note.yaml"


def edit_here(file, word="File"):
    file.write_text(file.read_text().replace("Sort the note", f"{word} the note"))


def edit_there(database, word="Shelve"):
    with database.transaction() as tx:
        subject = subjects.get(tx, "shelf-note")
        content = sorting_prompt(f"{word} the note into one of: overdue, lost book, opening hours.")
        drafts.save(tx, subject, content, drafts.get(tx, subject).revision)


def there(database):
    with database.transaction() as tx:
        return drafts.get(tx, subjects.get(tx, "shelf-note")).content.messages[0].parts[0].text


def test_edits_on_one_side_reach_the_other(run, file, database):
    assert run("pull") == (0, "  shelf-note: new\n")
    assert run("pull") == (0, "  shelf-note: same\n")
    edit_here(file)
    assert "push sends it" in run("pull")[1]
    assert run("push") == (0, "  shelf-note: changed\n")
    assert there(database).startswith("File the note")
    edit_there(database)
    assert "pull brings it" in run("push")[1]
    assert run("pull") == (0, "  shelf-note: changed\n")
    assert "Shelve the note" in file.read_text()


@pytest.mark.parametrize("command", ["pull", "push"])
def test_edits_on_both_sides_are_shown_and_nothing_is_overwritten(run, file, database, command):
    run("pull")
    edit_here(file)
    edit_there(database)
    code, told = run(command)
    assert code == 1
    assert "changed on both sides" in told
    assert "-    - name: Task" not in told
    assert [line[0] for line in told.splitlines() if "the note into" in line] == ["-", "+"]
    assert "File the note" in file.read_text()
    assert there(database).startswith("Shelve the note")


def test_one_side_wins_when_it_is_told_to(run, file, database):
    run("pull")
    edit_here(file)
    edit_there(database)
    assert run("push", "--mine") == (0, "  shelf-note: changed\n")
    assert there(database).startswith("File the note")
    edit_there(database)
    edit_here(file, "Put")
    file.write_text(file.read_text().replace("File the note", "Put the note"))
    assert run("pull", "--theirs") == (0, "  shelf-note: changed\n")
    assert "Shelve the note" in file.read_text()


def test_a_new_file_makes_a_prompt_and_comments_do_not_count(run, file, tmp_path):
    run("pull")
    text = file.read_text().replace("name: shelf-note", "name: other-note", 1)
    (tmp_path / "other.yaml").write_text(text)
    file.write_text("# kept under git\n" + file.read_text())
    assert run("push") == (0, "  other-note: new\n  shelf-note: same\n")
    assert set(json.loads((tmp_path / ".epistem.json").read_text())) == {"shelf-note", "other-note"}


def test_a_file_that_was_removed_stays_removed(run, file):
    run("pull")
    file.unlink()
    assert "removed here" in run("pull")[1]
    assert not file.exists()


def test_a_file_that_is_wrong_is_named_with_its_line_and_nothing_is_sent(run, file, tmp_path):
    run("pull")
    edit_here(file)
    (tmp_path / "wrong.yaml").write_text("epistem: prompt/1\nname: wrong\ncolour: red\n")
    code, told = run("push")
    assert code == 2
    assert "wrong.yaml: Line 3: There is no field “colour” here" in told
    assert "changed" not in told
