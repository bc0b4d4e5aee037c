"""The draft of a chain: kept as content and as the YAML that somebody typed, two views of one thing."""

from __future__ import annotations

from typing import NamedTuple

from epistem.core.chains.content import Chain, placed
from epistem.core.chains.depends import Row, ledger
from epistem.core.chains.estimate import Outlook, outlook_of
from epistem.core.chains.step_faults import Fault
from epistem.core.chains.yaml_file import chain_from_yaml, chain_to_yaml, read_chain
from epistem.core.chains.yaml_kept import with_content
from epistem.core.errors import InvalidFile, InvalidInput
from epistem.core.prompts.yaml_file import MAX_FILE_CHARACTERS
from epistem.core.subjects.content import Content
from epistem.store import drafts, models
from epistem.store.database import Transaction
from epistem.store.drafts import Draft, StaleDraft
from epistem.store.subjects import Subject
from epistem.work import pinned
from epistem.work.walks.chains import faults_here, speakers_of


class Misread(NamedTuple):
    """Why the typed YAML can't be read, and where."""

    message: str
    line: int | None


class FaultThere(NamedTuple):
    """A fault with the line of the YAML where its step, or its field, stands."""

    fault: Fault
    line: int | None


class LookedAt(NamedTuple):
    """A chain with all that can be told of it without walking it. `misread` is None where the YAML says the same as the
    content."""

    chain: Chain
    yaml: str
    misread: Misread | None
    rows: list[Row]
    faults: list[FaultThere]
    outlook: Outlook


def chain_in(content: Content, name: str) -> Chain:
    """Raises InvalidInput where it is none."""
    if not isinstance(content, Chain):
        raise InvalidInput(f"“{name}” is a prompt, not a chain.", field="kind")
    return content


def look_at(tx: Transaction, subject: Subject, draft: Draft) -> LookedAt:
    chain = chain_in(draft.content, subject.name)
    yaml = draft.source or chain_to_yaml(subject.name, subject.about, subject.tags, chain)
    misread = _misread(yaml, subject.name) if draft.source else None
    return looked_at(tx, chain, yaml, misread)


def looked_at(tx: Transaction, chain: Chain, yaml: str, misread: Misread | None) -> LookedAt:
    speakers = speakers_of(models.all_of(tx))
    found = faults_here(tx, chain)
    faults = (
        [FaultThere(fault, None) for fault in found] if misread else _at_lines(chain, yaml, found)
    )
    return LookedAt(chain, yaml, misread, ledger(chain), faults, outlook_of(chain, speakers))


def keep_yaml(tx: Transaction, subject: Subject, text: str, revision: int) -> Draft:
    """As typed, whether it can be read or not: then the content stays as it was. Raises StaleDraft."""
    current = _at_revision(tx, subject, revision)
    if len(text) > MAX_FILE_CHARACTERS:
        raise InvalidInput(
            f"It has {len(text):,} characters; {MAX_FILE_CHARACTERS:,} at most.", field="yaml"
        )
    content = current.content
    if _misread(text, subject.name) is None:
        content = pinned.filled_in(tx, chain_from_yaml(text).content)
    return drafts.save(tx, subject, content, revision, text)


def keep_content(tx: Transaction, subject: Subject, chain: Chain, revision: int) -> Draft:
    """With the YAML as it was typed, changed where the content is. Raises StaleDraft."""
    current = _at_revision(tx, subject, revision, chain)
    chain_in(current.content, subject.name)
    told = pinned.filled_in(tx, chain)
    source = current.source
    if source is not None:
        source = with_content(source, subject.name, subject.about, subject.tags, told)
    return drafts.save(tx, subject, told, revision, source)


def can_be_saved(tx: Transaction, subject: Subject) -> None:
    """Raises InvalidInput for a chain that could not be walked here, or YAML that can't be read."""
    looked = look_at(tx, subject, drafts.get(tx, subject))
    if looked.misread is not None:
        raise InvalidInput(f"The YAML can't be read: {looked.misread.message}", field="yaml")
    for fault, _ in looked.faults:
        if fault.stops:
            where = f"Step {fault.at}: " if fault.at else ""
            raise InvalidInput(f"{where}{fault.message}", field=fault.field)


def _at_revision(
    tx: Transaction, subject: Subject, revision: int, yours: Chain | None = None
) -> Draft:
    current = drafts.get(tx, subject, lock=True)
    if current.revision != revision:
        raise StaleDraft(current, current.content if yours is None else yours)
    return current


def _misread(text: str, name: str) -> Misread | None:
    try:
        read = chain_from_yaml(text)
    except InvalidFile as error:
        return Misread(error.message, error.line)
    if read.name != name:
        return Misread(f"It is called “{read.name[:60]}” here, and “{name}” on the desk.", None)
    return None


def _at_lines(chain: Chain, yaml: str, faults: list[Fault]) -> list[FaultThere]:
    try:
        read = read_chain(yaml)
    except InvalidFile:
        return [FaultThere(fault, None) for fault in faults]
    paths = {each.at: each.path for each in placed(chain.steps)}
    found = []
    for fault in faults:
        path = (*paths.get(fault.at, ()), *_path_of(fault.field))
        found.append(FaultThere(fault, read.line(path)))
    return found


def _path_of(field: str) -> tuple[str | int, ...]:
    return tuple(int(part) if part.isdigit() else part for part in field.split("."))
