"""The queue of work in the database: put there with a transaction, done by any worker."""

from __future__ import annotations

import json
from typing import Any, Literal

from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

ALREADY_QUEUED = "procrastinate_jobs_queueing_lock_idx_v1"  # that job will see this change too
_DEFER = (
    "select procrastinate_defer_jobs_v1(array[row(:queue, :task, 0, :name, :name, "
    "cast(:args as jsonb), null)::procrastinate_job_to_defer_v1])"
)
_OPEN = "queueing_lock = :name and status in ('todo', 'doing')"


def defer(session: Session, *, queue: str, task: str, name: str, args: dict[str, Any]) -> None:
    """Queue a task under a name: once, however often it is asked before it begins. That it failed
    before is forgotten: it will be done, or fail again."""
    session.execute(
        text("delete from procrastinate_jobs where queueing_lock = :name and status = 'failed'"),
        {"name": name},
    )
    values = {"queue": queue, "task": task, "name": name, "args": json.dumps(args)}
    try:
        with session.begin_nested():
            session.execute(text(_DEFER), values)
    except IntegrityError as error:
        broken = getattr(getattr(error.orig, "diag", None), "constraint_name", None)
        if broken != ALREADY_QUEUED:
            raise


JobState = Literal["waits", "runs", "failed"]
STATES: dict[str, JobState] = {"todo": "waits", "doing": "runs", "failed": "failed"}
# What a worker cannot even begin with would bring it down, again and again.
FAIL_UNREADABLE = (
    "update procrastinate_jobs set status = 'failed' where status in ('todo', 'doing') "
    "and jsonb_typeof(args) is distinct from 'object'"
)


def state_of(session: Session, name: str) -> JobState | None:
    """Whether what was queued last under a name waits, runs, or failed."""
    query = text(
        "select status::text from procrastinate_jobs where queueing_lock = :name "
        "order by status in ('todo', 'doing') desc, status = 'doing' desc, id desc limit 1"
    )
    return STATES.get(session.scalar(query, {"name": name}) or "")


def cancel(session: Session, name: str) -> None:
    """Call off what waits under a name, and what runs as soon as it looks."""
    query = (
        f"select procrastinate_cancel_job_v1(id, true, true) from procrastinate_jobs where {_OPEN}"
    )
    session.execute(text(query), {"name": name})
