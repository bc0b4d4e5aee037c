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
from functools import lru_cache
from math import ceil, floor
from typing import Any

from epistem.standin import extract
from epistem.standin.job import Job, Kind
from epistem.standin.request import Example
from epistem.standin.words import likeness, stems, urgency
from epistem.standin.work.labels import LABEL_KEYS, label_of, labels_of, logits
from epistem.standin.writing import spoken_of

Schema = Mapping[str, Any]
PREFACES = ("Here is the answer:\n", "Sure. Here is the JSON you asked for:\n", "Answer: ")
DEEPEST = 8
SPREAD = 0.55  # of a whole number about its likeliest value, in steps
SCALED = re.compile(r"urgen|priorit|sever|rating|score|level|stars|importan", re.I)
_WHY = re.compile(r"reason|why|because|explan|rationale|justif|comment|note|thought|evidence", re.I)


def schema_of(job: Job) -> Schema | None:
    """The JSON Schema of the answer, made up of what the request shows and says; None for plain text."""
    request = job.request
    if request.schema is not None:
        return request.schema
    shown = [e.values for e in request.examples if e.values is not None]
    found = _schema_in(job.instructions) or (_from_values(shown[0]) if shown else None)
    found = found or _from_prose(job.instructions)
    if request.reply_kind == "json_object":
        return found or _from_prose('{"answer": ""}')
    asked = job.plan.json or (shown and len(shown) == len(request.examples))
    if not asked or found is None:
        return None
    return _ranged(found, job.instructions)


@lru_cache(maxsize=512)
def _schema_in(text: str) -> Schema | None:
    """A JSON Schema that stands in the text itself, or None."""
    for start in (m.start() for m in re.finditer(r"\{", text)):
        try:
            value, _ = json.JSONDecoder().raw_decode(text, start)
        except (ValueError, RecursionError):
            continue
        if isinstance(value, dict) and isinstance(value.get("properties"), dict):
            return value
    return None


def _from_values(values: Mapping[str, Any]) -> Schema:
    kinds = {bool: "boolean", int: "integer", float: "number", list: "array", dict: "object"}
    made = {name: {"type": kinds.get(type(value), "string")} for name, value in values.items()}
    return {"type": "object", "properties": made, "required": list(made)}


@lru_cache(maxsize=512)
def _from_prose(text: str) -> Schema | None:
    """Keys named in words: `JSON with the keys label, urgency (1 to 5) and reason`."""
    names = re.findall(r"\"(\w+)\"\s*:", text)
    if not names:
        plain = re.sub(r"\s*\([^)]*\)", "", text)  # what stands in brackets is about a key
        match = re.search(r"\b(?:keys?|fields?|propert(?:y|ies))\b:?\s+([^.\n]+)", plain, re.I)
        parts = re.split(r",\s*(?:and)?\s*|\s+and\s+", match.group(1)) if match else []
        names = [m.group(1) for part in parts if (m := re.match(r"[\"“`]?(\w+)", part.strip()))]
    made = {
        name: {
            "type": "integer"
            if extract.kind_of(name, {}) == "count" or SCALED.search(name)
            else "string"
        }
        for name in dict.fromkeys(names)
    }
    return {"type": "object", "properties": made, "required": list(made)} if made else None


def _ranged(schema: Schema, text: str) -> Schema:
    """With the bounds that the text gives a key: `urgency (1 to 5)`."""
    made = {}
    for name, rule in schema["properties"].items():
        rule = rule if isinstance(rule, dict) else {}
        numbers = re.search(
            rf"\b{re.escape(name)}\b[^.,\n]{{0,30}}?(\d+)\s*(?:to|-|–|and)\s*(\d+)", text
        )
        if numbers and rule.get("type") in ("string", "integer") and "enum" not in rule:
            low, high = sorted((int(numbers[1]), int(numbers[2])))
            rule = {"type": "integer", "minimum": low, "maximum": high}
        made[name] = rule
    return {**schema, "properties": made}


def write_json(job: Job, kind: Kind, schema: Schema) -> None:
    """Raises LimitReached."""
    writer = _Writer(job, kind, schema)
    if job.out.bound:
        writer.value(schema, "", 0)
        return
    shown = any(e.values is not None for e in job.request.examples)
    busy = 1 + 0.03 * len(job.rules)
    slip = ""
    if job.mind.slips("shape", shown=shown, times=busy * (0.7 if job.plan.alone else 1.0)):
        slip = ("fence", "preface", "spelling", "missing", "number")[
            int(5 * job.mind.luck("which slip"))
        ]
    writer.slip = slip
    job.out.say("```json\n" if slip == "fence" else "")
    if slip == "preface":
        job.out.choose(dict.fromkeys(PREFACES, 0.0))
    writer.value(schema, "", 0)
    job.out.say("\n```" if slip == "fence" else "")


class _Writer:
    """Writes a value of the schema as JSON text."""

    def __init__(self, job: Job, kind: Kind, root: Schema) -> None:
        self._job = job
        self._kind = kind
        self._root = root
        self._labels = labels_of(job)
        self._label: str | None = None
        self.slip = ""

    def value(self, rule: Schema, name: str, depth: int) -> None:
        rule = self._resolved(rule)
        kind = _type_of(rule)
        if kind == "object" and depth <= DEEPEST:
            self._object(rule, depth)
        elif kind == "array" and depth <= DEEPEST:
            self._array(rule, name, depth)
        else:
            self._leaf(rule, name, kind)

    def _resolved(self, rule: Any) -> Schema:
        for _ in range(DEEPEST):
            if not isinstance(rule, dict):
                return {}
            if isinstance(ref := rule.get("$ref"), str):
                target: Any = self._root
                for step in ref.removeprefix("#").strip("/").split("/"):
                    target = target.get(step, {}) if isinstance(target, dict) and step else target
                rule = target
            elif several := rule.get("anyOf") or rule.get("oneOf") or rule.get("allOf"):
                first = next((r for r in several if _type_of(self._resolved(r)) != "null"), {})
                rule = {
                    **{k: v for k, v in rule.items() if not k.endswith("Of")},
                    **self._resolved(first),
                }
            else:
                return rule
        return {}

    def _object(self, rule: Schema, depth: int) -> None:
        properties = rule.get("properties")
        names = list(properties) if isinstance(properties, dict) else []
        if self.slip == "missing" and depth == 0 and len(names) > 1:
            names = names[:-1]
        self._job.out.say("{", free=False)
        for at, name in enumerate(names):
            self._job.out.say(f"{', ' if at else ''}{_dumped(name)}: ", free=False)
            self.value(properties[name], name, depth + 1)
        self._job.out.say("}", free=False)

    def _array(self, rule: Schema, name: str, depth: int) -> None:
        inner = self._resolved(rule.get("items", {}))
        low, high = _whole(rule.get("minItems"), 0), _whole(rule.get("maxItems"), 6)
        given = self._kind.value(self._job, name, rule)
        if given is None and _type_of(inner) == "object":
            self._job.out.say("[", free=False)
            for at in range(min(max(low, 1), 20)):
                self._job.out.say(", " if at else "", free=False)
                self.value(inner, name, depth + 1)
            self._job.out.say("]", free=False)
            return
        found = (
            list(given)
            if isinstance(given, list | tuple)
            else extract.every(name, self._job.text, inner)
        )
        if given is None and not found and _type_of(inner) == "string" and "enum" not in inner:
            found = list(dict.fromkeys(stems(self._job.text)))[:3]
        found = [value for value in found if _suits(value, inner)]
        while len(found) < low and len(found) < 20:
            found.append(_least(inner))
        self._job.out.say("[", free=False)
        for at, value in enumerate(found[:high]):
            self._job.out.say(", " if at else "", free=False)
            self._job.out.say(_dumped(value), free=False)
        self._job.out.say("]", free=False)

    def _leaf(self, rule: Schema, name: str, kind: str) -> None:
        job = self._job
        ways = self._ways(rule, name, kind)
        fixed = rule["const"] if "const" in rule else (rule.get("enum") or [None])[0]
        if isinstance(fixed, dict | list):
            job.out.say(_dumped(fixed), free=False)
            return
        if ways is None and kind == "string":
            self._sentence(rule, name)
            return
        ways = ways or {_least(rule): 0.0}
        texts = {_dumped(self._spelt(value, name)): z for value, z in ways.items()}
        said = job.out.choose(texts, free=False)
        if name == self._label_key:
            self._label = str(json.loads(said))

    @property
    def _label_key(self) -> str | None:
        """The key that holds the label: the one with choices, or the one named so."""
        rules = self._root.get("properties") or {}
        chosen = [
            n
            for n, r in rules.items()
            if isinstance(r, dict) and r.get("enum") and n.lower() in LABEL_KEYS
        ]
        chosen += [
            n
            for n, r in rules.items()
            if isinstance(r, dict) and r.get("enum") and _type_of(r) == "string"
        ]
        named = [n for n in rules if n.lower() in LABEL_KEYS]
        return next(iter([*chosen, *named]), None)

    def _spelt(self, value: Any, name: str) -> Any:
        if self.slip == "spelling" and name == self._label_key and isinstance(value, str):
            return value.replace(" ", "_").capitalize()
        if self.slip == "number" and isinstance(value, int) and not isinstance(value, bool):
            return str(value)
        return value

    def _ways(self, rule: Schema, name: str, kind: str) -> Mapping[Any, float] | None:
        """Values with logits; None where a sentence is wanted."""
        job = self._job
        if "const" in rule:
            return (
                {rule["const"]: 0.0}
                if isinstance(rule["const"], str | int | float | None)
                else None
            )
        choices = [c for c in rule.get("enum") or () if isinstance(c, str | int | float | None)]
        given = self._kind.value(job, name, rule)
        if isinstance(given, Mapping):
            kept = {value: z for value, z in given.items() if _suits(value, rule)}
            return kept or None
        if given is not None and (not choices or given in choices) and _suits(given, rule):
            return {given: 0.0}
        if name == self._label_key and (choices or self._labels):
            glosses = dict(self._labels)
            if not choices:
                return logits(job, self._labels)
            by_text = {str(choice): choice for choice in choices}
            found = logits(job, tuple((text, glosses.get(text, "")) for text in by_text))
            return {by_text[text]: z for text, z in found.items()}
        if choices:
            return {
                c: 4 * likeness(job.text, str(c)) + 0.5 * job.mind.misreads(f"{name} {c}")
                for c in choices
            }
        if kind == "boolean":
            return {True: 6 * (urgency(job.text) - 0.5), False: 0.0}
        if kind in ("integer", "number"):
            return self._numbers(rule, name, whole=kind == "integer")
        if kind == "null":
            return {None: 0.0}
        if _WHY.search(name):
            return None
        if name == self._label_key:
            return {" ".join(stems(job.text)[:2]) or "none": 0.0}
        found = extract.find(name, job.text, rule)
        if found is not None and _suits(found, rule):
            return {found: 0.0}
        if isinstance(rule.get("type"), list) and "null" in rule["type"]:
            return {None: 0.0}
        if extract.kind_of(name, rule):  # what the text doesn't say: left open, or worse
            return {v: z for v, z in (("", 1.0), ("unknown", 0.5)) if _suits(v, rule)} or None
        return None

    def _numbers(self, rule: Schema, name: str, *, whole: bool) -> Mapping[Any, float]:
        """Whole numbers of a scale by how near they are to what the text and the examples say."""
        job = self._job
        low, high = _bounds(rule, whole)
        if low is None and high is None and SCALED.search(name):
            low, high = 1, 5
        told = extract.find(name, job.text, rule)
        if (
            told is not None
            and (low is None or told >= low)
            and (high is None or told <= high)
            and not _scale(low, high)
        ):
            return {told: 0.0}
        if low is None or high is None or high - low > 100:
            return {low if low is not None else high if high is not None else 0: 0.0}
        shown = _nearest(job, self._label, name)
        own = low + urgency(job.text) * (high - low)
        middle = (own + shown) / 2 if isinstance(shown, int | float) else own
        middle += 0.6 * job.mind.misreads(f"number {name}")
        if not whole:
            return {round(min(max(middle, low), high), 2): 0.0}
        step = rule.get("multipleOf") if isinstance(rule.get("multipleOf"), int) else 1
        return {
            v: -(((v - middle) / SPREAD) ** 2) / 2
            for v in range(int(low), int(high) + 1)
            if not v % (step or 1)
        }

    def _sentence(self, rule: Schema, name: str) -> None:
        """A short sentence with words of the text in it, now and then in a machine's voice."""
        job = self._job
        limit = _whole(rule.get("maxLength"), 10_000)
        words = re.findall(r"[\w'’]+", job.text)[:40]
        telling = [w for w in words if stems(w)] or ["nothing"]
        windows = [" ".join(telling[at : at + 4]) for at in range(max(1, len(telling) - 3))]
        named = windows[int(job.mind.luck(f"window {name}") * len(windows))]
        why = f", so {self._label} fits" if self._label else ""
        patterns = ("The message speaks of {}{}.", "It says “{}”{}.", "The writer mentions {}{}.")
        ways = {p.format(named, tail): job.mind.own(p) for p in patterns for tail in {"", why}}
        ways = {
            _dumped(spoken_of(t, job.plan))[1:-1]: z for t, z in ways.items() if len(t) <= limit
        }
        opener = "Please be advised that " if job.mind.happens(_voiced(job), "voice") else ""
        closer = (
            " Let me know if you need anything else."
            if job.mind.happens(_voiced(job) / 2, "closer")
            else ""
        )
        longest = max(map(len, ways), default=0)
        spare = limit - longest
        job.out.say('"', free=False)
        if ways:
            job.out.say(opener if len(opener) <= spare else "")
            job.out.choose(ways)
            job.out.say(closer if len(closer) + len(opener) <= spare else "")
        else:
            job.out.say(_dumped(named[:limit])[1:-1])
        job.out.say('"', free=False)


def _voiced(job: Job) -> float:
    shown = 0.35 if job.request.examples else 1.0
    quiet = 0.02 if job.plan.unstocked else 1.0
    return job.model.voice * shown * quiet * (0.6 + 0.6 * job.mind.settings.temperature)


def _nearest(job: Job, label: str | None, name: str) -> Any:
    """What the example that is nearest to the text, of those with this label, has for a key."""
    names = tuple(n for n, _ in labels_of(job))
    same = [
        e
        for e in job.request.examples
        if e.values and (label is None or label_of(e, names) == label)
    ]

    def near(example: Example) -> float:
        return likeness(job.text, example.text)

    best = max(same, key=near, default=None)
    return (best.values or {}).get(name) if best else None


def _type_of(rule: Schema) -> str:
    kind = rule.get("type")
    if isinstance(kind, list):
        kind = next((k for k in kind if k != "null"), "null")
    if isinstance(kind, str):
        return kind
    if "properties" in rule:
        return "object"
    return "array" if "items" in rule else "string"


def _bounds(rule: Schema, whole: bool) -> tuple[Any, Any]:
    low, high = rule.get("minimum"), rule.get("maximum")
    if isinstance(under := rule.get("exclusiveMinimum"), int | float):
        low = floor(under) + 1 if whole else under + 0.01
    if isinstance(over := rule.get("exclusiveMaximum"), int | float):
        high = ceil(over) - 1 if whole else over - 0.01
    low = low if isinstance(low, int | float) else None
    high = high if isinstance(high, int | float) else None
    return (ceil(low) if whole and low is not None else low), (
        floor(high) if whole and high is not None else high
    )


def _scale(low: Any, high: Any) -> bool:
    return low is not None and high is not None and high - low <= 10


def _suits(value: Any, rule: Schema) -> bool:
    """Whether a value may stand where this rule is: enough of a check for what is made here."""
    if rule.get("enum"):
        return value in rule["enum"]
    kind = _type_of(rule)
    if kind == "string":
        fits = isinstance(value, str) and _whole(rule.get("minLength"), 0) <= len(value) <= _whole(
            rule.get("maxLength"), 10_000
        )
        pattern = rule.get("pattern")
        return fits and (not isinstance(pattern, str) or _matches(pattern, value))
    if kind in ("integer", "number"):
        low, high = _bounds(rule, kind == "integer")
        number = isinstance(value, int | float) and not isinstance(value, bool)
        return (
            number
            and (low is None or value >= low)
            and (high is None or value <= high)
            and (kind == "number" or value == int(value))
        )
    return kind not in ("boolean",) or isinstance(value, bool)


def _matches(pattern: str, value: str) -> bool:
    try:
        return re.search(pattern, value) is not None
    except re.error:
        return True


def _least(rule: Schema) -> Any:
    """The plainest value that the rule allows."""
    if rule.get("enum"):
        return rule["enum"][0]
    kind = _type_of(rule)
    if kind == "boolean":
        return False
    if kind in ("integer", "number"):
        low, high = _bounds(rule, kind == "integer")
        return low if low is not None else high if high is not None else 0
    if kind in ("object", "array", "null"):
        return None
    given = {"date": "2026-01-01", "time": "12:00:00", "date-time": "2026-01-01T12:00:00Z", "email": "nobody@example.com",
             "uri": "https://example.com/", "uuid": "00000000-0000-4000-8000-000000000000"}  # fmt: skip
    text = given.get(str(rule.get("format")), "")
    return text.ljust(_whole(rule.get("minLength"), 0), "x") if not text else text


def _whole(value: Any, otherwise: int) -> int:
    return (
        value
        if isinstance(value, int) and not isinstance(value, bool) and value >= 0
        else otherwise
    )


def _dumped(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)
