"""Changing what is in a collection: a passage edited or written, a document cut anew, described, or taken out.

Each is a new version of the collection; what was is still there under the number before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date

from epistem.core.errors import Conflict, InvalidInput, NotFound, Stale
from epistem.core.knowledge.cutting import Cut, Slice, cut
from epistem.core.knowledge.formats import markdown
from epistem.core.knowledge.formats.reading import format_of
from epistem.core.knowledge.references import stem_of
from epistem.core.knowledge.text import Heading, Text
from epistem.core.shapes import count
from epistem.store.database import Transaction
from epistem.store.knowledge import collections, documents
from epistem.store.knowledge.collections import Collection
from epistem.store.knowledge.documents import DocumentVersion, Passage
from epistem.work.knowledge.bringing import before_of, finish, made_of

MOST_TEXT = 20_000
OWN_FILE = "written here"


def edit_passage(
    tx: Transaction,
    name: str,
    reference: tuple[str, int],
    text: str,
    seen: int | None = None,
) -> Collection:
    """Its document has this text in its place from now on; without any text the passage is gone. Raises
    NotFound, InvalidInput for a text that is too long, and Stale where the document was changed after the
    version of the collection that was `seen`."""
    _check(text)
    collection, before = _begin(tx, name, reference[0])
    passages = documents.passages_of(tx, before)
    at = next((p for p in passages if p.number == reference[1]), None)
    if seen is not None and before.since > seen:
        raise Stale(f"“{before.title or before.stem}”")
    if at is None:
        raise NotFound(
            f"There is no passage {reference[0]}#{reference[1]} here.", field="reference"
        )
    whole = documents.text_of(tx, before)
    begins = max(at.start, at.lead)  # behind its headings
    old = whole.text[begins : at.stop]
    bare, told = old.strip(), text.strip()
    start = begins + (old.index(bare) if bare else 0)
    end = start + len(bare)
    if not told:  # the heading that it alone stood under goes, too
        own = [each.start for each in whole.headings if at.start <= each.start < begins]
        start = own[-1] if own else start
    changed, moved = _spliced(before, whole, start, end, told)
    begun = [
        each.start + (moved if each.position > at.position else 0)
        for each in passages
        if told or each is not at or start > at.start
    ]
    what = "edited" if told else "taken out"
    return _kept(tx, collection, before, changed, _by_hand(begun), f"{at.reference} {what}")


def write_passage(
    tx: Transaction, name: str, title: str, text: str, stem: str | None = None
) -> Collection:
    """A passage at the end of a document, or as a document of its own. Raises InvalidInput for one without text."""
    _check(text)
    if not text.strip():
        raise InvalidInput("A passage needs some text.", field="text")
    told = f"{title.strip()}\n\n{text.strip()}\n" if title.strip() else f"{text.strip()}\n"
    if stem is None:
        collection = collections.get(tx, name, lock=True)
        stem = stem_of(title or text[:30], documents.stems_of(tx, collection))
        whole = Text(told, title.strip(), (Heading(0, 1, title.strip()),) if title.strip() else ())
        how = Cut(by="hand")
        document = documents.add_document(tx, collection, stem)
        new = made_of(OWN_FILE, whole, how, cut(whole, how), (), 0, (), None)
        documents.add_version(tx, collection, document, collection.version + 1, new)
        finish(tx, collection, f"{stem} written")
        return collections.get(tx, name)
    collection, before = _begin(tx, name, stem)
    whole = documents.text_of(tx, before)
    base = whole.text.rstrip() + "\n\n"
    headings = whole.headings
    if title.strip():
        level = max((each.level for each in headings[-1:]), default=1)
        headings = (*headings, Heading(len(base), level, title.strip()))
        if format_of(before.file, b"") == "markdown":
            told = f"{'#' * level} {told}"
    changed = Text(base + told, whole.title, headings, whole.rows)
    begun = [*(each.start for each in documents.passages_of(tx, before)), len(base)]
    return _kept(tx, collection, before, changed, _by_hand(begun), f"{stem}: a passage written")


def cut_anew(tx: Transaction, name: str, stem: str, how: Cut) -> Collection:
    """Raises Conflict where that changes nothing."""
    collection, before = _begin(tx, name, stem)
    if before.cut == how:
        raise Conflict("It is cut so already.")
    whole = documents.text_of(tx, before)
    told = f"{stem} cut anew into {count(len(cut(whole, how)), 'passage')}"
    return _kept(tx, collection, before, whole, how, told)


def describe(
    tx: Transaction, name: str, stem: str, title: str, tags: Sequence[str], dated: date | None
) -> Collection:
    """Look-ups are narrowed by tags and dates, so this is a new version, too."""
    collection, before = _begin(tx, name, stem)
    whole = documents.text_of(tx, before)
    changed = replace(whole, title=title.strip() or whole.title)
    described = replace(before, tags=list(tags), dated=dated)
    return _kept(tx, collection, described, changed, before.cut, f"{stem} described")


def take_out(tx: Transaction, name: str, stem: str) -> Collection:
    """The document is not in it any more; earlier versions still have it."""
    collection, before = _begin(tx, name, stem)
    documents.end(tx, before.document_id, collection.version + 1)
    finish(tx, collection, f"{stem} taken out")
    return collections.get(tx, name)


def bring_back(tx: Transaction, name: str, stem: str, version: int) -> Collection:
    """A document becomes what it was in that version of the collection."""
    collection = collections.get(tx, name, lock=True)
    was = documents.get(tx, collection, stem, collections.check_version(collection, version))
    whole = documents.text_of(tx, was)
    passages = documents.passages_of(tx, was)
    new = made_of(
        was.file, whole, was.cut, [_as_slice(p) for p in passages],
        before_of(passages), was.highest, was.tags, was.dated,
    )  # fmt: skip
    documents.add_version(tx, collection, was.document_id, collection.version + 1, new)
    finish(tx, collection, f"{stem} as in version {version}")
    return collections.get(tx, name)


def _begin(tx: Transaction, name: str, stem: str) -> tuple[Collection, DocumentVersion]:
    collection = collections.get(tx, name, lock=True)
    return collection, documents.get(tx, collection, stem, collection.version)


def _kept(
    tx: Transaction,
    collection: Collection,
    before: DocumentVersion,
    text: Text,
    how: Cut,
    told: str,
) -> Collection:
    """The document with this text, cut so, described as `before` is; its passages keep their numbers."""
    was = before_of(documents.passages_of(tx, before))
    slices = cut(text, how)
    new = made_of(before.file, text, how, slices, was, before.highest, before.tags, before.dated)
    documents.add_version(tx, collection, before.document_id, collection.version + 1, new)
    finish(tx, collection, told)
    return collections.get(tx, collection.name)


def _by_hand(begun: Sequence[int]) -> Cut:
    return Cut(by="hand", at=[place for place in begun if place])


def _as_slice(passage: Passage) -> Slice:
    return Slice(passage.start, passage.stop, passage.lead, passage.title, tuple(passage.path))


def _spliced(
    before: DocumentVersion, whole: Text, start: int, end: int, text: str
) -> tuple[Text, int]:
    """With another text there, and by how much what follows has moved. Headings of Markdown are looked for
    anew; others stay where they do not stand within what was replaced."""
    moved = len(text) - (end - start)
    changed = whole.text[:start] + text + whole.text[end:]
    if format_of(before.file, b"") == "markdown":
        return replace(markdown.read(changed.encode("utf-8", "replace")), title=whole.title), moved

    def after(marks: Sequence[Heading]) -> tuple[Heading, ...]:
        return tuple(
            each._replace(start=each.start + (moved if each.start >= end else 0))
            for each in marks
            if each.start <= start or each.start >= end
        )

    return replace(
        whole, text=changed, headings=after(whole.headings), rows=after(whole.rows)
    ), moved


def _check(text: str) -> None:
    if len(text) > MOST_TEXT:
        raise InvalidInput(
            f"A passage has at most {MOST_TEXT:,} characters; this has {len(text):,}. Write two.",
            field="text",
        )
