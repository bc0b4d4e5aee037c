import threading

import pytest

from epistem.core.cases.content import Case
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import Prompt, blank_prompt
from epistem.store import cases, drafts, models, subjects, versions
from tests.kit.subjects import library, sorting_prompt
from tests.kit.waiting import PATIENCE_S


@pytest.fixture
def subject(database):
    with database.transaction() as tx:
        return subjects.create(tx, "shelf-note", "sorts notes", sorting_prompt())


class TestSubjects:
    @pytest.mark.parametrize("name", ["", "Shelf", "a b", "-a", "a/b", "x" * 64, "a\n"])
    def test_a_name_must_fit_an_address(self, database, name):
        with (
            pytest.raises(InvalidInput, match="can't be a name") as caught,
            database.transaction() as tx,
        ):
            subjects.create(tx, name, "", blank_prompt())
        assert caught.value.field == "name"

    def test_a_name_in_use_is_refused(self, database, subject):
        with pytest.raises(Conflict, match="already"), database.transaction() as tx:
            subjects.create(tx, "shelf-note", "", blank_prompt())

    def test_the_desk_tells_where_each_stands(self, database):
        with database.transaction() as tx:
            library(tx)
            subjects.create(tx, "an-empty-one", "", blank_prompt())
            empty, full = subjects.desk(tx)
        assert (empty.name, empty.versions, empty.cases, empty.edited) == (
            "an-empty-one",
            0,
            0,
            True,
        )
        assert (full.versions, full.cases, full.base_version, full.edited) == (2, 7, 2, False)
        assert full.latest_trial is None


class TestDrafts:
    def test_each_save_counts_up(self, database, subject):
        with database.transaction() as tx:
            first = drafts.get(tx, subject)
            second = drafts.save(tx, subject, blank_prompt(), first.revision)
        assert second.revision == first.revision + 1
        assert second.content == blank_prompt()

    def test_a_stale_save_changes_nothing_and_brings_both_texts(self, database, subject):
        mine = Prompt.from_json({"messages": []})
        with database.transaction() as tx:
            drafts.save(tx, subject, blank_prompt(), 1)
        with pytest.raises(drafts.StaleDraft) as caught, database.transaction() as tx:
            drafts.save(tx, subject, mine, 1)
        assert caught.value.theirs.content == blank_prompt()
        assert caught.value.yours == mine
        with database.transaction() as tx:
            assert drafts.get(tx, subject).content == blank_prompt()

    def test_of_many_that_save_at_once_one_wins(self, database, subject):
        outcomes: list[str] = []

        def save(text: str) -> None:
            content = sorting_prompt(text)
            try:
                with database.transaction() as tx:
                    drafts.save(tx, subject, content, 1)
                outcomes.append("saved")
            except drafts.StaleDraft:
                outcomes.append("stale")

        threads = [threading.Thread(target=save, args=(f"way {n}",)) for n in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        assert sorted(outcomes) == ["saved"] + ["stale"] * 5

    def test_a_draft_keeps_what_a_version_would_refuse(self, database, subject):
        half_typed = Prompt.from_json(
            {
                "messages": [{"role": "user", "parts": [{"name": "M", "text": "{{ half"}]}],
                "reply": {"kind": "json", "json_schema": '{"type": '},
            }
        )
        with database.transaction() as tx:
            drafts.save(tx, subject, half_typed, 1)
            assert drafts.get(tx, subject).content == half_typed


class TestVersions:
    def test_an_unchanged_draft_makes_no_version(self, database, subject):
        with database.transaction() as tx:
            first, new = versions.save(tx, subject, sorting_prompt(), "first")
            again, new_again = versions.save(tx, subject, sorting_prompt(), "again")
        assert (new, new_again) == (True, False)
        assert again == first
        assert again.note == "first"

    def test_going_back_to_an_older_text_brings_its_version_back(self, database, subject):
        with database.transaction() as tx:
            versions.save(tx, subject, sorting_prompt(), "")
            versions.save(tx, subject, sorting_prompt("Sort it: overdue, lost book."), "")
            back, new = versions.save(tx, subject, sorting_prompt(), "")
            assert (back.number, new) == (1, False)
            assert drafts.get(tx, subject).base_version == 1

    def test_a_broken_draft_is_not_saved_and_says_where(self, database, subject):
        broken = sorting_prompt("line one\n{% if %}")
        with pytest.raises(InvalidInput, match="line 2") as caught, database.transaction() as tx:
            versions.save(tx, subject, broken, "")
        assert caught.value.field == "messages.0.parts.0.text"

    def test_numbers_have_no_gaps_when_many_save_at_once(self, database, subject):
        def save(number: int) -> None:
            with database.transaction() as tx:
                versions.save(tx, subject, sorting_prompt(f"way {number % 5}"), "")

        threads = [threading.Thread(target=save, args=(n,)) for n in range(10)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        with database.transaction() as tx:
            found = versions.lines(tx, subject, most=9)
            assert [line.number for line in found] == [5, 4, 3, 2, 1]

    def test_one_that_is_not_there(self, database, subject):
        with pytest.raises(NotFound, match="no version 9"), database.transaction() as tx:
            versions.get(tx, subject, 9)


class TestCases:
    def test_numbers_go_on_after_one_was_put_away_and_it_can_come_back(self, database, subject):
        with database.transaction() as tx:
            for text in ("one", "two"):
                cases.keep(tx, subject, Case(inputs={"note": text}))
            cases.set_deleted(tx, subject, 2, True, 1)
            assert cases.keep(tx, subject, Case(inputs={"note": "three"})).number == 3
            assert [c.number for c in cases.all_of(tx, subject)] == [1, 3]
            cases.set_deleted(tx, subject, 2, False, 2)
            assert [c.number for c in cases.all_of(tx, subject)] == [1, 2, 3]

    def test_a_stale_change_is_refused(self, database, subject):
        with database.transaction() as tx:
            kept = cases.keep(tx, subject, Case(inputs={"note": "one"}))
            cases.change(tx, subject, 1, Case(inputs={"note": "uno"}), kept.revision)
        with pytest.raises(Conflict, match="changed elsewhere"), database.transaction() as tx:
            cases.change(tx, subject, 1, Case(inputs={"note": "een"}), kept.revision)
        with database.transaction() as tx:
            assert cases.get(tx, subject, 1).content.inputs == {"note": "uno"}

    def test_cases_that_are_not_there_are_named(self, database, subject):
        with (
            pytest.raises(NotFound, match="2 cases can't be found: 4, 9") as caught,
            database.transaction() as tx,
        ):
            cases.chosen(tx, subject, [9, 4])
        assert caught.value.field == "cases"


def test_an_unknown_model_lists_those_there_are(database, two_models):
    with (
        pytest.raises(InvalidInput, match="There are gannet-l and tern-s") as caught,
        database.transaction() as tx,
    ):
        models.get(tx, "tern-xl", field="arms.1.model")
    assert caught.value.field == "arms.1.model"


def test_the_price_of_a_call():
    model = models.Model("m", "http://x", None, 1000, 20.0, 80.0)
    assert model.cost_cents(1_000_000, 0) == 20.0
    assert model.cost_cents(500, 25) == pytest.approx(0.012)
