"""When a process that stopped is started again."""

from hypothesis import given
from hypothesis import strategies as st

from epistem.up.restarts import LONGEST_S, OFTEN, WITHIN_S, Restarts


class Clock:
    now = 100.0

    def __call__(self):
        return self.now


def test_at_once_a_few_times_and_then_with_growing_waits():
    clock = Clock()
    restarts, waits = Restarts(clock), []
    for _ in range(12):
        waits.append(restarts.stopped())
        assert restarts.noticed
        assert restarts.due == (waits[-1] == 0)
        clock.now += waits[-1]
        assert restarts.due
        restarts.started()
        clock.now += 1
    assert waits == [0, 0, 0, 0, 2, 4, 8, 16, 32, 60, 60, 60]
    clock.now += 10 * WITHIN_S
    assert restarts.stopped() == 0  # it ran well for long


@given(st.lists(st.floats(0, 500), min_size=OFTEN, max_size=60))
def test_it_is_always_started_again_and_never_more_often_than_a_few_times_a_minute(runs):
    clock = Clock()
    restarts, begun = Restarts(clock), []
    for seconds in runs:
        clock.now += seconds
        wait_s = restarts.stopped()
        assert 0 <= wait_s <= LONGEST_S
        clock.now += wait_s
        restarts.started()
        begun.append(clock.now)
    for first, last in zip(begun, begun[2 * OFTEN :], strict=False):
        assert last - first > 20
