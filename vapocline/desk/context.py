"""What every use case needs at hand: the database, the machines' addresses, and the clock."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from sqlalchemy import Engine

from vapocline.store.database import Sessions, connect, sessions_for


@dataclass(frozen=True)
class StandIns:
    """Where the simulated devices answer, host:port; None where none runs."""

    machine: str | None = None
    scale: str | None = None
    refractometer: str | None = None


@dataclass(frozen=True)
class Desk:
    """The desk's surroundings, made once by whoever starts it."""

    engine: Engine
    stand_ins: StandIns = StandIns()
    now: Callable[[], datetime] = lambda: datetime.now().astimezone()
    recordings: dict[int, Any] = field(default_factory=dict)  # shots recorded in this process
    sessions: Sessions = field(init=False)

    def __post_init__(self) -> None:
        """Derive the session factory from the engine."""
        object.__setattr__(self, "sessions", sessions_for(self.engine))

    def today(self) -> date:
        """The date at the bench."""
        return self.now().date()


def open_desk(url: str, stand_ins: StandIns = StandIns()) -> Desk:
    """A desk on the database at a URL."""
    return Desk(connect(url), stand_ins)
