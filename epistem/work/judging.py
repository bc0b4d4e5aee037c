"""The models that judge: how they are asked, what they said before, and whether they can be trusted."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable, Mapping, Sequence
from hashlib import sha256
from time import monotonic

import structlog

from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.checks.structure.find_json import find_json
from epistem.core.engine.needs import AskModel
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.shapes import count
from epistem.core.wire.formats import WireFormat
from epistem.models.driving import Before, Made
from epistem.models.endpoint import Endpoint
from epistem.store import entries, judgements
from epistem.store.database import Database, Transaction
from epistem.store.models import Model

log = structlog.get_logger()

AFTER = 5
"""Failures in a row after which a judge is left alone for a while: each costs a reading its time limit."""
REST_S = 20.0
HURRIED_MS = 15_000


def judge_of(model: Model) -> JudgeModel:
    return JudgeModel(model.name, model.asked_as, model.format, frozenset(model.abilities))


class Judges:
    """The judging models of one trial, try or test. `asked` is what a program needs to know of them."""

    def __init__(
        self,
        database: Database,
        known: Mapping[str, Model],
        entry_ids: Mapping[str, int],
        *,
        hurried: bool = False,
        anew: bool = False,
    ) -> None:
        """`hurried` where a person waits: then each is asked HURRIED_MS at the longest, and left alone after
        one failure. `anew`: what was replied before is not looked up."""
        self._anew = anew
        self._database = database
        self._after = 1 if hurried else AFTER
        self.models, self.entry_ids = dict(known), dict(entry_ids)
        self._endpoints = {
            name: Endpoint.of(model, most_ms=HURRIED_MS if hurried else None)
            for name, model in known.items()
        }
        self.asked = {name: judge_of(model) for name, model in known.items()}
        self._identities: dict[str, int] = {}
        self._failed = dict.fromkeys(known, 0)
        self._rests_until = dict.fromkeys(known, 0.0)

    @property
    def wires(self) -> dict[int, WireFormat]:
        """How each is read, by its entry."""
        return {self.entry_ids[name]: model.format for name, model in self.models.items()}

    def endpoint_of(self, need: AskModel) -> Endpoint:
        return self._endpoints[need.model]

    async def recall(self, need: AskModel) -> Before | None:
        """What the judge replied to the same question before. Raises EpistemError while it is left alone."""
        digest = _digest(need)

        def look() -> bytes | None:
            if self._anew:
                return None
            with self._database.transaction() as tx:
                return judgements.reply_to(tx, digest, self._identity(tx, need.model))

        try:
            found = await asyncio.to_thread(look)
        except Exception as error:  # what is not remembered is asked anew
            log.warning("what a judge said before could not be looked up", why=repr(error)[:200])
            found = None
        if found is None and monotonic() < self._rests_until[need.model]:
            raise self._left_alone(need.model)
        return None if found is None else Before(found)

    def left(self, need: AskModel) -> None:
        return None

    def _left_alone(self, name: str) -> EpistemError:
        times = count(self._after, "time")
        return EpistemError(f"{name} failed {times} in a row and is left alone for {REST_S:g} s.")

    def _count(self, name: str, replied: bool) -> None:
        """How often it failed in a row; too often, and it is left alone."""
        self._failed[name] = 0 if replied else self._failed[name] + 1
        if self._failed[name] >= self._after:
            self._rests_until[name] = monotonic() + REST_S

    async def heard(self, need: AskModel, made: Made | None) -> None:
        """The judge replied, or, with None, did not. A reply without JSON is not remembered: asked again, it
        may do better."""
        name, reply = need.model, None if made is None else made.raw
        self._count(name, reply is not None)
        if reply is None or not self._has_json(need, reply):
            return
        digest = _digest(need)

        def keep() -> None:
            with self._database.transaction() as tx:
                judgements.keep_reply(tx, digest, self._identity(tx, name), reply)

        try:
            await asyncio.to_thread(keep)
        except Exception as error:
            log.warning("what a judge said is not remembered", why=repr(error)[:200])

    def _identity(self, tx: Transaction, name: str) -> int:
        if name not in self._identities:
            self._identities[name] = entries.keep_identity(tx, self.models[name])
        return self._identities[name]

    def _has_json(self, need: AskModel, reply: bytes) -> bool:
        found = find_json(self._endpoints[need.model].format.parse_reply(reply).text)
        return found is not None and isinstance(found.value, dict)


class People(Judges):
    """Models that play the person of a talk. Nothing is remembered of them beyond a trial's own record: the
    seed sees to it that they say the same to the same."""

    async def recall(self, need: AskModel) -> Before | None:
        if monotonic() < self._rests_until[need.model]:
            raise self._left_alone(need.model)
        return None

    async def heard(self, need: AskModel, made: Made | None) -> None:
        self._count(need.model, made is not None)


def judges_of(
    tx: Transaction,
    database: Database,
    names: Iterable[str],
    listed: Sequence[Model],
    *,
    anew: bool = False,
    hurried: bool = True,
) -> Judges:
    """Those of these names that are in the list as it is now, for a person who waits unless it is said otherwise."""
    known = {model.name: model for model in listed if model.name in set(names)}
    ids = {name: entries.keep(tx, model) for name, model in known.items()}
    return Judges(database, known, ids, hurried=hurried, anew=anew)


def check_judges(names: Iterable[str], listed: Sequence[Model]) -> None:
    """Raises InvalidInput for one that is not in the list."""
    known = {model.name for model in listed}
    for name in names:
        if name not in known:
            raise InvalidInput(
                f"“{name}” judges, but is not in the list of models. Add it, or choose another.",
                field="checks",
            )


def _digest(need: AskModel) -> bytes:
    return sha256(need.digest).digest()
