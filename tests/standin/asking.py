"""Asking the stand-in in the same process: many answers of one request, and how many are so."""

from epistem.standin.answering import answer
from epistem.standin.profiles import profiles

HUNDRED = range(100)


def talk(*turns):
    """Messages of a talk that the user begins."""
    roles = ("user", "assistant")
    return [{"role": roles[at % 2], "content": text} for at, text in enumerate(turns)]


def ask(system, said, model="tern-s", *, seed=1, **more):
    """The Answer to a system text and a user's words (or a whole talk)."""
    messages = [{"role": "system", "content": system}] if system else []
    messages += talk(said) if isinstance(said, str) else said
    body = {"model": model, "messages": messages, **more}
    return answer(body, profiles()[model], f"{seed}/{system}/{said}")


def rate(system, said, holds, model="tern-s", *, seeds=HUNDRED, **more):
    """The share of the answers, one a seed, of which it holds."""
    texts = [ask(system, said, model, seed=seed, **more).text for seed in seeds]
    return sum(bool(holds(text)) for text in texts) / len(texts)
