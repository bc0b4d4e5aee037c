"""A chain that a model proposes: read, checked, and written again where it is told what is wrong."""

import pytest

from epistem.core.chains.faults import faults_of
from epistem.core.chains.proposing import ROUNDS, propose, yaml_in
from epistem.core.chains.yaml_file import chain_to_yaml
from epistem.core.engine.run import from_list
from epistem.core.wire.reply import Reply, Usage
from tests.kit.chains import SPEAKERS, ask, chain

GOOD = chain_to_yaml("loud", "", [], chain(ask("shout", "{{ question }}!")))


def proposed(*texts):
    stops = lambda told: [fault.message for fault in faults_of(told) if fault.stops]  # noqa: E731
    program = propose(SPEAKERS["small"], "loud", "Shout it", GOOD, ["small"], [], stops)
    return from_list(program, [Reply(text, "stop", Usage(), "") for text in texts])


def test_what_is_right_is_taken_at_once():
    needs, found = proposed(f"Here you are:\n```yaml\n{GOOD}```\nEnjoy!")
    assert (found.rounds, found.wrong, found.chain.steps[0].name) == (1, [], "shout")
    assert [need.path for need in needs] == ["proposal.1"]


def test_it_is_told_what_is_wrong_and_writes_it_again():
    bad = GOOD.replace("- name: said\n", "- name: other\n")
    needs, found = proposed("I can't do that.", bad, GOOD)
    assert (found.rounds, found.wrong) == (3, [])
    assert b"not right yet:\\n- Line " in needs[1].body.content
    assert "no value of the state" in needs[2].body.content.decode()


def test_after_so_many_rounds_what_is_wrong_is_told():
    needs, found = proposed(*["kind: nonsense: [" for _ in range(ROUNDS)])
    assert (len(needs), found.chain) == (ROUNDS, None)
    assert found.wrong


@pytest.mark.parametrize("text", ["", "steps: []", "```\nsteps: []\n", "name: loud\nsteps: []"])
def test_the_head_of_a_file_is_put_before_what_has_none(text):
    told = yaml_in(text, "loud")
    assert told.count("epistem: chain/1") == told.count("name: loud") == 1
