"""What a case was before."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Case
from epistem.core.cases.identity import differing
from epistem.store import cases, subjects
from epistem.web.cases import CasePath, bp
from epistem.web.replies import Moment, Shape, reply, transaction

MOST = 30


class EarlierCase(Shape):
    """A case as it was from `changed_at` on, until `changed` of it was changed."""

    revision: int
    changed_by: str
    changed_at: Moment
    content: Case
    changed: list[str] = Field(description="What differs in the next: `expect.label`, `tags`.")


class EarlierCases(Shape):
    """The latest first."""

    earlier: list[EarlierCase]


@bp.get(
    "/subjects/<name>/cases/<int:number>/earlier", responses={200: EarlierCases},
    operation_id="listEarlierCases", summary="What a case was before it was changed",
)  # fmt: skip
def list_earlier(path: CasePath) -> Response:
    with transaction() as tx:
        kept = cases.get(tx, subjects.get(tx, path.name), path.number)
        found = cases.earlier(tx, kept.id, MOST)
    after = [kept.content, *(each.content for each in found)]
    return reply(
        EarlierCases(
            earlier=[
                EarlierCase(
                    revision=each.revision,
                    changed_by=each.changed_by,
                    changed_at=each.changed_at,
                    content=each.content,
                    changed=differing(each.content, later),
                )
                for each, later in zip(found, after, strict=False)
            ]
        )
    )
