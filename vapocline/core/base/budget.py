"""Long computing asks, between its steps, whether it is still wanted."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from vapocline.core.base.problems import UnavailableError


class Abandoned(UnavailableError):
    """Nobody waits for the answer any more, or it would come too late."""


def _always() -> None:
    """Wanted, however long it takes."""


still_wanted: ContextVar[Callable[[], None]] = ContextVar("still_wanted", default=_always)
"""What those who ask set: called between the steps, it raises Abandoned to end the computing."""


def go_on() -> None:
    """Return while the answer is wanted. Raises Abandoned."""
    still_wanted.get()()
