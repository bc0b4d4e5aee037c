"""The program that walks a chain: pure and deterministic, resumed and replayed from its record alone.

A walk always ends: loops are bounded, and caps on steps, calls and money end what goes on for too long. Where branches
run side by side each gets what is left of the caps, so that what ends never depends on which was quicker.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from epistem.core.chains.content import (
    MOST_ITEMS,
    AnyStep,
    Ask,
    Both,
    Chain,
    CheckStep,
    Each,
    LookUpStep,
    Repeat,
    Route,
    SetStep,
    UseToolStep,
    Vote,
)  # fmt: skip
from epistem.core.chains.depends import asked_of, reads_of
from epistem.core.chains.state import State, Written
from epistem.core.chains.walked import Ended, Speaker, Stepped, Walked
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.structure.find_json import find_json
from epistem.core.engine.answers import Answered, Asking, answer
from epistem.core.engine.looking import as_input, filled
from epistem.core.engine.needs import (
    AskModel,
    Found,
    LookUp,
    Note,
    Program,
    SharedBody,
    Together,
    UseTool,
)
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt, ReplyShape
from epistem.core.prompts.inputs import inputs_of
from epistem.core.prompts.request import request_for
from epistem.core.prompts.tool import AS_USUAL
from epistem.core.prompts.tools import ToolResult, ToolsAtHand
from epistem.core.wire.chat_completions import encode


class _End(Exception):
    """The walk ends here."""

    def __init__(self, ended: Ended, why: str) -> None:
        super().__init__(why)
        self.ended, self.why = ended, why


@dataclass
class _Left:
    """Of the caps."""

    steps: int
    calls: int
    cents: float

    def copied(self) -> _Left:
        return _Left(self.steps, self.calls, self.cents)


@dataclass
class _Going:
    """One line of a walk: the whole, or a branch of it."""

    state: State
    left: _Left
    steps: list[Stepped] = field(default_factory=list)
    written: Written = field(default_factory=list)


class _Beside(NamedTuple):
    """What came of a line beside others."""

    going: _Going
    given: Any
    end: _End | None


class Walk:
    """A chain that is walked with these models."""

    def __init__(self, chain: Chain, speakers: Mapping[str, Speaker], seed: int = 1) -> None:
        self._chain, self._speakers, self._seed = chain, dict(speakers), seed

    def program(self, inputs: Mapping[str, Any]) -> Program[Walked]:
        """The inputs as they are given. Never raises for what models, tools or expressions do."""
        chain, caps = self._chain, self._chain.caps
        told = {each.name: inputs.get(each.name, each.default) for each in chain.inputs}
        cents = caps.cents if caps.cents is not None else float("inf")
        going = _Going(State(chain, told), _Left(caps.steps, caps.calls, cents))
        ended: Ended = "done"
        why, outputs = "All steps are done.", {}
        try:
            yield from self._steps(chain.steps, "", going)
            outputs = {name: going.state.value_of(each) for name, each in chain.outputs.items()}
        except _End as end:
            ended, why = end.ended, end.why
        except InvalidInput as error:
            ended, why = "failed", f"The outputs can't be worked out: {error.message}"
        return Walked(ended, why, outputs, going.state.values, going.steps)

    def _steps(self, steps: Sequence[AnyStep], before: str, going: _Going) -> Program[None]:
        for number, step in enumerate(steps, start=1):
            yield from self._step(step, f"{before}{number}", going)

    def _step(self, step: AnyStep, at: str, going: _Going) -> Program[None]:
        if going.left.steps <= 0:
            raise _End(
                "cap",
                f"{self._chain.caps.steps} steps are allowed, and {step.name} would be another.",
            )
        going.left.steps -= 1
        known = going.state.known()
        given = {name: known[name] for name in reads_of(step) if name in known}
        try:
            if step.only_if and not going.state.truth_of(step.only_if):
                yield from self._note(
                    going, Stepped(at, step.name, step.kind, given, {}, passed_over=True)
                )
                return
            done = yield from self._do(step, at, given, going)
        except EpistemError as error:
            fault = error.message
            yield from self._note(going, Stepped(at, step.name, step.kind, given, {}, fault=fault))
            raise _End("failed", f"Step {at}, {step.name}: {fault}") from error
        yield from self._note(going, done)
        if isinstance(step, CheckStep) and step.on_failure == "halt" and done.fault:
            raise _End("halted", f"Step {at}, {step.name}: {done.fault}")

    def _note(self, going: _Going, stepped: Stepped) -> Program[None]:
        going.steps.append(stepped)
        yield Note(f"{stepped.at}~{len(going.steps)}", stepped)

    def _do(self, step: AnyStep, at: str, given: dict[str, Any], going: _Going) -> Program[Stepped]:
        """Raises EpistemError for what goes wrong in the step."""
        if isinstance(step, Ask):
            return (yield from self._ask(step, at, going))
        if isinstance(step, Vote):
            return (yield from self._vote(step, at, going))
        if isinstance(step, LookUpStep):
            question = str(going.state.value_of(step.question) or "")
            found = Found(0, ())
            if question.strip():
                found = yield LookUp(at, step.looking, question)
            passages = as_input(found.passages)
            return _wrote(going, step, at, given, [(step.writes, passages)], question)
        if isinstance(step, UseToolStep):
            return (yield from self._tool(step, at, given, going))
        if isinstance(step, SetStep):
            told = [(name, going.state.value_of(each)) for name, each in step.writes.items()]
            return _wrote(going, step, at, given, told)
        if isinstance(step, CheckStep):
            return self._check(step, at, given, going)
        if isinstance(step, Route):
            return (yield from self._route(step, at, given, going))
        if isinstance(step, Repeat):
            return (yield from self._repeat(step, at, given, going))
        if isinstance(step, Each):
            return (yield from self._each(step, at, given, going))
        return (yield from self._both(step, at, given, going))

    def _ask(self, step: Ask, at: str, going: _Going) -> Program[Stepped]:
        told = self._given(step, going.state)
        for attempt in range(step.retries + 1):
            try:
                place = f"{at}~{attempt}" if attempt else at
                answered = yield from self._answer(step, told, place, self._seed + attempt, going)
                break
            except _End:
                raise
            except EpistemError:
                if attempt == step.retries:
                    raise
        reply = answered.reply
        value = _read_as(step.prompt, reply.text)
        of_reply = {"text": reply.text, "json": _json(reply.text), "reasoning": reply.reasoning}
        if isinstance(step.writes, str):
            wrote = [(step.writes, value)] if step.writes else []
        else:
            wrote = [
                (name, going.state.value_of(each, of_reply)) for name, each in step.writes.items()
            ]
        done = _wrote(going, step, at, told, wrote, reply.text)
        return self._with_costs(done, step.model, [answered])

    def _vote(self, step: Vote, at: str, going: _Going) -> Program[Stepped]:
        told = self._given(step, going.state)
        going.left.calls -= step.times
        if going.left.calls < 0:
            raise self._too_many_calls()

        def one(number: int) -> Program[Answered | None]:
            mine = _Going(going.state, _Left(1, 1, float("inf")))
            try:
                return (
                    yield from self._answer(
                        step, told, f"{at}.v{number}", self._seed + number, mine
                    )
                )
            except (_End, EpistemError):
                return None

        came: list[Answered | None] = yield Together(at, [one(n) for n in range(step.times)])
        answers = [each for each in came if each is not None]
        if not answers:
            raise InvalidInput(f"None of {step.times} answers came.")
        values = [self._counted(step, each, going.state) for each in answers]
        votes = Counter(json.dumps(value, sort_keys=True, default=str) for value in values)
        first = max(
            votes, key=lambda value: votes[value]
        )  # of equal ones the first that came in order
        chosen = next(v for v in values if json.dumps(v, sort_keys=True, default=str) == first)
        said = f"{votes[first]} of {len(answers)}"
        done = _wrote(going, step, at, told, [(step.writes, chosen)], said)
        done = self._with_costs(done, step.model, answers)
        self._pay(going, done.cents)
        return done

    def _counted(self, step: Vote, answered: Answered, state: State) -> Any:
        text = answered.reply.text
        if not step.over:
            return _read_as(step.prompt, text.strip())
        return state.value_of(step.over, {"text": text, "json": _json(text), "reasoning": ""})

    def _given(self, step: Ask | Vote, state: State) -> dict[str, Any]:
        known = state.known()
        told = {name: known[name] for name in asked_of(step.prompt) if name in known}
        return told | {name: state.value_of(each) for name, each in step.given.items()}

    def _answer(
        self, step: Ask | Vote, given: dict[str, Any], at: str, seed: int, going: _Going
    ) -> Program[Answered]:
        speaker = self._speakers.get(step.model)
        if speaker is None:
            raise InvalidInput(f"There is no model “{step.model}” in the list.")
        inputs, found = yield from filled(step.prompt, given, at=f"{at}.look")
        known = {name: inputs[name] for name in inputs_of(step.prompt) if name in inputs}
        request = request_for(
            step.prompt,
            known,
            speaker.asked_as,
            settings=step.settings.over(step.prompt.settings),
            wire=speaker.wire,
            abilities=speaker.abilities,
        )
        tools = step.prompt.tools if "tools" in speaker.abilities else []
        at_hand = ToolsAtHand(tools, (), step.prompt.tool_choice or AS_USUAL)
        asking = Asking(SharedBody(encode(request)), found)
        program = answer(speaker.wire, asking, seed, at_hand, at, step.model)
        return (yield from self._counting(program, speaker, going))

    def _counting(
        self, program: Program[Answered], speaker: Speaker, going: _Going
    ) -> Program[Answered]:
        """The same, each call within the caps."""
        told: Any = None
        send = program.send
        while True:
            try:
                need = send(told)
            except StopIteration as end:
                return end.value  # type: ignore[no-any-return]
            if isinstance(need, AskModel):
                if going.left.calls <= 0:
                    program.close()
                    raise self._too_many_calls()
                going.left.calls -= 1
            try:
                told = yield need
                send = program.send
            except EpistemError as error:
                told, send = error, program.throw
                continue
            if isinstance(need, AskModel):
                self._pay(going, _cents(speaker, told.usage.input_tokens, told.usage.output_tokens))

    def _pay(self, going: _Going, cents: float) -> None:
        going.left.cents -= cents
        if going.left.cents < 0:
            raise _End(
                "cap",
                f"It has cost more than the {self._chain.caps.cents:g} cents that are allowed.",
            )

    def _too_many_calls(self) -> _End:
        return _End(
            "cap", f"{self._chain.caps.calls} calls are allowed, and it would take another."
        )

    def _with_costs(self, done: Stepped, model: str, answers: Sequence[Answered]) -> Stepped:
        sent = sum(each.reply.usage.input_tokens for each in answers)
        written = sum(each.reply.usage.output_tokens for each in answers)
        cents = _cents(self._speakers[model], sent, written)
        calls = sum(each.rounds for each in answers)
        return done._replace(calls=calls, input_tokens=sent, output_tokens=written, cents=cents)

    def _tool(
        self, step: UseToolStep, at: str, given: dict[str, Any], going: _Going
    ) -> Program[Stepped]:
        arguments = {name: going.state.value_of(each) for name, each in step.arguments.items()}
        text = json.dumps(arguments, ensure_ascii=False, default=str)
        result: ToolResult = yield UseTool(at, ToolsAtHand([step.tool]), step.tool.name, text)
        return _wrote(going, step, at, given, [(step.writes, _or_text(result.answer))], text)

    def _check(self, step: CheckStep, at: str, given: dict[str, Any], going: _Going) -> Stepped:
        value = going.state.value_of(step.of)
        text = (
            value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
        )
        ground = Ground(ReplyShape(), inputs=going.state.inputs)
        found = Bench(step.checks, ReplyShape()).judge(Answer(text), ground)
        failed = [judged.finding.message for judged in found if judged.finding.failed]
        wrote = [(step.writes, failed)] if step.writes else []
        told = "; ".join(failed) or "passed"
        return _wrote(going, step, at, given, wrote, told)._replace(fault="; ".join(failed))

    def _route(
        self, step: Route, at: str, given: dict[str, Any], going: _Going
    ) -> Program[Stepped]:
        for way in step.ways:
            if going.state.truth_of(way.when):
                yield from self._steps(way.steps, f"{at}.{way.name}.", going)
                return Stepped(at, step.name, step.kind, given, {}, way.name)
        yield from self._steps(step.otherwise, f"{at}.otherwise.", going)
        return Stepped(at, step.name, step.kind, given, {}, "otherwise")

    def _repeat(
        self, step: Repeat, at: str, given: dict[str, Any], going: _Going
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

    def _each(self, step: Each, at: str, given: dict[str, Any], going: _Going) -> Program[Stepped]:
        items = going.state.value_of(step.over)
        if not isinstance(items, list):
            raise InvalidInput(f"“{step.over[:80]}” gives {str(items)[:60]}, not a list.")
        if len(items) > MOST_ITEMS:
            raise InvalidInput(f"There are {len(items):,} items; {MOST_ITEMS} at most.")
        lines = [
            self._line(
                step.steps,
                f"{at}.i{number}.",
                _Going(going.state.copied(**{step.item: item}), going.left.copied()),
                step.gives,
            )
            for number, item in enumerate(items, start=1)
        ]
        came: list[_Beside] = yield Together(at, lines, step.at_once)
        self._join(going, came)
        told = [(step.writes, [each.given for each in came])]
        return _wrote(going, step, at, given, told, f"{len(items)} items")

    def _both(self, step: Both, at: str, given: dict[str, Any], going: _Going) -> Program[Stepped]:
        lines = [
            self._line(
                branch.steps,
                f"{at}.{branch.name}.",
                _Going(going.state.copied(), going.left.copied()),
            )
            for branch in step.branches
        ]
        came: list[_Beside] = yield Together(at, lines)
        self._join(going, came)
        written = [pair for each in came for pair in each.going.written]
        going.state.write(written)
        going.written += written
        return Stepped(at, step.name, step.kind, given, {}, f"{len(lines)} branches")

    def _line(
        self, steps: Sequence[AnyStep], before: str, going: _Going, gives: str = ""
    ) -> Program[_Beside]:
        """Of some steps beside others: how it ended is told, not raised."""
        try:
            yield from self._steps(steps, before, going)
            return _Beside(going, going.state.value_of(gives) if gives else None, None)
        except _End as end:
            return _Beside(going, None, end)
        except InvalidInput as error:
            return _Beside(going, None, _End("failed", error.message))

    def _join(self, going: _Going, came: Sequence[_Beside]) -> None:
        """What they took together is taken from what was left; the first that ended ends the walk."""
        before = going.left.copied()
        for each in came:
            going.steps += each.going.steps
            going.left.steps -= before.steps - each.going.left.steps
            going.left.calls -= before.calls - each.going.left.calls
            if before.cents != float("inf"):
                going.left.cents -= before.cents - each.going.left.cents
        for each in came:
            if each.end is not None:
                raise each.end


def _wrote(
    going: _Going, step: AnyStep, at: str, given: dict[str, Any], written: Written, told: str = ""
) -> Stepped:
    going.state.write(written)
    going.written += written
    return Stepped(at, step.name, step.kind, given, dict(written), told)


def _cents(speaker: Speaker, sent: int, written: int) -> float:
    return sent * speaker.input_cents + written * speaker.output_cents


def _read_as(prompt: Prompt, text: str) -> Any:
    """The value of an answer: as JSON where the prompt wants that and it is, else the text."""
    return _json(text) if prompt.reply.kind == "json" and _json(text) is not None else text


def _json(text: str) -> Any:
    found = find_json(text)
    return None if found is None else found.value


def _or_text(text: str) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text
