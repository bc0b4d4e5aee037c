"""Which models a step asks, and what for: its own prompt, or one of ours that the step is made into."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from epistem.core.chains.content import CallStep, Chain, Route, Summary, placed
from epistem.core.chains.kinds import Ask, Collect, Merge, Step, Vote
from epistem.core.prompts.content import Input, Message, Part, Prompt, ReplyShape
from epistem.core.prompts.settings import Settings

EXACT = Settings(temperature=0.0, max_tokens=1_000)


class Asking(NamedTuple):
    """`field` is where its model stands in the step; `times` it is asked at least, likely and at most."""

    field: str
    model: str
    prompt: Prompt
    settings: Settings
    times: tuple[float, float, float] = (1, 1, 1)


def askings_of(step: Step) -> list[Asking]:
    """Each that the step itself makes; not those of steps that it holds or chains that it calls."""
    if isinstance(step, Ask):
        rounds = 1 + (step.prompt.tool_choice.rounds if step.prompt.tool_choice else 8)
        most = max(rounds if step.prompt.tools else 1, 1 + step.retries)
        return [Asking("model", step.model, step.prompt, step.settings, (1, 1, most))]
    if isinstance(step, Vote):
        k = step.times
        asked = [Asking("model", step.model, step.prompt, step.settings, (k, k, k))]
        if step.merge:
            merge = step.merge
            asked.append(Asking("merge.model", merge.model, merge.prompt, merge.settings))
        return asked
    if isinstance(step, Route) and step.chooser:
        chooser = step.chooser
        return [Asking("chooser.model", chooser.model, choosing(step), chooser.settings)]
    if isinstance(step, Collect):
        number = len(step.fields)
        at_most = (2.0 + number * step.asks) * (1 + step.retries)
        times = (float(bool(step.begins)), 1 + number / 2, at_most)
        return [Asking("model", step.model, noting(step), step.settings, times)]
    return []


def askings_in(chain: Chain) -> Iterator[tuple[str, Asking]]:
    """Those of all steps, with their places; those of chains that are called too."""
    for each in placed(chain.steps):
        for asking in askings_of(each.step):
            yield each.at, asking
        if isinstance(each.step, CallStep):
            for at, asking in askings_in(each.step.chain):
                yield f"{each.at}.in.{at}", asking
    if chain.talk and chain.talk.summary:
        summary = chain.talk.summary
        yield "", Asking("talk.summary.model", summary.model, summing_up(summary), summary.settings)


def keepers_of(step: Step) -> list[Ask | Vote | Merge]:
    """What of a step has a prompt of its own, that may be a version kept elsewhere."""
    if isinstance(step, Vote) and step.merge:
        return [step, step.merge]
    return [step] if isinstance(step, Ask | Vote) else []


def models_of(chain: Chain) -> list[str]:
    """The models that are asked, each once; the one that has the last word is the last."""
    named = [asking.model for _, asking in askings_in(chain)]
    return list(reversed(dict.fromkeys(reversed(named))))


def choosing(step: Route) -> Prompt:
    """Of the model that chooses a way; its inputs are `ways`, `says` and `message`."""
    names = [*(way.name for way in step.ways), "otherwise"]
    schema = _record({"way": {"type": "string", "enum": names}}, ["way"])
    told = (
        "Choose the one way that fits best what you are given.\n"
        "{% if says %}{{ says }}\n{% endif %}\n"
        "The ways:\n{% for each in ways %}- {{ each.name }}: {{ each.about }}\n{% endfor %}"
        "- otherwise: none of the others fits.\n\n"
        "Answer as JSON with the key way, the name of one way as it stands above."
    )
    return _prompt(told, "{{ message }}", schema, [Input(name="ways", kind="list")])


def noting(step: Collect) -> Prompt:
    """Of the model that takes down facts; its inputs are `fields`, `asked` and `message`."""
    values = {field.name: {"type": ["string", "null"]} for field in step.fields}
    names = [field.name for field in step.fields]
    more = {
        "refused": {"type": "array", "items": {"type": "string", "enum": names}},
        "asks_why": {"type": "boolean"},
        "right": {"type": ["boolean", "null"]},
    }
    told = (
        "Take down facts from what a person says in a talk. Note only what they say; never guess.\n\n"
        "The facts:\n{% for each in fields %}- {{ each.name }}: {{ each.about }}\n{% endfor %}\n"
        "Answer as JSON with one key for each fact: its value in the person's words, a date as YYYY-MM-DD and a time "
        "as HH:MM where they can be told, or null where the person does not say it. The key refused lists the facts "
        "that they will not tell; asks_why is true where they ask why it is wanted; right is true where they say that "
        "what was noted is right, false where they say that it is not, and else null.\n"
        "{% if asked %}\nThey were asked: {{ asked }}\n{% endif %}"
    )
    schema = _record({**values, **more}, [*names, *more])
    return _prompt(told, "{{ message }}", schema, [Input(name="fields", kind="list")])


def summing_up(summary: Summary) -> Prompt:
    """Of the model that keeps the talk in short; its inputs are `so_far` and `said`."""
    told = (
        f"Keep a talk in short: bring the summary up to date with what was said since, in {summary.words} words at "
        "most. Keep every name, number, date and wish that later answers may need.\n\n"
        "The summary so far: {{ so_far or 'nothing yet.' }}"
    )
    return _prompt(told, "{{ said }}", None, [])


def _record(properties: dict[str, object], required: list[str]) -> dict[str, object]:
    return {
        "type": "object",
        "properties": properties,
        "required": required,
        "additionalProperties": False,
    }


def _prompt(
    system: str, user: str, schema: dict[str, object] | None, inputs: list[Input]
) -> Prompt:
    reply = ReplyShape()
    if schema is not None:
        reply = ReplyShape(kind="json", json_schema=schema, send_schema=True)
    return Prompt(
        messages=[
            Message(role="system", parts=[Part(name="Task", text=system)]),
            Message(role="user", parts=[Part(name="Said", text=user)]),
        ],
        inputs=inputs,
        reply=reply,
        settings=EXACT,
    )
