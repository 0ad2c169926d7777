"""What the crema and the puck of a shot looked like."""

from __future__ import annotations

from vapocline.core.taste.observations import Observation
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of
from vapocline.store import shots, taste
from vapocline.store.database import transaction


def observe(context: Context, shot_id: int, seen: Observation) -> ShotLine:
    """Note what crema and puck looked like, over what was there. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shots.read_shot(session, shot_id)
        taste.write_observation(session, shot_id, seen.model_dump())
        session.expire_all()
        return line_of(shots.read_shot(session, shot_id))
