"""Small chains, and a world that answers what their walks need."""

import json

from epistem.core.chains.content import Chain
from epistem.core.chains.walked import Speaker
from epistem.core.chains.walking import Walk
from epistem.core.engine.needs import (
    AskModel,
    AskPerson,
    Found,
    FoundPassage,
    HearPerson,
    LookUp,
    PersonSaid,
    UseTool,
)
from epistem.core.engine.run import given_by
from epistem.core.prompts.tools import answer_call
from epistem.core.wire.formats import FORMATS
from epistem.core.wire.reply import Reply, Usage

SPEAKERS = {
    name: Speaker(name, name, FORMATS["chat_completions"], ("tools", "reply_schema"), 0.001, 0.002)
    for name in ("small", "large")
}


def prompt(text="{{ question }}", **more):
    return {"messages": [{"role": "user", "parts": [{"name": "Q", "text": text}]}], **more}


def ask(name, text="{{ question }}", writes="said", **more):
    return {
        "kind": "ask",
        "name": name,
        "prompt": prompt(text),
        "model": "small",
        "writes": writes,
        **more,
    }


def put(name, **writes):
    return {"kind": "set", "name": name, "writes": writes}


def chain(*steps, state=("said",), outputs=None, **more):
    values = [{"name": each} if isinstance(each, str) else each for each in state]
    told = {"inputs": [{"name": "question"}], "state": values, "steps": list(steps)}
    return Chain.from_json({**told, "outputs": outputs or {"said": "said"}, **more})


INNER = {
    "kind": "chain",
    "inputs": [{"name": "word"}],
    "state": [{"name": "loud"}],
    "steps": [ask("shout", "{{ word }}!", "loud")],
    "outputs": {"out": "loud"},
}
PAUSE = {"kind": "pause", "name": "p", "shows": {"q": "question"}, "edits": "all"}


class World:
    """Models that echo what they are asked, unless the test says otherwise; counts what is needed."""

    def __init__(self, say=None, person=None, hears=()):
        self.said, self.hears = [], hears if callable(hears) else list(hears)
        self.asked, self.say = [], say or (lambda text, need: text.upper())
        self.person = person or (lambda need: PersonSaid("approved", by="ada"))

    def __call__(self, need):
        self.asked.append(need.path)
        if isinstance(need, AskModel):
            text = json.loads(need.body.content)["messages"][-1]["content"]
            said = self.say(text, need)
            if isinstance(said, Exception):
                raise said
            return said if isinstance(said, Reply) else Reply(said, "stop", Usage(10, 5), "small")
        if isinstance(need, AskPerson):
            return self.person(need)
        if isinstance(need, HearPerson):
            self.said.append(need.says)
            if callable(self.hears):
                return self.hears(need)
            return self.hears.pop(0) if self.hears else None
        if isinstance(need, UseTool):
            return answer_call(need.at_hand, need.name, need.arguments)
        assert isinstance(need, LookUp)
        return Found(1, (FoundPassage("rules#1", "", f"about {need.question}", 1.0),))


def walked(told, question="when?", say=None, person=None, hears=(), person_says=None, **how):
    world = World(say, person, hears)
    return given_by(
        Walk(told, SPEAKERS, person=person_says, **how).program({"question": question}), world
    ), world
