"""Files of cases: what is found in them, what their columns are taken for, and what goes out comes back."""

import io
import json
import zipfile
from contextlib import suppress

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import (
    Case,
    CollectedFact,
    Expectation,
    Labelled,
    ToolWanted,
    checked,
)
from epistem.core.cases.files.building import Wanted, build
from epistem.core.cases.files.columns import Column, guessed, known_names
from epistem.core.cases.files.packed import by_name
from epistem.core.cases.files.reading import HowToRead, read_file
from epistem.core.cases.files.writing import csv_of, jsonl_of
from epistem.core.cases.identity import asked_hash
from epistem.core.cases.pair import Move, Pair
from epistem.core.cases.person import Person
from epistem.core.cases.persona import Persona, PersonFact
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Input
from epistem.core.prompts.tool import ToolTold

LABELS = ["refund", "lost item"]
MESSAGE = [Input(name="message")]
DOT = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000001000000010806000000"
    "1f15c4890000000d49444154789c6360606060000000050001a5f645400000000049454e44ae426082"
)


def made(name, content, inputs=MESSAGE, labels=LABELS, how=None):
    read = read_file(name, content, how, known_names([each.name for each in inputs]))
    columns = [] if read.table.whole else guessed(read.table, inputs, labels)
    return build(read.table, columns, Wanted(inputs, labels), read.images, "from a file")


def messages(done):
    return [each.case.inputs["message"] for each in done.built]


class TestTables:
    @pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
    @pytest.mark.parametrize("ends", ["\n", "\r\n", "\r"])
    @pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "windows-1252"])
    def test_separator_line_ends_and_encoding_are_found(self, separator, ends, encoding):
        rows = (
            ["Message", "Label"],
            ['"Wo ist mein Mantel? Grün, ""neu"""', "lost item"],
            ["Geld zurück", "refund"],
        )
        text = ends.join(separator.join(row) for row in rows)
        done = made("a.csv", text.encode(encoding))
        assert messages(done) == ['Wo ist mein Mantel? Grün, "neu"', "Geld zurück"]
        assert [each.case.expect.label for each in done.built] == ["lost item", "refund"]
        assert [each.line for each in done.built] == [2, 3]

    def test_a_cell_may_hold_line_breaks_and_lines_are_still_counted(self):
        done = made("a.csv", b'message,label\n"one\ntwo\n\nthree",refund\nfour,nothing\n')
        assert messages(done) == ["one\ntwo\n\nthree"]
        assert [(bad.line, "no label of this prompt" in bad.reason) for bad in done.bad] == [
            (6, True)
        ]

    def test_a_quote_that_is_never_closed_costs_its_row_and_says_where(self):
        done = made("a.csv", b'message,label\none,refund\n"two,refund\nthree,refund\n')
        assert messages(done) == ["one"]
        assert done.bad[0].line == 3
        assert "never closed" in done.bad[0].reason

    def test_rows_too_long_are_told_and_empty_ones_passed_over(self):
        done = made("a.csv", b"message,label\na,refund,x,y\n,\n\nb\n")
        assert messages(done) == ["b"]
        assert [(bad.line, bad.reason) for bad in done.bad] == [
            (2, "has 4 cells, where there are 2 columns")
        ]

    def test_a_table_without_a_header_is_seen_as_one(self):
        table = read_file("pasted", b"Where is my coat?\trefund\nMoney back, please.\trefund").table
        assert (table.header, table.columns) == (False, ["column 1", "column 2"])
        assert len(table.rows) == 2
        told = read_file("a.csv", b"Where is it?,x\nb,c", HowToRead(header=True)).table
        assert told.columns == ["Where is it?", "x"]

    def test_lines_that_are_no_table_are_a_case_each_whatever_commas_and_quotes_they_hold(self):
        text = '"Hello", she said, "where is it?"\nIt is, I think, late\n\n  \nA; b; c\n'
        assert messages(made("pasted", text.encode(), labels=[])) == [
            '"Hello", she said, "where is it?"', "It is, I think, late", "A; b; c",
        ]  # fmt: skip
        pasted = made("pasted", b"Where is it, please?\tlost item\nGive it back, now\trefund")
        assert [each.case.expect.label for each in pasted.built] == ["lost item", "refund"]
        assert messages(made("pasted", b"message;label\na, b;refund")) == ["a, b"]

    def test_a_first_line_that_names_the_separator_is_heard(self):
        done = made("a.csv", b"sep=|\r\nmessage|label\r\na, b; c|refund\r\nd|no")
        assert (messages(done), done.bad[0].line) == (["a, b; c"], 4)

    def test_columns_without_a_name_or_twice_the_same_get_one_of_their_own(self):
        content = b"message,,message,message\na,b,c,d"
        assert read_file("a.csv", content, known={"message"}).table.columns == [
            "message", "column 2", "message (2)", "message (3)",
        ]  # fmt: skip

    def test_a_hundred_columns_are_read_and_those_that_mean_nothing_left(self):
        header = ",".join(["message", *(f"c{i}" for i in range(99))])
        row = ",".join(["hello", *(str(i) for i in range(99))])
        done = made("a.csv", f"{header}\n{row}".encode())
        assert [each.case.inputs for each in done.built] == [{"message": "hello"}]

    @pytest.mark.parametrize(
        ("content", "how", "field", "says"),
        [
            (b"", {}, "file", "empty"),
            (b"\x7fELF\x00\x00\x00\x00abc", {}, "file", "not a text"),
            (b"a\xff", {"encoding": "utf-8"}, "encoding", "line 1 can't be read"),
            (b"a,b", {"encoding": "klingon"}, "encoding", "no encoding"),
            (b"a,b", {"separator": '"'}, "separator", "one character"),
            (b"PK\x03\x04broken", {}, "file", "not a zip"),
            (b"[1, 2", {}, None, "no JSON"),
        ],
    )
    def test_what_cannot_be_read_says_why(self, content, how, field, says):
        with pytest.raises(InvalidInput, match=says) as error:
            read_file(
                "a.csv" if not content.startswith(b"[") else "a.json", content, HowToRead(**how)
            )
        assert error.value.field == field


class TestColumns:
    def test_usual_names_and_the_prompts_own_are_known(self):
        table = read_file(
            "a.csv", b"ID,Customer_Text,Category,Reference,Tags,folder,turn 2,x\n1,a,b,c,d,e,f,g"
        ).table
        found = guessed(table, [Input(name="customer_text")])
        assert [(c.means, c.input) for c in found] == [
            ("key", ""), ("input", "customer_text"), ("label", ""), ("answer", ""), ("tags", ""),
            ("tag", ""), ("turn", ""), ("leave", ""),
        ]  # fmt: skip

    def test_a_column_of_labels_is_the_label_and_the_longest_the_only_input(self):
        content = (
            b"when,what was written,sort\nMo,Where is my coat?,lost_item\nTu,Money back!,REFUND"
        )
        done = made("a.csv", content)
        assert messages(done) == ["Where is my coat?", "Money back!"]
        assert [each.case.expect.label for each in done.built] == ["lost item", "refund"]

    def test_values_become_what_the_input_is(self):
        inputs = [
            Input(name="seats", kind="number"),
            Input(name="pier", kind="choice", choices=["Hollin", "Little Orm"]),
            Input(name="booking", kind="record"),
            Input(name="names", kind="list"),
            Input(name="notices", kind="passages"),
        ]
        rows = json.dumps([
            {"seats": "4", "pier": "little orm", "booking": "boat: Tern\nfare: 9",
             "names": "Ann; Bo", "notices": "One.\n\nTwo."},
            {"seats": 2.5, "pier": "Hollin", "booking": {"boat": "Auk"},
             "names": ["Cy"], "notices": '[{"text": "x"}]'},
            {"seats": "four", "pier": "Hollin"},
            {"seats": 1, "pier": "Atlantis"},
        ])  # fmt: skip
        done = made("a.json", rows.encode(), inputs)
        assert [each.case.inputs for each in done.built] == [
            {"seats": 4, "pier": "Little Orm", "booking": {"boat": "Tern", "fare": "9"},
             "names": ["Ann", "Bo"], "notices": [{"text": "One."}, {"text": "Two."}]},
            {"seats": 2.5, "pier": "Hollin", "booking": {"boat": "Auk"}, "names": ["Cy"],
             "notices": [{"text": "x"}]},
        ]  # fmt: skip
        assert [
            "no number" in done.bad[0].reason,
            "Hollin or Little Orm" in done.bad[1].reason,
        ] == [True, True]

    def test_several_labels_may_be_right(self):
        [each] = made("a.csv", b"message,label\na,refund | lost item").built
        assert (each.case.expect.label, each.case.expect.labels) == ("refund", ["lost item"])

    def test_labels_of_nothing_are_none_and_what_is_too_long_says_which_field(self):
        rows = f"message,label\na, | \nb,  \nc,{'x' * 300}"
        done = made("a.csv", rows.encode())
        assert [each.case.expect.label for each in done.built] == [None, None]
        done = made("a.csv", rows.encode(), labels=[])
        assert "expect.label: " in done.bad[0].reason
        talk = [Input(name="talk", kind="dialogue")]
        assert "no list of turns" in made("a.csv", b"talk,x\nhello there,y", talk).bad[0].reason

    def test_an_id_that_comes_twice_is_told_with_the_line_of_the_first(self):
        done = made("a.csv", b"id,message\n7,a\n8,b\n7,c")
        assert [bad.reason for bad in done.bad] == ["has the id 7, as line 2 has"]

    def test_two_columns_cannot_be_the_same_input(self):
        table = read_file("a.csv", b"a,b\n1,2").table
        columns = [Column(name=n, means="input", input="message") for n in ("a", "b")]
        with pytest.raises(InvalidInput, match="Two columns are the input “message”") as error:
            build(table, columns, Wanted())
        assert error.value.field == "columns.1"


class TestRecords:
    def test_bad_lines_of_json_lines_are_told_and_the_others_taken(self):
        lines = b'{"message": "a"}\n{"message": \n\n[1]\n{"message": 1e999}\n{"message": "b"}'
        done = made("a.jsonl", lines)
        assert messages(done) == ["a", "b"]
        assert [bad.line for bad in done.bad] == [2, 4, 5]

    def test_an_array_within_an_object_and_yaml_are_read_with_their_lines(self):
        assert messages(made("a.json", b'{"rows": [{"message": "a"}, {"message": "b"}]}')) == [
            "a",
            "b",
        ]
        done = made(
            "a.yaml", b"cases:\n- message: a\n  label: refund\n- message: b\n  label: what\n"
        )
        assert (messages(done), done.bad[0].line) == (["a"], 4)

    def test_deep_nesting_is_told_not_a_crash(self):
        done = made("a.jsonl", b'{"message": ' + b"[" * 100_000 + b"]" * 100_000 + b"}\n")
        assert "nested too deeply" in done.bad[0].reason


class TestZips:
    def zipped(self, files):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            for path, content in files.items():
                archive.writestr(path, content)
        return packed.getvalue()

    def test_a_table_names_its_images_and_one_that_is_none_is_told(self):
        inputs = [Input(name="note"), Input(name="photo", kind="image")]
        table = b"note,photo\na,coat.png\nb,fake.png\nc,gone.png"
        done = made(
            "a.zip",
            self.zipped({"t.csv": table, "img/coat.png": DOT, "img/fake.png": b"no"}),
            inputs,
        )
        assert [each.case.inputs["note"] for each in done.built] == ["a"]
        assert done.built[0].case.inputs["photo"].startswith("data:image/png;base64,")
        assert ["not an image" in done.bad[0].reason, "not in the zip" in done.bad[1].reason] == [
            True,
            True,
        ]

    def test_a_case_as_it_is_written_here_with_an_image_that_is_none_is_told(self):
        lines = [
            {"inputs": {"photo": "data:image/png;base64,AAAA"}},
            {"inputs": {"photo": 5}, "x": 1},
        ]
        lines.append({"inputs": {"photo": ""}, "tags": "hard"})
        read = "\n".join(json.dumps(line) for line in lines[::2]).encode()
        done = made("a.jsonl", read, [Input(name="photo", kind="image")])
        assert ["not an image" in done.bad[0].reason, done.bad[1].reason.startswith("tags: ")] == [
            True,
            True,
        ]

    def test_an_image_is_meant_by_its_whole_path_or_by_what_only_it_is_called(self):
        assert by_name(["a/x.png", "b/x.png", "b/c/y.png"]) == {
            "a/x.png": "a/x.png", "b/x.png": "b/x.png", "b/c/y.png": "b/c/y.png",
            "c/y.png": "b/c/y.png", "y.png": "b/c/y.png",
        }  # fmt: skip
        assert by_name(["x.png", "a/x.png"])["x.png"] == "x.png"

    def test_a_folder_of_texts_is_a_case_each_with_its_folder_as_tag(self):
        files = {
            "hard/1.txt": "Where?",
            "plain/2.md": "When?",
            "x.bin": b"\x00",
            "__MACOSX/a.txt": "no",
        }
        done = made("a.zip", self.zipped(files))
        assert [(each.case.inputs["message"], each.case.tags) for each in done.built] == [
            ("Where?", ["hard"]), ("When?", ["plain"]),
        ]  # fmt: skip
        assert [bad.shown for bad in done.bad] == ["x.bin"]

    def test_a_zip_that_unpacks_to_too_much_is_refused_before(self):
        with pytest.raises(InvalidInput, match="limits are"):
            read_file("a.zip", self.zipped({"a.csv": b"0" * 60_000_000}))


plain = st.text(st.characters(blacklist_categories=["Cs"]), max_size=30)
values = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-(2**53) + 1, 2**53 - 1)
    | st.floats(allow_nan=False, allow_infinity=False)
    | plain,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(plain, inner, max_size=3),
    max_leaves=8,
)
cases = st.builds(
    Case,
    inputs=st.dictionaries(plain, values, min_size=1, max_size=4),
    expect=st.builds(Expectation, label=st.none() | plain, labels=st.lists(plain, max_size=2),
                     must_say=st.lists(plain, max_size=2), known=st.none() | st.booleans(),
                     collect=st.lists(st.builds(CollectedFact, what=plain, value=plain), max_size=2),
                     tools=st.lists(st.builds(ToolWanted, name=plain), max_size=2),
                     goodbye=st.none() | st.booleans(), within=st.none() | st.floats(0, 9)),
    tags=st.lists(plain, max_size=3),
    turns=st.lists(plain, max_size=3),
    person=st.none() | st.builds(Person, persona=st.none() | st.builds(
        Persona, model=plain, facts=st.lists(st.builds(PersonFact, what=plain, value=plain)))),
    pair=st.none() | st.builds(Pair, of=st.integers(1, 9), kind=st.sampled_from(["changed", "misspelt"]),
                               moves=st.lists(st.builds(Move, what=plain), max_size=2)),
    labelled=st.lists(st.builds(Labelled, by=plain, label=plain), max_size=2), step=plain,
    tool_answers=st.lists(st.builds(ToolTold, tool=plain, answer=plain), max_size=2),
    key=plain, note=plain, origin=plain.filter(bool),
).map(checked)  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(st.lists(cases, min_size=1, max_size=5, unique_by=lambda case: case.key or id(case)))
def test_what_goes_out_as_json_lines_comes_back_equal_whatever_its_types(given_cases):
    read = read_file("cases.jsonl", "".join(jsonl_of(given_cases, {})).encode())
    assert read.table.whole
    done = build(read.table, [], Wanted())
    assert not done.bad
    assert [each.case for each in done.built] == given_cases
    assert [asked_hash(each.case) for each in done.built] == [asked_hash(c) for c in given_cases]


@settings(max_examples=80, deadline=None)
@given(st.lists(plain.filter(lambda text: text.strip()), min_size=1, max_size=5))
def test_texts_come_back_from_csv_and_no_cell_is_a_formula(texts):
    written = "".join(csv_of([Case(inputs={"message": text}) for text in texts]))
    assert messages(made("cases.csv", written.encode(), labels=[])) == texts
    table = read_file("cases.csv", written.encode()).table
    assert not any(
        row.cells["inputs.message"].startswith(("=", "+", "-", "@")) for row in table.rows
    )


@settings(max_examples=150, deadline=None)
@given(
    st.binary(max_size=300) | plain.map(str.encode),
    st.sampled_from(["csv", "json", "jsonl", "yaml", "zip"]),
)
def test_any_bytes_are_read_or_refused_in_words(content, ending):
    with suppress(InvalidInput):
        assert all(bad.reason for bad in made(f"a.{ending}", content).bad)
