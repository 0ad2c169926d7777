"""Ask devices that may not answer, without holding up whoever asks."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from vapocline.core.base.problems import DeviceError

PROBE_WAIT_S = 1.0
_THREADS = ThreadPoolExecutor(8, "probe")  # all that devices ever keep waiting at once
AnswerT = TypeVar("AnswerT")


def probe(ask: Callable[[float], AnswerT], what: str, wait_s: float | None = None) -> AnswerT:
    """The answer of a device, asked on a thread of its own; `ask` is given how long to wait, s.

    Raises DeviceError when it does not answer within that time, or none of the threads is free.
    """
    patience_s = PROBE_WAIT_S if wait_s is None else wait_s
    asked = _THREADS.submit(ask, patience_s)
    try:
        return asked.result(patience_s)
    except TimeoutError:
        asked.cancel()
        raise DeviceError(f"The {what} did not respond within {patience_s:g} s.") from None
