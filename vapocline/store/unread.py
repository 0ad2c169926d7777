"""Shots whose curves nobody has read yet, and the queue of reading them."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from vapocline.store import queue
from vapocline.store.tables import ShotRow

QUEUE, TASK = "reading", "read"


def ask_to_read(session: Session) -> None:
    """Queue reading what nobody has read yet, once, however often it is asked."""
    queue.defer(session, queue=QUEUE, task=TASK, name=TASK, args={})


def read_unread(session: Session, *, limit: int) -> Sequence[int]:
    """Shots that nobody has read yet, the newest first."""
    unread = (ShotRow.findings.is_(None), ShotRow.state != "running", ~ShotRow.dry)
    query = select(ShotRow.id).where(*unread).order_by(ShotRow.id.desc()).limit(limit)
    return session.scalars(query).all()
