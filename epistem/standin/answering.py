"""From a checked request to an answer: what is thought, said and called, token by token."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from epistem.core.wire import tokens
from epistem.standin.checking import RANGES
from epistem.standin.directives import plan_for, rules_of
from epistem.standin.job import Job, kind_of
from epistem.standin.mind import Mind, rng_of
from epistem.standin.profiles import Profile
from epistem.standin.request import quoted, read_request, text_of
from epistem.standin.sampler import LimitReached, Sampler, Settings, Token
from epistem.standin.shape import schema_of, write_json
from epistem.standin.thinking import thoughts
from epistem.standin.tools import Call, calls_for
from epistem.standin.words import lexicon

_IGNORE = re.compile(
    r"\b(?:ignore|disregard|forget|skip|override)\b[^.\n]{0,30}\b(?:rules?|instructions?|prompt|above|previous|everything|guidelines)\b[.,;:!]*\s*(.*)",
    re.I | re.S,
)
_INSTEAD = re.compile(
    r"\b(?:say|write|answer|reply|respond|print|output)\b"
    r"(?: (?:only|just|with|instead|the words?))*:?\s+([^.\n]{1,80})",
    re.I,
)


@dataclass(frozen=True)
class Answer:
    """`finish` is stop, length, tool_calls or content_filter; `stopped_at` the stop text that ended it."""

    tokens: tuple[Token, ...]
    finish: str
    stopped_at: str | None = None
    reasoning: tuple[Token, ...] = ()
    calls: tuple[Call, ...] = ()
    where: str = "field"

    @property
    def content(self) -> tuple[Token, ...]:
        """What is sent as the answer's text: with its thoughts in front, in tags, where set so."""
        if self.where != "tags" or not self.reasoning:
            return self.tokens
        return (
            Token("<think>\n", 0.0),
            *self.reasoning,
            Token("\n</think>\n\n", 0.0),
            *self.tokens,
        )

    @property
    def count(self) -> int:
        """Tokens of all that it wrote, its thoughts and calls among it."""
        calls = sum(tokens.count(c.name) + tokens.count(c.arguments) + 4 for c in self.calls)
        return len(self.content) + calls + (len(self.reasoning) if self.where != "tags" else 0)

    @property
    def text(self) -> str:
        return "".join(token.text for token in self.content)

    @property
    def thought(self) -> str:
        return "".join(token.text for token in self.reasoning)


def answer(body: dict[str, Any], model: Profile, key: str) -> Answer:
    """`body` in the chat-completions shape, checked. The same key gives the same answer."""
    made = _made(body, model, key)
    if any(
        phrase in text
        for text in (made.text.lower(), _newest(body))
        for phrase in lexicon()["filter"]["phrases"]
    ):
        return Answer((), "content_filter")
    return replace(made, where=str(body.get("reasoning_format") or model.reasoning))


def _newest(body: dict[str, Any]) -> str:
    return text_of(body["messages"][-1].get("content")).lower()


def _made(body: dict[str, Any], model: Profile, key: str) -> Answer:
    request = read_request(body)
    given = {name: body[name] for name in RANGES if body.get(name) is not None}
    settings = Settings(**given)
    if settings.temperature <= 0:
        key = "greedy"
    mind = Mind(model, request, settings, key)
    rules = rules_of(request)
    limit = body.get("max_completion_tokens") or body.get("max_tokens")
    top = (body.get("top_logprobs") or 0) + 1 if body.get("logprobs") else None
    bound = request.reply_kind != "text"
    out = Sampler(settings, rng_of(key), limit=limit, top=top, bound=bound)
    job = Job(request, rules, plan_for(rules, mind), mind, out)
    reasoning: tuple[Token, ...] = ()
    if model.reasoning != "none" and body.get("reasoning_effort") != "none":
        reasoning, job = _reasoned(job, limit, body.get("reasoning_effort") or "medium")
        if limit is not None and len(reasoning) >= limit:
            return Answer((), "length", None, reasoning)
    if calls := calls_for(job):
        return Answer((), "tool_calls", None, reasoning, calls)
    try:
        _write(job)
    except LimitReached:
        return _stopped(job.out, body, "length", reasoning)
    return _stopped(job.out, body, "stop", reasoning)


def _reasoned(job: Job, limit: int | None, effort: str) -> tuple[tuple[Token, ...], Job]:
    """What it thinks first, and the job with a clearer head: fewer misreadings, more rules heard."""
    draft = Sampler(job.out.settings, rng_of(f"{job.model.name} thinks"), limit=limit)
    if job.out.settings.temperature > 0:
        draft.rng = job.out.rng
    with suppress(LimitReached):
        draft.say(thoughts(job, effort))
    depth = {"minimal": 0.15, "low": 0.4, "medium": 0.7, "high": 1.0}.get(effort, 0.7)
    model = replace(
        job.model,
        misreading=job.model.misreading * (1 - 0.5 * depth),
        obedience=job.model.obedience + (0.985 - job.model.obedience) * max(0.0, depth),
    )
    mind = Mind(model, job.request, job.out.settings, job.mind.key)
    left = None if limit is None else limit - len(draft.written)
    job.out.limit_to(left)
    return tuple(draft.written), replace(job, mind=mind, plan=plan_for(job.rules, mind))


def _write(job: Job) -> None:
    if fallen := _injected(job):
        job.out.say(fallen)
        return
    kind = kind_of(job)
    schema = schema_of(job)
    if job.plan.think and schema is None and not job.plan.alone and job.model.reasoning == "none":
        job.out.say(f"{thoughts(job, 'low')}\n\n")
    if schema is not None:
        write_json(job, kind, schema)
    else:
        kind.write(job)


def _injected(job: Job) -> str:
    """What a message that says to ignore the rules gets out of a model that falls for it.

    A shape that binds the model is kept, and a rule to keep the instructions secret helps.
    """
    if job.out.bound or not (found := _IGNORE.search(job.text)):
        return ""
    chance = job.model.gullible * (0.2 if job.plan.secret else 1.0)
    if not job.mind.happens(chance * (0.8 + 0.3 * job.out.settings.temperature), "injection"):
        return ""
    if re.search(
        r"\b(?:reveal|show|print|repeat|tell)\b[^.\n]*\b(?:prompt|instructions|rules)\b",
        found[1],
        re.I,
    ):
        return f"My instructions are: {job.instructions[:200]}"
    wanted = _INSTEAD.search(found[1])
    if wanted is None:
        return "Of course. I will ignore my earlier instructions."
    return (quoted(wanted[1]) or [wanted[1].strip()])[0]


def _stopped(
    out: Sampler, body: dict[str, Any], finish: str, reasoning: tuple[Token, ...]
) -> Answer:
    """Cut before the first stop text."""
    stops = body.get("stop") or []
    found = [
        (out.text.index(s), s)
        for s in ([stops] if isinstance(stops, str) else stops)
        if s in out.text
    ]
    if not found:
        return Answer(tuple(out.written), finish, None, reasoning)
    at, stop = min(found)
    kept: list[Token] = []
    for token in out.written:
        if at <= 0:
            break
        kept.append(token._replace(text=token.text[:at]))
        at -= len(token.text)
    return Answer(tuple(kept), "stop", stop, reasoning)
