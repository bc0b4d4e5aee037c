"""Any chain: a walk of it ends, replays as it was, and is resumed from any part of its record."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.chains.content import Chain
from epistem.core.chains.walking import Walk
from epistem.core.engine.run import NotInRecord, Run, replayed, settled
from tests.kit.chains import INNER, SPEAKERS, World, ask, chain, prompt, put

NUMBERS = st.sampled_from(["n + 1", "n * 2", "3", "n"])
LEAVES = st.one_of(
    NUMBERS.map(lambda told: {"kind": "set", "writes": {"n": told}}),
    st.just({"kind": "set", "writes": {"all": "[n]"}}),
    st.sampled_from(["small", "large"]).map(
        lambda model: {
            "kind": "ask",
            "prompt": prompt("{{ n }}"),
            "model": model,
            "writes": {"all": "text"},
        }
    ),
    st.just(
        {
            "kind": "vote",
            "prompt": prompt("{{ n }}"),
            "model": "small",
            "times": 2,
            "writes": "said",
        }
    ),
    st.just({**put("limited", n="n + 1"), "seconds": 60}),
    st.just({"kind": "pause", "name": "p", "shows": {"n": "n"}, "edits": "n", "writes": "said"}),
    st.just(
        {
            "kind": "call",
            "name": "c",
            "chain": INNER,
            "given": {"word": "string(n)"},
            "writes": "said",
        }
    ),
)


def nested(inner):
    steps = st.lists(inner, min_size=1, max_size=3)
    return st.one_of(
        st.builds(
            lambda s, most: {"kind": "repeat", "steps": s, "until": "n > 40", "most": most, "best": "n"},
            steps, st.integers(1, 3),
        ),
        st.builds(
            lambda s: {"kind": "each", "over": "[1, 2]", "steps": s, "gives": "n + item", "writes": "sums"}, steps
        ),
        st.builds(
            lambda a, b: {"kind": "both", "branches": [{"name": "a", "steps": a}, {"name": "b", "steps": b}]},
            steps, steps,
        ),
        st.builds(
            lambda a, b: {"kind": "route", "ways": [{"name": "w", "when": "n > 2", "steps": a}], "otherwise": b},
            steps, st.just([]),
        ),
        st.builds(
            lambda a, b: {"kind": "route", "ways": [{"name": "w", "about": "this", "steps": a}], "otherwise": b,
                          "chooser": {"model": "large", "of": "n"}},
            steps, steps,
        ),
    )  # fmt: skip


def named(steps, count=None):
    """Each step with a name of its own."""
    count = count if count is not None else [0]
    told = []
    for step in steps:
        count[0] += 1
        step = {**step, "name": f"s{count[0]}"}
        for key in ("steps", "otherwise"):
            if key in step:
                step[key] = named(step[key], count)
        for key in ("branches", "ways"):
            if key in step:
                step[key] = [{**each, "steps": named(each["steps"], count)} for each in step[key]]
        told.append(step)
    return told


COLLECT = {
    "kind": "collect",
    "fields": [{"name": "a"}, {"name": "b", "kind": "whole"}],
    "model": "small",
    "begins": "question",
    "reads_back": True,
    "on_giving_up": "go_on",
    "writes": "said",
}
TALK = {"words": "question", "turns": 3, "summary": {"model": "large"}}
TOP = st.lists(
    st.one_of(st.recursive(LEAVES, nested, max_leaves=8), st.just(COLLECT)), min_size=1, max_size=4
)
CHAINS = st.tuples(TOP, st.sampled_from([{}, {"talk": TALK}])).map(
    lambda told: Chain.from_json(
        {
            **told[1],
            "inputs": [{"name": "question"}],
            "state": [
                {"name": "n", "start": 1},
                {"name": "all", "how": "append"},
                {"name": "said"},
                {"name": "sums"},
            ],
            "steps": named(told[0]),
            "outputs": {"n": "n", "all": "all"},
            "caps": {"steps": 80, "calls": 25},
        }
    )
)


def say(text, need):
    if b"Take down facts" in need.body.content:
        return '{"a": "x", "b": 1, "right": true}' if len(text) % 3 else "{}"
    return f"{text}/{need.seed}/{need.model}"


def hear(need):
    return f"to {len(need.says)}" if len(need.says) % 7 else None


class TestAnyChain:
    @settings(max_examples=150, deadline=None)
    @given(CHAINS)
    def test_it_ends_and_its_replay_is_the_same(self, told):
        run = Run(Walk(told, SPEAKERS).program({"question": "x"}))
        found = settled(run, World(say, hears=hear))
        assert found.ended in ("done", "cap"), found.why
        assert len(found.steps) <= 80
        assert replayed(Walk(told, SPEAKERS).program({"question": "x"}), run.record) == found

    @settings(max_examples=60, deadline=None)
    @given(CHAINS, st.randoms(use_true_random=False))
    def test_resumed_from_any_part_of_its_record_it_is_the_same_and_asks_nothing_twice(
        self, told, random
    ):
        run = Run(Walk(told, SPEAKERS).program({"question": "x"}))
        found = settled(run, World(say, hears=hear))
        kept = {path: noted for path, noted in run.record.items() if random.random() < 0.5}
        world = World(say, hears=hear)
        again = settled(Run(Walk(told, SPEAKERS).program({"question": "x"}), dict(kept)), world)
        assert again == found
        assert not set(world.asked) & set(kept)

    def test_a_replay_departs_where_something_was_changed(self):
        one = chain(ask("a"), ask("b", "{{ said }}"))
        run = Run(Walk(one, SPEAKERS).program({"question": "x"}))
        settled(run, World())
        other = chain(ask("a"), ask("b", "{{ said }} please"))
        with pytest.raises(NotInRecord) as departed:
            replayed(Walk(other, SPEAKERS).program({"question": "x"}), run.record)
        assert departed.value.field == "2.1"
