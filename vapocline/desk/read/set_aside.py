"""Setting a shot aside, so that it counts nowhere; and taking it back."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, StringConstraints

from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, finished, line_of
from vapocline.store import shots
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn

MOST_REASON = 200


class SetAside(BaseModel):
    """Why a shot counts nowhere, or None to let it count again."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    reason: (
        Annotated[
            str, StringConstraints(strip_whitespace=True, min_length=1, max_length=MOST_REASON)
        ]
        | None
    )


def set_aside(context: Context, shot_id: int, said: SetAside) -> ShotLine:
    """Note why a shot counts nowhere. Raises NotFoundError, ConflictError while it runs."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        row.set_aside = said.reason
        ask_to_learn(session, row)
        session.flush()
        return line_of(row)
