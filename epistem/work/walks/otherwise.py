"""A kept walk as the program that it is: with what is otherwise in it, and whoever talks."""

from __future__ import annotations

from collections.abc import Mapping

from epistem.core.chains.talking import Says
from epistem.core.chains.walking import Changes, Walk
from epistem.core.trials.talking import Person, opening_words
from epistem.store.models import Model
from epistem.store.walks.rows import Walking
from epistem.work.judging import judge_of
from epistem.work.walks.chains import speakers_of


def walk_of(walking: Walking, listed: Mapping[str, Model]) -> Walk:
    """With the models of the list, by their names."""
    return Walk(
        walking.chain,
        speakers_of(listed.values()),
        walking.seed,
        changes=changes_of(walking),
        person=_played(walking, listed),
        sends=f"{walking.subject}/{walking.id}" if walking.goes_out else "",
    )


def changes_of(walking: Walking) -> Changes:
    """What is otherwise in a walk than its chain would have it, also by the walks that it replays in turn."""
    told = walking.inherited
    before, instead = dict(told.get("before", {})), dict(told.get("instead", {}))
    place = walking.line.from_step
    if place and not walking.alone:
        before |= {place: {**before.get(place, {}), **walking.edits}} if walking.edits else {}
        instead |= {place: walking.instead} if walking.instead else {}
    return Changes(before, instead)


def _played(walking: Walking, listed: Mapping[str, Model]) -> Says | None:
    """Who says what the person of the case does; None where a real one talks."""
    if walking.played is None:
        return None
    models = {name: judge_of(model) for name, model in listed.items()}
    opening = opening_words(walking.chain, walking.line.inputs, walking.played)
    return Person(walking.played, opening, models).says
