"""The steps that ask models: each call within the caps of the walk."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from epistem.core.chains.content import Ask, Caps, Vote
from epistem.core.chains.depends import asked_of
from epistem.core.chains.going import End, Going, Left, cents_of, json_in, wrote
from epistem.core.chains.limits import place_of
from epistem.core.chains.state import State
from epistem.core.chains.walked import Speaker, Stepped, UsedTool
from epistem.core.engine.answers import Answered, Asking, answer
from epistem.core.engine.looking import filled
from epistem.core.engine.needs import AskModel, Program, Result, SharedBody, Together
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.inputs import inputs_of
from epistem.core.prompts.request import request_for
from epistem.core.prompts.tool import AS_USUAL, ToolTold
from epistem.core.prompts.tools import ToolsAtHand
from epistem.core.wire.chat_completions import encode


class Asker:
    """Asks these models for the steps of one walk."""

    def __init__(
        self,
        caps: Caps,
        speakers: Mapping[str, Speaker],
        seed: int,
        told: Sequence[ToolTold] = (),
    ) -> None:
        """`told` is what tools answer before all else."""
        self._caps, self._speakers, self._seed, self._told = caps, speakers, seed, told

    def ask(self, step: Ask, at: str, going: Going, attempt: int = 0) -> Program[Stepped]:
        told = self._given(step, going.state)
        answered = yield from self._answer(
            step, told, place_of(at, attempt), self._seed + attempt, going
        )
        reply = answered.reply
        value = _read_as(step.prompt, reply.text)
        of_reply = {"text": reply.text, "json": json_in(reply.text), "reasoning": reply.reasoning}
        if isinstance(step.writes, str):
            written = [(step.writes, value)] if step.writes else []
        else:
            written = [
                (name, going.state.value_of(each, of_reply)) for name, each in step.writes.items()
            ]
        done = wrote(going, step, at, told, written, reply.text)
        return self._with_costs(done, step.model, [answered])._replace(reasoning=reply.reasoning)

    def vote(self, step: Vote, at: str, going: Going, attempt: int = 0) -> Program[Stepped]:
        told = self._given(step, going.state)
        going.left.calls -= step.times
        if going.left.calls < 0:
            raise self._too_many_calls()

        def one(number: int) -> Program[Answered | None]:
            mine = Going(going.state, Left(1, 1, float("inf")))
            try:
                return (
                    yield from self._answer(
                        step, told, f"{place_of(at, attempt)}.v{number}", self._seed + number, mine
                    )
                )
            except (End, EpistemError):
                return None

        came: list[Answered | None] = yield Together(
            place_of(at, attempt), [one(n) for n in range(step.times)]
        )
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
        done = wrote(going, step, at, told, [(step.writes, chosen)], said)
        done = self._with_costs(done, step.model, answers)
        self._pay(going, done.cents)
        return done

    def _counted(self, step: Vote, answered: Answered, state: State) -> Any:
        text = answered.reply.text
        if not step.over:
            return _read_as(step.prompt, text.strip())
        return state.value_of(step.over, {"text": text, "json": json_in(text), "reasoning": ""})

    def _given(self, step: Ask | Vote, state: State) -> dict[str, Any]:
        known = state.known()
        told = {name: known[name] for name in asked_of(step.prompt) if name in known}
        return told | {name: state.value_of(each) for name, each in step.given.items()}

    def _answer(
        self, step: Ask | Vote, given: dict[str, Any], at: str, seed: int, going: Going
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
        at_hand = ToolsAtHand(tools, self._told, step.prompt.tool_choice or AS_USUAL)
        asking = Asking(SharedBody(encode(request)), found)
        program = answer(speaker.wire, asking, seed, at_hand, at, step.model)
        return (yield from self.counted(program, going))

    def counted(self, program: Program[Result], going: Going) -> Program[Result]:
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
            if isinstance(need, AskModel) and (speaker := self._speakers.get(need.model)):
                usage = told.usage
                self._pay(going, cents_of(speaker, usage.input_tokens, usage.output_tokens))

    def _pay(self, going: Going, cents: float) -> None:
        going.left.cents -= cents
        if going.left.cents < 0:
            most = going.left.most_cents
            raise End("cap", f"It has cost more than the {most:g} cents that are allowed.")

    def _too_many_calls(self) -> End:
        return End("cap", f"{self._caps.calls} calls are allowed, and it would take another.")

    def _with_costs(self, done: Stepped, model: str, answers: Sequence[Answered]) -> Stepped:
        sent = sum(each.reply.usage.input_tokens for each in answers)
        written = sum(each.reply.usage.output_tokens for each in answers)
        cents = cents_of(self._speakers[model], sent, written)
        calls = sum(each.rounds for each in answers)
        tools = tuple(
            UsedTool(used.call.name, used.call.arguments, used.result.answer, used.result.fault)
            for each in answers
            for used in each.tools
        )
        return done._replace(
            calls=calls,
            input_tokens=sent,
            output_tokens=written,
            cents=cents,
            tools=tools,
            model=model,
            found=answers[0].found,
        )


def _read_as(prompt: Prompt, text: str) -> Any:
    """The value of an answer: as JSON where the prompt wants that and it is, else the text."""
    return json_in(text) if prompt.reply.kind == "json" and json_in(text) is not None else text
