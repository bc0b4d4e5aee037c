"""The program that walks a chain: pure and deterministic, resumed and replayed from its record alone.

A walk always ends: loops are bounded, and caps on steps, calls and money end what goes on for too long. What runs side
by side takes from the same budgets. Which was refused is in the record, so that a replay is refused the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import inf
from types import MappingProxyType
from typing import Any, NamedTuple

from epistem.core.chains.after_checks import after_checks
from epistem.core.chains.asking import Asker
from epistem.core.chains.collecting import Collector
from epistem.core.chains.content import (
    MOST_ITEMS,
    AnyStep,
    Both,
    CallStep,
    Caps,
    Chain,
    Each,
    Repeat,
    Route,
    Talk,
)
from epistem.core.chains.depends import changed_by_checks, reads_of
from epistem.core.chains.going import (
    Beside,
    End,
    Going,
    StepCosts,
    join,
    json_or_text,
    told_as_json,
    wrote,
)
from epistem.core.chains.held import MOST_HELD, new_in
from epistem.core.chains.hooks import hook_of
from epistem.core.chains.kinds import (
    Ask,
    CheckStep,
    Collect,
    LookUpStep,
    Pause,
    Send,
    SetStep,
    UseToolStep,
    Vote,
)
from epistem.core.chains.limits import Doing, place_of, under, within_limits
from epistem.core.chains.once import Once
from epistem.core.chains.state import State, Written
from epistem.core.chains.talking import MOST_SAID, Says, Talking, Where
from epistem.core.chains.walked import Begun, Ended, Speaker, Stepped, UsedTool, Walked
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.engine.budget import ENOUGH, Budget
from epistem.core.engine.looking import FoundIn, as_input
from epistem.core.engine.needs import (
    AskPerson,
    Found,
    LookUp,
    Note,
    PersonSaid,
    Program,
    Together,
    UseTool,
)
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.dialogue import Turn
from epistem.core.prompts.tool import ToolTold
from epistem.core.prompts.tools import ToolResult, ToolsAtHand

NOT_SENT = "Nothing was sent."
LONGEST_PLACE = 240
"""Characters: the paths of a record begin with places."""
PAST = {"approve": "approved", "refuse": "refused"}


class Changes(NamedTuple):
    """What is otherwise than the chain would have it, by the places of a walk: values of the state that are edited
    before a step, and what a step writes without being done."""

    before: Mapping[str, Mapping[str, Any]] = MappingProxyType({})
    instead: Mapping[str, Mapping[str, Any]] = MappingProxyType({})


NO_CHANGES = Changes()


class Walk:
    """A chain that is walked with these models."""

    def __init__(
        self,
        chain: Chain,
        speakers: Mapping[str, Speaker],
        seed: int = 1,
        where: Where = "try",
        told: Sequence[ToolTold] = (),
        changes: Changes = NO_CHANGES,
        *,
        person: Says | None = None,
        sends: str = "",
    ) -> None:
        """In a trial no person is asked. `told` is what tools answer before all else. `person` says what the person of
        a talk says, where no real one does. `sends` names the walk to those whom it sends something; without it
        nothing goes out."""
        self._chain, self._speakers, self._seed = chain, dict(speakers), seed
        self._sends, self._person = sends, person
        self._once = Once()
        self._where, self._tools_told, self._changes = where, told, changes
        self._asker = Asker(self._speakers, seed, told)

    def program(self, inputs: Mapping[str, Any]) -> Program[Walked]:
        """The inputs as they are given. Never raises for what models, tools or expressions do."""
        talking = Talking(self._where, self._person)
        budgets = (budget_of(self._chain.caps, "", characters=MOST_HELD),)
        going = Going(State(self._chain, self._told(inputs)), budgets, talking)
        ended: Ended = "done"
        why, outputs, trouble = "All steps are done.", {}, None
        try:
            if self._chain.talk is None:
                outputs = yield from self._whole("", going)
                if talking.said:
                    talking.tell(answer_text(outputs))
            else:
                outputs, why = yield from self._talk(self._chain.talk, going)
        except End as end:
            ended, why, trouble = end.ended, end.why, end.trouble
        except EpistemError as error:  # between the steps: of the person, or of what is to be true
            ended, why, trouble = "failed", error.message, error
        steps, talk = in_order(going.steps), tuple(talking.said)
        most, cost = self._chain.caps.cents, sum(step.cents for step in steps)
        if ended == "done" and most is not None and cost > most + ENOUGH:
            ended, outputs = "cap", {}
            why = f"{most:g} cents are allowed, and it has cost {cost:.3g}: a server counts more tokens than it was "
            why += "asked for."
        return Walked(ended, why, outputs, going.state.values, steps, trouble, talk)

    def _talk(self, talk: Talk, going: Going) -> Program[tuple[dict[str, Any], str]]:
        """Turn by turn, the state as it was left; the outputs of the last, and why it is over."""
        for number in range(1, talk.turns + 1):
            words = str(going.state.inputs.get(talk.words) or "")
            going.talk.append(Turn(role="user", text=words[:MOST_SAID]))
            outputs = yield from self._whole(f"t{number}.", going)
            says = answer_text(outputs)[:MOST_SAID]
            if talk.until and going.state.truth_of(talk.until):
                going.talking.tell(says)
                return outputs, "The talk is done."
            going.talk.append(Turn(role="assistant", text=says))
            if talk.summary is not None and number < talk.turns:
                place = f"t{number}.{len(self._chain.steps) + 1}"
                going.spent = StepCosts()
                done = yield from self._asker.sum_up(talk.summary, place, going)
                yield from self._note(going, done)
            heard = yield from going.talking.hear(f"t{number}~said", says, talk.hours)
            if heard is None:
                return outputs, "Nothing more was said."
            going.state.inputs[talk.words] = heard
        return outputs, f"After {talk.turns} turns the talk is over."

    def _told(self, inputs: Mapping[str, Any]) -> dict[str, Any]:
        return {each.name: inputs.get(each.name, each.default) for each in self._chain.inputs}

    def _whole(self, before: str, going: Going) -> Program[dict[str, Any]]:
        """All steps; the outputs."""
        yield from self._steps(self._chain.steps, before, going)
        try:
            return {name: going.state.value_of(each) for name, each in self._chain.outputs.items()}
        except InvalidInput as error:
            raise End("failed", f"The outputs: {error.message}") from error

    def _steps(self, steps: Sequence[AnyStep], before: str, going: Going) -> Program[None]:
        for number, step in enumerate(steps, start=1):
            yield from self._step(step, f"{before}{number}", going)

    def _step(self, step: AnyStep, at: str, going: Going) -> Program[None]:
        if len(at) > LONGEST_PLACE:
            raise End("failed", f"Step {step.name} stands too deep in others and their calls.")
        yield from going.taken(f"{at}~step", step.name, steps=1, characters=1)
        around, going.spent = going.spent, StepCosts()
        try:
            yield from self._begun(step, at, going)
        finally:
            going.spent = around

    def _begun(self, step: AnyStep, at: str, going: Going) -> Program[None]:
        if edited := self._changes.before.get(at):
            going.state.values |= edited
            going.written += list(edited.items())
        known = going.state.known()
        given = {name: known[name] for name in self._once.of(step, reads_of) if name in known}
        yield Note(f"{at}~begun", Begun(at, step.name, step.kind, known))
        try:
            if step.only_if and not going.state.truth_of(step.only_if):
                yield from self._note(
                    going, Stepped(at, step.name, step.kind, given, {}, passed_over=True)
                )
                return
            if (right := self._changes.instead.get(at)) is not None:
                done = wrote(going, step, at, given, list(right.items()), "as it should have")
            else:
                done = yield from within_limits(step, at, going, self._doing(step, at, given))
        except End:
            ended = Stepped(at, step.name, step.kind, given, {}, "the walk ended in it")
            yield from self._note(going, ended, holds=False)
            raise
        except EpistemError as error:
            fault = error.message
            failed = Stepped(at, step.name, step.kind, given, {}, fault=fault)
            yield from self._note(going, failed, holds=False)
            raise End("failed", f"Step {at}, {step.name}: {fault}", error) from error
        yield from self._note(going, done)
        if done.halts:
            raise End(done.halts, f"Step {at}, {step.name}: {done.fault}")

    def _note(self, going: Going, stepped: Stepped, holds: bool = True) -> Program[None]:
        """Raises End where the walk would hold more than it may, if it `holds` that and goes on."""
        stepped = going.spent.told(stepped, self._speakers)
        going.steps.append(stepped)
        yield Note(f"{stepped.at}~over", stepped)
        size = going.spent.characters + new_in(stepped, going.state.known())
        if holds and size:
            yield from going.taken(f"{stepped.at}~held", stepped.name, characters=size)

    def _doing(self, step: AnyStep, at: str, given: dict[str, Any]) -> Doing:
        return lambda going, attempt: self._do(step, at, given, going, attempt)

    def _do(
        self, step: AnyStep, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        """Raises EpistemError for what goes wrong in the step."""
        if isinstance(step, Ask):
            return (yield from self._asker.ask(step, at, going, attempt))
        if isinstance(step, Vote):
            return (yield from self._asker.vote(step, at, going, attempt))
        if isinstance(step, LookUpStep):
            return (yield from self._look_up(step, at, given, going, attempt))
        if isinstance(step, UseToolStep):
            return (yield from self._tool(step, at, given, going, attempt))
        if isinstance(step, SetStep):
            told = [(name, going.state.value_of(each)) for name, each in step.writes.items()]
            return wrote(going, step, at, given, told)
        if isinstance(step, CheckStep):
            return (yield from self._check(step, at, given, going))
        if isinstance(step, Route):
            return (yield from self._route(step, at, given, going, attempt))
        if isinstance(step, Repeat):
            return (yield from self._repeat(step, at, given, going))
        if isinstance(step, Each):
            return (yield from self._each(step, at, given, going))
        if isinstance(step, Pause):
            return (yield from self._pause(step, at, given, going))
        if isinstance(step, Collect):
            return (
                yield from Collector(step, at, self._asker, going.talking).collect(going, given)
            )
        if isinstance(step, Send):
            return (yield from self._send(step, at, given, going, attempt))
        if isinstance(step, CallStep):
            return (yield from self._call(step, at, given, going))
        return (yield from self._both(step, at, given, going))

    def _look_up(
        self, step: LookUpStep, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        question = str(going.state.value_of(step.question) or "")
        found = Found(0, ())
        if question.strip():
            found = yield LookUp(place_of(at, attempt), step.looking, question)
        passages = as_input(found.passages)
        done = wrote(going, step, at, given, [(step.writes, passages)], question)
        looking = step.looking.model_copy(update={"version": found.version or None})
        looked = FoundIn(step.writes, looking, question, found.passages)
        return done._replace(found=(looked,))

    def _tool(
        self, step: UseToolStep, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        arguments = {name: going.state.value_of(each) for name, each in step.arguments.items()}
        text = told_as_json(arguments)
        result: ToolResult = yield UseTool(
            place_of(at, attempt),
            ToolsAtHand([step.tool], self._tools_told),
            step.tool.name,
            text,
        )
        if result.fault and attempt < step.retries:
            raise InvalidInput(result.fault)
        done = wrote(going, step, at, given, [(step.writes, json_or_text(result.answer))], text)
        used = UsedTool(step.tool.name, text, result.answer, result.fault)
        return done._replace(tools=(used,), fault=result.fault or "")

    def _check(
        self, step: CheckStep, at: str, given: dict[str, Any], going: Going
    ) -> Program[Stepped]:
        value = going.state.value_of(step.of)
        text = value if isinstance(value, str) else told_as_json(value)
        ground = Ground(ReplyShape(), inputs=going.state.inputs)
        bench = Bench(step.checks, ReplyShape())
        mended = bench.repaired(Answer(text), ground)
        found = bench.judge(Answer(mended), ground)
        if bench.deliberates:
            judges = {
                name: JudgeModel(name, each.asked_as, each.wire, each.abilities)
                for name, each in self._speakers.items()
            }
            asking = under(at, bench.deliberate(Answer(mended), ground, judges))
            found += yield from self._asker.counted(asking, going)
        came = after_checks(step, bench, found, mended if mended != text else None)
        written: Written = [(step.writes, came.failed)] if step.writes else []
        if came.changed:
            written.append((changed_by_checks(step), came.value))
        return wrote(going, step, at, given, written, came.told)._replace(
            fault="; ".join(came.failed), halts="halted" if came.halts else ""
        )

    def _route(
        self, step: Route, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        if step.chooser is not None:
            done = yield from self._asker.choose(step, at, given, going, attempt)
        else:
            true = (way.name for way in step.ways if going.state.truth_of(way.when))
            done = Stepped(at, step.name, step.kind, given, {}, next(true, "otherwise"))
        steps = next((way.steps for way in step.ways if way.name == done.told), step.otherwise)
        yield from self._steps(steps, f"{at}.{done.told}.", going)
        return done

    def _repeat(
        self, step: Repeat, at: str, given: dict[str, Any], going: Going
    ) -> Program[Stepped]:
        best: tuple[float, dict[str, Any], int] | None = None
        for number in range(1, step.most + 1):
            yield from self._steps(step.steps, f"{at}.r{number}.", going)
            if going.state.truth_of(step.until):
                return Stepped(at, step.name, step.kind, given, {}, f"after round {number}")
            if step.best:
                score = going.state.value_of(step.best)
                if isinstance(score, bool) or not isinstance(score, int | float):
                    raise InvalidInput(f"“{step.best[:80]}” gives {str(score)[:60]}, not a number.")
                if best is None or score > best[0]:
                    best = (float(score), going.state.copied().values, len(going.written))
        if best is not None:
            going.state.values = best[1]
            del going.written[best[2] :]
        told = f"not after {step.most} rounds"
        return Stepped(at, step.name, step.kind, given, {}, told)

    def _each(self, step: Each, at: str, given: dict[str, Any], going: Going) -> Program[Stepped]:
        items = going.state.value_of(step.over)
        if not isinstance(items, list):
            raise InvalidInput(f"“{step.over[:80]}” gives {str(items)[:60]}, not a list.")
        if len(items) > MOST_ITEMS:
            raise InvalidInput(f"There are {len(items):,} items; {MOST_ITEMS} at most.")
        lines = [
            self._line(step.steps, f"{at}.i{number}.", going, step.gives, {step.item: item})
            for number, item in enumerate(items, start=1)
        ]
        came = join(going, (yield Together(at, lines, step.at_once)))
        told = [(step.writes, [each.given for each in came])]
        return wrote(going, step, at, given, told, f"{len(items)} items")

    def _both(self, step: Both, at: str, given: dict[str, Any], going: Going) -> Program[Stepped]:
        lines = [
            self._line(branch.steps, f"{at}.{branch.name}.", going) for branch in step.branches
        ]
        came = join(going, (yield Together(at, lines)))
        written = [pair for each in came for pair in each.written]
        going.state.write(written)
        going.written += written
        return Stepped(at, step.name, step.kind, given, {}, f"{len(lines)} branches")

    def _pause(self, step: Pause, at: str, given: dict[str, Any], going: Going) -> Program[Stepped]:
        shows = {name: going.state.value_of(each) for name, each in step.shows.items()}
        value = going.state.value_of(step.edits) if step.edits else None
        if self._where == "trial":
            said = PersonSaid(PAST[step.in_trials], note="In a trial nobody is asked.")
        else:
            said = yield AskPerson(at, step.name, shows, step.edits, value, step.hours, step.then)
        told = {"word": said.word, "by": said.by, "note": said.note}
        written = [(step.writes, told)] if step.writes else []
        if step.edits and said.word == "edited":
            written.append((step.edits, said.value))
        done = wrote(going, step, at, given | shows, written, said.word)
        if said.word == "refused" and step.on_refusal == "halt":
            why = said.note or "refused"
            return done._replace(fault=why, halts="refused")
        return done

    def _send(
        self, step: Send, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        body = {name: going.state.value_of(each) for name, each in step.body.items()}
        text = told_as_json(body)
        if self._where == "trial" or not self._sends:
            written = [(step.writes, NOT_SENT)] if step.writes else []
            return wrote(going, step, at, given | body, written, f"{NOT_SENT} It would be: {text}")
        tool = hook_of(step, f"{self._sends}/{at}")
        place = place_of(at, attempt)
        result: ToolResult = yield UseTool(place, ToolsAtHand([tool]), tool.name, text)
        if result.fault:
            raise InvalidInput(f"It could not be sent: {result.fault}")
        written = [(step.writes, json_or_text(result.answer))] if step.writes else []
        used = UsedTool(step.address, text, result.answer, None)
        told = f"sent to {step.address}"
        return wrote(going, step, at, given | body, written, told)._replace(tools=(used,))

    def _call(
        self, step: CallStep, at: str, given: dict[str, Any], going: Going
    ) -> Program[Stepped]:
        known = going.state.known()
        named = {each.name: known[each.name] for each in step.chain.inputs if each.name in known}
        told = named | {name: going.state.value_of(each) for name, each in step.given.items()}
        walk = Walk(
            step.chain, self._speakers, self._seed, self._where, self._tools_told, self._changes,
            person=self._person, sends=self._sends,
        )  # fmt: skip
        budgets = (*going.budgets, budget_of(step.chain.caps, f"{at}.in"))
        under = Going(State(step.chain, walk._told(told)), budgets, going.talking)
        under.talk, under.summary, under.summed = going.talk, going.summary, going.summed
        try:
            outputs = yield from walk._whole(f"{at}.in.", under)
        finally:
            going.steps += under.steps
        if isinstance(step.writes, str):
            written = [(step.writes, outputs)] if step.writes else []
        else:
            written = [
                (name, going.state.value_of(each, outputs)) for name, each in step.writes.items()
            ]
        return wrote(going, step, at, told, written)

    def _line(
        self,
        steps: Sequence[AnyStep],
        before: str,
        beside: Going,
        gives: str = "",
        more: Mapping[str, Any] = MappingProxyType({}),
    ) -> Program[Beside]:
        """Of some steps beside others, in a state of its own that begins with it: how it ended is told, not raised."""
        going = beside.beside(**more)
        given, end = None, None
        try:
            yield from self._steps(steps, before, going)
            given = going.state.value_of(gives) if gives else None
        except End as ended:
            end = ended
        except InvalidInput as error:
            end = End("failed", error.message)
        return Beside(going.steps, going.written, given, end)


def budget_of(caps: Caps, place: str, characters: float = inf) -> Budget:
    cents = inf if caps.cents is None else caps.cents
    return Budget(place, caps.steps, caps.calls, cents, characters)


def answer_text(outputs: Mapping[str, Any]) -> str:
    """The answer of a chain: the value of its one output, or a record of them all; a text as it is, else as JSON."""
    value = next(iter(outputs.values())) if len(outputs) == 1 else dict(outputs)
    return value if isinstance(value, str) else told_as_json(value)


def in_order(steps: Sequence[Stepped]) -> list[Stepped]:
    """By their places, what holds others before those; rounds and items in turn. What ran side by side stands as the
    chain has it, whichever was quicker."""
    first: dict[str, int] = {}
    for number, each in enumerate(steps):
        place = ""
        for part in each.at.split("."):
            place = f"{place}.{part}" if place else part
            first.setdefault(place, number)

    def key(stepped: Stepped) -> list[tuple[int, int]]:
        parts = stepped.at.split(".")
        places = [".".join(parts[: end + 1]) for end in range(len(parts))]
        return [(_number_in(part), first[place]) for part, place in zip(parts, places, strict=True)]

    return sorted(steps, key=key)


def _number_in(part: str) -> int:
    digits = part.lstrip("rit")
    return int(digits) if digits.isdigit() else 0
