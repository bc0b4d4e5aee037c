"""Reading sources: nothing is ever written, whatever the statement tries, and nothing takes too much."""

import os
import shutil
import sqlite3
from contextlib import closing
from hashlib import sha256
from time import monotonic

import pytest

from epistem.core.errors import InvalidInput
from epistem.core.tools.rows import Rows
from epistem.reach import mariadb, sources, sqlite
from epistem.reach.doors import Door
from epistem.reach.mariadb import Place
from epistem.reach.sources import Source

MADE = """
CREATE TABLE sailings (id INTEGER PRIMARY KEY, pier TEXT, leaves TEXT, fare REAL);
INSERT INTO sailings VALUES (1, 'Hollin', '09:10', 12.5), (2, 'Hollin', '17:40', 12.5), (3, 'Sandray', '08:00', 9.0);
CREATE INDEX by_pier ON sailings (pier);
CREATE VIEW early AS SELECT * FROM sailings WHERE leaves < '12';
"""
TRICKS = [
    "DELETE FROM sailings", "INSERT INTO sailings VALUES (4, 'x', 'y', 1)", "UPDATE sailings SET fare = 0",
    "DROP TABLE sailings", "CREATE TABLE x (a)", "CREATE TEMP TABLE x (a)", "ALTER TABLE sailings ADD x",
    "WITH x AS (DELETE FROM sailings RETURNING *) SELECT * FROM x", "ATTACH ':memory:' AS x",
    "PRAGMA journal_mode = DELETE", "PRAGMA query_only = 0", "VACUUM INTO '/tmp/epistem-x'", "REINDEX", "ANALYZE",
    "SELECT load_extension('x')", "BEGIN; DELETE FROM sailings; COMMIT", "REPLACE INTO sailings VALUES (1,'x','y',1)",
    "SELECT 1; DELETE FROM sailings", "SELECT 1 --\n; DELETE FROM sailings", "SAVEPOINT x", "DETACH main",
    "SELECT * FROM pragma_table_info('sailings')", "SELECT * FROM pragma_database_list",
    "SELECT writefile('/tmp/epistem-x', 'x')", "CREATE TRIGGER t AFTER INSERT ON sailings BEGIN SELECT 1; END",
]  # fmt: skip


@pytest.fixture(scope="module")
def file(tmp_path_factory):
    path = tmp_path_factory.mktemp("source") / "timetable.sqlite"
    with closing(sqlite3.connect(path)) as made:
        made.executescript(MADE)
    return path


def run(file, statement, given=None, **more):
    return sources.run(Source("timetable", "sqlite", file=file), statement, (), given=given, **more)


class TestSqlite:
    def test_rows_come_with_their_columns(self, file):
        found = run(
            file, "SELECT pier, fare AS price FROM sailings WHERE pier = :pier", {"pier": "Sandray"}
        )
        assert found == Rows(("pier", "price"), (("Sandray", 9.0),))
        assert run(file, "SELECT * FROM early").rows[0][1] == "Hollin"

    def test_its_tables_are_told(self, file):
        told = sqlite.tables_of(file)
        assert "CREATE TABLE sailings (id INTEGER PRIMARY KEY, pier TEXT" in told
        assert "CREATE VIEW early" in told

    @pytest.mark.parametrize("statement", TRICKS)
    def test_neither_fence_lets_a_write_through(self, file, statement):
        """Once as it is asked, and once past the parser: the database alone has to refuse it, too."""
        before = sha256(file.read_bytes()).digest()
        with pytest.raises(InvalidInput):
            sqlite.run(file, statement, {}, 10, 5.0)
        if "pragma_" not in statement:
            with pytest.raises(InvalidInput):
                run(file, statement)
        assert sha256(file.read_bytes()).digest() == before
        assert sorted(os.listdir(file.parent)) == [file.name]

    @pytest.mark.parametrize(
        ("statement", "told"),
        [
            (
                "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) SELECT max(n) FROM r",
                "longer than",
            ),
            ("SELECT printf('%.*c', 100000000, 'x') FROM sailings", "longer than"),
            (
                "SELECT instr(hex(zeroblob(499999)), hex(zeroblob(249999)) || '1') FROM sailings",
                "longer than",
            ),
            ("SELECT zeroblob(1000000000)", "database says"),
            ("SELECT group_concat(hex(randomblob(400000))) FROM sailings", "database says"),
            ("SELECT replace(hex(zeroblob(400000)), '0', hex(zeroblob(400000)))", "database says"),
            ("SELECT price FROM sailings", "no such column: price"),
            ("SELECT * FROM sailings WHERE pier = :pier", "database says"),
        ],
        ids=range(8),
    )
    def test_what_takes_too_much_or_is_wrong_is_ended_in_words(self, file, statement, told):
        began = monotonic()
        with pytest.raises(InvalidInput, match=told):
            run(file, statement, seconds=0.4)
        assert monotonic() - began < 20  # it hangs for ever otherwise

    def test_memory_is_bounded_where_rows_are_put_in_order(self, file):
        many = (
            "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r WHERE n < 3000) "
            "SELECT hex(zeroblob(200000)) || n FROM r ORDER BY 1 DESC"
        )
        with pytest.raises(InvalidInput, match=r"memory|longer"):
            run(file, many, seconds=20)

    def test_no_more_rows_come_than_are_asked_for(self, file):
        many = "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) SELECT n FROM r"
        found = run(file, many, most_rows=7)
        assert (len(found.rows), found.more) == (7, True)
        wide = "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) SELECT hex(zeroblob(400000)) FROM r"
        assert len(run(file, wide, most_rows=1_000).rows) < 10

    @pytest.mark.parametrize("value", [[1], {"a": 1}, 2**70])
    def test_a_statement_is_filled_in_with_plain_values(self, file, value):
        with pytest.raises(InvalidInput, match="texts and numbers"):
            run(file, "SELECT :x", {"x": value})

    def test_an_argument_is_a_value_and_never_a_statement(self, file):
        found = run(file, "SELECT count(*) FROM sailings WHERE pier = :p", {"p": "x' OR 1 = 1 --"})
        assert found.rows == ((0,),)

    @pytest.mark.parametrize(
        "content", [b"", b"SQLite format 3\0" + b"\xff" * 5_000, b"no database" * 99]
    )
    def test_what_is_no_database_says_so(self, tmp_path, content):
        (tmp_path / "x").write_bytes(content)
        with pytest.raises(InvalidInput):
            run(tmp_path / "x", "SELECT * FROM sailings")

    def test_a_view_can_not_do_what_a_statement_may_not(self, file, tmp_path):
        shutil.copy(file, tmp_path / "x")
        with closing(sqlite3.connect(tmp_path / "x")) as made:
            made.execute("CREATE VIEW v AS SELECT load_extension('x')")
            made.commit()
        with pytest.raises(InvalidInput):
            run(tmp_path / "x", "SELECT * FROM v")


@pytest.fixture(scope="module")
def elsewhere(address):
    """A database beside ours on the same server, with a table in it, and how it is reached."""
    name, url = f"{address.database}_rows", f"mysql://{address.host}:{address.port}"
    with address.connect(autocommit=True) as connection, connection.cursor() as cursor:
        for told in (
            f"CREATE DATABASE {name}",
            f"CREATE TABLE {name}.sailings (pier VARCHAR(20), leaves TIME, fare DECIMAL(6,2), day DATE)",
            f"INSERT INTO {name}.sailings VALUES ('Hollin', '09:10', 12.5, '2031-05-02'), "
            "('50% off', '08:00', 9, NULL)",
            f"CREATE SEQUENCE {name}.numbers",
        ):
            cursor.execute(told)
    with pytest.MonkeyPatch.context() as patched:
        patched.setenv("EPISTEM_KEY_ROWS", address.password or "none")
        patched.setenv("EPISTEM_KEY_ROWS_FOR", url)
        key = "env:EPISTEM_KEY_ROWS" if address.password else ""
        yield Place(address.host, address.port, address.user, name, key)
    with address.connect(autocommit=True) as connection, connection.cursor() as cursor:
        cursor.execute(f"DROP DATABASE {name}")


def asked(place, statement, given=None, *, past_the_parser=False, inside=True, **more):
    doors = [Door(place.origin, inside)]
    if past_the_parser:
        return mariadb.run(place, statement, given or {}, 50, 5.0, doors)
    return sources.run(
        Source("rows", "mariadb", place=place), statement, doors, given=given, **more
    )


TABLES = (
    "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() "
    "AND table_type = 'BASE TABLE'"
)


class TestMariaDb:
    def test_rows_come_as_plain_values(self, elsewhere):
        found = asked(elsewhere, "SELECT * FROM sailings ORDER BY fare")
        assert found.columns == ("pier", "leaves", "fare", "day")
        assert found.rows == (
            ("50% off", "08:00:00", 9, None),
            ("Hollin", "09:10:00", 12.5, "2031-05-02"),
        )

    def test_names_are_filled_in_and_the_driver_is_not_taken_in(self, elsewhere):
        told = "SELECT pier FROM sailings WHERE pier LIKE '%% %' AND ':x' <> :p AND pier = :p"
        assert asked(elsewhere, told, {"p": "50% off"}).rows == (("50% off",),)
        assert asked(elsewhere, "SELECT :p", {"p": "x' OR 1 = 1 -- %s"}).rows == (
            ("x' OR 1 = 1 -- %s",),
        )

    def test_its_tables_are_told(self, elsewhere):
        told = sources.tables_of(
            Source("rows", "mariadb", place=elsewhere), [Door(elsewhere.origin, True)]
        )
        assert "sailings(pier varchar(20), leaves time, fare decimal(6,2), day date)" in told

    @pytest.mark.parametrize(
        "statement",
        [
            "DELETE FROM sailings", "INSERT INTO sailings VALUES ('x', '1:00', 1, NULL)",
            "UPDATE sailings SET fare = 0",
            "DROP TABLE sailings", "TRUNCATE sailings", "CREATE TABLE x (a INT)", "SELECT NEXTVAL(numbers)",
            "SELECT 1; DELETE FROM sailings", "/*!50000 DELETE FROM sailings */",
            "SELECT * FROM sailings FOR UPDATE; DROP TABLE sailings",
            "LOAD DATA LOCAL INFILE '/etc/passwd' INTO TABLE sailings",
            "REPLACE INTO sailings VALUES ('x','1:00',1,NULL)",
        ],
    )  # fmt: skip
    def test_neither_fence_lets_a_write_through(self, elsewhere, statement):
        before = asked(elsewhere, "SELECT * FROM sailings")
        for past in (True, False):
            with pytest.raises(InvalidInput):
                asked(elsewhere, statement, past_the_parser=past)
        assert asked(elsewhere, "SELECT * FROM sailings") == before
        assert asked(elsewhere, TABLES).rows == (("sailings",),)

    def test_one_that_takes_too_long_is_ended(self, elsewhere):
        many = "SELECT count(*) FROM seq_1_to_100000 a, seq_1_to_100000 b WHERE a.seq + b.seq < 0"
        with pytest.raises(InvalidInput, match=r"longer than 0\.3 s"):
            asked(elsewhere, many, seconds=0.3)

    def test_no_more_rows_come_than_are_asked_for(self, elsewhere):
        found = asked(elsewhere, "SELECT seq, REPEAT('x', 1000) FROM seq_1_to_1000000", most_rows=5)
        assert (len(found.rows), found.more) == (5, True)

    def test_it_is_reached_only_where_it_is_allowed(self, elsewhere):
        with pytest.raises(InvalidInput, match="in this machine"):
            asked(elsewhere, "SELECT 1", inside=False)
        with pytest.raises(InvalidInput, match="not among the addresses"):
            sources.run(Source("rows", "mariadb", place=elsewhere), "SELECT 1", [])

    def test_a_wrong_statement_is_told_in_the_database_s_words(self, elsewhere):
        with pytest.raises(InvalidInput, match="Unknown column 'price'"):
            asked(elsewhere, "SELECT price FROM sailings")
        with pytest.raises(InvalidInput, match="can't be reached"):
            asked(Place(elsewhere.host, 9, "x", "y"), "SELECT 1")
