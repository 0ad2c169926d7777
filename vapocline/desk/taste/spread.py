"""How much a taster's scores of the same drink vary, from everything scored in the house."""

from __future__ import annotations

from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.taste.believable import Believable, believable
from vapocline.core.taste.panel import TasterScore, repeats_in
from vapocline.core.taste.tasting import Warmth
from vapocline.store import taste


def believable_here(session: Session) -> Believable:
    """The smallest believable differences of the house, from everything scored so far."""
    alike: dict[str, list[TasterScore]] = {}  # what was in milk repeats nothing straight
    for name, score, shot_id in taste.read_repeated_scores(session):
        warmth = cast("Warmth", score.warmth)
        given = TasterScore(name, shot_id, warmth, score.line, score.points)
        alike.setdefault(score.served, []).append(given)
    return believable(one for way in alike.values() for one in repeats_in(way))
