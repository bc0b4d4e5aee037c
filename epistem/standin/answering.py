"""Answer a task: choose a label, fill in the shape, slip now and then, and speak like a machine.

Choice of a label. Every label has a score from the request alone:

    score = 1.0·(its words and gloss in the text) + knowledge·(kinship of words)
          + 1.2·(affinity to the nearest example with that label)

where affinity = likeness of words + knowledge·(groups of words that both texts touch)

The model's logit is attention·score plus a fixed misreading, normal with the model's spread and
drawn from a hash of model, text and label: the same text is misread the same way every time, so
repeats agree about it and only another prompt or model changes it. Examples make a misreading
smaller. The label, the way a reason is put and what it quotes are drawn as in `sampler`.
"""

from __future__ import annotations

import hashlib
import json
import random
import re
from collections.abc import Sequence
from typing import Any

from epistem.standin.profiles import Profile
from epistem.standin.reading import Example, Field, Task, label_field
from epistem.standin.sampler import Sampler
from epistem.standin.words import kinship, likeness, shared_groups, stems, urgency

_OTHER = re.compile(r"^(?:other|others|none|unknown|else|misc\w*|general)$", re.I)
_OPENERS = ("Please be advised that ", "Thank you for reaching out. ", "I completely understand. ")
_CLOSERS = (" Let me know if you need anything else.", " Rest assured we value your message.")
_PREFACES = ("Here is the answer:\n", "Sure. Here is the JSON you asked for:\n", "Answer: ")


def answer(task: Task, model: Profile, sampling: Sampler) -> str:
    """The whole text of the answer, before any cut at max_tokens. At temperature 0 no draw is free."""
    if sampling.temperature <= 0:
        sampling = Sampler(sampling.settings, random.Random(_seed(model.name, task.text, "greedy")))
    if not task.labels and not task.wants_json:
        return _prose(task, model, sampling)
    label = choose_label(task, model, sampling) if task.labels else None
    if not task.wants_json:
        return _plain_label(label or "", task, model, sampling)
    return _as_json(label, task, model, sampling)


def choose_label(task: Task, model: Profile, sampling: Sampler) -> str:
    logits = dict(zip(task.labels, _logits(task, model), strict=True))
    _settle_tie(logits, task, model)
    return sampling.choose(list(logits), list(logits.values()))


def _settle_tie(logits: dict[str, float], task: Task, model: Profile) -> None:
    """Where the request ranks two labels and both are in play, lift the one that goes first.

    Whether the rule is heard for this text is a matter of obedience.
    """
    top = max(logits, key=lambda label: logits[label])
    in_play = [a for a, b in task.preferred if b == top and logits[a] > 0.3 * model.attention]
    if in_play and fixed(model, task, "tie") < model.obedience:
        first = max(in_play, key=lambda label: logits[label])
        logits[first] = logits[top] + 0.5 * model.attention


def _logits(task: Task, model: Profile) -> list[float]:
    scores = []
    for label in task.labels:
        about = f"{label} {task.glosses.get(label, '')}"
        same = [e.text for e in task.examples if _label_of(e, task) == label]
        nearest = max((_affinity(task.text, text, model) for text in same), default=0.0)
        score = likeness(task.text, about) + model.knowledge * kinship(task.text, about)
        scores.append(score + 1.2 * nearest)
    best = max(scores)
    spread = model.misreading * (0.55 if task.examples else 1.0)
    logits = []
    for label, score in zip(task.labels, scores, strict=True):
        if _OTHER.match(label):
            score = max(score, 0.4 if best < 0.3 else 0.0)
        noise = random.Random(_seed(model.name, task.text, label)).gauss(0, spread)
        logits.append(model.attention * (score + noise * 0.5))
    return logits


def _affinity(text: str, other: str, model: Profile) -> float:
    return likeness(text, other) + model.knowledge * shared_groups(text, other)


def _label_of(example: Example, task: Task) -> str | None:
    if example.values is None:
        return example.answer
    chosen = label_field(task)
    return str(example.values.get(chosen.name)) if chosen else None


def _nearest(task: Task, label: str | None) -> Example | None:
    same = [e for e in task.examples if e.values and _label_of(e, task) == label]
    return max(same, key=lambda e: likeness(task.text, e.text), default=None)


def _as_json(label: str | None, task: Task, model: Profile, sampling: Sampler) -> str:
    chosen = label_field(task)
    nearest = _nearest(task, label)
    values: dict[str, Any] = {}
    for wanted in task.fields:
        if chosen is not None and wanted.name == chosen.name and label is not None:
            values[wanted.name] = label
        else:
            values[wanted.name] = _value(wanted, nearest, label, task, model, sampling)
        sampling.note(f"{wanted.name} {values[wanted.name]}")
    if task.strict:
        return json.dumps(values, ensure_ascii=False)
    return _slipped(values, chosen, task, model, sampling)


def _value(
    wanted: Field,
    nearest: Example | None,
    label: str | None,
    task: Task,
    model: Profile,
    sampling: Sampler,
) -> Any:
    if wanted.kind == "integer":
        shown = (nearest.values or {}).get(wanted.name) if nearest else None
        own = wanted.low + urgency(task.text) * (wanted.high - wanted.low)
        middle = (own + shown) / 2 if isinstance(shown, int) else own
        wobble = model.misreading * (0.4 + sampling.temperature)
        drawn = round(
            middle + sampling.rng.gauss(0, wobble) if sampling.temperature > 0 else middle
        )
        return max(wanted.low, min(wanted.high, drawn))
    if wanted.kind == "boolean":
        return urgency(task.text) > 0.5
    if wanted.choices:
        return max(wanted.choices, key=lambda choice: likeness(task.text, choice))
    if wanted.kind == "array":
        return list(dict.fromkeys(stems(task.text)))[:3]
    return _reason(label, task, model, sampling)


def _reason(label: str | None, task: Task, model: Profile, sampling: Sampler) -> str:
    """A short sentence with words of the text in it, now and then in a machine's voice."""
    words = re.findall(r"[\w'’]+", task.text)[:40]
    telling = [w for w in words if stems(w)] or ["nothing"]
    windows = [" ".join(telling[at : at + 4]) for at in range(max(1, len(telling) - 3))]
    named = _pick(windows, task, model, sampling)
    patterns = ("The message speaks of {}.", "It says “{}”.", "The writer mentions {}.")
    said = _pick(patterns, task, model, sampling).format(named)
    sampling.note(said)
    if label is not None and _pick((f", so {label} fits", " "), task, model, sampling) != " ":
        said = said[:-1] + f", so {label} fits."
    return _in_voice(said, task, model, sampling)


def _in_voice(said: str, task: Task, model: Profile, sampling: Sampler) -> str:
    chance = model.voice * (0.35 if task.examples else 1.0) * (0.6 + 0.6 * sampling.temperature)
    if sampling.happens(chance):
        opener = _pick(_OPENERS, task, model, sampling)
        tail = said[0].lower() + said[1:] if opener.endswith("that ") else said
        return opener + tail
    if sampling.happens(chance / 2):
        return said + _pick(_CLOSERS, task, model, sampling)
    return said


def _pick(texts: Sequence[str], task: Task, model: Profile, sampling: Sampler) -> str:
    """One of equally good ways to say it; a model leans a little, always the same for a text."""
    return sampling.choose(texts, [fixed(model, task, text) for text in texts])


def _slipped(
    values: dict[str, Any], chosen: Field | None, task: Task, model: Profile, sampling: Sampler
) -> str:
    """The JSON as text; out of shape with a chance that examples shrink and heat and rules raise."""
    text = json.dumps(values, ensure_ascii=False)
    shown = any(e.values is not None for e in task.examples)
    chance = model.slips * (0.3 if shown else 1.0) * (0.7 + 0.5 * sampling.temperature)
    chance = min(0.9, chance * (1 + 0.03 * task.rules))
    if not sampling.happens(chance):
        return text
    kind = sampling.rng.choice(("fence", "preface", "spelling", "missing", "number"))
    if kind == "fence":
        return f"```json\n{text}\n```"
    if kind == "preface":
        return sampling.rng.choice(_PREFACES) + text
    spoilt = dict(values)
    if kind == "spelling" and chosen is not None:
        spoilt[chosen.name] = str(values[chosen.name]).replace(" ", "_").capitalize()
    elif kind == "missing" and len(spoilt) > 1:
        spoilt.pop(list(spoilt)[-1])
    else:
        spoilt = {k: str(v) if isinstance(v, int) else v for k, v in spoilt.items()}
    return json.dumps(spoilt, ensure_ascii=False)


def _plain_label(label: str, task: Task, model: Profile, sampling: Sampler) -> str:
    chance = model.slips * (0.3 if task.examples else 1.0) * (0.7 + 0.5 * sampling.temperature)
    if not sampling.happens(chance):
        return label
    return sampling.rng.choice(("{}.", "The answer is {}.", "Label: {}")).format(label)


def _prose(task: Task, model: Profile, sampling: Sampler) -> str:
    """The sentences of the request that are nearest to the text, or a plain acknowledgement."""
    sentences = [
        s.strip() for s in re.split(r"(?<=[.!?])\s+|\n+", task.instructions) if len(s) > 20
    ]
    near = sorted(sentences, key=lambda s: -likeness(task.text, s))[:2]
    near = [s for s in near if likeness(task.text, s) > 0.12]
    said = " ".join(near) or "I have read your message, and nothing I was given answers it."
    return _in_voice(said, task, model, sampling)


def fixed(model: Profile, task: Task, what: str) -> float:
    """Uniform in 0–1, always the same for this model, text and purpose."""
    return random.Random(_seed(model.name, task.text, what)).random()


def _seed(*parts: str) -> int:
    return int.from_bytes(hashlib.blake2b("\0".join(parts).encode(), digest_size=8).digest(), "big")
