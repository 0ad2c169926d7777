"""Shots that were cut off."""

from __future__ import annotations

from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of
from vapocline.store import shots
from vapocline.store.database import transaction

MOST_OFFERED = 20


def list_cut_off(context: Context) -> list[ShotLine]:
    """Shots that were cut off and nobody has looked at since, the newest of them."""
    with transaction(context.sessions) as session:
        return [line_of(row) for row in shots.read_unseen(session, limit=MOST_OFFERED)]


def mark_seen(context: Context, shot_id: int) -> None:
    """A cut-off shot was looked at: it is not offered again. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shots.read_standing(session, shot_id).seen_at = context.now()
