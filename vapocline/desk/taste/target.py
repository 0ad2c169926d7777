"""What a coffee should taste like, and how far its shots are from that."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.formats.registry import TARGET
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.target import Distance, Target, distance_from, off_target_words
from vapocline.core.taste.tasting import Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import tastings_of
from vapocline.desk.taste.spread import spreads_here
from vapocline.store import shelf, shots, taste
from vapocline.store.database import transaction
from vapocline.store.tables import CoffeeRow, ShotRow, TargetRow


def read_target(context: Context, coffee_id: int) -> Target:
    """What a coffee should taste like; empty where nobody has said. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shelf.read_one(session, CoffeeRow, coffee_id)
        row = taste.read_target(session, coffee_id)
        return Target() if row is None else TARGET.read(row.document)


class OffTarget(Answer):
    """How far a shot's tastings are from its coffee's target, in words: whose, and by how many
    noticeable steps. Empty without a target or where nothing is off."""

    said: list[str]


def read_off_target(context: Context, shot_id: int) -> OffTarget:
    """A shot's distance from its coffee's target, tasting by tasting. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shots.read_shot(session, shot_id)
        return OffTarget(said=off_target_in(session, row, spreads_here(session)))


def off_target_in(
    session: Session, row: ShotRow, spreads: HouseSpreads, session_id: int | None = None
) -> list[str]:
    """The same for a stored shot, by its tastings in one session or in all."""
    stored = None if row.coffee_id is None else taste.read_target(session, row.coffee_id)
    if stored is None:
        return []
    aim, by = TARGET.read(stored.document), dict[Warmth, list[tuple[str, Distance]]]()
    for tasted in tastings_of(row):
        if session_id in (None, tasted.session_id):
            scores = {line: float(points) for line, points in tasted.scores().items()}
            off = distance_from(aim, scores, tasted.words, tasted.taster, spreads)
            by.setdefault(tasted.warmth, []).append((tasted.taster, off))
    return [
        f"{who}, {warmth}: {words}"
        for warmth, cups in by.items()
        for who, words in off_target_words(cups)
    ]


def set_target(context: Context, coffee_id: int, target: Target) -> Target:
    """Set what a coffee should taste like. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shelf.read_one(session, CoffeeRow, coffee_id)
        row = taste.read_target(session, coffee_id)
        document = TARGET.write(target)
        if row is None:
            session.add(TargetRow(coffee_id=coffee_id, document=document))
        else:
            row.document = document
        return target
