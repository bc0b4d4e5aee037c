"""How a shard shares its calls in flight among arms, and when a model counts as one that can't be asked."""

from hypothesis import given
from hypothesis import strategies as st

from epistem.runner.arms import AFTER_LATER, AFTER_SOON, Health
from epistem.runner.queues import RETURNS, STUCK_S, Queues
from epistem.store.cells import ClaimedCell


def cells(*counts):
    """So many of each arm."""
    arms = [arm for arm, count in enumerate(counts) for _ in range(count)]
    return [ClaimedCell(number, arm, 0, 0, 0) for number, arm in enumerate(arms)]


def taken(queues):
    found = []
    while (cell := queues.take()) is not None:
        found.append(cell)
    return found


class Clock:
    now = 0.0

    def __call__(self):
        return self.now


def test_an_arm_that_hangs_holds_its_share_and_leaves_the_rest():
    clock = Clock()
    queues = Queues(cells(50, 50), 8, clock)
    first = taken(queues)
    assert [cell.arm for cell in first].count(0) == [cell.arm for cell in first].count(1) == 4
    for cell in first:
        if cell.arm == 1:  # the other arm's answers land, again and again
            queues.done(cell)
    clock.now = 1
    assert {cell.arm for cell in taken(queues)} == {1}
    assert queues.stuck == set()  # the other arm has something to ask


def test_where_only_a_stuck_arm_has_something_left_it_is_told_and_may_have_all():
    clock = Clock()
    queues = Queues(cells(50, 2), 8, clock)
    for cell in taken(queues):
        if cell.arm == 1:
            queues.done(cell)
    clock.now = STUCK_S + 1
    assert taken(queues) == []
    assert queues.stuck == {0}
    queues.add([ClaimedCell(99, 1, 0, 0, 0)])
    assert [cell.id for cell in taken(queues)] == [99]
    queues.alone = True
    assert len(taken(queues)) == 4


@given(st.lists(st.integers(0, 12), min_size=1, max_size=5), st.integers(1, 9))
def test_every_cell_is_taken_once_and_no_more_than_there_are_lanes(counts, lanes):
    queues, seen = Queues(cells(*counts), lanes), []
    while not queues.over:
        going = taken(queues)
        assert going
        assert len(going) <= lanes + len(counts)  # lanes hold one each, so there are no more
        for cell in going:
            queues.done(cell)
        seen += going
    assert sorted(cell.id for cell in seen) == list(range(sum(counts)))


def test_a_cell_goes_back_a_few_times_and_no_more():
    queues = Queues(cells(1), 4)
    for _ in range(RETURNS):
        [cell] = taken(queues)
        queues.done(cell)
        assert queues.put_back(cell)
    [cell] = taken(queues)
    assert not queues.put_back(cell)


def test_so_many_failures_in_a_row_pause_an_arm():
    health = Health()
    assert not health.failed("answer", "this one", None)
    for _ in range(AFTER_SOON - 1):
        assert health.failed("unreachable", "away", None)
    assert not health.paused
    health.answered()
    for _ in range(AFTER_SOON):
        health.failed("refused", "no key", 9.0)
    assert (health.paused, health.why, health.retry_after_s) == (True, "no key", 9.0)
    busy = Health()
    for _ in range(AFTER_LATER - 1):
        busy.failed("busy", "later", None)
    assert not busy.paused
    busy.failed("silent", "nothing", None)
    assert busy.paused
    tried = Health(on_trial=True)
    tried.failed("silent", "still nothing", None)
    assert tried.paused, "after a pause one failure is enough"
