"""What is wrong with a chain before it is walked, each at its place."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from epistem.core.chains.content import (
    AnyStep,
    Both,
    CallStep,
    Chain,
    Each,
    Repeat,
    Route,
    inside,
    placed,
)
from epistem.core.chains.depends import (
    expressions_of,
    ledger,
    names_in,
    reads_of,
    writes_of,
)
from epistem.core.chains.kinds import Ask, Collect, Vote
from epistem.core.chains.step_faults import (
    RESERVED,
    Fault,
    may_be_tried_again,
    of_expression,
    of_step,
)
from epistem.core.prompts.inputs import name_fault
from epistem.core.shapes import listed

DEEPEST = 6


def faults_of(chain: Chain) -> list[Fault]:
    """Those that stop it first, then doubts; each in the order of the steps."""
    found = [*_of_names(chain), *_of_steps(chain), *_of_flow(chain), *_of_outputs(chain)]
    found += [*_of_personal(chain), *_of_talk(chain)]
    found += _never_read(chain)
    return sorted(dict.fromkeys(found), key=lambda fault: not fault.stops)


def _known(chain: Chain) -> list[str]:
    return [*(each.name for each in chain.inputs), *(each.name for each in chain.state)]


def _of_names(chain: Chain) -> Iterator[Fault]:
    names = _known(chain)
    for name, times in Counter(names).items():
        if times > 1:
            yield Fault("", "state", f"The name “{name}” is given twice, among inputs and state.")
        elif name in RESERVED:
            message = f"“{name}” is a word of the expressions. Take another name."
            yield Fault("", "state", message)
        elif wrong := name_fault(name):
            yield Fault("", "state", wrong)
    for name, times in Counter(each.step.name for each in placed(chain.steps)).items():
        if times > 1:
            yield Fault("", "steps", f"Two steps are called “{name}”.")


def _of_steps(chain: Chain) -> Iterator[Fault]:
    state = {each.name for each in chain.state}
    known = state | {each.name for each in chain.inputs}
    items: dict[str, set[str]] = {}
    beside: list[str] = []
    for each in placed(chain.steps):
        step, at = each.step, each.at
        if isinstance(step, Each | Both):
            beside.append(f"{at}.")
        if isinstance(step, Collect) and any(at.startswith(place) for place in beside):
            yield Fault(
                at,
                "kind",
                "It talks with one person, so it can't stand side by side with other steps.",
            )
        within = {
            name for place, names in items.items() if at.startswith(f"{place}.") for name in names
        }
        if isinstance(step, Each):
            items[at] = {step.item}
            if step.item in known | within | RESERVED:
                yield Fault(
                    at, "item", f"“{step.item}” is another thing already. Call the item otherwise."
                )
        if step.retries and not may_be_tried_again(step):
            message = "Only a step that asks, looks up, sends or calls a tool is tried again."
            yield Fault(at, "retries", message)
        if each.deep > DEEPEST:
            yield Fault(at, "steps", f"Steps stand in each other more than {DEEPEST} deep.")
        for field, told, own in expressions_of(step):
            yield from of_expression(at, field, told, known | within | set(own))
        for name in writes_of(step):
            if name not in state:
                yield Fault(at, "writes", f"It writes “{name}”, which is no value of the state.")
        yield from of_step(at, step, known | within, chain)
        if isinstance(step, CallStep):
            yield from _of_call(at, step, known | within)


def _of_call(at: str, step: CallStep, known: set[str]) -> Iterator[Fault]:
    for fault in faults_of(step.chain):
        if fault.stops:
            where = f"step {fault.at}: " if fault.at else ""
            yield Fault(at, "chain", f"In the chain that it calls, {where}{fault.message}")
            return
    inputs = {each.name: each for each in step.chain.inputs}
    needs = [name for name, each in inputs.items() if each.default is None]
    if lost := [name for name in needs if name not in step.given and name not in known]:
        yield Fault(
            at, "given", f"The chain asks for {listed(lost, 'and')}, which nothing gives it."
        )
    if extra := [name for name in step.given if name not in inputs]:
        yield Fault(at, "given", f"The chain has no input {listed(extra)}.")


def _of_flow(chain: Chain) -> list[Fault]:
    """Values that are read where, on some way, nothing was written before."""
    begin = {each.name for each in chain.inputs}
    begin |= {each.name for each in chain.state if each.start is not None or each.how != "replace"}
    state = {each.name for each in chain.state}
    found: list[Fault] = []
    _flow(chain.steps, "", begin, state, found)
    return found


def _flow(
    steps: list[AnyStep], before: str, written: set[str], state: set[str], found: list[Fault]
) -> set[str]:
    """The names that are written for certain after the steps."""
    written = set(written)
    for number, step in enumerate(steps, start=1):
        at = f"{before}{number}"
        late = {"until", "best", "gives"}
        now = {
            n
            for field, told, own in expressions_of(step)
            if field not in late
            for n in names_in(told)
        }
        if isinstance(step, Ask | Vote):
            now = set(reads_of(step))
        _missing(at, now & state, written, found)
        after: list[set[str]] = []
        for name, inner in inside(step):
            own = written | ({step.item} if isinstance(step, Each) else set())
            after.append(_flow(inner, f"{at}.{name}." if name else f"{at}.", own, state, found))
        then = set(written)
        if isinstance(step, Repeat):
            then = after[0]
            then_reads = {n for told in (step.until, step.best) for n in names_in(told)} & state
            _missing(at, then_reads, then, found)
        elif isinstance(step, Each):
            _missing(at, set(names_in(step.gives)) & state, after[0], found)
        elif isinstance(step, Route):
            then = set.intersection(*after)
        elif isinstance(step, Both):
            then = set.union(*after)
        then |= set(writes_of(step))
        if not step.only_if:
            written = then
    return written


def _missing(at: str, reads: Iterable[str], written: set[str], found: list[Fault]) -> None:
    if lost := sorted(set(reads) - written):
        told = listed(lost, "and")
        found.append(
            Fault(
                at,
                "reads",
                f"It reads {told} where nothing may have been written yet. Give a start.",
                names=tuple(lost),
            )
        )


def _of_talk(chain: Chain) -> Iterator[Fault]:
    talk, kinds = chain.talk, {each.name: each.kind for each in chain.inputs}
    converses = talk is not None or any(isinstance(p.step, Collect) for p in placed(chain.steps))
    for each in placed(chain.steps):
        sees = each.step.sees if isinstance(each.step, Ask) else None
        if sees is None:
            continue
        if sees.how == "summary" and (talk is None or talk.summary is None):
            yield Fault(each.at, "sees", "No summary of the talk is kept in this chain.")
        elif not converses:
            message = "This chain has no talk, so there is nothing to be seen."
            yield Fault(each.at, "sees", message, stops=False)
    if talk is None:
        return
    if talk.words not in kinds:
        yield Fault("", "talk.words", f"There is no input “{talk.words}” for what the person says.")
    elif kinds[talk.words] != "text":
        yield Fault("", "talk.words", f"What the person says is text, and “{talk.words}” is not.")
    if talk.until:
        yield from of_expression("", "talk.until", talk.until, set(_known(chain)))


def _of_personal(chain: Chain) -> Iterator[Fault]:
    for name in chain.personal:
        if name not in _known(chain):
            yield Fault("", "personal", f"“{name}” is no input and no value of the state.")


def _of_outputs(chain: Chain) -> Iterator[Fault]:
    known = set(_known(chain))
    if not chain.outputs:
        yield Fault("", "outputs", "It gives nothing: name an output.", stops=False)
    for name, told in chain.outputs.items():
        yield from of_expression("", f"outputs.{name}", told, known)


def _never_read(chain: Chain) -> Iterator[Fault]:
    read = {name for row in ledger(chain) for name in row.reads}
    read |= {name for told in chain.outputs.values() for name in names_in(told)}
    read |= set(names_in(chain.talk.until)) if chain.talk else set()
    for row in ledger(chain):
        for name in row.writes:
            if name not in read:
                message = f"Nothing reads “{name}”."
                yield Fault(row.at, "writes", message, stops=False, names=(name,))
