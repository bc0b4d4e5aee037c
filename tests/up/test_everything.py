"""`epistem demo` as a person starts it: what it loads, how it heals, how it ends."""

import json
import os
import signal
import socket

import pytest

from tests.kit.epistem import EpistemProcess, is_gone, run
from tests.kit.waiting import wait_for

PLAN = """
subject: triage-message
arms:
  - {version: 1, model: tern-s}
  - {version: 2, model: tern-s, settings: {temperature: 0}}
cases: [1, 2, 3, 4, 5, 6, 7, 8]
repeats: 2
"""


@pytest.fixture(scope="module")
def demo(tmp_path_factory, demo_home):
    home = demo_home.copied_to(tmp_path_factory.mktemp("epistem") / "home")
    started = EpistemProcess(home, "demo").wait_until_up()
    yield started
    started.stop()


class TestDemo:
    def test_it_brings_two_versions_sixty_cases_and_a_finished_trial(self, demo, demo_home):
        named = {each["name"]: each for each in demo.get("/subjects")["subjects"]}
        assert sorted(named) == [
            "crossing-help",
            "desk-lead",
            "desk-reply",
            "fare-record",
            "handbook-answer",
            "lost-item",
            "notice-writer",
            "timetable-answer",
            "timetable-in-one",
            "triage-message",
        ]
        chains = {name for name, each in named.items() if each["kind"] == "chain"}
        assert chains == {"desk-lead", "notice-writer", "timetable-answer"}
        assert all(named[name]["cases"] >= 24 for name in chains)
        assert [demo.get(f"/subjects/{name}/chain")["faults"] for name in chains] == [[], [], []]
        line = named["triage-message"]
        assert (line["name"], line["versions"], line["cases"], line["edited"]) == (
            "triage-message",
            2,
            60,
            False,
        )
        trial = demo.get(f"/trials/{line['latest_trial']}")
        assert (trial["status"], trial["recorded"], trial["unanswered"]) == ("finished", 1_200, 0)
        assert "Running the demo's trial" in demo_home.said
        assert "Running the demo's trial" not in demo.said  # it was there already

    def test_the_second_version_is_better_and_the_cheap_model_is_worth_asking(self, demo):
        verdict = demo.get("/trials/1/verdict")
        words = {(c["arm"], c["measure"]): (c["word"], c["main"]) for c in verdict["comparisons"]}
        assert words[1, 0] == ("better", True)
        assert verdict["question"] == {"arm": 1, "measure": 0}
        assert verdict["rates"][0][0]["value"] < verdict["rates"][1][0]["value"] < 1
        assert verdict["efforts"][2]["cents"] > verdict["efforts"][0]["cents"]

    def test_a_version_gains_in_tone_and_loses_its_ground(self, demo):
        [line] = [
            each for each in demo.get("/subjects")["subjects"] if each["name"] == "desk-reply"
        ]
        verdict = demo.get(f"/trials/{line['latest_trial']}/verdict")
        at = {measure["key"]: measure["index"] for measure in verdict["measures"]}
        words = {(c["arm"], c["measure"]): (c["word"], c["main"]) for c in verdict["comparisons"]}
        assert words[1, at["grounding.supported"]] == ("worse", True)
        [tone] = [each for each in verdict["scores"] if each["measure"] == at["judge.rubric"]]
        assert [each["word"] for each in tone["differences"] if each["arm"] == 1] == ["higher"]
        assert verdict["trust"][at["judge.rubric"]]["trusted"]

    def test_a_changed_booking_moves_the_fare_more_often_with_the_rules_as_steps(self, demo):
        [line] = [
            each for each in demo.get("/subjects")["subjects"] if each["name"] == "fare-record"
        ]
        trial, verdict = (
            demo.get(f"/trials/{line['latest_trial']}{more}") for more in ("", "/verdict")
        )
        at = {measure["key"]: measure["index"] for measure in verdict["measures"]}
        words = {(c["arm"], c["measure"]): c["word"] for c in verdict["comparisons"]}
        assert words[1, at["outcome.moves"]] == "better"
        assert verdict["rates"][1][at["outcome.moves"]]["cases"] == 18
        assert verdict["rates"][1][at["outcome.steady"]]["cases"] == 30
        assert trial["asked"] > trial["cases"] == 30

    def test_talks_by_rules_go_their_own_ways_and_asking_one_thing_at_a_time_pays(self, demo):
        [line] = [each for each in demo.get("/subjects")["subjects"] if each["name"] == "lost-item"]
        trial, verdict = (
            demo.get(f"/trials/{line['latest_trial']}{more}") for more in ("", "/verdict")
        )
        at = {measure["key"]: measure["index"] for measure in verdict["measures"]}
        words = {c["measure"]: c["word"] for c in verdict["comparisons"]}
        assert [words[at[f"outcome.{k}"]] for k in ("one_thing", "must_say")] == ["better"] * 2
        assert trial["calls"] > 2 * trial["recorded"]
        case = f"/trials/{trial['id']}/readings?case_at=17&arm="
        one, other = (demo.get(f"{case}{arm}")["readings"][0] for arm in (0, 1))
        assert one["talk"][1]["role"] == "user"
        assert one["talk"] != other["talk"]
        assert {one["ended"], other["ended"]} <= {"done", "gave up", "too long"}

    def test_every_request_of_the_trial_is_kept(self, demo):
        [first, *_] = demo.get("/trials/1/readings?arm=1&case_at=0")["readings"]
        [call] = demo.get(f"/readings/{first['id']}")["calls"]
        sent = json.loads(call["request"])
        assert sent["messages"][0]["role"] == "system"
        assert "Skerry Line" in sent["messages"][0]["content"]


class TestCommand:
    def test_cases_come_in_from_a_folder_are_listed_and_go_out_as_they_are(self, demo, tmp_path):
        folder = tmp_path / "notes"
        (folder / "june").mkdir(parents=True)
        (folder / "june" / "1.txt").write_text("I lost a kite")
        (folder / "odd.bin").write_bytes(b"\x00")
        done = run(demo.home, "cases", "import", "lost-item", str(folder), "--dry-run")
        assert (done.returncode, "Nothing is kept" in done.stdout) == (1, True), done.stderr
        done = run(demo.home, "cases", "import", "lost-item", str(folder))
        assert done.returncode == 1  # a row could not be taken
        assert "1 new, 0 changed, 0 known, 1 that can't be taken" in done.stdout
        assert "1 case kept" in done.stdout
        listed = run(demo.home, "cases", "list", "lost-item", "--find", "tag:june")
        assert "I lost a kite" in listed.stdout
        out = run(demo.home, "cases", "export", "lost-item", "--find", "tag:june")
        assert json.loads(out.stdout)["inputs"] == {"message": "I lost a kite"}
        file = tmp_path / "kite.jsonl"
        file.write_text(out.stdout)
        done = run(demo.home, "cases", "import", "lost-item", str(file))
        assert (done.returncode, "0 new, 0 changed, 1 known" in done.stdout) == (0, True)
        done = run(demo.home, "cases", "import", "lost-item", str(file), "--column", "x=label")
        assert (done.returncode, "no column “x”" in done.stderr) == (2, True)

    def test_a_trial_from_a_file_prints_its_verdict(self, demo, tmp_path):
        plan = tmp_path / "plan.yaml"
        plan.write_text(PLAN)
        done = run(demo.home, "trial", "run", str(plan))
        assert done.returncode == 0, done.stderr
        assert "32 of 32 readings" in done.stdout
        assert "label is right" in done.stdout
        assert "baseline" in done.stdout

    def test_a_model_out_of_reach_is_told_and_waited_for_no_longer_than_wished(
        self, demo, tmp_path
    ):
        entry = {
            "address": "http://127.0.0.1:9",
            "context_window": 900,
            "input_cents": 0,
            "output_cents": 0,
        }
        demo.put("/models/away", entry)
        plan = tmp_path / "plan.yaml"
        plan.write_text("subject: triage-message\narms: [{version: 1, model: away}]\ncases: [1]\n")
        done = run(demo.home, "trial", "run", str(plan), "--patience", "3")
        assert done.returncode == 2
        said = " ".join((done.stdout + done.stderr).split())
        assert "Arm 1 is paused. away can't be reached at http://127.0.0.1:9" in said
        assert "Nothing was recorded for 3 s." in said

    @pytest.mark.parametrize(
        ("required", "code"),
        [
            ("no stock phrases=0.01", 0),
            ("label is right=100%", 1),
            ("outcome.label", 0),
            ("tone.jolly", 2),
            ("x=1.5", 2),
        ],
    )
    def test_the_exit_code_tells_whether_a_required_check_fell_short(self, demo, required, code):
        done = run(demo.home, "trial", "run", "1", "--require", required)
        assert done.returncode == code, done.stdout + done.stderr
        assert ("Fell short" in done.stdout) == (code == 1)
        assert "Traceback" not in done.stderr

    def test_show_prints_the_sentence_and_the_table(self, demo):
        done = run(demo.home, "trial", "show", "T1")
        assert (
            "On the main question, label is right, v2 tern-s is better than v1 tern-s"
            in done.stdout
        )

    @pytest.mark.parametrize(
        ("arguments", "says"),
        [
            (["trial", "show", "99"], "There is no trial T99."),
            (["trial", "show", "first"], "is not the number of a trial"),
            (["trial", "run", "/no/such/file.yaml"], "can't be read"),
        ],
    )
    def test_what_cannot_be_done_is_a_sentence(self, demo, arguments, says):
        done = run(demo.home, *arguments)
        assert done.returncode == 2
        assert says in done.stderr
        assert "Traceback" not in done.stderr

    @pytest.mark.parametrize(
        ("text", "says"),
        [
            ("arms: []", "does not say which prompt"),
            ("subject: triage-message\narms: []", "has no arms"),
            ("subject: triage-message\nrepeat: 3", "repeat"),
            ("subject: [", "is not YAML"),
            ("just words", "must hold fields"),
            ("subject: nope\narms: [{version: 1, model: tern-s}]", "no subject called “nope”"),
        ],
    )
    def test_a_file_that_is_wrong_says_where(self, demo, tmp_path, text, says):
        plan = tmp_path / "plan.yaml"
        plan.write_text(text)
        done = run(demo.home, "trial", "run", str(plan))
        assert done.returncode == 2
        assert says in done.stderr

    def test_migrate_has_nothing_left_to_do(self, demo):
        assert "up to date" in run(demo.home, "migrate").stdout

    def test_help_teaches(self, tmp_path):
        text = run(tmp_path, "--help").stdout
        for word in ("epistem demo", "epistem up", "trial run", "--home"):
            assert word in text
        assert "the first is the baseline" in run(tmp_path, "trial", "run", "--help").stdout


class TestHealing:
    @pytest.mark.parametrize("name", ["mariadbd", "runner", "gunicorn", "stand-in"])
    def test_what_is_killed_is_started_again_and_nothing_is_lost(self, demo, name):
        before = demo.pid(name)
        os.kill(before, signal.SIGKILL)
        wait_for(lambda: demo.pids().get(name, before) != before, what=f"another {name}")

        def whole():
            try:
                return demo.get("/trials/1")["recorded"] == 1_200
            except OSError:
                return False

        wait_for(whole, what="the page to be back")
        assert "Starting it again" in demo.said

    def test_a_second_one_in_the_same_folder_is_told_where_the_first_is(self, demo):
        second = EpistemProcess(demo.home, "up")
        assert second.wait() == 2
        assert f"running already at {demo.url}" in second.said


class TestEnding:
    def test_ctrl_c_ends_all_and_the_next_start_has_everything(self, tmp_path, demo_home):
        home = demo_home.copied_to(tmp_path / "home")
        first = EpistemProcess(home, "demo").wait_until_up()
        pids = first.pids()
        assert set(pids) == {"mariadbd", "gunicorn", "stand-in", "runner"}
        assert first.stop() == 0
        assert "Ended. Everything is kept." in first.said
        assert all(map(is_gone, pids.values()))

        second = EpistemProcess(home, "demo").wait_until_up()
        assert second.get("/trials/1")["recorded"] == 1_200
        pids = second.pids()
        second.send(signal.SIGKILL)
        second.wait()
        wait_for(lambda: all(map(is_gone, pids.values())), what="its processes to end with it")

        third = EpistemProcess(home, "up", "--reset").wait_until_up()
        assert "ended without cleaning up; that is done now" in third.said
        assert third.get("/subjects")["subjects"] == []
        assert third.stop() == 0

    def test_a_taken_port_is_refused_and_nothing_is_left_running(self, tmp_path):
        with socket.socket() as listener:
            listener.bind(("127.0.0.1", 0))
            listener.listen()
            port = listener.getsockname()[1]
            started = EpistemProcess(tmp_path / "home", "up", "--port", str(port))
            assert started.wait() == 2
        assert f"Port {port} is taken by another program" in started.said
        assert "Traceback" not in started.said
