"""Work behind the pages: rows before it is work, each on its own, tried again, taken over."""

import subprocess
import sys
from threading import Barrier, Event, Lock

import pytest

from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.models.retry import Retry
from epistem.runner.jobs import Jobs
from epistem.store import jobs
from epistem.store.database import StoreDown
from epistem.work import probation
from epistem.work.jobs import KINDS
from epistem.work.probation import IS_TESTED, NOT_TESTED, begin_test, put_to_the_test, trust_today
from tests.kit.lifeline import ends_with_us
from tests.kit.model_server import completion
from tests.kit.running import put_model
from tests.kit.waiting import PATIENCE_S, wait_for

AT_ONCE = Retry(attempts=3, first_s=0.01, most_s=0.02)
TONE = CheckUse(check="judge.rubric", options={"criterion": "tone", "model": "critic"})


@pytest.fixture
def at_work(address, database):
    """Carries out jobs by what the test says."""
    made = []

    def at_work(do, waits=AT_ONCE, **more):
        kinds = do if isinstance(do, dict) else {"odd": do}
        made.append(Jobs(address, kinds, poll_s=0.02, gone_s=0.2, waits=waits, **more))
        made[-1].start()
        return made[-1]

    yield at_work
    for each in made:
        each.close()


def ask(database, *keys, once=False):
    with database.transaction() as tx:
        for key in keys:
            jobs.begin(tx, "odd", key, {"key": key}, f"Do {key}", once=once)


def job(database, key):
    with database.transaction() as tx:
        return jobs.find(tx, "odd", key)


def ended(database, key, status="done"):
    return wait_for(lambda: (found := job(database, key)).status == status and found, what=key)


def test_one_that_fails_or_hangs_holds_up_no_other_and_is_tried_again_until_given_up(
    database, at_work
):
    hangs, tried, lock = Event(), [], Lock()

    def do(_, about, report):
        with lock:
            tried.append(about["key"])
        if about["key"] == "hangs":
            hangs.wait(PATIENCE_S)
        if about["key"] == "fails":
            raise InvalidInput("It is not there.")
        if about["key"] == "breaks":
            raise ZeroDivisionError("by a bug")
        if about["key"] == "second" and tried.count("second") < 2:
            raise InvalidInput("Not yet.")
        report(2, 3)

    ask(database, "hangs", "fails", "breaks", "second", "goes")
    at_work(do)
    assert ended(database, "goes")[5:9] == (0, "", 2, 3)
    assert ended(database, "second")[5:7] == (1, "")
    failed = ended(database, "fails", "failed")
    assert (failed.attempts, failed.why) == (3, "It is not there.")
    assert (
        "Something in Epistem failed: ZeroDivisionError: by a bug"
        in ended(database, "breaks", "failed").why
    )
    assert tried.count("fails") == 3
    assert job(database, "hangs").status == "running"
    hangs.set()
    ended(database, "hangs")


def test_waits_between_attempts_grow(database, at_work):
    def do(_, about, report):
        raise InvalidInput("No.")

    ask(database, "fails")
    at_work(do, Retry(attempts=9, first_s=100.0, most_s=300.0))
    found = wait_for(lambda: (found := job(database, "fails")).attempts == 1 and found)
    with database.transaction() as tx:
        (wait_s,) = tx.first("SELECT TIMESTAMPDIFF(SECOND, NOW(3), due_at) FROM jobs")
        assert found.status == "waiting"
        assert 40 <= wait_s <= 100
        jobs.try_again(tx, found.id)  # somebody would not wait
    found = wait_for(lambda: (found := job(database, "fails")).attempts == 1 and found)


def test_an_outage_of_the_database_is_waited_for_and_is_no_attempt(database, at_work):
    times = []

    def do(_, about, report):
        times.append(1)
        if len(times) < 3:
            raise StoreDown("away")

    ask(database, "one")
    at_work(do, Retry(attempts=1))
    assert ended(database, "one").attempts == 0


def test_what_is_asked_for_twice_is_done_once_and_anew_only_where_that_is_meant(database, at_work):
    done = []
    ask(database, "one", "one")
    at_work(lambda _, about, report: done.append(about["key"]))
    ended(database, "one")
    ask(database, "one", once=True)
    assert job(database, "one").status == "done"
    ask(database, "one")
    wait_for(lambda: len(done) == 2)
    ended(database, "one")
    assert done == ["one", "one"]


def test_each_is_taken_by_one_however_many_are_at_work(database, at_work):
    done, lock = [], Lock()

    def do(_, about, report):
        with lock:
            done.append(about["key"])

    ask(database, *map(str, range(40)))
    for _ in range(3):
        at_work(do)
    wait_for(lambda: len(done) >= 40)
    for number in range(40):
        ended(database, str(number))
    assert sorted(done, key=int) == [str(number) for number in range(40)]


def test_several_run_side_by_side(database, at_work):
    together = Barrier(3, timeout=PATIENCE_S)
    ask(database, "a", "b", "c")
    at_work(lambda _, about, report: together.wait())
    for key in "abc":
        ended(database, key)


def test_what_is_left_is_let_go_and_can_be_taken_up_again(database, at_work):
    begun, go_on = Event(), Event()

    def do(_, about, report):
        begun.set()
        go_on.wait(PATIENCE_S)
        report(1, 2)

    ask(database, "one")
    at_work(do)
    assert begun.wait(PATIENCE_S)
    with database.transaction() as tx:
        jobs.leave(tx, jobs.find(tx, "odd", "one").id)
        assert jobs.unfinished(tx) == []
    go_on.set()
    ask(database, "one", once=True)
    assert job(database, "one").status == "left"
    with database.transaction() as tx:
        jobs.try_again(tx, jobs.find(tx, "odd", "one").id)
    assert ended(database, "one").done == 1


def test_what_one_had_in_hand_that_was_killed_is_done_by_another(address, database, at_work):
    ask(database, "one")
    code = (
        "import sys, time\n"
        "from epistem.runner.jobs import Jobs\n"
        "from epistem.store.database import Address\n"
        "at_work = Jobs(Address.from_url(sys.argv[1]), {'odd': lambda *_: time.sleep(3600)})\n"
        "at_work.start()\n"
        "time.sleep(3600)\n"
    )
    first = subprocess.Popen(
        [sys.executable, "-c", code, address.to_url()], preexec_fn=ends_with_us()
    )
    wait_for(lambda: job(database, "one").status == "running", what="it to be taken up")
    at_work(lambda *_: None)
    first.kill()
    first.wait(PATIENCE_S)
    ended(database, "one")


def test_who_is_told_to_stop_gives_back_what_it_has_in_hand(database, at_work):
    begun, hangs = Event(), Event()

    def do(*_):
        begun.set()
        hangs.wait(PATIENCE_S)

    ask(database, "one")
    first = at_work(do)
    assert begun.wait(PATIENCE_S)
    first.close()
    assert job(database, "one").status == "waiting"
    hangs.set()
    at_work(lambda *_: None)
    ended(database, "one")


class TestJudge:
    """Put to the test behind the pages."""

    def trust(self, database):
        with database.transaction() as tx:
            return trust_today(tx, [TONE])[0]

    def begin(self, database):
        with database.transaction() as tx:
            begin_test(tx, TONE, once=True)

    def test_it_is_told_that_it_is_tested_and_then_how_it_did(
        self, database, at_work, model_server
    ):
        put_model(database, "critic", model_server.url)
        model_server.answer = lambda body: '{"reason": "so", "score": 4}'
        assert self.trust(database).why == NOT_TESTED
        self.begin(database)
        assert self.trust(database).why == IS_TESTED
        at_work(KINDS)
        assert wait_for(lambda: (told := self.trust(database)).tested and told).trusted is False

    def test_an_outage_in_the_middle_is_no_score_and_is_tried_again(
        self, database, at_work, model_server, monkeypatch
    ):
        monkeypatch.setattr(probation, "Retry", lambda: Retry(attempts=1))
        put_model(database, "critic", model_server.url)
        model_server.answer = lambda body: '{"reason": "so", "score": 4}'
        model_server.script.append((200, completion(model_server.answer({})), {}))
        model_server.script.append((503, "busy", {}))
        self.begin(database)
        at_work(KINDS, Retry(attempts=9, first_s=1000.0, most_s=1000.0))
        told = wait_for(lambda: (told := self.trust(database)).why != IS_TESTED and told)
        assert told.tested is False
        assert told.why.startswith("It could not be put to the test yet: critic answered 503")
        with database.transaction() as tx:
            [waits] = jobs.unfinished(tx)
            jobs.try_again(tx, waits.id)
        told = wait_for(lambda: (told := self.trust(database)).tested and told)
        assert [said.given for said in told.said] == [4, 4, 4, 4]

    def test_one_answer_that_it_refuses_is_what_it_said_of_it(self, database, model_server):
        put_model(database, "critic", model_server.url)
        model_server.answer = lambda body: '{"reason": "so", "score": 4}'
        model_server.script.append((400, "not this one", {}))
        _, told, _ = put_to_the_test(database, TONE, patient=True)
        assert [said.given for said in told.said] == [None, 4, 4, 4]
        assert "not this one" in told.said[0].reason
