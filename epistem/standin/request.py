"""A request as a person reads it: instructions, materials, worked examples, the talk so far."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Any

from epistem.standin.images import Picture, pictures_in
from epistem.standin.words import stems

_TAG = re.compile(r"^\s*<([A-Za-z][\w -]*)>\s*$")
_HEADING = re.compile(r"^\s*(?:#{1,4}\s+(.{2,60}?)|\**([A-Z][\w '’-]{1,40}?)\**):?\**\s*$")
_INLINE = re.compile(r"^\s*\**([A-Z][\w '’-]{1,30})\**:\**\s+(\S.*)$")
_ARROW = re.compile(
    r"^[ \t]*(?:[-*•]|\d+[.)])?\s*[\"“]?(.+?)[\"”]?\s*(?:->|=>|→)\s*(.+?)\s*$", re.M
)
_PAIR = re.compile(
    r"^[ \t]*([A-Z][\w ]{0,20}):[ \t]*(.+)\n+[ \t]*([A-Z][\w ]{0,20}):[ \t]*(.+)$", re.M
)
_ITEM = re.compile(r"^\s*(?:\[([\w.-]{1,12})\]|\(?(\d{1,3})[.)]|[-*•])\s+(.+?)\s*$")
_MATERIAL = (
    "passage|context|notice|document|source|knowledge|fact|record|schema|table|draft|answer|text|"
    "message|question|reference|rubric|criteria|note|input|item|reply|history|booking|order|email|"
    "letter|data|example|conversation"
)
_TASK = (
    "message|question|input|email|letter|note|text|request|item|customer|user|client|review|guest|"
    "caller|article|claim"
)
_QUOTED = re.compile(r"\"([^\"\n]+)\"|“([^”\n]+)”|‘([^’\n]+)’|(?<!\w)'([^'\n]+)'(?!\w)")


@dataclass(frozen=True)
class Turn:
    """One message. `calls` are the tool calls it makes, (id, what about); `answers` is the id of the call
    whose result it is."""

    role: str
    text: str
    calls: tuple[tuple[str, str], ...] = ()
    answers: str | None = None


@dataclass(frozen=True)
class Example:
    """A worked example: a text, and the answer it was given."""

    text: str
    answer: str

    @cached_property
    def values(self) -> dict[str, Any] | None:
        try:
            values = json.loads(self.answer)
        except (ValueError, RecursionError):
            return None
        return values if isinstance(values, dict) else None


@dataclass(frozen=True)
class Passage:
    """A piece of the material, by the mark it stands under."""

    mark: str
    text: str


@dataclass(frozen=True)
class Request:
    """`instructions` is what the system says, or the head of a user's only message.

    `text` is what the work is done on: the user's last words, without the material sent along.
    """

    instructions: str
    text: str
    turns: tuple[Turn, ...] = ()
    body: Mapping[str, Any] | None = None
    pictures: tuple[Picture, ...] = ()

    @cached_property
    def blocks(self) -> tuple[tuple[str, str], ...]:
        last = next((turn.text for turn in reversed(self.turns) if turn.role == "user"), "")
        return (*blocks_in(self.instructions), *blocks_in(last))

    def block(self, *names: str) -> str:
        """The body of the last block whose heading has one of these words in it, or ""."""
        found = [
            body for head, body in self.blocks if any(re.search(rf"\b{n}", head) for n in names)
        ]
        return found[-1] if found else ""

    @cached_property
    def passages(self) -> tuple[Passage, ...]:
        material = self.block(
            "passage", "context", "notice", "document", "source", "knowledge", "fact"
        )
        return passages_in(material)

    @cached_property
    def examples(self) -> tuple[Example, ...]:
        """In the instructions (`text -> answer`, or a pair of lines), or as pairs of messages.

        A pair of messages is a worked example only if its user did not go on with the talk.
        """
        last = max((i for i, turn in enumerate(self.turns) if turn.role == "user"), default=0)
        shots = [
            Example(a.text.strip(), b.text.strip())
            for a, b in pairwise(self.turns[:last])
            if (a.role, b.role) == ("user", "assistant") and b.text
        ]
        return (*examples_in(self.instructions), *shots)

    @cached_property
    def told(self) -> str:
        """All that the user has said, newest last."""
        return "\n".join(turn.text for turn in self.turns if turn.role == "user")

    @cached_property
    def topic(self) -> str:
        """The user's words, with those before them when they say too little by themselves."""
        said = [turn.text for turn in self.turns[:-1] if turn.role == "user"]
        return f"{self.text} {said[-1]}" if said and len(stems(self.text)) < 3 else self.text

    @cached_property
    def results(self) -> tuple[tuple[str, str], ...]:
        """Answers of tools since the user last spoke: (what the call was about, text)."""
        about = {id: named for turn in self.turns for id, named in turn.calls}
        newest: list[Turn] = []
        for turn in reversed(self.turns):
            if turn.role == "user":
                break
            newest.append(turn)
        given = [(turn.answers, turn.text) for turn in reversed(newest)]
        return tuple((about.get(id, ""), text) for id, text in given if id)

    @property
    def rest(self) -> str:
        """The instructions that stand in the user's own last message."""
        return _without_material(self.turns[-1].text) if self.turns else ""

    @cached_property
    def schema(self) -> dict[str, Any] | None:
        wanted = (self.body or {}).get("response_format") or {}
        schema = (wanted.get("json_schema") or {}).get("schema")
        return schema if isinstance(schema, dict) else None

    @property
    def reply_kind(self) -> str:
        return str(((self.body or {}).get("response_format") or {}).get("type", "text"))


def read_request(body: Mapping[str, Any]) -> Request:
    """`body` in the chat-completions shape, checked."""
    turns = tuple(_turn(message) for message in body["messages"])
    instructions = "\n\n".join(t.text for t in turns if t.role in ("system", "developer"))
    talk = tuple(turn for turn in turns if turn.role not in ("system", "developer"))
    last = next((t.text for t in reversed(talk) if t.role == "user" and t.answers is None), "")
    text = _task_text(last)
    if not instructions and talk:
        instructions, text = _parted(last)
    shown = [m.get("content") for m in body["messages"] if m["role"] == "user"][-1:]
    return Request(instructions, text.strip(), talk, body, pictures_in(shown[0] if shown else ""))


def text_of(content: Any) -> str:
    """The text of a message's content, its parts one under the other."""
    parts = content if isinstance(content, list) else [content]
    texts = (part.get("text") if isinstance(part, dict) else part for part in parts)
    return "\n".join(text for text in texts if isinstance(text, str))


def _turn(message: Mapping[str, Any]) -> Turn:
    calls = []
    for call in message.get("tool_calls") or ():
        try:
            values = json.loads(call["function"].get("arguments") or "{}").values()
        except (ValueError, AttributeError, TypeError, RecursionError):
            values = ()
        said = [v for v in values if isinstance(v, str) and not v.upper().startswith("SELECT ")]
        calls.append((call["id"], ", ".join(said)[:60]))
    answers = message.get("tool_call_id") if message["role"] == "tool" else None
    return Turn(message["role"], _calm(text_of(message.get("content"))), tuple(calls), answers)


def _calm(text: str) -> str:
    """Without long runs of white space, which say nothing and take patterns long to read."""
    return re.sub(r"\s{9,}", lambda run: "\n\n" if "\n" in run[0] else " " * 8, text)


@lru_cache(maxsize=2_000)
def blocks_in(text: str) -> tuple[tuple[str, str], ...]:
    """Named pieces of a text: under a heading, in a tag, or after a name and a colon."""
    found: list[tuple[str, list[str]]] = []
    closing = ""
    for line in text.splitlines():
        if closing:
            if line.strip() == closing:
                closing = ""
                found.append(("", []))
            else:
                found[-1][1].append(line)
        elif tag := _TAG.match(line):
            closing = f"</{tag[1]}>"
            found.append((tag[1].lower(), []))
        elif (heading := _HEADING.match(line)) and (line.strip().endswith(":") or heading[1]):
            found.append(((heading[1] or heading[2]).lower(), []))
        elif inline := _INLINE.match(line):
            found.append((inline[1].lower(), [inline[2]]))
        elif found:
            found[-1][1].append(line)
    return tuple((head, _unfenced("\n".join(lines))) for head, lines in found if head)


def _unfenced(text: str) -> str:
    return re.sub(r"^\s*(?:```\w*|\"\"\")\n?|\n?(?:```|\"\"\")\s*$", "", text).strip()


@lru_cache(maxsize=2_000)
def passages_in(text: str) -> tuple[Passage, ...]:
    """By numbers, marks in brackets or bullets; else one for every paragraph, or line."""
    items = [_ITEM.match(line) for line in text.splitlines() if line.strip()]
    if sum(item is not None for item in items) >= max(1, len(items) // 2):
        marked = [item for item in items if item]
        return tuple(Passage(m[1] or m[2] or str(at), m[3]) for at, m in enumerate(marked, 1))
    parts = [part.strip() for part in re.split(r"\n\s*\n", text) if part.strip()]
    if len(parts) == 1:
        parts = [line.strip() for line in text.splitlines() if line.strip()]
    return tuple(Passage(str(at), part) for at, part in enumerate(parts, 1))


@lru_cache(maxsize=2_000)
def examples_in(text: str) -> tuple[Example, ...]:
    found = list(_ARROW.findall(text))
    found += [(a, b) for k1, a, k2, b in _PAIR.findall(text) if _shows(k1, k2)]
    return tuple(Example(a.strip(), b.strip()) for a, b in found)


def _shows(first: str, second: str) -> bool:
    """Whether two names at the head of lines look like a task and its answer."""
    answer = r"answer|label|output|reply|result|category|topic|class|sql|query"
    return first.lower() in _TASK.split("|") or bool(re.search(answer, second, re.I))


@lru_cache(maxsize=2_000)
def _without_material(text: str) -> str:
    """What is left of a text when the named pieces of material are taken out."""
    for head, body in blocks_in(text):
        if re.search(rf"\b(?:{_MATERIAL})", head):
            text = text.replace(body, "")
    return text


def _task_text(text: str) -> str:
    named = [b for h, b in blocks_in(text) if b and re.search(rf"\b(?:{_TASK})", h)]
    return named[-1] if named else _without_material(text).strip() or text


def _parted(text: str) -> tuple[str, str]:
    """All in one message: instructions, and the text they are about (a named piece, or the end)."""
    if _task_text(text) != text and blocks_in(text):
        return text, _task_text(text)
    head, _, tail = text.rpartition("\n\n")
    if head:
        return head, tail
    head, mark, tail = text.partition(": ")
    return (head, tail) if mark and len(head) > 12 else (text, text)


def sentences(text: str) -> list[str]:
    return [s.strip() for s in re.split(r"(?<=[.!?])[\"”']?\s+|\n+", text) if s.strip()]


def quoted(text: str) -> list[str]:
    """What stands between quotation marks."""
    return [found for marks in _QUOTED.findall(text) for found in marks if found]


def named_list(text: str) -> list[str]:
    """“a, b and c” as its names, short ones only."""
    names = re.split(r",\s*(?:or\s+|and\s+)?|\s+or\s+|\s+and\s+|;\s*|\s+then\s+", text)
    clean = (
        re.sub(r"^(?:the|their|his|her|your|an?)\s+", "", name.strip(" \t\"'“”`*.;:()"))
        for name in names
    )
    return list(dict.fromkeys(name for name in clean if name and len(name.split()) <= 4))


def bullets_after(lines: Iterable[str]) -> list[tuple[str, str]]:
    """The bullets that follow at once: (name, what is said of it)."""
    found: list[tuple[str, str]] = []
    for line in lines:
        item = _ITEM.match(line)
        if item is None:
            if found or line.strip():
                break
            continue
        name, *gloss = re.split(r"\s*(?::|—|–| - )\s*", item[3], maxsplit=1)
        found.append((name.strip(" \"'“”`*.;"), gloss[0] if gloss else ""))
    return found
