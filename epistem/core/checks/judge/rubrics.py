"""Judges: a model scores each answer by a criterion that comes with Epistem, or by one's own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.judge.asking import JudgeModel, Score, Shown, ask_for_score
from epistem.core.checks.judge.criteria import SHIPPED, Criterion, Known
from epistem.core.checks.sources import in_words, pictures_of, sources_of
from epistem.core.engine.needs import Program
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import Document

UNIT = "point"
NO_JUDGE = "Choose the model that judges."


class JudgeOptions(Options):
    """What all judges have in common."""

    model: str = Field(
        "",
        max_length=80,
        title="Judged by",
        description="A model of the list.",
        json_schema_extra={"format": "model"},
    )
    times: int = Field(
        1,
        ge=1,
        le=9,
        title="Times",
        description="Asked so often for each answer; the median counts.",
    )
    temperature: float = Field(0, ge=0, le=2, title="Temperature")


class Judge(Check):
    """A check that asks a model. Its question is put by a program, which a driver carries out."""

    kind = "judge"
    version = 1
    aspects: ClassVar[tuple[Aspect, ...]] = (Aspect("", "score"),)
    unit = UNIT
    aim = "more"
    score_margin = 0.2
    asks = True
    reads = frozenset({"turns", "request"})

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        if not options.model:
            raise InvalidInput(NO_JUDGE, field="options.model")
        self.criterion = self.criterion_of(options)

    @classmethod
    def criterion_of(cls, options: Any) -> Criterion:
        """Raises InvalidInput, naming the option, for a criterion that can't be judged by."""
        raise NotImplementedError

    @classmethod
    def judge_of(cls, options: Any) -> str:
        return str(options.model)

    @classmethod
    def resolved(cls, options: Any, reply: ReplyShape) -> dict[str, Any]:
        told: dict[str, Any] = options.model_dump(mode="json")
        try:
            return told | {"criterion": cls.criterion_of(options).digest}
        except InvalidInput:
            return told

    @classmethod
    def asked_for_each(cls, options: Any) -> int:
        """How many calls an answer takes."""
        return int(options.times)

    def asked(self, ground: Ground) -> list[str]:
        return [""]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        """Nothing without asking."""
        return []

    def program(
        self, answer: Answer, ground: Ground, judge: JudgeModel, at: str
    ) -> Program[list[Finding]]:
        shown = shown_to(self.criterion, answer, ground)
        told = yield from self.ask(shown, judge, at)
        if told.value is None:
            return [Finding("", None, told.reason)]
        passed = told.value >= self.options.least
        said = f"{told.value:g} of {self.criterion.top}"
        message = f"{said}: {told.reason}" if told.reason else f"{said}."
        return [Finding("", passed, message, (), told.value, UNIT)]

    def ask(self, shown: Shown, judge: JudgeModel, at: str) -> Program[Score]:
        """The score of what is shown, asked for as its options say."""
        times, temperature = self.options.times, self.options.temperature
        return ask_for_score(self.criterion, shown, judge, at, times=times, temperature=temperature)


class RubricOptions(JudgeOptions):
    criterion: Literal[
        "relevance",
        "coherence",
        "fluency",
        "groundedness",
        "completeness",
        "instructions",
        "use_of_source",
        "tone",
    ] = Field("relevance", title="Criterion")
    least: float = Field(4, ge=1, le=5, title="At least", description="A score that passes, of 5.")


class Rubric(Judge):
    key = "judge.rubric"
    summary = (
        "A model scores the answer from 1 to 5 by a criterion that comes with Epistem; "
        "each score is described."
    )
    also_called = (
        "llm judge",
        "grader",
        "score",
        "relevant",
        "coherent",
        "fluent",
        "grounded",
        "complete",
        "follows instructions",
    )
    Options: ClassVar[type[Options]] = RubricOptions

    @classmethod
    def criterion_of(cls, options: Any) -> Criterion:
        return SHIPPED[options.criterion]

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"{SHIPPED[options.criterion].name}, {options.least:g} of 5 at least{_by(options)}"


class KnownAnswer(Document):
    """An answer whose score you know."""

    answer: str = Field("", max_length=20_000, title="Answer")
    score: int = Field(5, ge=0, le=5, title="Score", description="1 to 5; for yes or no, 1 or 0.")
    question: str = Field("", max_length=20_000, title="What was asked")
    source: str = Field("", max_length=20_000, title="Source")


Showable = Literal["question", "task", "talk", "source", "reference"]


def _the_question() -> list[Showable]:
    return ["question"]


class OwnOptions(JudgeOptions):
    name: str = Field("My criterion", max_length=60, title="Name")
    question: str = Field(
        "", max_length=2_000, title="Question", description="What is asked of the answer."
    )
    means_1: str = Field("", max_length=400, title="1 means")
    means_2: str = Field("", max_length=400, title="2 means")
    means_3: str = Field("", max_length=400, title="3 means")
    means_4: str = Field("", max_length=400, title="4 means")
    means_5: str = Field("", max_length=400, title="5 means")
    least: float = Field(4, ge=1, le=5, title="At least", description="A score that passes, of 5.")
    shown: list[Showable] = Field(
        default_factory=_the_question,
        max_length=5,
        title="The judge is shown",
        description=(
            "Besides the answer: question, task (the system text), talk, source (the inputs), "
            "reference."
        ),
    )
    known: list[KnownAnswer] = Field(
        default_factory=list,
        max_length=30,
        title="Answers with known scores",
        description="The judge is put to the test with them.",
    )


class OwnRubric(Judge):
    key = "judge.own"
    summary = (
        "A model scores the answer from 1 to 5 by a criterion of your own, with a "
        "description of the scores."
    )
    also_called = ("custom rubric", "my criterion", "llm judge", "grader")
    Options: ClassVar[type[Options]] = OwnOptions
    shown_with: ClassVar = {
        "name": "Plain words",
        "question": "Would a child of ten understand every word?",
        "means_1": "Hardly a word.",
        "means_5": "Every word.",
    }

    @classmethod
    def criterion_of(cls, options: Any) -> Criterion:
        if not options.question.strip():
            raise InvalidInput("Say what is asked of the answer.", field="options.question")
        for score in (1, 5):
            if not getattr(options, f"means_{score}").strip():
                raise InvalidInput(
                    f"Say what a {score} means: without that, each judge has a scale of its own.",
                    field=f"options.means_{score}",
                )
        low, high = options.means_1, options.means_5
        between = (
            options.means_2 or "between 1 and 3",
            options.means_3 or "half way",
            options.means_4 or "between 3 and 5",
        )
        known = tuple(Known(k.score, k.answer, k.question, k.source) for k in options.known)
        return Criterion(
            "own",
            options.name,
            options.question,
            (low, *between, high),
            tuple(options.shown),
            known,
        )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"{options.name}, {options.least:g} of 5 at least{_by(options)}"


class YesNoOptions(JudgeOptions):
    question: str = Field(
        "Does the answer say what the person should do next?", max_length=2_000, title="Question"
    )
    wanted: Literal["yes", "no"] = Field("yes", title="Wanted")
    shown: list[Showable] = Field(
        default_factory=_the_question, max_length=5, title="The judge is shown"
    )
    known: list[KnownAnswer] = Field(
        default_factory=list, max_length=30, title="Answers with known scores"
    )


class YesNo(Judge):
    key = "judge.yes_no"
    summary = "A model answers a yes or no question about the answer."
    also_called = ("llm judge", "boolean", "question about the answer")
    aspects = (Aspect("", "yes or no"),)
    unit = ""
    Options: ClassVar[type[Options]] = YesNoOptions

    @classmethod
    def criterion_of(cls, options: Any) -> Criterion:
        if not options.question.strip():
            raise InvalidInput("Say what is asked of the answer.", field="options.question")
        known = tuple(Known(min(k.score, 1), k.answer, k.question, k.source) for k in options.known)
        return Criterion("yes_no", "Yes or no", options.question, None, tuple(options.shown), known)

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"{options.wanted} to “{_cut(options.question)}”{_by(options)}"

    def program(
        self, answer: Answer, ground: Ground, judge: JudgeModel, at: str
    ) -> Program[list[Finding]]:
        shown = shown_to(self.criterion, answer, ground)
        told = yield from self.ask(shown, judge, at)
        if told.value is None or told.value == 0.5:
            return [Finding("", None, told.reason if told.value is None else "As often yes as no.")]
        said = "yes" if told.value > 0.5 else "no"
        message = f"{said.capitalize()}: {told.reason}" if told.reason else f"{said.capitalize()}."
        return [Finding("", said == self.options.wanted, message)]


def shown_to(criterion: Criterion, answer: Answer, ground: Ground) -> Shown:
    """What the judge of this criterion is shown of an answer and its case."""
    wants = criterion.shown
    try:
        asked = ground.asked()
    except EpistemError:
        asked = ()
    said = [each.text for each in asked if each.role == "user"]
    later = [turn.text for turn in answer.before if turn.role == "user"]
    question = (later or said or [in_words(dict(ground.inputs))])[-1]
    talk = "\n".join(f"{turn.role}: {turn.text}" for turn in answer.before)
    if talk and said:
        talk = f"user: {said[-1]}\n{talk}" if not later or said[-1] != later[-1] else talk
    return Shown(
        answer=answer.text,
        question=question if "question" in wants else "",
        task="\n\n".join(s.text for s in asked if s.role == "system") if "task" in wants else "",
        talk=talk if "talk" in wants or ("question" in wants and len(later) > 0) else "",
        source="\n\n".join(_named(ground)) if "source" in wants else "",
        reference=(ground.expect.answer or "") if "reference" in wants else "",
        pictures=tuple(pictures_of(ground.inputs)),
    )


def shown_of(known: Known) -> Shown:
    return Shown(known.answer, known.question, known.system, "", known.source, known.reference)


def _named(ground: Ground) -> Iterator[str]:
    for source in sources_of(ground.inputs):
        yield f"[{source.ref}] {source.text}"


def _by(options: JudgeOptions) -> str:
    return f" ({options.model})" if options.model else ""


def _cut(text: str) -> str:
    return text if len(text) <= 50 else f"{text[:49]}…"


def _examples(passing: bool) -> tuple[Example, ...]:
    """Of the criteria that come with it: the answers whose scores are known are what shows them."""
    return tuple(
        Example(
            known.answer,
            {"criterion": each.key},
            {"question": known.question, "source": known.source},
        )
        for each in SHIPPED.values()
        for known in each.known
        if (known.score >= 4) == passing
    )


Rubric.good, Rubric.bad = _examples(True), _examples(False)
