"""Cells that several owners take, give back and pause at once."""

from concurrent.futures import ThreadPoolExecutor

from epistem.store import cells
from tests.kit.subjects import library, start_trial

ROUNDS = 60


def test_owners_that_meet_wait_for_each_other_and_none_is_undone(database, two_models):
    with database.transaction() as tx:
        subject = library(tx)
    arms = [{"version": 1, "model": name} for name in ("tern-s", "gannet-l")]
    trial = start_trial(database, subject, arms=arms, repeats=20)

    def take_and_give_back(owner: str) -> int:
        taken = 0
        for at in range(ROUNDS):
            with database.transaction() as tx:
                taken += cells.claim(tx, trial.id, owner, 150)
            with database.transaction() as tx:
                cells.pause(tx, trial.id, at % 2, "away")
                if at % 3:
                    cells.release(tx, trial.id, owner)
                else:
                    cells.release_all_of(tx, owner.split(".")[0])
            with database.transaction() as tx:
                cells.try_now(tx, trial.id)
        return taken

    with ThreadPoolExecutor(4) as workers:
        taken = list(workers.map(take_and_give_back, ("one.1", "two.1", "three.1", "four.1")))
    assert all(taken)
    with database.transaction() as tx:
        assert tx.rows("SELECT DISTINCT state FROM cells") == [("waiting",)]
