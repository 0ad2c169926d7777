"""Queries on translations: asked for by one process, worked out by any, followed by who asked."""

from __future__ import annotations

from datetime import timedelta
from typing import Any, NamedTuple

from sqlalchemy import delete, func, update
from sqlalchemy.orm import Session

from vapocline.store import queue
from vapocline.store.shots import notify
from vapocline.store.tables import TranslationRow

QUEUE, TASK = "translating", "translate"
KEPT = timedelta(hours=1)  # one that nobody came back for


class Translating(NamedTuple):
    """What was asked, and its latest result."""

    asked: dict[str, Any]
    came: dict[str, Any] | None


def ask(session: Session, asked: dict[str, Any]) -> int:
    """Queue a translation with the caller's transaction; gives its number."""
    session.execute(delete(TranslationRow).where(TranslationRow.created_at < func.now() - KEPT))
    row = TranslationRow(asked=asked)
    session.add(row)
    session.flush()
    queue.defer(
        session, queue=QUEUE, task=TASK, name=_name(row.id), args={"translation_id": row.id}
    )
    return row.id


def read(session: Session, number: int) -> Translating | None:
    """A translation as far as it has come; None once nobody wants it."""
    row = session.get(TranslationRow, number)
    return None if row is None else Translating(row.asked, row.came)


def report(session: Session, number: int, came: dict[str, Any]) -> bool:
    """Keep how far a translation has come and tell who follows; whether anybody still does."""
    kept = session.scalar(
        update(TranslationRow)
        .where(TranslationRow.id == number)
        .values(came=came)
        .returning(TranslationRow.id)
    )
    notify(session, {"translation": number})
    return kept is not None


def forget(session: Session, number: int) -> None:
    """Nobody follows a translation any more: call it off."""
    queue.cancel(session, _name(number))
    session.execute(delete(TranslationRow).where(TranslationRow.id == number))


def _name(number: int) -> str:
    return f"translation {number}"
