"""A scale followed while a shot is recorded: what it showed at the moment a sample was taken."""

from __future__ import annotations

import math
import time
from collections import deque
from collections.abc import Callable
from itertools import pairwise
from threading import Condition, Thread
from threading import Event as Signal
from typing import Any

from vapocline.core.base.problems import DeviceError
from vapocline.devices.adapters import open_scale

LASTS_S = 1.0  # a reading older than this is none
RECONNECT_WAIT_S = 0.3
KEPT = 8000  # readings: a sample that a broken line brings late still finds its own
STEPS = 8  # the newest, by which a scale's pace is known
AT_ONCE_S = 0.01  # what is heard within it was sent together
HURRY_S = 0.05  # so long a reading is waited for that must be on its way


class OurClock:
    """The times of one device on our own clock. What came soonest tells how far its clock lies
    from ours; one that does not say its time, or stands still between two messages, counts from
    when it was heard."""

    def __init__(self) -> None:
        """Nothing was heard yet."""
        self._ahead_s = math.inf
        self._last_at = self._last_heard = -math.inf
        self._coarse = False

    def when(self, at: float | None, heard_at: float) -> float:
        """When something was, s, by the device's own time `at` and ours when it was heard."""
        if at is None or self._coarse:
            return heard_at
        if at == self._last_at and heard_at - self._last_heard > AT_ONCE_S:
            self._coarse = True
            return heard_at
        if at < self._last_at:  # its clock was set
            self._ahead_s = math.inf
        self._last_at, self._last_heard = at, heard_at
        self._ahead_s = min(self._ahead_s, heard_at - at)
        return at + self._ahead_s


class Weights:
    """The readings of a scale, followed for as long as a shot is recorded."""

    def __init__(self, address: str, now: Callable[[], float] = time.monotonic) -> None:
        """Follow the scale at an address; while it does not answer there is no reading. `now` is
        our clock, s."""
        self._address, self._now = address, now
        self._readings: deque[tuple[float, float]] = deque(maxlen=KEPT)  # when on our clock, g
        self._clock = OurClock()
        self._news = Condition()
        self._late = False  # one that was waited for did not come
        self._over = Signal()
        self._line: Any = None
        Thread(target=self._follow, name="scale", daemon=True).start()

    def at(self, when: float) -> float:
        """The weight at a moment of our clock, g, or nan while there is none.

        Where both were heard late, the reading may come after the sample it belongs to: it is
        waited for a moment.
        """
        with self._news:
            if self._due(when):
                self._late = not self._news.wait_for(lambda: not self._due(when), HURRY_S)
            for heard, weight_g in reversed(self._readings):
                if heard <= when:
                    return weight_g if when - heard <= LASTS_S else math.nan
        return math.nan

    def close(self) -> None:
        """Let the scale be."""
        self._over.set()
        if self._line is not None:
            self._line.close()

    def _due(self, when: float) -> bool:
        """Whether the scale must have shown something new by then that was not heard yet."""
        if self._late or len(self._readings) < STEPS:
            return False
        newest = [self._readings[-back][0] for back in range(STEPS, 0, -1)]
        pace_s = max(after - before for before, after in pairwise(newest))
        return newest[-1] + pace_s < when

    def _follow(self) -> None:
        while not self._over.is_set():
            try:
                self._line = open_scale(self._address)
                for reading in self._line.weights():
                    with self._news:
                        when = self._clock.when(reading.at, self._now())
                        self._readings.append((when, reading.weight_g))
                        self._late = False
                        self._news.notify_all()
            except DeviceError:
                self._over.wait(RECONNECT_WAIT_S)
            finally:
                if self._line is not None:
                    self._line.close()
