"""Scores of a tasting."""

from __future__ import annotations

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.taste.tasting import Served, Tasting, Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of
from vapocline.store import shots
from vapocline.store.database import transaction


def score(context: Context, shot_id: int, tasting: Tasting) -> ShotLine:
    """Write down what was tasted; the same warmth and serving again replaces what was there.

    Raises Refused when nothing is said at all, NotFoundError.
    """
    if not tasting.scores() and not tasting.notes.strip():
        raise Refused([Problem("tasting", "nothing", "at least one score or a note")])
    with transaction(context.sessions) as session:
        shots.read_shot(session, shot_id)
        shots.write_tasting(session, shot_id, tasting.model_dump())
        session.expire_all()
        return line_of(shots.read_shot(session, shot_id))


def take_back(context: Context, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting, if there is one."""
    with transaction(context.sessions) as session:
        row = shots.read_tasting(session, shot_id, warmth, served)
        if row is not None:
            session.delete(row)
