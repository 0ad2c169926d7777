"""Cooperative cancellation: long computations check between steps whether to continue."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from vapocline.core.base.problems import UnavailableError


class Cancelled(UnavailableError):
    """The client disconnected, or the time limit was reached."""


def _never_cancelled() -> None:
    """The default: run to the end."""


cancel_check: ContextVar[Callable[[], None]] = ContextVar("cancel_check", default=_never_cancelled)
"""Set by the caller; called between steps, it raises Cancelled to end the computation."""


def check_cancelled() -> None:
    """Return unless the computation was cancelled. Raises Cancelled."""
    cancel_check.get()()
