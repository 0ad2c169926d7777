"""Processes that run beside the application are watched, and started again when they end."""

from __future__ import annotations

import contextlib
import logging
import os
import select
import threading
from collections.abc import Iterator, Sequence
from typing import Protocol

from vapocline.core.base.problems import VapoclineError

log = logging.getLogger(__name__)
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 30.0
STABLE_S = 60.0  # a process that ran this long resets the back-off


class SupervisedProcess(Protocol):
    """A process beside the application."""

    @property
    def name(self) -> str:
        """What it is called in a sentence."""

    def pid(self) -> int | None:
        """Its process now, None when it has ended."""

    def start_again(self) -> None:
        """Restart it at the same address. Raises VapoclineError."""


@contextlib.contextmanager
def supervised(parts: Sequence[SupervisedProcess]) -> Iterator[None]:
    """Start each part again when it ends, until we are done."""
    over = threading.Event()
    ended, ending = os.pipe()  # wakes those who wait for a process
    threads = [
        threading.Thread(target=_watch, args=(one, over, ended), name=f"watch {one.name}")
        for one in parts
    ]
    for one in threads:
        one.start()
    try:
        yield
    finally:
        over.set()
        os.close(ending)
        for one in threads:
            one.join()
        os.close(ended)


def _watch(part: SupervisedProcess, over: threading.Event, ended: int) -> None:
    pause_s = FIRST_PAUSE_S
    while not over.is_set():
        if _ran_long(part, ended):
            pause_s = FIRST_PAUSE_S
        if over.is_set():
            return
        log.warning("%s has ended; starting it again", part.name)
        while not over.wait(pause_s):
            pause_s = min(2 * pause_s, LONGEST_PAUSE_S)
            try:
                part.start_again()
                log.warning("%s runs again", part.name)
                break
            except (VapoclineError, OSError) as error:
                log.error("%s did not start: %s", part.name, error)


def _ran_long(part: SupervisedProcess, ended: int) -> bool:
    """Wait for a part's process to end, or for shutdown. True if it ran for STABLE_S."""
    pid = part.pid()
    if pid is None:
        return False
    try:
        process = os.pidfd_open(pid)
    except ProcessLookupError:
        return False
    try:
        waiting = select.poll()
        waiting.register(process, select.POLLIN)
        waiting.register(ended, select.POLLIN)
        if waiting.poll(1000 * STABLE_S):
            return False
        waiting.poll()
        return True
    finally:
        os.close(process)
