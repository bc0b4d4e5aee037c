"""Writing a chain as YAML from a description: a step for each thing that it says is done.

A careless model forgets to declare a value of the state the first time, and puts it right when it is told so.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import yaml

from epistem.standin.job import Job, register
from epistem.standin.request import named_list

_TASK = re.compile(r"\bdesign chains\b", re.I)
_WANTED = re.compile(r"What it is to do:\s*(.+)\Z", re.S)
_CLAUSES = re.compile(
    r"(?<=[^.])[.;]\s+|[,;]?\s+(?:and\s+)?then\s+|,\s+and\s+(?=[a-z]+ )|\n+", re.I
)
_SORT = re.compile(
    r"\b(?:sort|classif\w+|categor\w+|decide (?:what|which)|tell what|what it is about)\b", re.I
)
_LOOK = re.compile(r"\blook(?:s|ed)? (?:\w+ ){0,3}up\b|\bsearch|\bpassages?\b", re.I)
_PERSON = re.compile(
    r"\bapprov\w+|\bsign(?:s|ed)? off\b|\ba (?:person|human|colleague|manager)\b", re.I
)
_COLLECT = re.compile(r"\bcollect\b|\bask (?:them |the \w+ )?for\b|\bfind out\b", re.I)
_AGAIN = re.compile(r"\buntil\b|\bagain\b|\brewrit\w+ it\b|\breview\w*\b", re.I)
_CHECK = re.compile(r"\bcheck\w*\b|\bat most \d+ words\b|\bno (?:longer|more) than\b", re.I)
_WORDS = re.compile(r"(\d+) words", re.I)
_FACTS = re.compile(r"\b(?:the|their|a|an|which|what)\s+", re.I)
Step = dict[str, Any]


class _Draft:
    """Steps as they come together; names of values that are written."""

    def __init__(self, job: Job) -> None:
        self.text = job.instructions
        self.model = self._first("Models there are: ")
        self.collection = self._first("Collections there are: ")
        self.steps: list[Step] = []
        self.state: dict[str, Any] = {}

    def _first(self, head: str) -> str:
        found = re.search(rf"{head}([^.\n]+)", self.text)
        first = found[1].split(",")[0].strip() if found else ""
        return "" if first.startswith("none") else first

    def add(self, step: Step, writes: str = "", start: Any = None) -> None:
        self.steps.append({**step, "name": f"{step['name']}"[:60]})
        if writes:
            self.state.setdefault(writes, start)

    def ask(self, name: str, task: str, user: str, writes: str, tokens: int = 300) -> Step:
        messages = [
            {"role": "system", "parts": [{"name": "Task", "text": task}]},
            {"role": "user", "parts": [{"name": "Message", "text": user}]},
        ]
        prompt = {"messages": messages, "settings": {"temperature": 0.2, "max_tokens": tokens}}
        self.state.setdefault(writes, None)
        return {
            "kind": "ask",
            "name": name,
            "model": self.model,
            "prompt": prompt,
            "writes": writes,
        }

    @property
    def shown(self) -> str:
        """What a step that writes is shown."""
        told = "{{ message }}"
        if "facts" in self.state:
            told += "\n\nWhat is known: {{ facts }}"
        if "passages" in self.state:
            told += "\n\nPassages:\n{% for each in passages %}- {{ each.text }}\n{% endfor %}"
        if "label" in self.state:
            told += "\n\nIt is about: {{ label }}"
        return told


def _sort(draft: _Draft, clause: str) -> None:
    labels = [
        each for each in named_list(re.split(r"\b(?:into|as|whether|:)\s*", clause)[-1]) if each
    ]
    labels = labels if len(labels) > 1 else ["question", "complaint", "other"]
    task = f"What is the message about? Answer with one word: {', '.join(labels[:-1])} or {labels[-1]}."
    draft.add(draft.ask("what it is about", task, "{{ message }}", "label", 12))


def _look(draft: _Draft, clause: str) -> None:
    if draft.collection:
        look = {
            "kind": "look_up",
            "name": "look it up",
            "looking": {"collection": draft.collection},
        }
        draft.add({**look, "question": "message", "writes": "passages"}, "passages")


def _collect(draft: _Draft, clause: str) -> None:
    told = _FACTS.sub("", re.split(_COLLECT, clause)[-1]).strip(" :.")
    names = named_list(told) or [told]
    fields = []
    for each in names[:8]:
        name = re.sub(r"\W+", "_", each.strip().lower()).strip("_")[:40]
        kind = (
            "date"
            if re.search(r"day|date", name)
            else "whole"
            if re.search(r"number_of|seats|people|how_many", name)
            else "text"
        )
        fields.append({"name": name or "fact", "kind": kind})
    step = {
        "kind": "collect",
        "name": "find out what is needed",
        "model": draft.model,
        "begins": "message",
    }
    draft.add({**step, "fields": fields, "reads_back": True, "writes": "facts"}, "facts")


def _person(draft: _Draft, clause: str) -> None:
    _answered(draft)
    draft.add(
        {
            "kind": "pause",
            "name": "a person looks at it",
            "shows": {"answer": "answer"},
            "edits": "answer",
        }
    )


def _check(draft: _Draft, clause: str) -> None:
    _answered(draft)
    words = _WORDS.search(clause)
    checks = [{"check": "structure.length", "options": {"most": int(words[1]) if words else 80}}]
    check = {
        "kind": "check",
        "name": "look it over",
        "of": "answer",
        "checks": checks,
        "writes": "wrong",
    }
    if not _AGAIN.search(clause):
        draft.add(check, "wrong")
        return
    last = draft.steps.pop()
    draft.state["wrong"] = []
    if last["kind"] == "ask":
        part = last["prompt"]["messages"][1]["parts"][0]
        part["text"] += "\n{% if wrong %}The last draft was not right: {{ wrong }}{% endif %}"
    loop = {"kind": "repeat", "name": "until it is right", "most": 3, "until": "size(wrong) == 0"}
    draft.add({**loop, "steps": [last, check]}, "wrong", [])


def _write(draft: _Draft, clause: str) -> None:
    task = clause[:1].upper() + clause[1:].rstrip(".") + "."
    number = sum(step["kind"] == "ask" for step in draft.steps)
    name = " ".join(clause.split()[:4]).lower().rstrip(",.") or f"write {number + 1}"
    again = "answer" in draft.state
    user = f"{draft.shown}\n\nSo far: {{{{ answer }}}}" if again else draft.shown
    draft.add(draft.ask(name, task, user, "answer"))


def _answered(draft: _Draft) -> None:
    if "answer" not in draft.state:
        _write(draft, "Answer the message in a few plain sentences")


_KINDS: tuple[tuple[re.Pattern[str], Callable[[_Draft, str], None]], ...] = (
    (_SORT, _sort), (_COLLECT, _collect), (_LOOK, _look), (_PERSON, _person), (_CHECK, _check), (_AGAIN, _check),
)  # fmt: skip


def _told(job: Job) -> str:
    users = [turn.text for turn in job.request.turns if turn.role == "user"]
    found = next((m for text in users if (m := _WANTED.search(text))), None)
    return found[1].strip() if found else job.text


def _chain(job: Job) -> str:
    draft = _Draft(job)
    for clause in filter(None, (each.strip(" .,") for each in _CLAUSES.split(_told(job)))):
        make = next((make for pattern, make in _KINDS if pattern.search(clause)), _write)
        make(draft, clause)
    _answered(draft)
    names: dict[str, int] = {}
    for step in draft.steps:
        names[step["name"]] = names.get(step["name"], 0) + 1
        if names[step["name"]] > 1:
            step["name"] += f" {names[step['name']]}"
    told = sum(turn.role == "user" for turn in job.request.turns) > 1
    state = [{"name": n, **({} if s is None else {"start": s})} for n, s in draft.state.items()]
    if not told and len(state) > 1 and job.mind.slips("forgets a value", times=4):
        state = state[:-1]
    named = re.search(r"Its name is ([\w-]+)", job.instructions)
    chain = {
        "epistem": "chain/1",
        "name": named[1] if named else "chain",
        "inputs": [{"name": "message", "kind": "text"}],
        "state": state,
        "steps": draft.steps,
        "outputs": {"answer": "answer"},
    }
    return str(yaml.safe_dump(chain, sort_keys=False, allow_unicode=True, width=100))


def _answer(job: Job) -> None:
    job.out.say(f"```yaml\n{_chain(job)}```" if job.mind.slips("fence") else _chain(job))


register("chainwright", lambda job: bool(_TASK.search(job.instructions)), _answer)
