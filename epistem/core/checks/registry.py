"""The checks there are, by key, loaded on first use."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from importlib.metadata import entry_points

from epistem.core.checks.base import Aspect, Check
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import listed

CHECKS = {
    "structure.reply_schema": "epistem.core.checks.structure.reply_schema:ReplySchema",
    "structure.json_value": "epistem.core.checks.structure.values:JsonValue",
    "structure.length": "epistem.core.checks.structure.length:Length",
    "structure.matches": "epistem.core.checks.structure.pattern:Matches",
    "structure.avoids": "epistem.core.checks.structure.pattern:Avoids",
    "structure.formats": "epistem.core.checks.structure.formats:Formats",
    "structure.headings": "epistem.core.checks.structure.headings:Headings",
    "structure.plain_text": "epistem.core.checks.structure.markup:PlainText",
    "structure.markdown": "epistem.core.checks.structure.formed:MarkdownFormed",
    "structure.markup": "epistem.core.checks.structure.formed:MarkupFormed",
    "structure.finished": "epistem.core.checks.structure.finished:Finished",
    "structure.no_placeholders": "epistem.core.checks.structure.finished:NoPlaceholders",
    "structure.no_reasoning": "epistem.core.checks.structure.finished:NoReasoning",
    "structure.language": "epistem.core.checks.structure.language:LanguageIs",
    "structure.sql": "epistem.core.checks.structure.code:SqlReads",
    "structure.python": "epistem.core.checks.structure.code:PythonParses",
    "outcome.label": "epistem.core.checks.outcome.label:LabelIsRight",
    "outcome.fields": "epistem.core.checks.outcome.fields:FieldsRight",
    "outcome.tools": "epistem.core.checks.outcome.using:ToolsUsed",
    "outcome.query_runs": "epistem.core.checks.outcome.queries:QueryRuns",
    "outcome.query_rows": "epistem.core.checks.outcome.queries:SameRows",
    "outcome.limits": "epistem.core.checks.outcome.using:WithinLimits",
    "outcome.expression": "epistem.core.checks.outcome.expression:Expression",
    "outcome.must_say": "epistem.core.checks.outcome.must_say:MustSay",
    "outcome.must_not_say": "epistem.core.checks.outcome.must_not_say:MustNotSay",
    "outcome.one_thing": "epistem.core.checks.outcome.talks.checks:OneThing",
    "outcome.asked_twice": "epistem.core.checks.outcome.talks.checks:NotAskedTwice",
    "outcome.not_pressed": "epistem.core.checks.outcome.talks.checks:NotPressed",
    "outcome.ends": "epistem.core.checks.outcome.talks.checks:EndsRight",
    "outcome.collected": "epistem.core.checks.outcome.talks.facts:Collected",
    "outcome.told_before": "epistem.core.checks.outcome.talks.facts:NotToldBefore",
    "outcome.result_after": "epistem.core.checks.outcome.talks.facts:ResultAfter",
    "outcome.never_asks": "epistem.core.checks.outcome.talks.facts:NeverAsks",
    "outcome.goodbye": "epistem.core.checks.outcome.talks.parting:GoodbyeOnce",
    "outcome.follows_up": "epistem.core.checks.outcome.talks.parting:FollowsUp",
    "outcome.moves": "epistem.core.checks.outcome.pairs.checks:MovesAsItMust",
    "outcome.steady": "epistem.core.checks.outcome.pairs.checks:Steady",
    "safety.personal_data": "epistem.core.checks.safety.personal_data:NoPersonalData",
    "safety.given": "epistem.core.checks.safety.given:NotGivenAway",
    "safety.secrets": "epistem.core.checks.safety.secrets:NoSecrets",
    "safety.profanity": "epistem.core.checks.safety.words:NoProfanity",
    "safety.forbidden": "epistem.core.checks.safety.words:NoneOfThese",
    "safety.promises": "epistem.core.checks.safety.promises:NoPromises",
    "safety.advice": "epistem.core.checks.safety.advice:NoAdvice",
    "safety.links": "epistem.core.checks.safety.links:AllowedLinks",
    "safety.prompt_leak": "epistem.core.checks.safety.leaking:NoPromptLeak",
    "safety.injection": "epistem.core.checks.safety.leaking:NotObeyed",
    "safety.refuses": "epistem.core.checks.grounding.unknown:Refuses",
    "safety.invisible": "epistem.core.checks.safety.invisible:NothingInvisible",
    "tone.stock_phrases": "epistem.core.checks.tone.stock_phrases:NoStockPhrases",
    "tone.emoji": "epistem.core.checks.tone.emoji:Emoji",
    "tone.exclamation": "epistem.core.checks.tone.marks:Exclamations",
    "tone.capitals": "epistem.core.checks.tone.marks:Shouting",
    "tone.questions": "epistem.core.checks.tone.marks:Questions",
    "tone.reading_grade": "epistem.core.checks.tone.readable:ReadingGrade",
    "tone.sentence_length": "epistem.core.checks.tone.readable:SentenceLength",
    "tone.greeting": "epistem.core.checks.tone.voice:Greeting",
    "tone.contractions": "epistem.core.checks.tone.voice:Contractions",
    "tone.person": "epistem.core.checks.tone.voice:Person",
    "tone.again": "epistem.core.checks.tone.again:NotAgain",
    "tone.hedging": "epistem.core.checks.tone.voice:Hedging",
    "tone.formality": "epistem.core.checks.tone.manner:Formality",
    "tone.passive": "epistem.core.checks.tone.manner:Passive",
    "tone.concrete": "epistem.core.checks.tone.manner:Concrete",
    "tone.polite": "epistem.core.checks.tone.courtesy:Polite",
    "tone.cold": "epistem.core.checks.tone.courtesy:NotCold",
    "tone.sentiment": "epistem.core.checks.tone.sentiment:Sentiment",
    "tone.mirrors": "epistem.core.checks.tone.mirror:Mirrors",
    "grounding.numbers": "epistem.core.checks.grounding.numbers:NumbersKnown",
    "grounding.supported": "epistem.core.checks.grounding.support:Supported",
    "grounding.citations": "epistem.core.checks.grounding.citing:Cites",
    "grounding.copied": "epistem.core.checks.grounding.copying:NotCopied",
    "grounding.copied_share": "epistem.core.checks.grounding.share:CopiedShare",
    "grounding.not_known": "epistem.core.checks.grounding.unknown:NotKnown",
    "grounding.reference": "epistem.core.checks.grounding.reference:LikeReference",
    "judge.rubric": "epistem.core.checks.judge.rubrics:Rubric",
    "judge.own": "epistem.core.checks.judge.rubrics:OwnRubric",
    "judge.yes_no": "epistem.core.checks.judge.rubrics:YesNo",
    "judge.preferred": "epistem.core.checks.judge.preferring:Preferred",
}


PLUG_INS = "epistem.checks"
"""The group of entry points by which an installed package adds checks of its own."""


@cache
def check_keys() -> list[str]:
    """Of all checks, those of installed packages last; one that can't be loaded is left out."""
    return [*CHECKS, *(key for key in sorted(_plugged_in()) if _loads(key))]


@cache
def check_class(key: str) -> type[Check]:
    """Raises InvalidInput for a key that there is not, and for a check that can't be loaded, with the reason."""
    place = CHECKS.get(key) or _plugged_in().get(key)
    if place is None:
        raise InvalidInput(
            f"There is no check “{key[:80]}”. There are {listed(sorted(check_keys()), 'and')}."
        )
    module, name = place.split(":")
    try:
        found = getattr(import_module(module), name)
    except Exception as error:  # whatever a package of somebody else's does while it is imported
        raise InvalidInput(f"The check “{key}” can't be loaded: {error}.") from error
    if not (isinstance(found, type) and issubclass(found, Check)) or found.key != key:
        raise InvalidInput(f"The check “{key}” can't be loaded: {place} is no check of that key.")
    return found


def aspects_of(use: CheckUse) -> tuple[Aspect, ...]:
    """What the use tells apart: a row of evidence each. One for a check that can't be loaded."""
    try:
        return check_class(use.check).aspects
    except InvalidInput:
        return (Aspect("", use.check),)


@cache
def _plugged_in() -> dict[str, str]:
    """Of installed packages; what comes with Epistem can't be put in the place of."""
    found = {each.name: each.value for each in entry_points(group=PLUG_INS)}
    return {key: place for key, place in found.items() if key not in CHECKS and ":" in place}


def _loads(key: str) -> bool:
    try:
        check_class(key)
    except InvalidInput:
        return False
    return True


def build(use: CheckUse, reply: ReplyShape, *, at: str = "checks") -> Check:
    """The check, ready to judge answers of this reply shape. Raises InvalidInput naming the option."""
    cls = check_class(use.check)
    return cls(cls.Options.from_json(use.options, at=f"{at}.options"), reply)


def usual_checks(reply: ReplyShape) -> list[CheckUse]:
    """The checks that a subject with this reply shape starts with."""
    keys = ["tone.stock_phrases"]
    if reply.kind != "text":
        keys.insert(0, "outcome.label")
    if reply.kind == "json" and reply.json_schema is not None:
        keys.insert(1, "structure.reply_schema")
    return [CheckUse(check=key, options={}, margin=2.0) for key in keys]
