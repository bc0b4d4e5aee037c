"""A step that finds facts out by talk: a model takes down what is said, the rest follows rules that can be read here.

All that one message tells is noted. Then one thing is asked for at a time, in other words from the second time on. Who
refuses, or asks why, is told why; what is not required is let go then, and without what is required it gives up.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from epistem.core.chains.asking import Asker
from epistem.core.chains.facts import about_field, noted_as, placed_value
from epistem.core.chains.going import Going, json_in, wrote
from epistem.core.chains.kinds import Collect, CollectedField
from epistem.core.chains.talking import Talking
from epistem.core.chains.walked import Exchange, KnownSoFar, Stepped
from epistem.core.engine.answers import Answered
from epistem.core.engine.needs import Note, Program
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.dialogue import Turn
from epistem.core.shapes import count, listed

AGAIN = "I could not make that out. "
STILL_THERE = "Are you still there? "
GOODBYE = "I can’t go on without that. Thank you for your time; write again whenever you like."
MOST_READ_BACK = 3
TRIES = 2


class Heard(NamedTuple):
    """What a message told. `unclear` are facts that it says something of which is no value of theirs."""

    facts: dict[str, Any]
    unclear: list[str]
    refused: list[str]
    asks_why: bool
    right: bool | None


class GaveUp(Exception):
    """The talk leads no further."""

    def __init__(self, why: str, silent: bool = False) -> None:
        super().__init__(why)
        self.why, self.silent = why, silent


class Collector:
    """One taking of the step, at one place of a walk."""

    def __init__(self, step: Collect, at: str, asker: Asker, talking: Talking) -> None:
        self._step, self._at, self._asker, self._talking = step, at, asker, talking
        self._fields = {field.name: field for field in step.fields}
        self._facts: dict[str, Any] = {}
        self._asked = dict.fromkeys(self._fields, 0)
        self._told_why: set[str] = set()
        self._let_go: set[str] = set()
        self._unclear: set[str] = set()
        self._said: list[Exchange] = []
        self._answers: list[Answered] = []
        self._read_so_often = 0

    def collect(self, going: Going, given: dict[str, Any]) -> Program[Stepped]:
        step = self._step
        begun = str(going.state.value_of(step.begins) or "").strip() if step.begins else ""
        before = going.state.values.get(step.writes)
        if isinstance(before, dict):  # of an earlier turn, or of one that gave up
            self._note(self._let_in(before))
            self._let_go = {n for n, field in self._fields.items() if not field.required}
        known_before = dict(self._facts)
        gave_up: GaveUp | None = None
        try:
            if begun:
                self._note(self._let_in((yield from self._read("", begun, going))))
            yield from self._until_known(going)
            if step.reads_back and self._facts != known_before:
                yield from self._read_back(going)
        except GaveUp as end:
            gave_up = end
            if not end.silent:
                says = step.goodbye or GOODBYE
                self._said.append(Exchange(says, None))
                self._talking.tell(says)
                going.talk.append(Turn(role="assistant", text=says))
        facts = {name: self._facts[name] for name in self._fields if name in self._facts}
        known = f"{len(facts)} of {count(len(self._fields), 'fact')}"
        told = f"{known} after {count(len(self._said), 'question')}"
        done = wrote(going, step, self._at, given, [(step.writes, facts)], told)
        if self._answers:
            done = self._asker.with_tools(done, step.model, self._answers)
        done = done._replace(said=tuple(self._said))
        if gave_up is None:
            return done
        halts = step.on_giving_up == "halt"
        return done._replace(fault=gave_up.why, halts="halted" if halts else "")

    def _until_known(self, going: Going) -> Program[None]:
        """Asks for one thing at a time, until all is known that is required and the rest was asked for. Raises
        GaveUp."""
        while (field := self._next()) is not None:
            name = field.name
            if self._asked[name] >= self._step.asks:
                if field.required:
                    raise GaveUp(f"“{name}” was asked for {self._step.asks} times.")
                self._let_go.add(name)
                continue
            before = self._asked[name]
            self._asked[name] += 1
            question = self._question(field, again=before > 0)
            heard = yield from self._ask(question, going)
            self._note(heard)
            if name in self._facts:
                continue
            if name in heard.refused or heard.asks_why:
                yield from self._refused(field, going, refused=name in heard.refused)

    def _next(self) -> CollectedField | None:
        """What is asked for next: what is required first."""
        open_ = [
            field
            for field in self._step.fields
            if field.name not in self._facts and field.name not in self._let_go
        ]
        return next((field for field in open_ if field.required), open_[0] if open_ else None)

    def _refused(self, field: CollectedField, going: Going, *, refused: bool) -> Program[None]:
        """Why it is asked for is told, once; then what is not required is let go. Raises GaveUp for what is."""
        name = field.name
        if name not in self._told_why and (field.why or not refused):
            self._told_why.add(name)
            self._asked[name] += 1
            why = field.why or "It is needed for what you want."
            heard = yield from self._ask(f"{why} {self._question(field, again=True)}", going)
            self._note(heard)
            if name in self._facts or name not in heard.refused:
                return
            refused = True
        if refused and field.required:
            raise GaveUp(f"“{name}” was refused.")
        if refused:
            self._let_go.add(name)

    def _read_back(self, going: Going) -> Program[None]:
        """Until the person says that what was noted is right. Raises GaveUp."""
        for _ in range(MOST_READ_BACK):
            noted = [
                f"{name.replace('_', ' ')}: {noted_as(self._facts[name])}"
                for name in self._fields
                if name in self._facts
            ]
            before = dict(self._facts)
            heard = yield from self._ask(f"I noted {'; '.join(noted)}. Is that right?", going)
            self._note(heard)
            if heard.right and self._facts == before:
                return
            if heard.right is False and self._facts == before:
                wrong = yield from self._ask("What is to be otherwise?", going)
                self._note(wrong)
        raise GaveUp("What was noted was never said to be right.")

    def _ask(self, says: str, going: Going) -> Program[Heard]:
        """Says it, and takes down what is said to it; where nothing is, it asks once more after a while."""
        step, follow = self._step, self._step.follow_up_minutes
        hours = step.hours if follow is None else follow / 60
        words = yield from self._say(says, hours, going)
        if words is None and follow is not None:
            words = yield from self._say(f"{STILL_THERE}{says}", step.hours, going)
        if words is None:
            raise GaveUp("Nothing was said.", silent=True)
        heard = self._let_in((yield from self._read(says, words, going)))
        known = KnownSoFar(self._at, step.writes, {**self._facts, **heard.facts})
        yield Note(f"{self._at}~known{len(self._said)}", known)
        return heard

    def _say(self, says: str, hours: float, going: Going) -> Program[str | None]:
        going.talk.append(Turn(role="assistant", text=says))
        words = yield from self._talking.hear(f"{self._at}.said{len(self._said) + 1}", says, hours)
        self._said.append(Exchange(says, words))
        if words is not None:
            going.talk.append(Turn(role="user", text=words))
        return words

    def _read(self, asked: str, words: str, going: Going) -> Program[dict[str, Any]]:
        """What a model takes down; asked again where that is no record, or where the call fails, as often as the step
        says, and once in any case. Raises what stands in the way in the end."""
        step = self._step
        told = {
            "fields": [{"name": field.name, "about": about_field(field)} for field in step.fields],
            "asked": asked,
            "message": words,
        }
        wrong: EpistemError | None = None
        for again in range(max(TRIES, 1 + step.retries)):
            self._read_so_often += 1
            place, seed = f"{self._at}.n{self._read_so_often}", self._asker.seed + again
            try:
                answered = yield from self._asker.note(step, told, place, seed, going)
            except EpistemError as error:
                wrong = error
                continue
            self._answers.append(answered)
            found = json_in(answered.reply.text)
            if isinstance(found, dict):
                return found
        raise wrong or InvalidInput(
            f"{step.model} took nothing down: its answer is no JSON record."
        )

    def _let_in(self, told: dict[str, Any]) -> Heard:
        """As values of their kinds; what is none is unclear."""
        facts, unclear = {}, []
        for name, field in self._fields.items():
            value = told.get(name)
            if value is None or value == "":
                continue
            plain = isinstance(value, str | int | float)
            placed = placed_value(field, value) if plain else None
            if placed is None:
                unclear.append(name)
            else:
                facts[name] = placed
        listed_ = told.get("refused")
        refused = (
            [n for n in listed_ if isinstance(n, str) and n in self._fields]
            if isinstance(listed_, list)
            else []
        )
        right = told.get("right")
        asks_why = told.get("asks_why") is True
        return Heard(facts, unclear, refused, asks_why, right if isinstance(right, bool) else None)

    def _note(self, heard: Heard) -> None:
        self._facts |= heard.facts
        self._unclear = (self._unclear | set(heard.unclear)) - set(self._facts)
        self._let_go -= set(heard.facts)

    def _question(self, field: CollectedField, *, again: bool) -> str:
        plain = field.name.replace("_", " ")
        question = field.question or f"What is the {plain}?"
        unclear = AGAIN if field.name in self._unclear else ""
        if not again and not unclear:
            return question
        if field.again:
            return f"{unclear}{field.again}"
        if field.kind == "choice":
            return f"{unclear}{question} It can be {listed(field.choices)}."
        return f"{unclear}{question} {_as_wanted(field)}".strip()


def _as_wanted(field: CollectedField) -> str:
    """In which form it can be understood."""
    if field.kind in ("number", "whole") and (field.least is not None or field.most is not None):
        least = "" if field.least is None else f"from {field.least:g}"
        most = "" if field.most is None else f"to {field.most:g}"
        return f"A number {f'{least} {most}'.strip()}, please."
    wanted = {
        "number": "A number, please.",
        "whole": "A whole number, please.",
        "yes_no": "Yes or no, please.",
        "date": "A day, as in 3 May 2027, please.",
        "time": "A time, as in 14:30, please.",
        "text": "A few words are enough.",
    }
    return wanted.get(field.kind, "")
