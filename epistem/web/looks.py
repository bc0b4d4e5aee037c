"""Looking at the results of cases that are held out."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.shapes import Document
from epistem.store import looks, trials
from epistem.web.problems import Problem
from epistem.web.replies import blueprint, reply, transaction
from epistem.web.trial_shapes import LookShape, TrialPath

bp = blueprint("looks")


class Looking(Document):
    why: str = Field("", max_length=400, description="What for, such as a decision to be made.")


@bp.post(
    "/trials/<int:trial_id>/looks", responses={201: LookShape, 409: Problem},
    operation_id="lookAtHoldout", summary="Look at the cases held out; the look is recorded",
)  # fmt: skip
def look_at_holdout(path: TrialPath, body: Looking) -> Response:
    with transaction() as tx:
        look = looks.record(tx, trials.get(tx, path.trial_id), body.why.strip())
    return reply(LookShape.model_validate(look), 201)
