"""Pairs and variations of a case."""

from __future__ import annotations

from typing import Any

from flask import Response

from epistem.core.cases.content import title_of
from epistem.core.cases.pair import Pair, Variation
from epistem.store import subjects
from epistem.store.cases import KeptCase
from epistem.web.cases import CasePath, bp
from epistem.web.replies import Shape, reply, transaction
from epistem.work.pairs import pairs_of


class PairedCase(Shape):
    number: int
    title: str
    inputs: dict[str, Any]
    deleted: bool
    pair: Pair | None


class VariedCase(Shape):
    """`inputs` are those that it changes, as they would be asked."""

    kind: Variation
    inputs: dict[str, Any]


class CasePairs(Shape):
    """`original` is null for a case that is paired with no other; `variations` are those whose rule finds
    something to change."""

    original: PairedCase | None
    paired: list[PairedCase]
    variations: list[VariedCase]


@bp.get(
    "/subjects/<name>/cases/<int:number>/pairs", responses={200: CasePairs},
    operation_id="getCasePairs", summary="What a case is paired with, and its variations",
)  # fmt: skip
def get_case_pairs(path: CasePath) -> Response:
    with transaction() as tx:
        found = pairs_of(tx, subjects.get(tx, path.name), path.number)
    return reply(
        CasePairs(
            original=None if found.original is None else _paired(found.original),
            paired=[_paired(each) for each in found.paired],
            variations=[VariedCase(kind=kind, inputs=inputs) for kind, inputs in found.variations],
        )
    )


def _paired(kept: KeptCase) -> PairedCase:
    return PairedCase(
        number=kept.number,
        title=title_of(kept.content),
        inputs=kept.content.inputs,
        deleted=kept.deleted_at is not None,
        pair=kept.content.pair,
    )
