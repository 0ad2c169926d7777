"""What happened during a shot."""

from __future__ import annotations

from typing import NamedTuple

from pydantic import BaseModel, ConfigDict


class Span(NamedTuple):
    """One phase as it ran: from when to when, s, and what ended it."""

    phase: int
    start_s: float
    end_s: float
    ended_on: str | None


class Action(BaseModel):
    """Something done to the shot in flight, at its time."""

    model_config = ConfigDict(frozen=True)

    t: float
    what: str
    value: float | None = None
