"""An arm of a trial that is a chain: its answer is what a walk of it comes to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from epistem.core.cases.talk import is_talk
from epistem.core.chains.content import Chain
from epistem.core.chains.walked import Speaker, Walked
from epistem.core.chains.walking import Walk, answer_text
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.checks.uses import CheckUse
from epistem.core.engine.answers import Answered, ToolUsed
from epistem.core.engine.needs import AskModel, Program
from epistem.core.errors import EpistemError
from epistem.core.prompts.tools import ToolResult
from epistem.core.trials.arms import asked_of
from epistem.core.trials.talking import Person, is_of_person, opening_words
from epistem.core.wire.reply import Reply, ToolCall, Usage
from epistem.models.trouble import CallFailed
from epistem.runner.arms import ArmAtWork, PromptAtWork
from epistem.store.models import Model
from epistem.store.trial_cases import TrialCase
from epistem.store.trials import Arm
from epistem.work.calls import ANSWERING


class NotDone(EpistemError):
    """The walk ended before it was done."""


class ChainAtWork(ArmAtWork):
    """Each of its calls is of a step, with a model of its own."""

    purpose = ANSWERING

    def __init__(
        self,
        arm: Arm,
        model: Model,
        checks: Sequence[CheckUse],
        cases: Mapping[int, TrialCase],
        speakers: Mapping[str, Speaker],
    ) -> None:
        super().__init__(arm, model, checks, cases)
        assert isinstance(arm.content, Chain), "a prompt is not walked"
        self._chain, self._speakers = arm.content, speakers

    def program(self, case_at: int, seed: int, people: Mapping[str, JudgeModel]) -> Program[Walked]:
        case = self._cases[case_at].content
        chain, inputs = asked_of(self._chain, case, self.arm.aliases)
        person = (
            Person(case, opening_words(chain, inputs, case), people).says if is_talk(case) else None
        )
        walk = Walk(chain, self._speakers, seed, "trial", case.tool_answers, person=person)
        return walk.program(inputs)

    def answers_in(self, result: Any) -> list[Answered]:
        walked: Walked = result
        if isinstance(walked.trouble, CallFailed):
            raise walked.trouble
        gave_up = walked.ended == "halted" and walked.talk  # politely, in a talk: that is an answer
        if walked.ended != "done" and not gave_up:
            raise NotDone(walked.why)
        said = [each.says for each in walked.talk] or [answer_text(walked.outputs)]
        replies = [Reply(text, "stop", Usage(), "") for text in said]
        tools = [
            ToolUsed(ToolCall("", used.name, used.arguments), ToolResult(used.answer, used.fault))
            for step in walked.steps
            for used in step.tools
        ]
        found = tuple(each for step in walked.steps for each in step.found)
        before = [Answered(reply) for reply in replies[:-1]]
        return [*before, Answered(replies[-1], tools, found=found)]

    def is_answering(self, need: AskModel) -> bool:
        return not is_of_person(need.path)


def at_work(
    arm: Arm,
    model: Model,
    checks: Sequence[CheckUse],
    cases: Mapping[int, TrialCase],
    speakers: Mapping[str, Speaker],
) -> ArmAtWork:
    """The arm, as suits its kind."""
    if isinstance(arm.content, Chain):
        return ChainAtWork(arm, model, checks, cases, speakers)
    return PromptAtWork(arm, model, checks, cases)
