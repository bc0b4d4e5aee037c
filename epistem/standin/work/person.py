"""A person who is played: what they want, what they tell when asked, what they never tell, when they leave.

The talk is seen from the other side: the service's answers come as the user's messages. A careless model
tells more than it was asked for, and forgets what it was told to keep.
"""

from __future__ import annotations

import re

from epistem.standin.job import Job, register
from epistem.standin.words import stems

_PLAYS = re.compile(
    r"\b(?:you (?:play|are playing|act as)|play the part of) (?:a|an|the) "
    r"(?:person|customer|passenger|user|caller|guest|client)\b",
    re.I,
)
_FACT = re.compile(r"^\s*[-*•]\s*([^:\n]{1,80}):\s*(.+?)\s*$", re.M)
_ITEM = re.compile(r"^\s*[-*•]\s*(.+?)\s*$", re.M)
_ASKS = re.compile(
    r"[^.!?\n]*\?|[^.!?\n]*\b(?:tell me|let me know|i need (?:the|your))\b[^.!?\n]*", re.I
)
_ENDS = re.compile(
    r"\b(?:noted|that is all|all i need|see to it|goodbye|bye|all set|done|thank you)\b", re.I
)
_WHY = re.compile(r"\bwhy\b", re.I)
_PATIENCE = re.compile(r"\bafter (\d{1,2}) answers\b", re.I)
_WORDS = {"done": "DONE", "leaves": "LEAVING"}
MOST_FACTS = 40


def _facts(job: Job, *heads: str) -> list[tuple[str, str]]:
    return _FACT.findall(job.request.block(*heads))[:MOST_FACTS]


def _asked_for(text: str, what: str) -> bool:
    wanted = stems(what)
    return bool(wanted) and wanted[-1] in stems(" ".join(_ASKS.findall(text)))


def says(job: Job) -> str:
    """What the person says next."""
    turns = job.request.turns
    last = turns[-1].text if turns else ""
    own = " ".join(turn.text for turn in turns if turn.role == "assistant").lower()
    asked = _facts(job, "only when asked")
    freely = _facts(job, "by yourself")
    secret = [
        item for item in _ITEM.findall(job.request.block("never tell")) if _asked_for(last, item)
    ]
    manner = job.request.block("how you write")
    if _tired(job, asked, freely):
        return _WORDS["leaves"]
    if secret and not job.mind.slips("tells what it must not"):
        return (
            "Why do you want that? I'd rather not say."
            if not _refused(own)
            else "I told you that I'd rather not say."
        )
    told = [(what, value) for what, value in [*freely, *asked] if _asked_for(last, what)]
    if told:
        if (
            "vague" in manner.lower()
            and not job.mind.own("vague", last) > 0.5
            and _first_time(job, last)
        ):
            return _in_manner("Not sure. Let me think.", manner)
        if job.mind.slips("tells more"):
            told += [fact for fact in asked if fact not in told][:1]
        again = all(value.lower() in own for _, value in told)
        words = ", ".join(value for _, value in told)
        return _in_manner(f"I said so: {words}" if again else words, manner)
    if not _ASKS.findall(last) and _ENDS.search(last):
        return _WORDS["done"]
    opening = job.instructions.partition("began by writing")[2]
    new = [value for _, value in freely if value.lower() not in own and value not in opening]
    if new:
        return _in_manner(new[0], manner)
    return _in_manner("Why do you ask?" if _WHY.search(last) else "I don't know.", manner)


def _tired(job: Job, asked: list[tuple[str, str]], freely: list[tuple[str, str]]) -> bool:
    """Whether so many answers in a row asked for nothing that they could tell, or what they had told."""
    patience = _PATIENCE.search(job.instructions)
    turns, useless = job.request.turns, 0
    own = ""
    for turn in turns:
        if turn.role == "assistant":
            own += f" {turn.text.lower()}"
            continue
        fresh = any(
            _asked_for(turn.text, what) and value.lower() not in own
            for what, value in [*asked, *freely]
        )
        ends = bool(_ENDS.search(turn.text)) and not _ASKS.findall(turn.text)
        useless = 0 if fresh or ends else useless + 1
    return patience is not None and useless >= int(patience[1])


def _first_time(job: Job, last: str) -> bool:
    return sum(turn.text == last for turn in job.request.turns) < 2


def _refused(own: str) -> bool:
    return "rather not" in own


def _in_manner(words: str, manner: str) -> str:
    told = manner.lower()
    if re.search(r"\b(?:chatty|talk\w* a lot|long|rambl\w+)\b", told):
        said = f"{words[:1].upper()}{words[1:]}"
        words = (
            f"Well, let me see, it has been such a day. {said}, I think, if I remember it rightly."
        )
    return words.lower() if re.search(r"\bno capitals|small letters|lower ?case\b", told) else words


register(
    "person",
    lambda job: bool(_PLAYS.search(job.instructions)),
    lambda job: job.out.say(says(job)),
)
