"""A taster's own form of a shot, quick: what was tasted is written down as it is said."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy.orm import Session

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.taste.tasting import Served, Tasting, Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of
from vapocline.store import shelf, shots, taste
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow


def score(context: Context, shot_id: int, tasting: Tasting) -> ShotLine:
    """Write down what was tasted; the same warmth and serving again replaces what was there.

    Raises Refused when nothing is said at all, NotFoundError.
    """
    said = tasting.scores()
    if not said and not tasting.notes.strip() and not tasting.words:
        raise Refused([Problem("tasting", "nothing", "at least one score or a note")])
    with transaction(context.sessions) as session:
        row = shots.read_shot(session, shot_id)
        key = _quick(session, context, shot_id) | _way(tasting.warmth, tasting.served)
        known = {one.line: one.points for one in taste.read_scores(session, key)}
        for line in known.keys() - said.keys():
            taste.forget_scores(session, key | {"line": line})
        age_s = age_of(context, row)
        for line, points in said.items():
            if known.get(line) != points:  # what was said before keeps its age
                values = {"points": points, "since_stop_s": age_s}
                taste.write_score(session, key | {"line": line}, values)
        remark = {"words": list(tasting.words), "notes": tasting.notes}
        taste.write_remark(session, key, remark)
        session.expire_all()
        return line_of(shots.read_shot(session, shot_id))


def take_back(context: Context, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting, if there is one."""
    with transaction(context.sessions) as session:
        shots.read_shot(session, shot_id)
        key = _quick(session, context, shot_id) | _way(warmth, served)
        taste.forget_scores(session, key)
        taste.forget_remark(session, key)


def age_of(context: Context, row: ShotRow, ago_s: float = 0.0) -> float | None:
    """How old a shot's cup is, or was `ago_s` earlier, s; None where its stop is not known."""
    if row.shot_time_s is None or row.origin != "pulled":
        return None
    stopped = row.started_at + timedelta(seconds=row.shot_time_s)
    return max(0.0, round((context.now() - stopped).total_seconds() - ago_s, 1))


def _quick(session: Session, context: Context, shot_id: int) -> dict[str, int]:
    """The cup of this person's own form, and who they are."""
    name = shelf.read_person(session, context.person_id).name
    taster = taste.taster_named(session, name)
    cup = taste.quick_cup(session, shot_id, taster.id)
    return {"cup_id": cup.id, "taster_id": taster.id, "session_id": cup.session_id}


def _way(warmth: Warmth, served: Served) -> dict[str, str]:
    return {"warmth": warmth, "served": served}
