"""What the person of a case says in a trial: by its turns and rules, or as a model has it that plays them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from epistem.core.cases.content import Case, title_of
from epistem.core.cases.persona import LONGEST_REPLY, Persona, talk_for
from epistem.core.cases.talk import NOBODY, Talked, talked
from epistem.core.chains.content import Chain
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.engine.needs import AskModel, Program, SharedBody
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import first_words
from epistem.core.wire.chat_completions import encode
from epistem.core.wire.reply import Reply

_PLACE = ".person"


class PersonFailed(EpistemError):
    """The model that plays the person gave no reply."""


class Person:
    """The person of one talk: remembers what was replied so far."""

    def __init__(
        self,
        case: Case,
        opening: str,
        models: Mapping[str, JudgeModel],
        replies: Mapping[int, str] = NOBODY,
    ) -> None:
        """`models` are those that may play them, by name; `opening` is what they wrote first."""
        self._case, self._opening, self._models = case, opening, models
        self._replies = dict(replies)

    def says(self, answers: Sequence[str]) -> Program[str | None]:
        """To the last of these answers; None ends the talk. Raises PersonFailed, and InvalidInput for a model
        that is not there."""
        told = yield from self.talked(answers)
        return told.said[-1] if told.ended is None else None

    def talked(self, answers: Sequence[str]) -> Program[Talked]:
        """All that was said so far. At most one model is asked: for what is said to the last answer."""
        told = talked(self._case, answers, self._replies)
        if not told.asks:
            return told
        persona = self._case.person.persona if self._case.person else None
        assert persona is not None, "rules ask no model"
        at = len(told.said)
        model = self._models.get(persona.model)
        if model is None:
            raise InvalidInput(
                f"{persona.model or 'The model'}, which plays the person, is not in the list of models.",
                field="case.person.persona.model",
            )
        body = _body(persona, model, self._opening, answers[: at + 1], told.said)
        try:
            reply: Reply = yield AskModel(f"{at}{_PLACE}", body, persona.seed, persona.model)
        except EpistemError as error:
            why = f"{persona.model}, which plays the person, did not answer: {error.message}"
            raise PersonFailed(why) from error
        if not reply.text.strip() and reply.finish_reason == "length":
            raise PersonFailed(
                f"{persona.model}, which plays the person, was cut off before it said a word."
            )
        self._replies[at] = reply.text
        return talked(self._case, answers, self._replies)


def opening_of(prompt: Prompt, inputs: Mapping[str, Any], case: Case) -> str:
    """The person's first words, as far as an input of the prompt has them."""
    words = first_words(prompt)
    told = inputs.get(words) if words is not None else None
    return told if isinstance(told, str) else title_of(case)


def opening_words(chain: Chain, inputs: Mapping[str, Any], case: Case) -> str:
    """The same, of a chain."""
    told = inputs.get(chain.talk.words) if chain.talk else None
    return told if isinstance(told, str) else title_of(case)


def is_of_person(path: str) -> bool:
    """Whether what is needed there is what a model says that plays the person."""
    return path.endswith(_PLACE)


def replies_in(texts: Iterable[tuple[str, str]]) -> dict[int, str]:
    """What the model replied, by the place of the answer: out of the (path, text) of a talk's calls."""
    return {int(path.removesuffix(_PLACE)): text for path, text in texts if path.endswith(_PLACE)}


def _body(
    persona: Persona, model: JudgeModel, opening: str, answers: Sequence[str], said: Sequence[str]
) -> SharedBody:
    request = model.wire.build_request(
        model.asked_as,
        talk_for(persona, opening, answers, said),
        {"temperature": 0.0, "max_tokens": LONGEST_REPLY},
        seed=None,
        json_schema=None,
        tools=[],
    )
    return SharedBody(encode(request))
