"""What goes on behind the pages."""

from __future__ import annotations

from typing import Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.store import jobs
from epistem.store.database import Transaction
from epistem.web.replies import Moment, Shape, blueprint, reply, transaction

bp = blueprint("jobs")


class JobLine(Shape):
    """One that goes on, or can't be done: `why` is what its last attempt came to, of `attempts` that came to nothing.
    Of `total` pieces, 0 where they are not counted, `done` are done. It is not taken up before `due_at`."""

    id: int
    kind: str
    title: str
    status: Literal["waiting", "running", "failed"]
    attempts: int
    why: str
    done: int
    total: int
    due_at: Moment


class JobList(Shape):
    jobs: list[JobLine]


class JobPath(BaseModel):
    job: int = Field(description="The job's number.")


def lines_of(tx: Transaction) -> list[JobLine]:
    return [JobLine.model_validate(each) for each in jobs.unfinished(tx)]


@bp.get(
    "/jobs", responses={200: JobList}, operation_id="listJobs",
    summary="What goes on behind the pages, and what can't be done",
)  # fmt: skip
def list_jobs() -> Response:
    with transaction() as tx:
        return reply(JobList(jobs=lines_of(tx)))


@bp.post(
    "/jobs/<int:job>/again", responses={200: JobList}, operation_id="tryJobAgain",
    summary="Have it tried now",
)  # fmt: skip
def try_job_again(path: JobPath) -> Response:
    with transaction() as tx:
        jobs.try_again(tx, path.job)
        return reply(JobList(jobs=lines_of(tx)))


@bp.delete(
    "/jobs/<int:job>", responses={200: JobList}, operation_id="leaveJob",
    summary="Say that it need not be done",
)  # fmt: skip
def leave_job(path: JobPath) -> Response:
    """What is done of it stays."""
    with transaction() as tx:
        jobs.leave(tx, path.job)
        return reply(JobList(jobs=lines_of(tx)))
