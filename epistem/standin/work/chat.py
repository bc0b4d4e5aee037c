"""Talk: what the instructions, records, results of tools and pictures say to the user's words."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from epistem.standin.extract import until_small
from epistem.standin.images import Picture
from epistem.standin.job import Job, register
from epistem.standin.request import sentences
from epistem.standin.tools import missing_argument
from epistem.standin.words import kinship, lexicon, likeness, shared_groups, stems
from epistem.standin.work.nearness import invented, near
from epistem.standin.writing import Sentence

JOB_NEAR = 0.06
_ORDER = re.compile(
    r"(?:you are|never|do not|don't|always|answer|use|keep|write|if|ask|be|only|say|refuse|reply)\b",
    re.I,
)
_WHO = re.compile(
    r"\bwho are you\b|\bwhat are you\b|\bare you (?:a )?(?:real|human|person|robot|bot|machine)\b",
    re.I,
)
_ADVICE = re.compile(
    r"\bhelp me\b|\bplan\b|\badvice\b|\bideas?\b|\bsuggest|\bhow (?:do|can|should)\b", re.I
)
_ONE_WORD = re.compile(
    r"\b(?:answer|reply|respond|say)\b(?: (?:only|just|with|exactly|the|one|single|word))*:? "
    r"[\"“']?(\w+)[\"”']?[.!]?\s*$",
    re.I,
)
_WISH = re.compile(
    r"\b(?:can|could|may|will|would) (?:i|we|you)\b|\b(?:want|need|demand|expect|like)\b|\bplease\b",
    re.I,
)


def guarded(job: Job, content: Iterable[Sentence]) -> Iterator[Sentence]:
    """Content, unless the question is off the job; with promises, claims and moods let in or kept out."""
    if words := _words_for(job):
        job.plan.alone = True
        yield {words: 0.0}
        return
    if job.plan.on_job and _off_job(job):
        refusals = lexicon()["voice"]["refusals"]
        yield dict.fromkeys(refusals, 0.0)
        return
    if _WHO.search(job.text) and job.plan.persona:
        yield f"I am the {re.sub(r'^(?:a|an|the) ', '', job.plan.persona)}."
    if promise := _promise(job) if not job.plan.collect else "":
        yield promise
    yield from content


_PEOPLE = re.compile(
    r"\b(?:some(?:one|body)|they|people|person|user|customer|client|guest|reader|caller|message|text|it|"
    r"ask(?:s|ed)?|wants?|mentions?|says?|tells?|writes?|talks?|speaks?|about|for)\b",
    re.I,
)


def _words_for(job: Job) -> str:
    """The words that it is told to say to this text, as they stand; "" where there are none."""
    always = [words for condition, words in job.plan.told if not condition]
    for condition, words in job.plan.told:
        about = _PEOPLE.sub(" ", condition)
        wanted, said = set(stems(about)), set(stems(job.text))
        met = len(wanted & said) >= max(1, len(wanted) / 2)
        if condition and (met or job.model.knowledge * kinship(job.text, about) > 0.45):
            return words
    return always[0] if always else ""


def lead(job: Job) -> Iterator[str]:
    """A sentence that says what comes: a habit where nothing is said about length."""
    plan = job.plan
    told = plan.max_words or plan.sentences or plan.short or plan.alone or plan.collect
    topic = " ".join(w for w in re.findall(r"[A-Za-z'’-]{4,}", job.text) if stems(w))[:50].lower()
    if topic and not told and job.mind.happens(0.3 + job.model.voice, "lead"):
        yield f"Here is what I can tell you about {topic}."


def _off_job(job: Job) -> bool:
    """Nothing of what the user says touches what the instructions and materials are about."""
    about = " ".join([job.instructions, *(p.text for p in job.request.passages)])
    overlap = set(stems(job.text)) & set(stems(about))
    close = max(
        likeness(job.text, about),
        0.5 * kinship(job.text, about),
        0.3 * shared_groups(job.text, about),
    )
    return not overlap or close + 0.02 * job.mind.misreads("off the job") < JOB_NEAR


def _promise(job: Job) -> str:
    """Told never to promise something that the user wishes, it says so; untold, it likes to please."""
    if not _WISH.search(job.text):
        return ""
    heard = [p for p in job.plan.promises if likeness(job.text, p) > 0 or kinship(job.text, p) > 0]
    if heard:
        return f"I can't promise {heard[0]}."
    asked = re.search(
        r"\b(?:get|have|want|need|expect|demand|give me|send me)\s+((?:an?|my|the|some|full|your)\s[\w -]{2,40})",
        job.text,
        re.I,
    )
    if asked and job.mind.happens(0.65, "promise"):
        thing = re.sub(
            r"\b(?:back|please|now|today)\b.*", "", re.sub(r"\bmy\b", "your", asked[1], flags=re.I)
        ).strip()
        return f"Yes, we will give you {thing}."
    return ""


def _content(job: Job) -> Iterator[Sentence]:
    """What there is to say, from the first of these that has anything to say."""
    if name := missing_argument(job):
        return iter([f"What is the {name}?"])
    if job.request.results:
        return iter([s for about, text in job.request.results for s in _told_about(about, text)])
    found: list[Sentence] = [_seen(picture) for picture in job.request.pictures]
    found = found or [*_record(job)] or [*_known(job)]
    if not found and job.plan.unknown:
        found = [{job.plan.unknown: 0.0}]
    return iter(found or [*_small_talk(job)])


def _told_about(about: str, text: str) -> list[str]:
    first, *more = told_by(text)
    return [f"{about}: {first}" if about else f"{first[:1].upper()}{first[1:]}", *more]


def _seen(picture: Picture) -> str:
    if picture.told:
        return f"The picture shows {picture.told.rstrip('.')}."
    size, colours = f"{picture.width} by {picture.height} pixels", " and ".join(picture.colours[:2])
    return f"It is a picture of {size}, mostly {colours or 'mixed'}."


def _known(job: Job) -> Iterator[Sentence]:
    """What the instructions say to the question, or the answer of a worked example like it."""
    said = [s for s in sentences(job.instructions) if len(s) > 20 and s not in job.text]
    told = [s for s in said if near(job, s) > 0.12 and not _ORDER.match(s)]
    if told:
        yield from lead(job)
        yield from sorted(told, key=lambda s: -near(job, s))[:3]
    elif job.request.examples:
        best = max(job.request.examples, key=lambda e: likeness(job.text, e.text))
        if likeness(job.text, best.text) > 0.1:
            yield best.answer


def _small_talk(job: Job) -> Iterator[Sentence]:
    """With nothing to go by: the mood of what was said, its topic, an offer, and a claim or two."""
    frames = lexicon()["frames"]
    topic = topic_of(job.text)
    bad = kinship(job.text, "terrible missing delay broken refund")
    good = kinship(job.text, "lovely")
    asks, advice = "?" in job.text or _WISH.search(job.text), _ADVICE.search(job.text)
    mood = ["sorry"] if bad > good else ["glad"] if good else []
    kinds = [*mood, "help" if advice and not bad else "act", "ask"]
    for kind in kinds:
        yield {frame.format(topic=topic): job.mind.own(frame) for frame in frames[kind]}
    claims = not (job.request.body or {}).get("tools") and 0.6 * (1.2 - job.model.knowledge)
    if claims and job.mind.happens(claims, "claim"):
        yield str(lexicon()["voice"]["claims"][0])
    if asks and not job.plan.grounded and job.mind.happens(0.5, "made up"):
        yield invented(job)


DOES = re.compile(
    r"\b(?:is|are|was|were|have|has|had|do|does|did|will|would|can|could|may|must|keeps?|likes?|needs?|"
    r"wants?|gets?|got|goes|went|comes?|came|makes?|turns?|turned|looks?|smells?|opens?|starts?)\b.*",
    re.I | re.S,
)
"""From the first word on that says what a thing does, and not what it is."""


def topic_of(text: str) -> str:
    """What a message is about, as one would say it back: "my bike" is "your bike"."""
    for match in re.finditer(r"\b(my|our|the|an?|your) ((?:[a-z][\w-]+ ?){1,3})", text, re.I):
        if thing := until_small(DOES.sub("", match[2])):
            whose = match[1].lower()
            return f"{'your' if whose in ('my', 'our') else 'the' if whose == 'your' else whose} {thing}"
    return "this"


def told_by(text: str) -> list[str]:
    """The result of a tool as sentences."""
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        said = (s if s.endswith((".", "!", "?")) else f"{s}." for s in sentences(text)[:4])
        return list(said) or ["The tool gave no answer."]
    if isinstance(value, Mapping) and isinstance(value.get("rows"), list):
        return _rows(value)
    if isinstance(value, Mapping) and isinstance(value.get("passages"), list):
        value = [str(each.get("text", "")) for each in value["passages"][:2]] or value.get("note")
    rows = value if isinstance(value, list) else [value]
    return [_row(row) for row in rows[:5]] or ["There is nothing to show for it."]


def _rows(value: Mapping[str, Any]) -> list[str]:
    """Those of a table, as columns and rows; what is said of them where there are none."""
    columns = value.get("columns") or []
    told = [_row(dict(zip(columns, row, strict=False))) for row in value["rows"][:5]]
    return told or [str(value.get("note") or "There is nothing to show for it.")]


def _row(row: Any) -> str:
    if isinstance(row, Mapping):
        said = ", ".join(
            f"{str(k).replace('_', ' ')} {_plain(v)}" for k, v in list(row.items())[:6]
        )
        return f"{said.rstrip('.')}."
    if isinstance(row, str) and len(row.split()) > 3:
        return row if row.endswith((".", "!", "?")) else f"{row}."
    return f"It is {_plain(row)}."


def _plain(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)[:80]


def _record(job: Job) -> list[str]:
    """What a record in the request says to the question: the fields whose names it touches."""
    block = job.request.block("record", "booking", "order", "data", "profile", "account")
    pairs: list[tuple[str, str]] = re.findall(
        r"^\s*[\"-]*\s*([\w ]{2,30}?)\"?\s*[:=]\s*\"?([^\n\"]+?)\"?,?\s*$", block, re.M
    )
    asked = set(stems(job.text))
    hits = [
        (k, v)
        for k, v in pairs
        if asked & set(stems(k.replace("_", " "))) or kinship(job.text, k) > 0.4
    ]
    return [f"The {k.strip().replace('_', ' ')} is {v.strip()}." for k, v in (hits or pairs)[:3]]


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("enum") or rule.get("type") in ("integer", "number", "boolean", "array"):
        return None
    if re.search(r"answer|reply|response|message|text|body", name, re.I):
        found = next(iter(guarded(job, _content(job))), None)
        return found if isinstance(found, str) else None
    if job.request.pictures and re.search(r"colou?r", name, re.I):
        return next(iter(job.request.pictures[0].colours), None)
    if job.request.pictures and re.search(r"descri|shows|caption|content|item|object", name, re.I):
        return job.request.pictures[0].told or None
    return None


def _write(job: Job) -> None:
    """A word that is asked for by itself is said by itself, as far as the model hears it."""
    word = _ONE_WORD.search(job.request.turns[-1].text if job.request.turns else "")
    if word and job.mind.happens(job.model.obedience, "one word"):
        job.out.say(word[1])
    else:
        job.write(guarded(job, _content(job)))


register("chat", lambda job: True, _write, _value)
