"""What a shard knows of each arm: how it asks, how it judges, and whether its model can be asked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from epistem.core.cases.content import Case
from epistem.core.cases.talk import is_talk
from epistem.core.checks.base import Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.checks.uses import CheckUse
from epistem.core.engine.answers import Answered, Asking, answer, talk
from epistem.core.engine.looking import FoundIn, filled, looked_through
from epistem.core.engine.needs import AskModel, Found, LookUp, Program, SharedBody
from epistem.core.errors import EpistemError
from epistem.core.prompts.content import parts_of
from epistem.core.prompts.dialogue import Turn
from epistem.core.prompts.rename import with_old_names
from epistem.core.prompts.request import request_for
from epistem.core.prompts.tool import AS_USUAL
from epistem.core.prompts.tools import ToolsAtHand
from epistem.core.subjects.content import prompt_in
from epistem.core.trials.grounds import ground_of
from epistem.core.trials.talking import Person, opening_of
from epistem.core.wire import chat_completions as wire
from epistem.models.endpoint import Endpoint
from epistem.models.trouble import CallFailed, Kind
from epistem.store import models
from epistem.store.models import Model
from epistem.store.trial_cases import TrialCase
from epistem.store.trials import Arm
from epistem.work.calls import PERSON

SOON: frozenset[Kind] = frozenset({"unreachable", "refused"})
LATER: frozenset[Kind] = frozenset({"silent", "busy"})
AFTER_SOON, AFTER_LATER = 3, 8
"""Failures in a row, without an answer between, after which an arm is paused."""


def model_of(arm: Arm, listed: Sequence[Model]) -> Model:
    """The model as it was when the trial was made, reached as it is today. Raises InvalidInput for one that
    nothing is kept of."""
    if arm.entry is None:
        return models.pick(listed, arm.model)
    return models.reached_today(arm.entry, listed)


class ArmAtWork:
    """An arm with all that is worked out once for its answers."""

    costly = False
    """Whether filling in a request may take long."""
    looks_up = False
    """Whether the request that a reading begins with holds passages."""
    purpose = PERSON
    """Of its calls of other models than its own."""

    def __init__(
        self, arm: Arm, model: Model, checks: Sequence[CheckUse], cases: Mapping[int, TrialCase]
    ) -> None:
        self.arm, self.model = arm, model
        self.endpoint = Endpoint.of(model)
        self.wire = model.format
        self.bench = Bench(checks, arm.content.reply)
        self.health = Health()
        self._cases = cases
        self._grounds: dict[int, Ground] = {}

    def ground(self, case_at: int, looked: Sequence[FoundIn] = ()) -> Ground:
        """With what was looked up for one answer, where something was."""
        if looked:
            case = self._cases[case_at].content
            return ground_of(self.arm.content, case, self.arm.aliases, looked)
        found = self._grounds.get(case_at)
        if found is None:
            found = ground_of(self.arm.content, self._cases[case_at].content, self.arm.aliases)
            self._grounds[case_at] = found
        return found

    def case(self, case_at: int) -> Case:
        return self._cases[case_at].content

    def begin(self, case_at: int) -> int:
        """The bytes of the request that a reading begins with. Raises what stands in its way."""
        return 0

    def is_ready(self, case_at: int) -> bool:
        """Whether what all repeats begin with is there."""
        return True

    def look_up(self, case_at: int, find: Callable[[LookUp], Found]) -> None:
        """What all repeats begin with."""

    def program(self, case_at: int, seed: int, people: Mapping[str, JudgeModel]) -> Program[Any]:
        """What answers the case; a model of `people` may play the person."""
        raise NotImplementedError

    def answers_in(self, result: Any) -> list[Answered]:
        """The answers, in turn, that the program came to. Raises EpistemError where it came to none."""
        return result if isinstance(result, list) else [result]

    def is_answering(self, need: AskModel) -> bool:
        """Whether a call is one of the answer, not of the person."""
        return not need.model


class PromptAtWork(ArmAtWork):
    """A prompt on a model."""

    def __init__(
        self, arm: Arm, model: Model, checks: Sequence[CheckUse], cases: Mapping[int, TrialCase]
    ) -> None:
        super().__init__(arm, model, checks, cases)
        self._prompt = prompt_in(arm.content)
        self.tools = self._prompt.tools if "tools" in model.abilities else []
        self.costly = any("{%" in part.text for _, _, part in parts_of(self._prompt))
        self.looks_up = bool(arm.look_ups)
        self._bodies: dict[int, SharedBody | EpistemError] = {}
        self._found: dict[int, tuple[FoundIn, ...]] = {}

    def begin(self, case_at: int) -> int:
        return len(self.first_body(case_at).content)

    def is_ready(self, case_at: int) -> bool:
        return case_at in self._bodies

    def first_body(self, case_at: int) -> SharedBody:
        """The request that a reading begins with, the same for all repeats: rendered and encoded once.
        What can't be rendered is tried once; raises what that raised."""
        found = self._bodies.get(case_at)
        if found is None:
            try:
                case = self._cases[case_at].content
                found = self._body(with_old_names(case.inputs, self.arm.aliases), ())
            except EpistemError as error:
                found = error
            self._bodies[case_at] = found
        if isinstance(found, EpistemError):
            raise found
        return found

    def look_up(self, case_at: int, find: Callable[[LookUp], Found]) -> None:
        """For the request that a reading of the case begins with: the same for all repeats, so done once, however
        many wait for it. What can't be had is told by `first_body`. Raises CallFailed where a model that makes
        vectors could not be asked: that may go well the next time."""
        if case_at in self._bodies:
            return
        inputs = with_old_names(self._cases[case_at].content.inputs, self.arm.aliases)
        try:
            told, found = looked_through(filled(self._prompt, inputs), find)
            self._bodies[case_at] = self._body(told, ())
            self._found[case_at] = found
        except CallFailed:
            raise
        except EpistemError as error:
            self._bodies[case_at] = error

    def program(
        self, case_at: int, seed: int, people: Mapping[str, JudgeModel]
    ) -> Program[Answered] | Program[list[Answered]]:
        """What answers the case: one answer, or a talk until its person has no more to say, whom one of
        these models may play."""
        case = self._cases[case_at].content

        def asking_after(turns: Sequence[Turn]) -> Program[Asking]:
            if not turns:
                return Asking(self.first_body(case_at), self._found.get(case_at, ()))
            told, found = yield from filled(self._prompt, inputs, turns, f"{len(turns) // 2}.look")
            return Asking(self._body(told, turns), found)

        inputs = with_old_names(case.inputs, self.arm.aliases)
        choice = self._prompt.tool_choice or AS_USUAL
        tools = ToolsAtHand(self.tools, case.tool_answers, choice)
        if not is_talk(case):
            first = Asking(self.first_body(case_at), self._found.get(case_at, ()))
            return answer(self.wire, first, seed, tools)
        person = Person(case, opening_of(self._prompt, inputs, case), people)
        return talk(self.wire, asking_after, person.says, seed, tools)

    def _body(self, inputs: Mapping[str, Any], turns: Sequence[Turn]) -> SharedBody:
        request = request_for(
            self._prompt,
            inputs,
            self.model.asked_as,
            settings=self.arm.settings,
            wire=self.wire,
            abilities=self.model.abilities,
            turns=turns,
        )
        return SharedBody(wire.encode(request))


@dataclass
class Health:
    """Of an arm's model, by what came of the calls of one shard. While it is on trial, after a pause,
    one failure is enough."""

    on_trial: bool = False
    in_a_row: dict[str, int] = field(default_factory=lambda: {"soon": 0, "later": 0})
    paused: bool = False
    why: str = ""
    retry_after_s: float = 0.0

    def answered(self) -> None:
        self.on_trial = False
        self.in_a_row = {"soon": 0, "later": 0}

    def failed(self, kind: Kind, why: str, retry_after_s: float | None) -> bool:
        """Whether that was trouble of the model, not of the one request. After enough of it the arm is
        to be paused (`paused`)."""
        if kind not in SOON and kind not in LATER:
            return False
        which, most = ("soon", AFTER_SOON) if kind in SOON else ("later", AFTER_LATER)
        self.in_a_row[which] += 1
        if self.on_trial or self.in_a_row[which] >= most:
            self.paused, self.why = True, why
            self.retry_after_s = max(self.retry_after_s, retry_after_s or 0.0)
        return True
