"""Prose: content said in a machine's voice, or as the plan has it.

A sentence is a text, or several with logits. Every word that has a stiffer or plainer twin is a choice
point: the word of the source pulls (its wording leaks in), the machine's taste pulls to the stiff one,
and "plain words" pulls hard the other way. Openers, closers and the emoji are choice points with saying
nothing as one of the ways, so that penalties and instructions wear them down.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from math import log

from epistem.standin.directives import Plan
from epistem.standin.directives.length import word_count
from epistem.standin.directives.voice import has_emoji
from epistem.standin.mind import Mind
from epistem.standin.sampler import Sampler
from epistem.standin.words import lexicon

Sentence = str | Mapping[str, float]

USUAL_SENTENCES, FEW_SENTENCES, MANY_SENTENCES = 4, 2, 9
LEAK, TASTE, PLAIN = 1.5, 0.8, 5.0
_SHORTENED = {"it is": "it's", "do not": "don't", "cannot": "can't", "we will": "we'll", "i will": "I'll",
              "you are": "you're", "that is": "that's", "i am": "I'm", "does not": "doesn't"}  # fmt: skip
_LONG = {short.lower(): long for long, short in _SHORTENED.items()}
_TWINS = re.compile(r"[A-Za-z]+(?:['’][a-z]+)?")


def write(content: Iterable[Sentence], plan: Plan, mind: Mind, out: Sampler) -> None:
    """Write sentences of content as an answer. Raises LimitReached."""
    content = list(content)
    plan = replace(plan, listed=plan.listed or (len(content) > 2 and _marked_up(plan, mind)))
    room = _room(plan)
    wrapped = plan.fenced and "```\n"
    out.say(wrapped or "")
    if plan.begins:
        out.say(f"{plan.begins} ")
        room -= word_count(plan.begins)
    elif not plan.alone and not plan.listed:
        room -= word_count(_choose(_openers(plan, mind), plan, out))
    room -= word_count(plan.ends)
    count = 0
    for sentence in content:
        if count >= _most(plan):
            break
        ways = {sentence: 0.0} if isinstance(sentence, str) else dict(sentence)
        ways = _allowed({_fitted(text, plan, room): z for text, z in ways.items()}, plan)
        if not any(ways):
            break
        if count or (out.written and not out.text.endswith((" ", "\n"))):
            out.say("\n" if plan.listed else " ")
        if plan.listed:
            out.say("- ")
        fixed = not isinstance(sentence, str)
        room -= word_count(_spoken(ways if fixed else next(iter(ways)), plan, out))
        count += 1
    if plan.ends:
        out.say(f" {plan.ends}")
    elif not plan.alone and not plan.listed and room > 6:
        _choose(_closers(plan, mind, room, count), plan, out)
    _emoji(plan, mind, out)
    out.say("\n```" if wrapped else "")


def spoken_of(text: str, plan: Plan) -> str:
    """The text with no draw in it, as the plan would have it said."""
    return _in_language(_register(text, plan), plan)


def _marked_up(plan: Plan, mind: Mind) -> bool:
    """Bullets that nobody asked for: a habit where nothing is said about form or length."""
    told = plan.bare or plan.sentences or plan.max_words or plan.short or plan.alone or plan.collect
    return not told and mind.happens(0.35 + mind.model.voice, "mark-up")


def _room(plan: Plan) -> int:
    return plan.max_words if plan.max_words is not None else 10_000


def _most(plan: Plan) -> int:
    if plan.sentences is not None:
        return plan.sentences
    if plan.short:
        return FEW_SENTENCES
    return MANY_SENTENCES if plan.long or plan.listed else USUAL_SENTENCES


def _fitted(text: str, plan: Plan, room: int) -> str:
    """The text within so many words: whole, up to a comma, or cut; "" where there is no room."""
    if word_count(text) <= room:
        return text
    clause = re.split(r"(?<=\w)[,;:]\s| – | — ", text)[0].rstrip(".") + "."
    if word_count(clause) <= room and word_count(clause) >= 3:
        return clause
    if room < 3:
        return ""
    return " ".join(text.split()[:room]).rstrip(",;:.") + "."


def _spoken(sentence: Sentence, plan: Plan, out: Sampler) -> str:
    """Say a sentence, word twins drawn one by one."""
    if not isinstance(sentence, str):
        return out.choose({spoken_of(text, plan): z for text, z in sentence.items()})
    text = spoken_of(sentence, plan)
    began, at = len(out.written), 0
    for match in _TWINS.finditer(text):
        twins = _twins(match[0], plan)
        if len(twins) > 1:
            lead = text[at : match.start()]
            keep = lead[-1:] if lead.endswith(" ") else ""
            out.say(lead[: len(lead) - len(keep)])
            out.choose({keep + word: z for word, z in twins.items()})
            at = match.end()
    out.say(text[at:])
    return "".join(token.text for token in out.written[began:])


def _twins(word: str, plan: Plan) -> dict[str, float]:
    low = word.lower()
    stiff = low if low in lexicon()["plain"] else lexicon()["stiff"].get(low, "")
    if not stiff or plan.language not in ("", "english"):
        return {word: 0.0}
    easy = lexicon()["plain"].get(low, low)
    pull = -PLAIN if plan.plain else PLAIN if plan.formal else TASTE
    ways = {stiff: pull + LEAK * (low == stiff), easy: LEAK * (low == easy)}
    return _allowed({w.capitalize() if word[0].isupper() else w: z for w, z in ways.items()}, plan)


def _allowed(ways: Mapping[str, float], plan: Plan) -> dict[str, float]:
    """Without what is forbidden, unless there is nothing else to say."""
    kept = {
        t: z for t, z in ways.items() if not any(f.lower() in t.lower() for f in plan.forbidden)
    }
    return kept or {_struck(text, plan): z for text, z in ways.items()}


def _struck(text: str, plan: Plan) -> str:
    for phrase in plan.forbidden:
        text = re.sub(re.escape(phrase), "", text, flags=re.I)
    return re.sub(r"\s{2,}", " ", text)


def _voice(plan: Plan, mind: Mind) -> float:
    shown = 0.35 if mind.request.examples else 1.0
    heat = 0.6 + 0.6 * mind.settings.temperature
    quiet = (
        0.02 if plan.unstocked else 0.4 if plan.short or plan.sentences or plan.max_words else 1.0
    )
    return min(0.9, mind.model.voice * shown * heat * quiet * 2)


def _ways(phrases: Sequence[str], chance: float) -> dict[str, float]:
    """Nothing, or one of the phrases, which together have this chance at temperature 1."""
    each = log(chance / (1 - chance) / len(phrases))
    return {"": 0.0} | dict.fromkeys(phrases, each)


def _openers(plan: Plan, mind: Mind) -> dict[str, float]:
    voice = lexicon()["voice"]
    if plan.formal is not None and not plan.unstocked:
        return dict.fromkeys(voice["formal" if plan.formal else "informal"], 0.0)
    return _ways(voice["openers"], _voice(plan, mind))


def _closers(plan: Plan, mind: Mind, room: int, count: int) -> dict[str, float]:
    if plan.sentences is not None and count >= plan.sentences:
        return {"": 0.0}
    closers = [text for text in lexicon()["voice"]["closers"] if word_count(text) <= room]
    return _ways(closers, _voice(plan, mind)) if closers else {"": 0.0}


def _choose(ways: Mapping[str, float], plan: Plan, out: Sampler) -> str:
    said = {
        _in_language(_register(text, plan), plan) if text.strip() else text: z
        for text, z in ways.items()
    }
    kept = {
        t: z for t, z in said.items() if not any(f.lower() in t.lower() for f in plan.forbidden)
    }
    return out.choose(kept or {"": 0.0}).strip()


def _emoji(plan: Plan, mind: Mind, out: Sampler) -> None:
    """The same one every time, unless told to vary; those of earlier answers are then left out."""
    chance = 0.98 if plan.emoji else _voice(plan, mind)
    if plan.emoji is False or plan.formal or (plan.alone and not plan.emoji) or plan.fenced:
        return
    known = lexicon()["voice"]["emoji"]
    used = [
        e for e in known if any(e in t.text for t in mind.request.turns if t.role == "assistant")
    ]
    fresh = [e for e in known if e not in used] or known
    ways = {
        f" {e}": (0.0 if plan.vary_emoji else -4.0 * at)
        for at, e in enumerate(fresh if plan.vary_emoji else known)
    }
    if not has_emoji(out.text) and mind.happens(chance, "emoji"):
        out.choose(ways)


def _register(text: str, plan: Plan) -> str:
    """Short forms when informal, long ones when formal."""
    table = _LONG if plan.formal else _SHORTENED if plan.formal is False else {}
    for found, instead in table.items():
        text = re.sub(rf"\b{re.escape(found)}\b", instead, text, flags=re.I)
    return text[:1].upper() + text[1:] if table else text


def _in_language(text: str, plan: Plan) -> str:
    """Word by word, with what the glossary has: recognisable, not good."""
    glossary = lexicon()["languages"].get(plan.language)
    if not glossary:
        return text
    return _TWINS.sub(
        lambda m: _cased(glossary.get(m[0].lower().replace("’", "'"), m[0]), m[0]), text
    )


def _cased(word: str, like: str) -> str:
    return word[:1].upper() + word[1:] if like[:1].isupper() and like.lower() != "i" else word
