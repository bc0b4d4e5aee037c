"""Read a request as a person would: which labels, which examples, which shape, which rules."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import Any


@dataclass(frozen=True)
class Field:
    """A key of the JSON that is asked for. `low` and `high` bound a whole number."""

    name: str
    kind: str = "string"
    choices: tuple[str, ...] = ()
    low: int = 1
    high: int = 5


@dataclass(frozen=True)
class Example:
    """A worked example: a text, and the answer it was given."""

    text: str
    answer: str
    values: dict[str, Any] | None = None


@dataclass(frozen=True)
class Task:
    """What the request asks for. `glosses[label]` is what it says about a label."""

    text: str
    instructions: str
    labels: tuple[str, ...] = ()
    glosses: dict[str, str] = field(default_factory=dict)
    preferred: tuple[tuple[str, str], ...] = ()
    examples: tuple[Example, ...] = ()
    fields: tuple[Field, ...] = ()
    strict: bool = False
    wants_json: bool = False
    rules: int = 0


_LISTING = re.compile(
    r"\b(?:labels?|categor(?:y|ies)|class(?:es)?|kinds?|types?|topics?|one of|sort|classify|choose|pick)\b",
    re.I,
)
_BULLET = re.compile(r"^\s*(?:[-*•]|\d+[.)])\s+(.+?)\s*$")
_ARROW = re.compile(r"^\s*(?:[-*•]|\d+[.)])?\s*[\"“]?(.+?)[\"”]?\s*(?:->|=>|→)\s*(.+?)\s*$", re.M)
_PAIR = re.compile(r"^\s*([A-Z][\w ]{0,20}):[ \t]*(.+)\n+\s*([A-Z][\w ]{0,20}):[ \t]*(.+)$", re.M)
_LABEL_KEYS = ("label", "category", "class", "kind", "type", "topic", "genre", "shelf")
_RULE = re.compile(r"\b(?:never|always|must|do not|don't|only|at most|at least|if)\b", re.I)
_JSON = re.compile(r"\bJSON\b", re.I)


def read_request(body: dict[str, Any]) -> Task:
    """`body` has been checked to have messages of roles and texts."""
    messages = [(m["role"], text_of(m.get("content"))) for m in body["messages"]]
    last = max((i for i, (role, _) in enumerate(messages) if role == "user"), default=-1)
    text = messages[last][1] if last >= 0 else ""
    instructions = "\n\n".join(t for role, t in messages if role in ("system", "developer"))
    turns = messages[:last] if last >= 0 else messages
    shots = tuple(
        _example(a, b)
        for (first, a), (second, b) in pairwise(turns)
        if first == "user" and second == "assistant"
    )
    if not instructions and last >= 0:  # all in one message: the last paragraph is the text
        instructions, _, text = text.rpartition("\n\n")
        instructions, text = (instructions, text) if instructions else (text, text)
    schema = ((body.get("response_format") or {}).get("json_schema") or {}).get("schema")
    kind = (body.get("response_format") or {}).get("type", "text")
    return _task(text, instructions, shots, json.dumps(schema) if schema else None, kind)


def text_of(content: Any) -> str:
    if isinstance(content, str):
        return content
    if isinstance(content, list):
        return "\n".join(p.get("text", "") for p in content if isinstance(p, dict))
    return ""


def _task(
    text: str, instructions: str, shots: tuple[Example, ...], schema_text: str | None, kind: str
) -> Task:
    schema = json.loads(schema_text) if schema_text else _schema_in(instructions)
    examples = (*_examples_in(instructions), *shots)
    fields = _fields_from_schema(schema) or _fields_from(examples, instructions)
    fields = fields or _fields_in(instructions)
    labels, glosses = _labels_in(instructions)
    chosen = next((f for f in fields if f.choices), None)
    if chosen is not None:
        labels = chosen.choices
    if not labels:
        labels = _labels_from(examples)
    return Task(
        text=text,
        instructions=instructions,
        labels=labels,
        glosses={label: glosses.get(label, "") for label in labels},
        preferred=_preferences(instructions, labels),
        examples=examples,
        fields=fields,
        strict=kind == "json_schema",
        wants_json=bool(fields)
        and (kind != "text" or bool(_JSON.search(instructions)) or _shown(examples)),
        rules=len(_RULE.findall(instructions)),
    )


def _shown(examples: tuple[Example, ...]) -> bool:
    return bool(examples) and all(e.values is not None for e in examples)


def _example(text: str, answer: str) -> Example:
    try:
        values = json.loads(answer)
    except ValueError:
        values = None
    return Example(text.strip(), answer.strip(), values if isinstance(values, dict) else None)


@lru_cache(maxsize=512)
def _examples_in(text: str) -> tuple[Example, ...]:
    """Examples written into the instructions: `text -> answer`, or two lines `Text: …`, `Answer: …`."""
    found = [_example(a, b) for a, b in _ARROW.findall(text)]
    found += [_example(a, b) for k1, a, k2, b in _PAIR.findall(text) if k1.lower() != k2.lower()]
    return tuple(found)


@lru_cache(maxsize=512)
def _labels_in(text: str) -> tuple[tuple[str, ...], dict[str, str]]:
    """Labels from a list after a word such as "labels" or "one of", with what is said of each."""
    lines = text.splitlines()
    for at, line in enumerate(lines):
        if not _LISTING.search(line):
            continue
        following = lines[at + 1 :]
        while following and not following[0].strip():
            following = following[1:]
        bullets = []
        for candidate in following:
            match = _BULLET.match(candidate)
            if not match:
                break
            bullets.append(re.split(r"\s*(?::|—|–| - )\s*", match.group(1), maxsplit=1))
        if len(bullets) >= 2:
            glosses = {_clean(b[0]): b[1] if len(b) > 1 else "" for b in bullets}
            return tuple(glosses), glosses
        for _, tail in re.findall(r"(:|\bone of|\binto|\bas)\s+([^.:\n]+)", line):
            names = [_clean(n) for n in re.split(r",\s*(?:or|and)?\s*|\s+or\s+|\s+and\s+", tail)]
            names = [n for n in names if n and len(n.split()) <= 4]
            if len(names) >= 2:
                return tuple(dict.fromkeys(names)), {}
    return (), {}


def _clean(name: str) -> str:
    return name.strip().strip("\"'“”`*.;").strip()


def _labels_from(examples: tuple[Example, ...]) -> tuple[str, ...]:
    """Short answers of the examples, or the values of their label key."""
    names = []
    for example in examples:
        if example.values is None:
            names.append(example.answer)
        else:
            names += [str(v) for k, v in example.values.items() if k.lower() in _LABEL_KEYS]
    return tuple(dict.fromkeys(name for name in names if len(name.split()) <= 4))


@lru_cache(maxsize=512)
def _preferences(text: str, labels: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """Pairs (first, second) where the request says that the first goes before the second."""
    if len(labels) < 2:
        return ()
    any_label = "|".join(sorted(map(re.escape, labels), key=len, reverse=True))
    pattern = (
        rf"[\"“]?({any_label})[\"”]? (?:\w+ )?(?:before|over|rather than) [\"“]?({any_label})\b"
    )
    return tuple(re.findall(pattern, text))


@lru_cache(maxsize=512)
def _schema_in(text: str) -> Any:
    """A JSON Schema that stands in the text itself, or None."""
    for start in (m.start() for m in re.finditer(r"\{", text)):
        try:
            value, _ = json.JSONDecoder().raw_decode(text, start)
        except ValueError:
            continue
        if isinstance(value, dict) and isinstance(value.get("properties"), dict):
            return value
    return None


def _fields_from_schema(schema: Any) -> tuple[Field, ...]:
    if not isinstance(schema, dict) or not isinstance(schema.get("properties"), dict):
        return ()
    found = []
    for name, rule in schema["properties"].items():
        rule = rule if isinstance(rule, dict) else {}
        choices = tuple(str(choice) for choice in rule.get("enum", ()))
        kind = rule.get("type", "string") if not choices else "string"
        low, high = rule.get("minimum", 1), rule.get("maximum", 5)
        whole = isinstance(low, int) and isinstance(high, int)
        found.append(Field(name, str(kind), choices, *((low, high) if whole else (1, 5))))
    return tuple(found)


def _fields_from(examples: tuple[Example, ...], text: str) -> tuple[Field, ...]:
    shown = next((e.values for e in examples if e.values), None)
    if shown is None:
        return ()
    kinds = {name: _kind_of(value) for name, value in shown.items()}
    return tuple(_with_range(Field(name, kind), text, kind) for name, kind in kinds.items())


def _kind_of(value: Any) -> str:
    if isinstance(value, bool):
        return "boolean"
    return "integer" if isinstance(value, int) else "string"


@lru_cache(maxsize=512)
def _fields_in(text: str) -> tuple[Field, ...]:
    """Keys named in prose: `JSON with the keys label, urgency (1 to 5) and reason`."""
    shown = re.findall(r"\"(\w+)\"\s*:", text)
    if not shown:
        plain = re.sub(r"\s*\([^)]*\)", "", text)  # what stands in brackets is about a key
        match = re.search(r"\b(?:keys?|fields?)\b:?\s+([^.\n]+)", plain, re.I)
        names = re.split(r",\s*(?:and)?\s*|\s+and\s+", match.group(1)) if match else []
        shown = [m.group(1) for n in names if (m := re.match(r"[\"“`]?(\w+)", n.strip()))]
    return tuple(_with_range(Field(name), text, "integer") for name in dict.fromkeys(shown))


def _with_range(wanted: Field, text: str, kind: str) -> Field:
    """The field with the bounds that the text gives it (`urgency (1 to 5)`), and then this kind."""
    numbers = re.search(
        rf"\b{re.escape(wanted.name)}\b[^.,\n]{{0,30}}?(\d+)\s*(?:to|-|–|and)\s*(\d+)", text
    )
    if not numbers:
        return wanted
    low, high = sorted((int(numbers.group(1)), int(numbers.group(2))))
    return Field(wanted.name, kind, wanted.choices, low, high)


def label_field(task: Task) -> Field | None:
    """The field that holds the label: the one with choices, or the one named so, or the first text."""
    texts = [f for f in task.fields if f.kind == "string"]
    by_choice = [f for f in texts if f.choices]
    by_name = [f for f in texts if f.name.lower() in _LABEL_KEYS]
    return next(iter([*by_choice, *by_name, *texts]), None)
