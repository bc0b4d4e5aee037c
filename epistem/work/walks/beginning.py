"""Beginning a walk: of a chain as it stands, or of one that was walked, from some step on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import Field

from epistem.core.cases.content import Case
from epistem.core.cases.talk import is_talk
from epistem.core.chains.alone import knowing, step_alone
from epistem.core.chains.content import Chain
from epistem.core.chains.drawn import comes_before, owner_of
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.inputs import filled
from epistem.core.shapes import Document, said
from epistem.core.trials.talking import is_of_person
from epistem.store import cases, subjects
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.store.walks import record, rows
from epistem.store.walks.rows import NewWalk, Walking
from epistem.work import pinned
from epistem.work.walks.alone import alone
from epistem.work.walks.chains import faults_here
from epistem.work.walks.otherwise import changes_of

MOST_WAITING = 500


class AskedWalk(Document):
    """What a walk is begun with. `of_walk` is one that is replayed: everything before `from_step` is as recorded
    there. Without a change the steps from there on are asked anew; with one (another `chain`, `edits` of the state at
    that place) what is asked the same is answered as recorded."""

    chain: Chain | None = said(None, description="As it stands; else that of the walk replayed.")
    inputs: dict[str, Any] = Field(default_factory=dict)
    case: int | None = said(None, ge=1)
    seed: int = said(1, ge=0, lt=2**31)
    of_walk: int | None = said(None, ge=1)
    from_step: str = said("", max_length=300)
    edits: dict[str, Any] = said(of=dict)
    instead: dict[str, Any] = said(
        of=dict, description="What the step at `from_step` writes, without being done."
    )
    alone: bool = said(
        False, description="Only the step at `from_step` is walked, on what it was given there."
    )
    changed: str = said("", max_length=400, description="What is otherwise, in words.")
    played: bool = said(False, description="The person of the case is played in the talk.")
    goes_out: bool = said(
        False, description="What it sends, and tools that change something, are let out."
    )


def begin(tx: Transaction, name: str, asked: AskedWalk) -> Walking:
    """It waits for a runner. Raises InvalidInput for a chain that can't be walked or an input that does not fit,
    Conflict where too many wait."""
    subject = subjects.get(tx, name)
    if tx.number("SELECT COUNT(*) FROM walks WHERE status = 'ready'") >= MOST_WAITING:
        raise Conflict(f"{MOST_WAITING} walks are waiting already. Let them be walked first.")
    origin = None if asked.of_walk is None else rows.get(tx, asked.of_walk)
    if origin is not None and origin.subject_id != subject.id:
        raise InvalidInput(f"Walk {origin.id} is not one of “{name}”.", field="of_walk")
    if origin is not None and not origin.over:
        raise Conflict(f"Walk {origin.id} is not over yet. Replay it then.", field="of_walk")
    if asked.chain is None and origin is None:
        raise InvalidInput("Say which chain is to be walked.", field="chain")
    chain = pinned.filled_in(tx, asked.chain) if asked.chain is not None else None
    chain = chain or (origin.chain if origin else None)
    assert chain is not None
    given = asked.inputs if origin is None or asked.inputs else origin.line.inputs
    if asked.alone:
        if origin is None or not asked.from_step:
            raise InvalidInput("Say which step of which walk is walked alone.", field="from_step")
        chain, given = alone(tx, origin, asked.from_step, chain, asked.edits)
    elif origin is None and asked.case is not None:
        step = _step_of(tx, subject, asked.case)
        if step:
            chain, given = knowing(_alone(chain, step), asked.inputs)
    for fault in faults_here(tx, chain):
        if fault.stops:
            where = f"Step {fault.at}: " if fault.at else ""
            raise InvalidInput(f"{where}{fault.message}", field=fault.field)
    filled(chain.inputs, dict(given))  # raises for a value that does not fit its kind
    _check_edits(chain, asked)
    walk_id = rows.insert(
        tx,
        subject,
        NewWalk(
            chain, given, asked.seed if origin is None else origin.seed, asked.case, asked.of_walk,
            asked.from_step, asked.changed, asked.edits, asked.goes_out, _played(tx, subject, asked, origin),
            asked.instead, asked.alone, _inherited(origin, asked),
        ),
    )  # fmt: skip
    if origin is not None and not asked.alone:
        edited = bool(asked.edits or asked.instead)
        changed = chain != origin.chain or edited or dict(given) != origin.line.inputs
        record.copy(tx, origin.id, walk_id, _again(tx, origin, asked.from_step, changed=changed))
    return rows.get(tx, walk_id)


def _step_of(tx: Transaction, subject: Subject, number: int) -> str:
    """The step that the case is of; "" for one of the whole, and for one that is gone: its inputs are walked on."""
    try:
        return cases.get(tx, subject, number).content.step
    except NotFound:
        return ""


def _alone(chain: Chain, step: str) -> Chain:
    try:
        return step_alone(chain, step)
    except InvalidInput as error:
        raise InvalidInput(f"This case is of a step. {error.message}", field="case") from error


def _of_the_person(given: record.Given) -> bool:
    return given.kind == "heard" or is_of_person(given.path)


def _played(
    tx: Transaction, subject: Subject, asked: AskedWalk, origin: Walking | None
) -> Case | None:
    """The case whose person is played. Raises InvalidInput for one that has nobody."""
    if not asked.played:
        return origin.played if origin else None
    if asked.case is None:
        raise InvalidInput("Choose the case whose person is played.", field="case")
    case = cases.get(tx, subject, asked.case).content
    if not is_talk(case):
        message = f"Case {asked.case} has no person: say there what they say, or talk yourself."
        raise InvalidInput(message, field="case")
    return case


def _inherited(origin: Walking | None, asked: AskedWalk) -> dict[str, dict[str, Any]]:
    """What was otherwise in the walk that is replayed, as far as the replay comes after it: what is asked anew is asked
    as the chain has it."""
    if origin is None or asked.alone or not asked.from_step:
        return {}
    changes = changes_of(origin)
    places = {each["at"]: each["kind"] for each in origin.steps}
    order = list(places)

    def stays(at: str) -> bool:
        known = at in places and asked.from_step in places
        return known and comes_before(at, asked.from_step, order, places)

    before = {
        at: dict(told) for at, told in changes.before.items() if stays(at) or at == asked.from_step
    }
    instead = {at: dict(told) for at, told in changes.instead.items() if stays(at)}
    return {"before": before, "instead": instead} if before or instead else {}


def _check_edits(chain: Chain, asked: AskedWalk) -> None:
    known = {each.name for each in chain.state}
    for field, told in (("edits", asked.edits), ("instead", asked.instead)):
        for name in told:
            if name not in known:
                message = f"“{name[:60]}” is no value of the state."
                raise InvalidInput(message, field=f"{field}.{name}")
        if told and not asked.from_step:
            message = "Say before which step the state is edited, or which step writes that."
            raise InvalidInput(message, field="from_step")


def _again(tx: Transaction, origin: Walking, from_step: str, *, changed: bool) -> list[str]:
    """The places of what is answered as recorded. A person of a talk says the same to the same, whatever is asked
    anew. What a budget refused is not told again: the calls that are there count, and the chain may allow more now."""
    given = [each for each in record.of(tx, origin.id) if each.kind not in record.REFUSED]
    if changed:
        return [each.path for each in given]
    if not from_step:
        return [each.path for each in given if _of_the_person(each)]
    places: Mapping[str, Any] = {each["at"]: each for each in origin.steps}
    order = list(places)
    if from_step not in places:
        raise InvalidInput(f"Walk {origin.id} did not come to step {from_step}.", field="from_step")
    kinds = {at: each["kind"] for at, each in places.items()}
    return [
        each.path
        for each in given
        if _of_the_person(each)
        or ((at := owner_of(each.path, places)) and comes_before(at, from_step, order, kinds))
    ]
