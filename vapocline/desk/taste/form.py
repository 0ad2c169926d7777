"""Which lines of the tasting form a house scores."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.taste.tasting import LINES, Line
from vapocline.desk.context import Context
from vapocline.store import house
from vapocline.store.database import transaction


class HouseLines(BaseModel):
    """Which lines of the form a house scores, in the form's own order."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    lines: Annotated[tuple[Line, ...], Field(min_length=1, max_length=len(LINES))]


def read_house_lines(context: Context) -> HouseLines:
    """The lines that are scored here."""
    with transaction(context.sessions) as session:
        return _lines_in(session)


def choose_house_lines(context: Context, chosen: HouseLines) -> HouseLines:
    """Score these lines from now on; what was scored on others is kept. Raises Refused."""
    if len(set(chosen.lines)) < len(chosen.lines):
        raise Refused([Problem("lines", "a line twice", "each line once")])
    with transaction(context.sessions) as session:
        lines = [line for line in LINES if line in chosen.lines]
        house.write_house(session, {"lines": lines})
        return _lines_in(session)


def _lines_in(session: Session) -> HouseLines:
    return HouseLines.model_validate({"lines": house.lines_of_house(session)})
