"""Backups: taken in the middle of everything, restored to the row, refused whole where they are not whole."""

import json
import os
import shutil
import zipfile
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from threading import Event
from urllib.error import HTTPError

import pytest

from epistem.core.subjects.content import content_from_json
from epistem.store import subjects
from epistem.store.database import Database
from epistem.store.walks import rows as walks
from epistem.up.archive import Manifest, opened, verify, written
from epistem.up.mariadb import MariaDb
from epistem.up.schedule import Backups
from epistem.up.supervisor import running_database
from epistem.work import backups
from tests.kit.epistem import EpistemProcess, run
from tests.kit.model_server import ModelServer
from tests.kit.running import put_model
from tests.kit.servers import served
from tests.kit.subjects import library, start_trial
from tests.kit.waiting import PATIENCE_S, wait_for
from tests.kit.walks import ask, chain


@contextmanager
def database_in(home):
    made = MariaDb(home / "mariadb")
    made.start()
    try:
        with made.address.connect(autocommit=True) as connection, connection.cursor() as cursor:
            yield cursor
    finally:
        made.stop()


def rows(cursor, sql):
    cursor.execute(sql)
    return cursor.fetchall()


def checksums(cursor):
    tables = [f"`{table}`" for (table,) in rows(cursor, "SHOW TABLES")]
    return dict(rows(cursor, f"CHECKSUM TABLE {', '.join(tables)} EXTENDED"))


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    """A home with a trial and a walk that are over, a backup of it then, and one from the middle of both: their model
    waits until that one is made."""
    folder = tmp_path_factory.mktemp("keeping")
    home, middle, quiet = folder / "home", folder / "middle.zip", folder / "quiet.zip"
    asked, walked, made, in_step_7 = ModelServer(), ModelServer(), Event(), Event()

    def answer(body):
        if len(asked.requests) > 100:
            made.wait(PATIENCE_S)
        return f"It is {body['seed']}."

    def step(body):
        text = body["messages"][-1]["content"]
        if text == "Step 7 of fog":
            in_step_7.set()
            made.wait(PATIENCE_S)
        return f"<{text}>"

    asked.answer, walked.answer = answer, step
    with served(asked.app()) as url, served(walked.app()) as other:
        up = EpistemProcess(home, "up").wait_until_up()
        (home / "keys" / "harbour").write_text("sk-very-secret")
        database = Database(running_database(home))
        put_model(database, "asked", url, time_limit_ms=3_600_000)
        put_model(database, "own", other, time_limit_ms=3_600_000)
        steps = [ask(f"step {n}", f"Step {n} of {{{{ message }}}}", "draft") for n in range(12)]
        with database.transaction() as tx:
            subject = library(tx)
            told = content_from_json(chain(*steps, outputs={"draft": "draft"}))
            notices = subjects.create(tx, "notices", "k\u00ee \U0001f6a2", told)
            walks.insert(tx, notices, walks.NewWalk(told, {"message": "fog"}, 1))
        arms = [{"version": version, "model": "asked"} for version in (1, 2)]
        trial = start_trial(database, subject, arms=arms, repeats=50)
        wait_for(in_step_7.is_set, what="the middle of the walk")
        wait_for(lambda: up.get(f"/trials/{trial.id}")["recorded"] > 5, what="some readings")
        first = run(home, "backup", str(middle))
        made.set()
        assert first.returncode == 0, first.stderr + first.stdout
        up.wait_until_done()
        wait_for(lambda: up.get("/walks/1")["over"], what="the walk to end")
        database.close()
        up.stop()
        second = run(home, "backup", str(quiet))  # with nothing running
        assert second.returncode == 0, second.stderr + second.stdout
        yield home, middle, quiet


def test_what_is_restored_is_the_same_to_the_row(kept, tmp_path):
    home, _, quiet = kept
    made = run(tmp_path / "new", "restore", str(quiet))
    assert made.returncode == 0, made.stderr
    with database_in(home) as here, database_in(tmp_path / "new") as there:
        before, after = checksums(here), checksums(there)
    assert len(before) > 50
    assert after == before
    assert (tmp_path / "new" / "bookings.port").read_text() == (home / "bookings.port").read_text()


def test_one_from_the_middle_of_a_trial_and_a_walk_goes_on_and_comes_to_the_same(kept, tmp_path):
    home, middle, _ = kept
    new = tmp_path / "new"
    made = run(new, "restore", str(middle))
    assert made.returncode == 0, made.stderr
    per_trial = "SELECT t.recorded, t.total, (SELECT COUNT(*) FROM readings r WHERE r.trial_id = t.id) FROM trials t"
    with database_in(new) as there:
        [(recorded, total, readings)] = rows(there, per_trial)
        assert 5 < recorded == readings < total
    up = EpistemProcess(new, "up").wait_until_up().wait_until_done()
    wait_for(lambda: up.get("/walks/1")["over"], what="the walk to end")
    walk = up.get("/walks/1")
    assert (walk["status"], walk["calls"]) == ("done", 12)
    up.stop()
    with database_in(home) as here, database_in(new) as there:
        assert rows(there, per_trial) == rows(here, per_trial) == ((total, total, total),)
        twice = "SELECT cell_id FROM calls WHERE error IS NULL GROUP BY cell_id, walk_id, path HAVING COUNT(*) > 1"
        assert rows(there, twice) == ()
        answers = "SELECT cell_id, answer FROM readings ORDER BY cell_id"  # the same seeds are answered alike
        assert rows(there, answers) == rows(here, answers)
        walked = "SELECT outcome FROM walks"
        assert rows(there, walked) == rows(here, walked)


def test_keys_are_never_in_it(kept):
    _, middle, quiet = kept
    for file in (middle, quiet):
        with zipfile.ZipFile(file) as content:
            assert not [name for name in content.namelist() if "key" in name or "password" in name]
            assert all(b"sk-very-secret" not in content.read(name) for name in content.namelist())
        assert file.stat().st_mode & 0o077 == 0


def test_none_is_written_over_another_or_restored_over_data(kept, tmp_path):
    home, middle, quiet = kept
    again = run(home, "backup", str(middle))
    assert "is there already" in again.stderr
    over = run(home, "restore", str(quiet))
    assert "has data already" in over.stderr
    assert again.returncode == over.returncode == 2
    nothing = run(tmp_path / "empty", "backup", str(tmp_path / "x.zip"))
    assert "nothing of Epistem" in "".join(nothing.stderr.split("\n"))
    assert not (tmp_path / "x.zip").exists()


def test_two_that_make_one_file_leave_it_whole_and_what_a_kill_left_is_no_hindrance(tmp_path):
    file, manifest = tmp_path / "x.zip", Manifest("0", "now", "10", {})
    (tmp_path / ".part-x.zip").write_bytes(b"half of one")
    with written(file, manifest, lambda size: None) as first:
        with (
            pytest.raises(FileExistsError),
            written(file, Manifest("0", "now", "10", {}), lambda size: None),
        ):
            pass
        first.put("database.sql", [b"SELECT 1;"])
    with opened(file) as (content, told):
        verify(content, told, lambda size: None)
    assert [each.name for each in tmp_path.iterdir()] == ["x.zip"]


def cut_off(file, to):
    to.write_bytes(file.read_bytes()[:-5_000])


def damaged(file, to):
    """One byte of the compressed database is another."""
    content = bytearray(file.read_bytes())
    content[len(content) // 2] ^= 0x55
    to.write_bytes(content)


def altered(file, to, **manifest):
    with zipfile.ZipFile(file) as old, zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            content = old.read(name)
            if name == "manifest.json" and manifest:
                content = json.dumps({**json.loads(content), **manifest}).encode()
            elif name == "database.sql" and not manifest:
                content += b"INSERT INTO subjects (name) VALUES ('mine');\n"
            new.writestr(name, content)


def newer(file, to):
    altered(file, to, migrations={"9999_later.sql": "x" * 64}, version="9.0")


def much_newer(file, to):
    altered(file, to, format=7, version="9.0")


def no_backup(file, to):
    to.write_text("hello")


def other_zip(file, to):
    with zipfile.ZipFile(to, "w") as new:
        new.writestr("a.txt", "hello")


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (cut_off, "was cut off"),
        (damaged, "altered or damaged"),
        (altered, "altered or damaged"),
        (newer, "later Epistem"),
        (much_newer, "later Epistem"),
        (no_backup, "no backup"),
        (other_zip, "no backup"),
    ],
)
def test_what_is_not_whole_or_of_a_later_epistem_changes_nothing(kept, tmp_path, spoil, says):
    file = tmp_path / "spoiled.zip"
    spoil(kept[2], file)
    made = run(tmp_path / "new", "restore", str(file))
    assert (made.returncode, says in " ".join(made.stderr.split())) == (2, True), made.stderr
    assert not (tmp_path / "new").exists()


def test_a_full_disk_is_told_and_leaves_nothing(kept, tmp_path):
    if not os.access("/dev/full", os.W_OK) or shutil.which("mount") is None or os.geteuid() != 0:
        pytest.skip("only who may mount can make a small disk")
    disk = tmp_path / "disk"
    disk.mkdir()
    if os.system(f"mount -t tmpfs -o size=64k tmpfs {disk}") != 0:
        pytest.skip("no small disk can be made here")
    try:
        made = run(kept[0], "backup", str(disk / "x.zip"))
        assert made.returncode == 2
        assert "No space left" in " ".join(made.stderr.split())
        assert list(disk.iterdir()) == []
    finally:
        os.system(f"umount {disk}")


def test_a_table_that_is_gone_is_told_at_the_start_and_in_health(kept, tmp_path):
    _, _, quiet = kept
    home = tmp_path / "new"
    assert run(home, "restore", str(quiet)).returncode == 0
    (home / "mariadb" / "data" / "epistem" / "marks.ibd").unlink()
    up = EpistemProcess(home, "up").wait_until_up()
    assert "The database is damaged: marks" in " ".join(up.said.split())
    with pytest.raises(HTTPError) as told:
        up.get("/health")
    assert json.loads(told.value.read())["status"] == "damaged"
    up.stop()


class TestTheSchedule:
    def test_it_makes_them_keeps_the_newest_and_tells_of_one_that_is_overdue(self, kept, tmp_path):
        home = tmp_path / "home"
        shutil.copytree(kept[0], home)
        now, said = [datetime.now(UTC)], []
        schedule = Backups(home, 3_600, 2, said.append, lambda: now[0])
        for _ in range(3):
            before = backups.made_in(home)
            wait_for(
                lambda b=before: schedule.look() or backups.made_in(home) != b, what="a backup"
            )
            wait_for(
                lambda: schedule.look() or len(backups.made_in(home)) <= 2, what="the old one to go"
            )
            os.utime(
                backups.made_in(home)[-1], (now[0].timestamp(),) * 2
            )  # made when it seems to be
            now[0] += timedelta(seconds=3_601)
        assert (len(backups.made_in(home)), said) == (2, [])
        shutil.rmtree(home / "mariadb")
        wait_for(lambda: schedule.look() or said, what="the failure to be told")
        assert "nothing of Epistem" in said[0]
        told = backups.said_of(backups.read_schedule(home), now[0] + timedelta(hours=3))
        assert told.startswith("A backup is overdue.")
        assert "nothing of Epistem" in told
        assert backups.said_of(backups.read_schedule(home), now[0]) == ""
