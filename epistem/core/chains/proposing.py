"""A chain from a sentence: a model writes it as YAML, is told what is wrong with it, and writes it again."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

from epistem.core.chains.content import Chain
from epistem.core.chains.walked import Speaker
from epistem.core.chains.yaml_file import FORMAT, chain_from_yaml
from epistem.core.engine.needs import AskModel, Program, SharedBody
from epistem.core.errors import InvalidFile
from epistem.core.wire.chat_completions import encode
from epistem.core.wire.reply import Reply

ROUNDS = 3
MOST_TOKENS = 4_000
LONGEST, MOST_SHOWN = 4_000, 40_000
"""Characters of a description, and of the chain as it is that are shown."""
_FENCED = re.compile(r"```(?:ya?ml)?[ \t]*\n(.*?)(?:\n```|\Z)", re.S)
GUIDE = """You design chains: work done in steps, some of which ask models. Write the whole chain as YAML, and nothing \
else.

A chain has inputs, a state of named values, steps in order, and outputs. Steps read inputs and values by their names, \
in templates as {{ name }} and in expressions in CEL; they write only values that the state has.

epistem: chain/1
name: NAME
inputs: [{name: message, kind: text}]
state: [{name: label}, {name: answer}]
steps:
  - kind: ask
    name: what it is about
    model: MODEL
    prompt:
      messages:
        - role: system
          parts: [{name: Task, text: "What is the message about? Answer with one word: fares, lost or other."}]
        - role: user
          parts: [{name: Message, text: "{{ message }}"}]
      settings: {temperature: 0, max_tokens: 10}
    writes: label
  - kind: route
    name: which way
    ways:
      - {name: fares, when: "label == 'fares'", steps: []}
    otherwise: []
outputs: {answer: answer}

Other kinds of steps, each with a name of its own:
- {kind: set, writes: {answer: "'Thank you. ' + answer"}}
- {kind: look_up, looking: {collection: NAME}, question: message, writes: passages}
- {kind: check, of: answer, checks: [{check: structure.length, options: {most: 60}}], writes: wrong}
- {kind: repeat, until: "size(wrong) == 0", most: 3, steps: [...]}: what it reads before it is written needs a start \
in the state, as {name: wrong, start: []}
- {kind: each, over: items, item: item, steps: [...], gives: answer, writes: answers}
- {kind: both, branches: [{name: one, steps: [...]}, {name: two, steps: [...]}]}
- {kind: vote, model: MODEL, prompt: {...}, times: 3, writes: answer}
- {kind: pause, shows: {answer: answer}, edits: answer}: a person approves, edits or refuses
- {kind: collect, model: MODEL, begins: message, fields: [{name: day, kind: date, question: "On which day?"}], \
reads_back: true, writes: facts}: finds facts out by talk; kinds are text, number, whole, yes_no, date, time, choice
"""


class Proposal(NamedTuple):
    """What a model proposes: the text as it was written, and the chain, None where it can't be read after all;
    `wrong` is what stands against it, in words."""

    yaml: str
    chain: Chain | None
    wrong: list[str]
    rounds: int


def propose(
    speaker: Speaker,
    name: str,
    asked: str,
    now: str,
    models: Sequence[str],
    collections: Sequence[str],
    wrong_with: Callable[[Chain], list[str]],
) -> Program[Proposal]:
    """`now` is the YAML of the chain as it is; `wrong_with` tells what stands against a chain here. Raises what a call
    raises."""
    there = [
        f"Its name is {name}.",
        f"Models there are: {', '.join(models)}.",
        f"Collections there are: {', '.join(collections) or 'none, so look nothing up'}.",
    ]
    shown = now if len(now) <= MOST_SHOWN else f"{now[:MOST_SHOWN]}\n# … and more, not shown"
    messages = [
        ("system", GUIDE + "\n" + "\n".join(there)),
        ("user", f"The chain as it is now:\n\n{shown}\n\nWhat it is to do:\n\n{asked}"),
    ]
    proposal = Proposal("", None, [], 0)
    for number in range(1, ROUNDS + 1):
        body = speaker.wire.build_request(
            speaker.asked_as,
            messages,
            {"temperature": 0.0, "max_tokens": MOST_TOKENS},
            seed=None,
            json_schema=None,
            tools=[],
        )
        reply: Reply = yield AskModel(
            f"proposal.{number}", SharedBody(encode(body)), number, speaker.name
        )
        text = yaml_in(reply.text, name)
        chain, wrong = _read(text, wrong_with)
        proposal = Proposal(text, chain, wrong, number)
        if not wrong:
            break
        told = "\n".join(f"- {each}" for each in wrong)
        again = f"That is not right yet:\n{told}\n\nWrite the whole chain again, as YAML alone."
        messages = [*messages[:2], ("assistant", reply.text), ("user", again)]
    return proposal


def yaml_in(text: str, name: str) -> str:
    """The YAML of a reply, with the head of a file where the model left that out."""
    found = _FENCED.search(text)
    told = (found[1] if found else text).strip() + "\n"
    if not re.search(r"^name:", told, re.M):
        told = f"name: {name}\n{told}"
    if not re.search(r"^epistem:", told, re.M):
        told = f"epistem: {FORMAT}\n{told}"
    return told


def _read(text: str, wrong_with: Callable[[Chain], list[str]]) -> tuple[Chain | None, list[str]]:
    try:
        chain = chain_from_yaml(text).content
    except InvalidFile as error:
        where = f"Line {error.line}: " if error.line else ""
        return None, [f"{where}{error.message}"]
    return chain, wrong_with(chain)
