"""JSON answers: the shape that is asked for, filled in key by key, out of shape now and then.

The shape comes from a schema in the request, a schema or keys in the text, or the worked examples. Each
value is taken from the kind of work at hand, or chosen, extracted from the text, or made up of a
sentence about it. A shape that the request binds the model to (json_schema) is always kept; else a
careless model slips: a fence, a preface, another spelling, a missing key, a number as text.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from itertools import islice
from math import ceil, floor, inf
from typing import Any

import jsonschema_rs

from epistem.standin import extract
from epistem.standin.job import Job, Kind
from epistem.standin.request import named_list
from epistem.standin.template import hinted_by, template_at, truth_of
from epistem.standin.words import likeness, stems, urgency
from epistem.standin.work.labels import LABEL_KEYS, label_of, labels_of, logits
from epistem.standin.writing import spoken_of

Schema = Mapping[str, Any]
PREFACES = ("Here is the answer:\n", "Sure. Here is the JSON you asked for:\n", "Answer: ")
SLIPS = ("fence", "preface", "spelling", "missing", "number")
DEEPEST, MOST_ITEMS, MOST_OPENINGS = 8, 100, 100
SPREAD = 0.55  # of a whole number about its likeliest value, in steps
SCALED = re.compile(r"urgen|priorit|sever|rating|score|level|stars|importan", re.I)
_WHY = re.compile(r"reason|why|because|explan|rationale|justif|comment|note|thought|evidence", re.I)
_TYPES = {bool: "boolean", int: "integer", float: "number", list: "array", dict: "object"}
_PLAINEST = {
    "date": "2026-01-01", "time": "12:00:00Z", "date-time": "2026-01-01T12:00:00Z",
    "email": "nobody@example.com", "uri": "https://example.com/",
    "uuid": "00000000-0000-4000-8000-000000000000",
}  # fmt: skip


def schema_of(job: Job) -> Schema | None:
    """The JSON Schema of the answer, made up of what the request shows and says; None for plain text."""
    request = job.request
    if request.schema is not None:
        return request.schema
    shown = [e.values for e in request.examples if e.values is not None]
    found = _schema_in(job.instructions) or (_from_value(shown[0]) if shown else None)
    found = found or _from_prose(job.instructions)
    if request.reply_kind == "json_object":
        return found or _object_of({"answer": {"type": "string"}})
    asked = job.plan.json or (shown and len(shown) == len(request.examples))
    return _ranged(found, job.instructions) if asked and found is not None else None


@lru_cache(maxsize=512)
def _schema_in(text: str) -> Schema | None:
    """Of the first JSON that stands in the text: it is a schema itself, or a template of the answer."""
    openings = (m.start() for m in re.finditer(r"\{", text))
    for start in islice(openings, MOST_OPENINGS):
        value = template_at(text, start)
        if isinstance(value, dict) and value:
            is_schema = isinstance(value.get("properties"), dict)
            return value if is_schema else _from_value(value, hinted=True)
    return None


def _object_of(properties: Mapping[str, Any]) -> Schema:
    return {"type": "object", "properties": properties, "required": list(properties)}


def _from_value(value: Any, *, hinted: bool = False) -> Schema:
    """The schema of what a worked example shows; of a template, where a text may be a hint (`hinted`)."""
    if isinstance(value, dict):
        return _object_of({name: _from_value(v, hinted=hinted) for name, v in value.items()})
    if isinstance(value, list):
        return {"type": "array", "items": _from_value(value[0], hinted=hinted) if value else {}}
    if hinted and isinstance(value, str):
        return hinted_by(value)
    return {"type": _TYPES.get(type(value), "string")}


@lru_cache(maxsize=512)
def _from_prose(text: str) -> Schema | None:
    """Keys named in words: `JSON with the keys label, urgency (1 to 5) and reason`."""
    plain = re.sub(r"\s*\([^)]*\)", "", text)  # what stands in brackets is about a key
    match = re.search(r"\b(?:keys?|fields?|propert(?:y|ies))\b:?\s+([^.\n]+)", plain, re.I)
    parts = re.split(r",\s*(?:and)?\s*|\s+and\s+", match.group(1)) if match else []
    names = [m.group(1) for part in parts if (m := re.match(r"[\"“`]?(\w+)", part.strip()))]
    return _object_of({name: _hinted(name, text) for name in names}) if names else None


def _hinted(name: str, text: str) -> Schema:
    """What the words in brackets after a key's name say of it, or else its name."""
    hint = re.search(rf"\b{re.escape(name)}\b[\"”`]?\s*\(([^)]*)\)", text)
    about = hint[1] if hint else ""
    if re.search(r"\btrue\b|\byes\b|boolean", about, re.I):
        return {"type": "boolean"}
    if (
        re.search(r"one of|either|\bor\b", about, re.I)
        and len(choices := named_list(about.rpartition(":")[2])) > 1
    ):
        return {"enum": choices}
    if re.search(r"\blist\b|array", about, re.I):
        return {"type": "array", "items": {"type": "string"}}
    counted = extract.kind_of(name, {}) == "count" or SCALED.search(name) or "number" in about
    return {"type": "integer" if counted else "string"}


def _ranged(schema: Schema, text: str) -> Schema:
    """With the bounds that the text gives a key: `urgency (1 to 5)`."""
    made = dict(schema["properties"])
    for name, rule in made.items():
        bounds = rf"\b{re.escape(name)}\b[^.,\n]{{0,30}}?(\d+)\s*(?:to|-|–|and)\s*(\d+)"
        numbers = re.search(bounds, text)
        if numbers and isinstance(rule, dict) and rule.get("type") in ("string", "integer"):
            low, high = sorted((int(numbers[1]), int(numbers[2])))
            made[name] = {"type": "integer", "minimum": low, "maximum": high}
    return {**schema, "properties": made}


def write_json(job: Job, kind: Kind, schema: Schema) -> None:
    """Raises LimitReached."""
    shown = any(e.values is not None for e in job.request.examples)
    times = (1 + 0.03 * len(job.rules)) * (0.7 if job.plan.alone else 1.0)
    slip = ""
    if not job.out.bound and job.mind.slips("shape", shown=shown, times=times):
        slip = SLIPS[int(len(SLIPS) * job.mind.luck("which slip"))]
    job.out.say("```json\n" if slip == "fence" else "")
    if slip == "preface":
        job.out.choose(dict.fromkeys(PREFACES, 0.0))
    _Writer(job, kind, schema, slip).value(schema, "", 0)
    job.out.say("\n```" if slip == "fence" else "")


class _Writer:
    """Writes a value of the schema as JSON text."""

    def __init__(self, job: Job, kind: Kind, root: Schema, slip: str) -> None:
        self._job, self._kind, self._root, self._slip = job, kind, root, slip
        self._labels = labels_of(job)
        self._label, self._part = "", False
        self._label_key = _label_key(root, bool(self._labels))

    def value(self, rule: Any, name: str, depth: int) -> None:
        rule = self._resolved(rule)
        kind = _type_of(rule)
        given = None if kind == "object" else self._kind.value(self._job, name, rule)
        if "const" in rule or any(isinstance(c, dict | list) for c in rule.get("enum") or ()):
            self._say(_dumped(rule["const"] if "const" in rule else rule["enum"][0]))
        elif kind == "object" and depth <= DEEPEST:
            self._object(rule, depth)
        elif kind == "array" and depth <= DEEPEST:
            self._array(rule, name, depth, given)
        else:
            self._leaf(rule, name, kind, given)

    def _say(self, text: str) -> None:
        self._job.out.say(text, free=False)

    def _resolved(self, rule: Any) -> Schema:
        """With references followed, and the first that is not null of several."""
        for _ in range(DEEPEST):
            if not isinstance(rule, dict):
                break
            several = rule.get("anyOf") or rule.get("oneOf") or rule.get("allOf")
            if isinstance(ref := rule.get("$ref"), str):
                target: Any = self._root
                for step in ref.removeprefix("#").strip("/").split("/"):
                    target = target.get(step, {}) if isinstance(target, dict) and step else target
                rule = target
            elif isinstance(several, list) and several:
                rest = {k: v for k, v in rule.items() if k not in ("anyOf", "oneOf", "allOf")}
                best: Schema = next(
                    (r for r in map(self._resolved, several) if _type_of(r) != "null"), {}
                )
                rule = {**rest, **best}
            else:
                return rule
        return {}

    def _object(self, rule: Schema, depth: int) -> None:
        properties = rule.get("properties")
        names = list(properties) if isinstance(properties, dict) else []
        if self._slip == "missing" and depth == 0 and len(names) > 1:
            names.pop()
        self._say("{")
        for at, name in enumerate(names):
            self._say(f"{', ' if at else ''}{_dumped(name)}: ")
            self.value(rule["properties"][name], name, depth + 1)
        self._say("}")

    def _array(self, rule: Schema, name: str, depth: int, given: Any) -> None:
        inner, text = self._resolved(rule.get("items", {})), self._job.text
        low, high = _whole(rule.get("minItems"), 0), _whole(rule.get("maxItems"), 6)
        deep = _type_of(inner) in ("object", "array")
        found = (
            list(given)
            if isinstance(given, list)
            else []
            if deep
            else extract.every(name, text, inner)
        )
        if given is None and not found and not deep and "enum" not in inner:
            found = list(dict.fromkeys(stems(text)))[:3]
        found = [value for value in found if _suits(value, inner)][: min(high, MOST_ITEMS)]
        parts = _parts(text)[: min(high, MOST_ITEMS)] if deep and not self._job.out.bound else []
        count = max(len(found), min(low, MOST_ITEMS), int(deep and high > 0), len(parts))
        self._say("[")
        for at in range(count):
            self._say(", " if at else "")
            if at < len(found):
                self._say(_dumped(found[at]))
            elif deep:
                self._about(parts[at] if at < len(parts) else text).value(inner, name, depth + 1)
            else:
                self._say(_dumped(_least(inner)))
        self._say("]")

    def _about(self, part: str) -> _Writer:
        """The writer of a part of the text."""
        job = replace(self._job, request=replace(self._job.request, text=part))
        writer = _Writer(job, self._kind, self._root, self._slip)
        writer._part = True
        return writer

    def _leaf(self, rule: Schema, name: str, kind: str, given: Any) -> None:
        ways = self._ways(rule, name, kind, given)
        if self._job.out.bound:
            ways = {value: z for value, z in ways.items() if _suits(value, rule)}
        if not ways and kind == "string" and not rule.get("enum") and self._sentence(rule, name):
            return
        texts = {_dumped(self._spelt(v, name)): z for v, z in (ways or {_least(rule): 0.0}).items()}
        said = self._job.out.choose(texts, free=False)
        if name == self._label_key:
            self._label = str(json.loads(said))

    def _spelt(self, value: Any, name: str) -> Any:
        if self._slip == "spelling" and name == self._label_key and isinstance(value, str):
            return value.replace(" ", "_").capitalize()
        return str(value) if self._slip == "number" and type(value) is int else value

    def _ways(self, rule: Schema, name: str, kind: str, given: Any) -> Mapping[Any, float]:
        """Values with logits; none where a sentence is wanted."""
        job = self._job
        choices = {str(choice): choice for choice in rule.get("enum") or ()}
        if isinstance(given, Mapping):
            return {value: z for value, z in given.items() if _suits(value, rule)}
        if given is not None and not isinstance(given, list) and _suits(given, rule):
            return {given: 0.0}
        if name == self._label_key and kind == "string":
            glosses = dict(self._labels)
            named = tuple((text, glosses.get(text, "")) for text in choices) or self._labels
            if not named:
                return {" ".join(stems(job.text)[:2]) or "none": 0.0}
            return {choices.get(text, text): z for text, z in logits(job, named).items()}
        if choices:
            noise = {text: 0.5 * job.mind.misreads(f"{name} {text}") for text in choices}
            return {v: 4 * likeness(job.text, text) + noise[text] for text, v in choices.items()}
        if kind == "boolean":
            return {True: truth_of(name, job.text) or 6 * (urgency(job.text) - 0.5), False: 0.0}
        if kind in ("integer", "number"):
            return self._numbers(rule, name, whole=kind == "integer")
        if kind == "null" or _WHY.search(name):
            return {None: 0.0} if kind == "null" else {}
        found = extract.find(name, job.text, rule)
        if found is None and self._part and extract.kind_of(name, rule) in ("name", ""):
            found = extract.rest_of(job.text)
        if found is not None and _suits(found, rule):
            return {found: 0.0}
        if isinstance(rule.get("type"), list) and "null" in rule["type"]:
            return {None: 0.0}
        open_ways = {"": 1.0, "unknown": 0.5} if extract.kind_of(name, rule) else {}
        return {v: z for v, z in open_ways.items() if _suits(v, rule)}

    def _numbers(self, rule: Schema, name: str, *, whole: bool) -> Mapping[Any, float]:
        """What the text says; on a scale, whole numbers by how near they are to what it and the
        examples say."""
        job = self._job
        low, high = _bounds(rule, whole)
        if (low, high) == (-inf, inf) and SCALED.search(name):
            low, high = 1, 5
        told = extract.find(name, job.text, rule)
        if told is not None and high - low > 10 and _suits(told, rule):
            return {told: 0.0}
        if high - low > 100:
            return {}
        shown = self._nearest(name)
        own = low + urgency(job.text) * (high - low)
        middle = (own + shown) / 2 if isinstance(shown, int | float) else own
        middle += 0.6 * job.mind.misreads(f"number {name}")
        if not whole:
            return {round(min(max(middle, low), high), 2): 0.0}
        scale = {v: -(((v - middle) / SPREAD) ** 2) / 2 for v in range(int(low), int(high) + 1)}
        return {v: z for v, z in scale.items() if _suits(v, rule)}

    def _nearest(self, name: str) -> Any:
        """What the example nearest to the text, of those with this label, has for a key."""
        job, names = self._job, tuple(name for name, _ in self._labels)
        fits = [e for e in job.request.examples if e.values]
        same = [e for e in fits if not self._label or label_of(e, names) == self._label]
        best = max(same, key=lambda e: likeness(job.text, e.text), default=None)
        return (best.values or {}).get(name) if best else None

    def _sentence(self, rule: Schema, name: str) -> bool:
        """A short sentence with words of the text in it, now and then in a machine's voice.

        False where there is no room for one.
        """
        job = self._job
        telling = [w for w in re.findall(r"[\w'’]+", job.text)[:40] if stems(w)] or ["nothing"]
        windows = [" ".join(telling[at : at + 4]) for at in range(max(1, len(telling) - 3))]
        named = windows[int(job.mind.luck(f"window {name}") * len(windows))]
        why = f", so {self._label} fits" if self._label else ""
        patterns = ("The message speaks of {}{}.", "It says “{}”{}.", "The writer mentions {}{}.")
        said = {p.format(named, tail): job.mind.own(p) for p in patterns for tail in {"", why}}
        quiet = (0.35 if job.request.examples else 1.0) * (0.02 if job.plan.unstocked else 1.0)
        chance = job.model.voice * quiet * (0.6 + 0.6 * job.out.settings.temperature)
        opener = "Please be advised: " if job.mind.happens(chance, "voice") else ""
        closer = (
            " Let me know if you need anything else." if job.mind.happens(chance / 2, "end") else ""
        )
        said = {spoken_of(text, job.plan): z for text, z in said.items()}
        free = not {"minLength", "maxLength", "pattern", "format"} & rule.keys()
        for before, after in ((opener, closer), ("", "")):
            fits = {t: z for t, z in said.items() if free or _suits(f"{before}{t}{after}", rule)}
            if fits:
                self._say('"')
                job.out.say(before, free=free)
                job.out.choose({_dumped(text)[1:-1]: z for text, z in fits.items()}, free=free)
                job.out.say(after, free=free)
                self._say('"')
                return True
        return False


def _label_key(root: Schema, labelled: bool) -> str:
    """The key that holds the label: one with choices that is named so, or any with choices, or named so."""
    rules = root.get("properties")
    rules = (
        {n: r for n, r in rules.items() if isinstance(r, dict)} if isinstance(rules, dict) else {}
    )
    chosen = [n for n, r in rules.items() if r.get("enum") and _type_of(r) == "string"]
    named = [n for n, r in rules.items() if n.lower() in LABEL_KEYS and _type_of(r) == "string"]
    texts = [
        n for n, r in rules.items() if labelled and _type_of(r) == "string" and not _WHY.search(n)
    ]
    return next(iter([*(n for n in chosen if n in named), *chosen, *named, *texts]), "")


def _parts(text: str) -> list[str]:
    """A text that lists things, cut into what it lists."""
    parts = re.split(r"\n+|[;,]\s+(?:and\s+)?|\s+and\s+|\s+with\s+|(?<=[.!?])\s+", text)
    return [part.strip(" .-•*") for part in parts if stems(part)]


def _type_of(rule: Schema) -> str:
    kind = rule.get("type")
    if isinstance(kind, list):
        kind = next((k for k in kind if k != "null"), "null")
    if isinstance(kind, str):
        return kind
    return "object" if "properties" in rule else "array" if "items" in rule else "string"


def _bounds(rule: Schema, whole: bool) -> tuple[Any, Any]:
    """The least and greatest number allowed; infinite where nothing is said."""
    step = 1 if whole else 0.01
    given = {k: v for k, v in rule.items() if isinstance(v, int | float)}
    low = max(given.get("minimum", -inf), given.get("exclusiveMinimum", -inf) + step)
    high = min(given.get("maximum", inf), given.get("exclusiveMaximum", inf) - step)
    return (ceil(low) if whole and low > -inf else low), (
        floor(high) if whole and high < inf else high
    )


def _suits(value: Any, rule: Schema) -> bool:
    validator = _validator(json.dumps(rule))
    return validator is None or bool(validator.is_valid(value))


@lru_cache(maxsize=1_000)
def _validator(rule: str) -> Any:
    try:
        return jsonschema_rs.validator_for(json.loads(rule))
    except (jsonschema_rs.ValidationError, ValueError):  # it is no schema, so anything will do
        return None


def _least(rule: Schema) -> Any:
    """The plainest value that the rule allows."""
    kind = _type_of(rule)
    if "const" in rule or rule.get("enum"):
        return rule["const"] if "const" in rule else rule["enum"][0]
    if kind in ("integer", "number"):
        low, high = _bounds(rule, kind == "integer")
        found = [v for v in (0, low, high) if low <= v <= high and abs(v) != inf]
        return next((v for v in found if _suits(v, rule)), (found or [0])[0])
    if kind == "string":
        text = _PLAINEST.get(str(rule.get("format")), "")
        return text or "x" * _whole(rule.get("minLength"), 0)
    return False if kind == "boolean" else None


def _whole(value: Any, otherwise: int) -> int:
    return value if type(value) is int and value >= 0 else otherwise


def _dumped(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)
