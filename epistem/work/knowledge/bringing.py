"""Bringing documents in: read, looked at as they would be cut, and kept as one new version."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import Literal, NamedTuple

from epistem.core.cases.files.packed import ending_of, unpacked
from epistem.core.errors import Conflict, InvalidInput
from epistem.core.knowledge.cutting import MOST_PASSAGES, Cut, Slice, cut
from epistem.core.knowledge.references import Before, numbered, stem_of
from epistem.core.knowledge.segments import searched, segment_of
from epistem.core.knowledge.text import Text
from epistem.store.database import Database, Transaction
from epistem.store.knowledge import brought, collections, documents
from epistem.store.knowledge.brought import Brought
from epistem.store.knowledge.collections import Collection
from epistem.store.knowledge.documents import DocumentVersion, NewVersion, Passage, passage_text
from epistem.work.knowledge.reading import Read, read_all

Outcome = Literal["new", "changed", "same", "bad"]
MOST_FILES = 2_000


class LookedAt(NamedTuple):
    """A file that was brought, as it would be kept: cut so, against the document that it is a version of, if
    there is one. `kept` and `fresh` count passages that keep their numbers and that get new ones."""

    brought: Brought
    outcome: Outcome
    stem: str
    how: Cut
    slices: Sequence[Slice]
    kept: int
    fresh: int
    gone: int


def bring(database: Database, name: str, files: Iterable[tuple[str, bytes]], by: str = "") -> int:
    """Read files, and the files of zips; how many can be read. Raises InvalidInput for too many."""
    with database.transaction() as tx:
        collections.get(tx, name)
    good = 0
    for read in read_all(_each(files)):
        with database.transaction(by=by) as tx:
            add(tx, name, [read])
        good += not read.problem
    return good


def add(tx: Transaction, name: str, documents_read: Iterable[Read]) -> None:
    """What was read waits beside the collection until it is kept."""
    collection = collections.get(tx, name)
    for read in documents_read:
        brought.add(tx, collection, read.file, read.text, read.problem)


def _each(files: Iterable[tuple[str, bytes]]) -> Iterable[tuple[str, bytes]]:
    told = 0
    for name, content in files:
        inside = unpacked(content).items() if ending_of(name) == ".zip" else ((name, content),)
        for each in inside:
            told += 1
            if told > MOST_FILES:
                raise InvalidInput(
                    f"These are more than {MOST_FILES:,} files. Bring them in in parts.",
                    field="file",
                )
            yield each


def usual_cut(text: Text) -> Cut:
    """By rows where it is a table, by headings where it has some, else by length."""
    return Cut(by="rows" if text.rows else "headings" if text.headings else "length")


def look(tx: Transaction, collection: Collection, how: Cut | None = None) -> list[LookedAt]:
    """All that was brought: a file with a cut of its own is cut so, the others as `how` says."""
    there = {each.file: each for each in documents.in_version(tx, collection, collection.version)}
    taken = set(documents.stems_of(tx, collection))
    found = []
    for each in brought.all_of(tx, collection):
        looked = look_at(tx, each, how, there.get(each.file), taken)
        taken.add(looked.stem)
        found.append(looked)
    return found


def cut_so(each: Brought, how: Cut | None) -> Sequence[Slice]:
    """As it would be cut: in a way of its own, as `how` says, or as it suits it."""
    return cut(each.text, each.cut or how or usual_cut(each.text))


def look_at(
    tx: Transaction,
    each: Brought,
    how: Cut | None,
    before: DocumentVersion | None,
    taken: set[str],
) -> LookedAt:
    told = each.cut or how or usual_cut(each.text)
    stem = before.stem if before else stem_of(each.file, taken)
    if each.problem:
        return LookedAt(each, "bad", stem, told, (), 0, 0, 0)
    slices = cut(each.text, told)
    if before is None:
        return LookedAt(each, "new", stem, told, slices, 0, len(slices), 0)
    was = before_of(documents.passages_of(tx, before))
    texts = [passage_text(each.text.text, piece) for piece in slices]
    numbers = numbered(was, texts, before.highest, [piece.path for piece in slices])
    kept = len({told.number for told in was} & set(numbers))
    same = documents.text_hash(each.text.text) == before.text_hash and (
        [told.text for told in was] == texts
    )
    outcome: Outcome = "same" if same else "changed"
    return LookedAt(each, outcome, stem, told, slices, kept, len(numbers) - kept, len(was) - kept)


def keep(
    tx: Transaction,
    name: str,
    how: Cut | None = None,
    tags: Sequence[str] = (),
    dated: date | None = None,
) -> Collection:
    """What was brought and can be read becomes the collection's next version. Raises Conflict where nothing in
    it is new, and InvalidInput where it would be more than a collection holds."""
    collection = collections.get(tx, name, lock=True)
    looked = [each for each in look(tx, collection, how) if each.outcome in ("new", "changed")]
    if not looked:
        raise Conflict("Nothing that was brought is new. There is nothing to keep.")
    there = {each.stem: each for each in documents.in_version(tx, collection, collection.version)}
    since = collection.version + 1
    for each in looked:
        before = there.get(each.stem)
        known = documents.document_id(tx, collection, each.stem)
        document, highest = known or (documents.add_document(tx, collection, each.stem), 0)
        was = [] if before is None else before_of(documents.passages_of(tx, before))
        made = made_of(
            each.brought.file,
            each.brought.text,
            each.how,
            each.slices,
            was,
            highest,
            tags or (before.tags if before else ()),
            dated or (before.dated if before else None),
        )
        documents.add_version(tx, collection, document, since, made)
    told = [
        f"{sum(each.outcome == kind for each in looked)} {kind}"
        for kind in ("new", "changed")
        if any(each.outcome == kind for each in looked)
    ]
    finish(tx, collection, f"{', '.join(told)}: {', '.join(each.stem for each in looked)}")
    brought.drop(tx, collection)
    return collections.get(tx, name)


def before_of(passages: Sequence[Passage]) -> list[Before]:
    return [Before(each.number, each.text, each.path) for each in passages]


def made_of(
    file: str,
    text: Text,
    how: Cut,
    slices: Sequence[Slice],
    was: Sequence[Before],
    highest: int,
    tags: Sequence[str],
    dated: date | None,
) -> NewVersion:
    """A version whose passages keep the numbers of what they were."""
    texts = [passage_text(text.text, piece) for piece in slices]
    index = segment_of(
        [searched(piece.title, piece.path, told) for piece, told in zip(slices, texts, strict=True)]
    )
    numbers = numbered(was, texts, highest, [piece.path for piece in slices])
    return NewVersion(file, text, how, slices, numbers, index, tags, dated)


def finish(tx: Transaction, collection: Collection, told: str) -> int:
    """The collection's next version, whose documents are there. Raises InvalidInput for too many passages."""
    version = collection.version + 1
    there = documents.in_version(tx, collection, version)
    passages = sum(each.passages for each in there)
    if passages > MOST_PASSAGES:
        raise InvalidInput(
            f"The collection would have {passages:,} passages; the limit is {MOST_PASSAGES:,}. Keep a "
            "part of them in another one.",
            field="cut",
        )
    return collections.add_version(tx, collection, told, len(there), passages)
