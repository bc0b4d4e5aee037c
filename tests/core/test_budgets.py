"""Budgets hold: whatever runs side by side, in whatever order, no cap of a chain is passed, by one call either."""

import asyncio
import json
import random
from contextlib import suppress
from copy import deepcopy
from datetime import datetime

from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.chains.content import Caps
from epistem.core.chains.held import MOST_HELD
from epistem.core.chains.walking import Walk
from epistem.core.engine.budget import Budget, Charge, Later, Ledger, Refused
from epistem.core.engine.run import Run, replayed
from epistem.core.wire.formats import FORMATS
from epistem.core.wire.reply import Reply, Usage
from epistem.models.driving import SIDE_BY_SIDE, Driven, carry_out
from epistem.models.trouble import CallTrace
from tests.core.test_any_chain import CHAINS, hear, say
from tests.kit.chains import SPEAKERS, World, ask, chain, put

SHORT = {"settings": {"max_tokens": 20}}


class FellOver(Exception):
    pass


class Models:
    """A client whose models answer in an order of their own, and which may fall over in the middle of it all."""

    def __init__(self, seed, dies_after=None, tell=say, longest=5):
        self.random, self.dies_after, self.tell = random.Random(seed), dies_after, tell
        self.longest = longest
        self.began = self.at_once = self.most_at_once = 0

    def endpoint_of(self, need):
        self.need = need
        return self

    format = FORMATS["chat_completions"]

    async def recall(self, need):
        return None

    async def heard(self, need, made):
        pass

    def left(self, need):
        pass

    async def ask(self, endpoint, body):
        need = self.need
        self.began += 1
        if self.dies_after is not None and self.began > self.dies_after:
            raise FellOver
        self.at_once += 1
        self.most_at_once = max(self.most_at_once, self.at_once)
        for _ in range(self.random.randrange(6)):
            await asyncio.sleep(0)
        self.at_once -= 1
        limit = json.loads(body).get("max_tokens") or self.longest
        written = self.random.choice([5, min(limit, self.longest)])
        said = lambda text, need: Reply(self.tell(text, need), "stop", Usage(10, written), "m")  # noqa: E731
        return b"{}", World(said)(need), CallTrace(datetime(2026, 1, 1), 1.0, 1)


def driven_by(told, models, record=None):
    """The run of a walk that these models answer; broken off where they fall over."""

    async def one():
        run = Run.resumed(lambda: Walk(told, SPEAKERS).program({"question": "x"}), record or {})
        driven = Driven(run)

        async def says(need):
            return World().person(need)

        async def hears(need):
            return hear(need)

        with suppress(FellOver):
            await carry_out(models, None, driven, aside=models, person=says, hear=hears)
        return driven

    with asyncio.Runner() as runner:
        return runner.run(one())


def cents_in(record):
    return sum(
        each.given.usage.input_tokens * 0.001 + each.given.usage.output_tokens * 0.002
        for each in record.values()
        if isinstance(each.given, Reply)
    )


def calls_in(record):
    return sum(isinstance(each.given, Reply) for each in record.values())


class TestAnyChain:
    @settings(max_examples=120, deadline=None)
    @given(
        CHAINS,
        st.integers(1, 60),
        st.integers(1, 12),
        st.one_of(st.none(), st.floats(2.0, 40.0)),
        st.integers(0, 999),
        st.integers(0, 12),
    )
    def test_no_cap_is_passed_and_a_replay_is_refused_the_same(
        self, told, steps, calls, cents, order, dies_after
    ):
        told = deepcopy(told).model_copy(
            update={"caps": Caps(steps=steps, calls=calls, cents=cents)}
        )
        first = Models(order, dies_after, longest=2_048)
        broken_off = driven_by(told, first)
        record = dict(broken_off.run.record)
        second = Models(order + 1, longest=2_048)
        driven = driven_by(told, second, dict(record))
        found = driven.run.result
        assert sum(each.kind != "summary" for each in found.steps) <= steps
        assert calls_in(driven.run.record) <= calls
        if cents is not None:
            assert cents_in(driven.run.record) <= cents + 1e-9
        assert second.began + calls_in(record) <= calls
        again = replayed(Walk(told, SPEAKERS).program({"question": "x"}), driven.run.record)
        assert again == found


class TestSideBySide:
    def test_what_runs_in_each_other_shares_one_budget(self):
        items = "[" + ", ".join(map(str, range(200))) + "]"
        inner = {"kind": "each", "name": "inner", "over": items, "steps": [ask("a", "{{ item }}")],
                 "gives": "item", "writes": "said", "at_once": 16}  # fmt: skip
        outer = {**inner, "name": "outer", "steps": [inner]}
        for caps, most in ({"calls": 60, "steps": 5_000}, 60), ({"calls": 2_000, "steps": 40}, 40):
            models = Models(3, tell=lambda text, need: "yes")
            run = driven_by(chain(outer, caps=caps), models).run
            assert (run.result.ended, len(run.result.steps) <= caps["steps"]) == ("cap", True)
            assert 0 < models.began <= most
            assert models.most_at_once <= SIDE_BY_SIDE

    def test_money_that_is_reserved_comes_back_and_is_spent_to_the_last_call_that_fits(self):
        told = chain(
            {"kind": "each", "name": "e", "over": "[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]",
             "steps": [ask("a", **SHORT)], "gives": "item", "writes": "said", "at_once": 8},
            caps={"cents": 0.2},
        )  # fmt: skip
        models = Models(1, tell=lambda text, need: "yes")
        run = driven_by(told, models).run
        # A call may cost some .06 cents and costs .02: four at once would be too many, six in turn are not.
        assert (run.result.ended, models.most_at_once <= 3) == ("cap", True)
        assert models.began >= 6
        assert cents_in(run.record) <= 0.2

    def test_what_a_walk_holds_is_bounded(self):
        told = chain(
            {"kind": "each", "name": "e", "over": "[" + ", ".join("1" * 1 for _ in range(100)) + "]",
             "steps": [put("hold", said="big + string(item)")], "gives": "item", "writes": "sums"},
            put("never", said="'x'"),
            state=("said", "sums", {"name": "big", "start": "x" * 300_000}),
        )  # fmt: skip
        assert MOST_HELD == 20_000_000
        found = driven_by(told, Models(1)).run.result
        assert (found.ended, len(found.steps) < 80) == ("cap", True)
        assert "20,000,000 characters" in found.why


class TestLedger:
    ONE = Budget("", calls=2, cents=1.0)

    def test_what_fits_once_others_are_settled_waits_and_what_never_fits_does_not(self):
        ledger, woken = Ledger(), []
        most = Charge((self.ONE,), cents=0.7)
        assert ledger.reserve("a", most) is None
        assert isinstance(ledger.reserve("b", most), Later)
        ledger.waiting.append(lambda: woken.append(True))
        assert ledger.reserve("c", most._replace(cents=1.2)) == Refused(
            "cents", 1.0, 0.30000000000000004, 1.2
        )
        ledger.settle("a", 0.2)
        assert (woken, ledger.reserve("b", most)) == ([True], None)
        assert ledger.reserve("b", most) is None, "it is taken once"

    def test_what_is_given_up_counts_as_the_most_that_it_may_have_cost(self):
        ledger = Ledger()
        ledger.reserve("a", Charge((self.ONE,), cents=0.7))
        ledger.settle("a", None)
        assert isinstance(ledger.reserve("b", Charge((self.ONE,), cents=0.4)), Refused)

    def test_the_narrowest_budget_counts_as_the_widest_does(self):
        narrow = Budget("3~cents", calls=1)
        ledger = Ledger()
        both = Charge((self.ONE, narrow), calls=1)
        assert ledger.reserve("a", both) is None
        assert ledger.reserve("b", both) == Refused("calls", 1, 0, 1)
        assert ledger.reserve("c", Charge((self.ONE,), calls=1)) is None
        assert ledger.reserve("d", Charge((self.ONE,), calls=1)) == Refused("calls", 2, 0, 1)
