"""A judge that compares: the answer with the case's right answer, each in both places."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Finding, Ground, Options
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.checks.judge.criteria import Criterion
from epistem.core.checks.judge.rubrics import Judge, JudgeOptions, shown_to
from epistem.core.engine.needs import Program


class PreferOptions(JudgeOptions):
    question: str = Field(
        "Is the answer better than the reference, for the person who asked?",
        max_length=2_000,
        title="Question",
    )
    ties: bool = Field(
        True,
        title="As good will do",
        description="An answer that is as good as the reference passes, too.",
    )


class Preferred(Judge):
    key = "judge.preferred"
    summary = (
        "A model compares the answer with the case's right answer, in both places, so that "
        "the place does not count."
    )
    also_called = ("pairwise", "preference", "better than", "side by side", "win rate")
    aspects = (Aspect("", "preferred"),)
    unit = ""
    Options: ClassVar[type[Options]] = PreferOptions

    @classmethod
    def criterion_of(cls, options: Any) -> Criterion:
        return Criterion(
            "preferred", "Preferred", options.question, None, ("question", "reference")
        )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        better = "at least as good as" if options.ties else "better than"
        return f"{better} the right answer" + (f" ({options.model})" if options.model else "")

    @classmethod
    def asked_for_each(cls, options: Any) -> int:
        return 2 * int(options.times)

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.expect.answer else []

    def program(
        self, answer: Answer, ground: Ground, judge: JudgeModel, at: str
    ) -> Program[list[Finding]]:
        """Asked twice, with the sides swapped: preferred twice wins, once each way is a tie."""
        if not ground.expect.answer:
            return []
        shown = shown_to(self.criterion, answer, ground)
        swapped = shown._replace(answer=shown.reference, reference=shown.answer)
        first = yield from self.ask(shown, judge, f"{at}.a")
        if first.value is None:
            return [Finding("", None, first.reason)]
        second = yield from self.ask(swapped, judge, f"{at}.b")
        if second.value is None:
            return [Finding("", None, second.reason)]
        for_it = first.value > 0.5, second.value < 0.5
        if all(for_it):
            return [Finding("", True, f"Preferred in both places: {first.reason}")]
        if any(for_it):
            passed = self.options.ties
            why = "With the sides swapped the judge changed its mind, so it is a tie."
            return [Finding("", passed, why)]
        return [
            Finding("", False, f"The right answer is preferred in both places: {second.reason}")
        ]
