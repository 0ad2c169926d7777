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
    """Queue a task under a name: once, however often it is asked before it begins."""
    values = {"queue": queue, "task": task, "name": name, "args": json.dumps(args)}
    try:
        with session.begin_nested():
            session.execute(text(_DEFER), values)
    except IntegrityError as error:
        broken = getattr(getattr(error.orig, "diag", None), "constraint_name", None)
        if broken != ALREADY_QUEUED:
            raise


def state_of(session: Session, name: str) -> Literal["waits", "runs"] | None:
    """Whether what is queued under a name waits or runs."""
    query = text(f"select status::text from procrastinate_jobs where {_OPEN}")
    found = set(session.scalars(query, {"name": name}))
    return "runs" if "doing" in found else "waits" if found else None


def cancel(session: Session, name: str) -> None:
    """Call off what waits under a name, and what runs as soon as it looks."""
    query = (
        f"select procrastinate_cancel_job_v1(id, true, true) from procrastinate_jobs where {_OPEN}"
    )
    session.execute(text(query), {"name": name})
