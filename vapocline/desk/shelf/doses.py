"""How well a grinder's weighed doses hit what was asked for."""

from __future__ import annotations

from vapocline.core.learn.doses import Doses, doses_of
from vapocline.desk.context import Context
from vapocline.store.database import transaction
from vapocline.store.habits import read_dose_offs

MOST_DOSES = 30


def read_doses(context: Context, grinder_id: int) -> Doses | None:
    """Mean, spread and drift of the newest doses; None while there are too few."""
    with transaction(context.sessions) as session:
        return doses_of(read_dose_offs(session, grinder_id, limit=MOST_DOSES))
