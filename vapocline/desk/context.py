"""What every use case takes: who asks, at which bench, and the resources it works with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from pathlib import Path
from shutil import disk_usage
from typing import Any, Self

from sqlalchemy import Engine

from vapocline.core.base.problems import UnavailableError
from vapocline.core.puck.plan import MEMBERS
from vapocline.store.database import FULL, Sessions, ask, connect, sessions_for

LEAST_FREE = 50_000_000  # bytes on the data folder's disk, with which work can be done


@dataclass(frozen=True)
class Simulators:
    """Where the simulated devices answer, host:port; None where none runs."""

    machine: str | None = None
    scale: str | None = None
    refractometer: str | None = None


@dataclass(frozen=True)
class Resources:
    """The database, the simulators and the clock of a process, made once when it starts.

    `unsaved` is a folder for what the database does not take; without one it is waited for.
    `members` simulated shots are behind each range.
    """

    engine: Engine
    simulators: Simulators = Simulators()
    unsaved: Path | None = None
    members: int = MEMBERS
    now: Callable[[], datetime] = lambda: datetime.now().astimezone()
    recordings: dict[int, Any] = field(default_factory=dict)  # shots recorded in this process
    sessions: Sessions = field(init=False)

    def __post_init__(self) -> None:
        """Derive the session factory from the engine."""
        object.__setattr__(self, "sessions", sessions_for(self.engine))

    def ask_database(self) -> None:
        """Return once the database answered. Raises UnavailableError."""
        ask(self.sessions)

    def ask_disk(self) -> None:
        """Return where the data folder has room, or is not here. Raises UnavailableError."""
        folder = self.unsaved.parent if self.unsaved else None
        if folder is not None and folder.exists() and disk_usage(folder).free < LEAST_FREE:
            raise UnavailableError(FULL)

    def close(self) -> None:
        """Give the database's connections back."""
        self.engine.dispose()


@dataclass(frozen=True)
class Context:
    """A person at a bench. Several may work side by side over the same resources."""

    resources: Resources
    person_id: int
    bench_id: int

    @property
    def sessions(self) -> Sessions:
        """Sessions on the database."""
        return self.resources.sessions

    def now(self) -> datetime:
        """The time at the bench."""
        return self.resources.now()

    def today(self) -> date:
        """The date at the bench."""
        return self.now().date()

    def at_bench(self, bench_id: int) -> Self:
        """The same person at another bench."""
        return replace(self, bench_id=bench_id)


def open_resources(
    url: str,
    simulators: Simulators = Simulators(),
    unsaved: Path | None = None,
    members: int = MEMBERS,
) -> Resources:
    """Resources on the database at a URL."""
    return Resources(connect(url), simulators, unsaved, members)
