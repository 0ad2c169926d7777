"""What every use case needs at hand: the database, the machines' addresses, and the clock."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy import Engine

from vapocline.store.database import Sessions, connect, sessions_for


@dataclass(frozen=True)
class Desk:
    """The desk's surroundings, made once by whoever starts it."""

    engine: Engine
    simulated_machine: str | None = None  # host:port of the stand-in
    now: Callable[[], datetime] = lambda: datetime.now().astimezone()
    sessions: Sessions = field(init=False)

    def __post_init__(self) -> None:
        """Derive the session factory from the engine."""
        object.__setattr__(self, "sessions", sessions_for(self.engine))

    def today(self) -> date:
        """The date at the bench."""
        return self.now().date()


def open_desk(url: str, *, simulated_machine: str | None = None) -> Desk:
    """A desk on the database at a URL."""
    return Desk(connect(url), simulated_machine)
