"""The steps that ask models: each call within the caps of the walk."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import inf
from typing import Any, NamedTuple

import orjson

from epistem.core.chains.askings import choosing, noting, summing_up
from epistem.core.chains.content import Route, Summary
from epistem.core.chains.depends import ANSWERS
from epistem.core.chains.going import End, Going, json_in, over, told_as_json, wrote
from epistem.core.chains.kinds import Ask, Collect, Merge, Seen, Vote
from epistem.core.chains.limits import place_of
from epistem.core.chains.once import Once
from epistem.core.chains.state import State
from epistem.core.chains.walked import Speaker, Stepped, UsedTool
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench
from epistem.core.engine.answers import Answered, Asking, answer
from epistem.core.engine.budget import Charge, Refused
from epistem.core.engine.looking import filled
from epistem.core.engine.needs import AskModel, Program, Result, SharedBody, Together
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt, ReplyShape
from epistem.core.prompts.dialogue import Turn
from epistem.core.prompts.inputs import inputs_of
from epistem.core.prompts.render import RenderedMessage, render
from epistem.core.prompts.request import body_from
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import AS_USUAL, ToolTold
from epistem.core.prompts.tools import ToolsAtHand
from epistem.core.shapes import count
from epistem.core.wire.chat_completions import encode
from epistem.core.wire.reply import Reply
from epistem.core.wire.tokens import most_input, usage_of

LIMITS = ("max_tokens", "max_completion_tokens")
MOST_UNSAID = 2_048
"""Tokens that an answer may have where nobody says how long it may be, and what it may cost is capped."""


class Asked(NamedTuple):
    """A prompt of ours that a step is made into."""

    model: str
    prompt: Prompt
    settings: Settings


class Asker:
    """Asks these models for the steps of one walk."""

    def __init__(
        self,
        speakers: Mapping[str, Speaker],
        seed: int,
        told: Sequence[ToolTold] = (),
    ) -> None:
        """`told` is what tools answer before all else."""
        self._speakers, self.seed, self._told = speakers, seed, told
        self._once = Once()

    def ask(self, step: Ask, at: str, going: Going, attempt: int = 0) -> Program[Stepped]:
        told = self._given(step, going.state)
        answered = yield from self.answered(
            step, told, place_of(at, attempt), self.seed + attempt, going
        )
        reply = answered.reply
        if isinstance(step.writes, str):
            value = _read_as(step.prompt, reply.text)
            written = [(step.writes, value)] if step.writes else []
        else:
            found = json_in(reply.text)
            of_reply = {"text": reply.text, "json": found, "reasoning": reply.reasoning}
            written = [
                (name, going.state.value_of(each, of_reply)) for name, each in step.writes.items()
            ]
        done = wrote(going, step, at, told, written, reply.text)
        return self.with_tools(done, step.model, [answered])._replace(reasoning=reply.reasoning)

    def note(
        self, step: Collect, told: Mapping[str, Any], place: str, seed: int, going: Going
    ) -> Program[Answered]:
        """What a model takes down for a step that finds facts out."""
        return (
            yield from self.answered(self._once.of(step, _to_note), dict(told), place, seed, going)
        )

    def choose(
        self, step: Route, at: str, given: dict[str, Any], going: Going, attempt: int
    ) -> Program[Stepped]:
        """The way that the model names is what is told; `otherwise` for one that there is not. Asked again as often as
        the step says, raises InvalidInput for that before."""
        chooser = step.chooser
        assert chooser is not None, "the ways are chosen by expressions"
        value = going.state.value_of(chooser.of)
        told = {
            "ways": [{"name": way.name, "about": way.about} for way in step.ways],
            "says": chooser.says,
            "message": value if isinstance(value, str) else told_as_json(value),
        }
        asking = self._once.of(step, _to_choose)
        place = place_of(at, attempt)
        answered = yield from self.answered(asking, told, place, self.seed + attempt, going)
        named = _way_in(answered.reply.text, [*(way.name for way in step.ways), "otherwise"])
        done = Stepped(at, step.name, step.kind, given, {}, named or "otherwise")
        if named is None:
            words = " ".join(answered.reply.text[:80].split())
            fault = f"{chooser.model} chose “{words}”, which is no way here."
            if attempt < step.retries:
                raise InvalidInput(fault)
            done = done._replace(fault=fault)
        done = done._replace(reasoning=answered.reply.reasoning)
        return self.with_tools(done, chooser.model, [answered])

    def sum_up(self, summary: Summary, at: str, going: Going) -> Program[Stepped]:
        """Bring the summary of the talk up to date; where the model fails it stays as it was."""
        said = "\n".join(
            f"{'The person' if turn.role == 'user' else 'The answer'}: {turn.text}"
            for turn in going.talk[going.summed :]
        )
        asking = self._once.of(summary, _to_sum_up)
        told = {"so_far": going.summary, "said": said}
        done = Stepped(at, "keep the talk in short", "summary", told, {})
        try:
            answered = yield from self.answered(asking, told, at, self.seed, going)
        except EpistemError as error:
            return done._replace(fault=error.message)
        going.summary, going.summed = answered.reply.text.strip(), len(going.talk)
        return self.with_tools(done._replace(told=going.summary), summary.model, [answered])

    def vote(self, step: Vote, at: str, going: Going, attempt: int = 0) -> Program[Stepped]:
        told = self._given(step, going.state)

        def one(number: int) -> Program[tuple[Going, Answered | Exception]]:
            mine = Going(going.state, going.budgets, going.talking)
            place = f"{place_of(at, attempt)}.v{number}"
            try:
                came = yield from self.answered(step, told, place, self.seed + number, mine)
                return mine, came
            except (End, EpistemError) as error:
                return mine, error

        all_of_them: list[tuple[Going, Answered | Exception] | Refused] = yield Together(
            place_of(at, attempt), [one(n) for n in range(step.times)]
        )
        came = [each for each in all_of_them if not isinstance(each, Refused)]
        for mine, _ in came:
            going.spent.take(mine.spent)
        if ended := next((each for _, each in came if isinstance(each, End)), None):
            raise ended
        if refused := next((each for each in all_of_them if isinstance(each, Refused)), None):
            raise over(refused, "another vote")
        voted = Stepped(at, step.name, step.kind, told, {})
        answers = [each for _, each in came if isinstance(each, Answered)]
        if not answers:
            raise next(each for _, each in came if isinstance(each, Exception))
        voted = self.with_tools(voted, step.model, answers)
        if step.merge is not None:
            done = yield from self._merged(step, step.merge, answers, voted, going, attempt)
            return done
        values = [self._counted(step, each, going.state) for each in answers]
        if step.checks:
            best, said = self._fewest_faults(step, answers, going.state)
            chosen = values[best]
        else:
            votes = Counter(json.dumps(value, sort_keys=True, default=str) for value in values)
            first = max(votes, key=lambda value: votes[value])  # of equal ones the first
            chosen = next(v for v in values if json.dumps(v, sort_keys=True, default=str) == first)
            said = f"{votes[first]} of {len(answers)}"
        done = wrote(going, step, at, told, [(step.writes, chosen)], said)
        return voted._replace(wrote=done.wrote, told=said)

    def _merged(
        self, step: Vote, merge: Merge, answers: Sequence[Answered], voted: Stepped, going: Going,
        attempt: int,
    ) -> Program[Stepped]:  # fmt: skip
        """What another prompt makes of all the answers."""
        texts = {ANSWERS: [each.reply.text.strip() for each in answers]}
        known = {**going.state.known(), **texts}
        told = {name: known[name] for name in inputs_of(merge.prompt) if name in known}
        told |= {name: going.state.value_of(each, texts) for name, each in merge.given.items()}
        place = f"{place_of(voted.at, attempt)}.merge"
        answered = yield from self.answered(merge, told, place, self.seed, going)
        value = _read_as(merge.prompt, answered.reply.text)
        said = answered.reply.text
        done = wrote(going, step, voted.at, voted.given | texts, [(step.writes, value)], said)
        merged = self.with_tools(done, merge.model, [answered])
        tools = voted.tools + merged.tools
        return merged._replace(tools=tools, reasoning=answered.reply.reasoning)

    def _fewest_faults(
        self, step: Vote, answers: Sequence[Answered], state: State
    ) -> tuple[int, str]:
        """Which of the answers, and what is told of it."""
        bench = Bench(step.checks, ReplyShape())
        ground = Ground(ReplyShape(), inputs=state.inputs)
        faults = [
            sum(judged.finding.failed for judged in bench.judge(Answer(each.reply.text), ground))
            for each in answers
        ]
        best = faults.index(min(faults))
        return best, f"answer {best + 1} of {len(answers)}: {count(faults[best], 'check')} failed"

    def _counted(self, step: Vote, answered: Answered, state: State) -> Any:
        text = answered.reply.text
        if not step.over:
            return _read_as(step.prompt, text.strip())
        return state.value_of(step.over, {"text": text, "json": json_in(text), "reasoning": ""})

    def _given(self, step: Ask | Vote, state: State) -> dict[str, Any]:
        known = state.known()
        told = {
            name: known[name] for name in self._once.of(step.prompt, inputs_of) if name in known
        }
        return told | {name: state.value_of(each) for name, each in step.given.items()}

    def answered(
        self,
        step: Ask | Vote | Merge | Asked,
        given: dict[str, Any],
        at: str,
        seed: int,
        going: Going,
    ) -> Program[Answered]:
        """Raises InvalidInput where there is no such model, End at a cap, and what a call raises."""
        speaker = self._speakers.get(step.model)
        if speaker is None:
            raise InvalidInput(f"There is no model “{step.model}” in the list.")
        inputs, found = yield from filled(step.prompt, given, at=f"{at}.look")
        known = {
            name: inputs[name] for name in self._once.of(step.prompt, inputs_of) if name in inputs
        }
        messages = _with_talk(step, known, going)
        request = body_from(
            messages,
            step.prompt,
            speaker.asked_as,
            self._settings(step, going),
            None,
            speaker.wire,
            speaker.abilities,
        )
        tools = step.prompt.tools if "tools" in speaker.abilities else []
        at_hand = ToolsAtHand(tools, self._told, step.prompt.tool_choice or AS_USUAL)
        asking = Asking(SharedBody(encode(request)), found)
        program = answer(speaker.wire, asking, seed, at_hand, at, step.model)
        return (yield from self.counted(program, going))

    def _settings(self, step: Ask | Vote | Merge | Asked, going: Going) -> Settings:
        """Where money is capped no answer may be as long as it likes."""
        settings: Settings = self._once.of(step, _settings_of)
        if settings.max_tokens is None and capped(going):
            return self._once.of(step, _settings_within)
        return settings

    def counted(self, program: Program[Result], going: Going) -> Program[Result]:
        """The same, each call within the budgets. Raises End where one is not left."""
        told: Any = None
        send = program.send
        while True:
            try:
                need = send(told)
            except StopIteration as end:
                return end.value  # type: ignore[no-any-return]
            if isinstance(need, AskModel):
                need = replace(need, charge=self._charge_of(need, going))
            try:
                told = yield need
                send = program.send
            except EpistemError as error:
                told, send = error, program.throw
            if not isinstance(need, AskModel):
                continue
            if isinstance(told, Refused):
                program.close()
                raise over(told, "another call" if told.what == "cents" else "that")
            going.spent.calls += 1
            if isinstance(told, Reply):
                took = usage_of(need.body.content, told)
                going.spent.add(need.model, took.input_tokens, took.output_tokens)
                going.spent.characters += len(told.text) + len(told.reasoning)

    def _charge_of(self, need: AskModel, going: Going) -> Charge:
        """A call, and the most that it may cost where money is capped."""
        speaker = self._speakers.get(need.model)
        prices = (speaker.input_cents, speaker.output_cents) if speaker else (0.0, 0.0)
        most = 0.0
        if capped(going) and any(prices):
            request = orjson.loads(need.body.content)
            limit = next((request[key] for key in LIMITS if request.get(key)), MOST_UNSAID)
            most = most_input(need.body.content) * prices[0] + limit * prices[1]
        return Charge(going.budgets, 0, 1, most, 0, *prices)

    def with_tools(self, done: Stepped, model: str, answers: Sequence[Answered]) -> Stepped:
        """And with what was looked up for them, which is the same for all."""
        tools = tuple(
            UsedTool(used.call.name, used.call.arguments, used.result.answer, used.result.fault)
            for each in answers
            for used in each.tools
        )
        return done._replace(tools=tools, model=model, found=answers[0].found)


def _settings_of(step: Ask | Vote | Merge | Asked) -> Settings:
    return step.settings.over(step.prompt.settings)


def _settings_within(step: Ask | Vote | Merge | Asked) -> Settings:
    return Settings(max_tokens=MOST_UNSAID).over(_settings_of(step))


def capped(going: Going) -> bool:
    """Whether money is."""
    return any(budget.cents != inf for budget in going.budgets)


def _to_choose(step: Route) -> Asked:
    assert step.chooser is not None, "the ways are chosen by expressions"
    return Asked(step.chooser.model, choosing(step), step.chooser.settings)


def _to_note(step: Collect) -> Asked:
    return Asked(step.model, noting(step), step.settings)


def _to_sum_up(summary: Summary) -> Asked:
    return Asked(summary.model, summing_up(summary), summary.settings)


def _read_as(prompt: Prompt, text: str) -> Any:
    """The value of an answer: as JSON where the prompt wants that and it is, else the text."""
    found = json_in(text) if prompt.reply.kind == "json" else None
    return text if found is None else found


def _with_talk(
    step: Ask | Vote | Merge | Asked, known: Mapping[str, Any], going: Going
) -> list[RenderedMessage]:
    """The messages of the prompt, and what the step sees of the talk before its last one. A prompt that takes the talk
    as an input gets it there."""
    seen = _seen(step.sees, going) if isinstance(step, Ask) and step.sees else []
    prompt = step.prompt
    if talk := next((each.name for each in prompt.inputs if each.kind == "dialogue"), None):
        return render(prompt, {talk: [turn.to_json() for turn in seen], **known})
    messages = render(prompt, known)
    before = [
        RenderedMessage(turn.role, turn.text, ((f"Turn {number}", turn.text),))
        for number, turn in enumerate(seen, start=1)
    ]
    last = messages[-1:] if messages and messages[-1].role == "user" else []
    return [*messages[: len(messages) - len(last)], *before, *last]


def _seen(sees: Seen, going: Going) -> list[Turn]:
    """Of what was said before the person's last words."""
    before = going.talk[:-1] if going.talk and going.talk[-1].role == "user" else going.talk
    if sees.how == "all":
        return list(before)
    if sees.how == "last":
        return list(before[-sees.last :])
    if not going.summary:
        return []
    told = f"What was said so far, in short: {going.summary}"
    return [Turn(role="user", text=told), Turn(role="assistant", text="I know it.")]


def _way_in(text: str, names: Sequence[str]) -> str | None:
    """The way that a model named: as JSON with the key `way`, or as its name alone."""
    told = json_in(text)
    said = told.get("way") if isinstance(told, dict) else text
    plain = str(said).strip().strip("\"'“”.").casefold()
    return next((name for name in names if name.casefold() == plain), None)
